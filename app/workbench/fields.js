// The field menu: beside a text or an address that can be filled in stands a menu of all that it can be filled in with, by the words of
// the quiz. Alt+I leads to it, Escape back.
import { bench, id, say, store } from "./frame.js";

const menu = document.createElement("select");
menu.className = "field small fillmenu";
menu.setAttribute("aria-label", "Insert a field");
menu.title = "Insert a field (Alt+I)";
menu.hidden = true;
const room = document.getElementById("room");
room.append(menu);

let field = null; // that the menu stands beside
let caret = null; // where in it something is to be inserted
let listed = { revision: -1, fields: [] };

async function list() {
  if (listed.revision !== store.revision) {
    const response = await fetch(`/quizzes/${id}/fields`).catch(() => null);
    if (response?.ok) listed = await response.json();
  }
  menu.replaceChildren(new Option("{ } Insert …", ""));
  let group = null;
  for (const { group: name, name: words, value } of listed.fields) {
    if (name === "Internal (for your team)" && field?.dataset.fill !== "team") continue;
    if (group?.label !== name) {
      group = document.createElement("optgroup");
      group.label = name;
      menu.append(group);
    }
    group.append(new Option(words, value));
  }
}

// The menu comes when the focus stays: nothing is measured and nothing fetched while somebody walks from line to line.
const pause = 200;
let coming = 0;
function stand(el, within = null) {
  clearTimeout(coming);
  field = el;
  if (!el) return void (menu.hidden = true);
  coming = setTimeout(() => place(el, within), pause);
}

function place(el, within) {
  if (!el.isConnected) return;
  if (!menu.isConnected) room.append(menu); // the room has been drawn anew
  const box = el.getBoundingClientRect();
  const [left, top] = within ? [within.getBoundingClientRect().left, within.getBoundingClientRect().top] : [0, 0];
  const frame = room.getBoundingClientRect();
  menu.style.top = `${top + box.bottom - frame.top + room.scrollTop + 6}px`;
  menu.style.right = `${Math.max(4, frame.right - left - box.right - room.scrollLeft)}px`;
  menu.hidden = false;
  list();
}

// besideFrame puts the menu beside a field of a page that is shown in a frame; null takes it away.
export function besideFrame(el, frame) {
  stand(el, frame);
  el?.addEventListener("blur", () => (caret = [el.selectionStart, el.selectionEnd]));
}

export function toMenu() {
  menu.focus();
  menu.showPicker?.();
}

// insertion is what is put into a field for a name, and which part of it is chosen to be typed over. Within braces it is the name, after
// "name=" of an address the value, and at the end of an address a parameter that is called as param says.
export function insertion(kind, before, after, name, param) {
  if (/\{[^{}]*$/.test(before)) return { text: name + (/^[^{}]*\}/.test(after) ? "" : "}"), from: 0, to: 0 };
  if (kind !== "address" || after || /[?&][^?&={}]+=$/.test(before)) return { text: `{${name}}`, from: 0, to: 0 };
  const separator = before.includes("?") ? (/[?&]$/.test(before) ? "" : "&") : "?";
  return { text: `${separator}${param}={${name}}`, from: separator.length, to: separator.length + param.length };
}

function insert(name) {
  const [from, to] = caret || [field.value.length, field.value.length];
  const before = field.value.slice(0, from);
  if (field.dataset.fill === "address" && !before)
    return say("Type the address first, such as https://www.example.org/thanks.");
  const { param } = listed.fields.find(({ value }) => value === name);
  const put = insertion(field.dataset.fill, before, field.value.slice(to), name, param);
  field.focus();
  field.setSelectionRange(from, to);
  field.setRangeText(put.text, from, to, "end");
  field.dispatchEvent(new Event("input", { bubbles: true }));
  if (put.to) field.setSelectionRange(from + put.from, from + put.to);
}

menu.addEventListener("change", (event) => {
  event.stopPropagation();
  const name = menu.value;
  menu.value = "";
  if (name && field) insert(name);
});

bench.addEventListener("focusin", (event) => {
  if (event.target === menu || event.target.tagName === "IFRAME") return; // a page in a frame says itself what is typed in it
  stand(event.target.dataset?.fill ? event.target : null);
});
bench.addEventListener("focusout", (event) => {
  if (event.target === field) caret = [field.selectionStart, field.selectionEnd];
});
bench.addEventListener("keydown", (event) => {
  if (event.altKey && event.key.toLowerCase() === "i" && event.target === field) {
    event.preventDefault();
    toMenu();
  } else if (event.key === "Escape" && event.target === menu) {
    event.preventDefault();
    field?.focus();
  }
});
