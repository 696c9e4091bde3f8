// The keys of the workbench.
import { edit, history, leaveTo } from "/assets/workbench.js";
import { commit } from "/assets/controls.js";
import { shares } from "/assets/bar.js";
import { bench, goTo } from "/assets/frame.js";
import { ids } from "/assets/draw.js";

// Keys that are letters or signs act only where a list has the focus or nothing has, and can be switched off (WCAG 2.2, 2.1.4).
const keysOff = "keys:off";
export const signs = () => localStorage.getItem(keysOff) === null;
const noField = (el) => el === document.body || el.closest("#room, #rooms, #reach");

document.addEventListener("keydown", (event) => {
  const el = event.target;
  const command = event.ctrlKey || event.metaKey;
  if (command && !event.altKey && (event.key === "z" || event.key === "Z" || event.key === "y")) {
    const words = el.matches("input, textarea") && el.value !== (el.dataset.before ?? el.defaultValue);
    if (words) return; // the browser takes back what is being typed
    event.preventDefault();
    history(event.shiftKey || event.key === "y" ? "redo" : "undo");
  } else if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown") && el.closest("[data-suffix]")) {
    event.preventDefault();
    shift(el.closest("[data-suffix]"), event.key === "ArrowUp" ? -1 : 1);
  } else if (event.key === "?" && signs() && !el.matches("input, textarea, select") && noField(el)) {
    event.preventDefault();
    document.getElementById("keys").showModal();
  } else if (event.altKey && /^[1-9]$/.test(event.key)) {
    const to = document.querySelectorAll("#rooms a")[event.key - 1];
    if (!to) return;
    event.preventDefault();
    el.blur(); // what is typed there is kept
    leaveTo(to.href);
  } else if (event.altKey && event.key === "r") {
    event.preventDefault();
    document.querySelector("#reach button, #reach select")?.focus();
  } else if (event.key === "Escape" && !document.getElementById("assumed").hidden) {
    shares(false);
    document.querySelector("#reach [data-shares]")?.focus();
  } else if (event.key === "Escape" && el.dataset.path && el.matches("input, textarea")) {
    el.value = el.dataset.before ?? el.defaultValue;
    delete el.begun;
    el.classList.remove("bad");
  } else if (event.key === "Enter" && !event.shiftKey && el.matches("input[data-path], textarea[data-path]:not([data-lines])")) {
    event.preventDefault();
    commit(el);
    goOn(el);
  }
});

// goOn leads from a field to the next one of its list, or makes a new line below the last.
function goOn(el) {
  const next = el.dataset.enter;
  const list = next ? [...el.closest("tbody").querySelectorAll(`textarea[data-enter='${next}']`)] : [];
  const after = list[list.indexOf(el) + 1];
  if (after) return after.focus();
  const adds = next && document.querySelector(next);
  if (!adds) return el.blur();
  if (list.includes(el) && !el.value.trim()) return endList(el, list);
  if (el.closest("tr.answer[data-choice]")) return addAnswer(el.closest("tbody.question"), adds);
  edit(JSON.parse(adds.dataset.patch), { whole: true, focus: adds.dataset.focus });
}

// addAnswer makes an answer below the last. What it looks like is known: the line stands there at once, and the server's drawing takes its
// place under the same id. What it refuses is taken away again.
function addAnswer(body, adds) {
  const rows = [...body.querySelectorAll("tr.answer[data-choice]")];
  const taken = new Set(rows.map((tr) => tr.dataset.choice));
  let n = 1;
  while (taken.has("a" + n)) n += 1;
  const [add] = JSON.parse(adds.dataset.patch);
  add.value.id = "a" + n;
  const tr = rows.at(-1).cloneNode(true);
  for (const el of tr.querySelectorAll(".chip, .goes, .thumb, .linetool, [data-grip]")) el.remove();
  for (const el of [tr, ...tr.querySelectorAll("[id]")]) el.removeAttribute("id");
  tr.dataset.choice = add.value.id;
  tr.dataset.index = rows.length;
  tr.dataset.base = `${body.dataset.at}/choices/${rows.length}`;
  const field = tr.querySelector("textarea");
  field.dataset.path = tr.dataset.base + "/label";
  delete field.dataset.before;
  field.value = field.defaultValue = "";
  for (const cell of tr.querySelectorAll(".cell")) {
    cell.textContent = "";
    cell.className = "cell";
  }
  rows.at(-1).after(tr);
  const list = ids()[`${body.dataset.at}/choices`] || []; // by its id the drawing finds the line, and leaves what is typed in it alone
  list.push(add.value.id);
  field.focus();
  // What is typed meanwhile is about a line that the server does not have yet: it is sent when it has.
  field.pending = edit([add], { whole: true }).then((stored) => {
    delete field.pending;
    delete field.begun;
    if (!stored) {
      tr.remove();
      if (list.at(-1) === add.value.id) list.pop();
    }
    return stored;
  });
}

// endList goes on from the empty line at the end of a list, which is taken away if others are left: to the next question, or to where
// one is begun.
function endList(el, list) {
  const question = el.closest("tbody.question");
  const next = question?.nextElementSibling?.querySelector("textarea[data-path], input[data-path]");
  const place = next?.dataset.path || "#newquestion";
  if (list.length < 2) return leave(place);
  const line = el.dataset.path.slice(0, -el.dataset.suffix.length);
  el.defaultValue = el.value = "";
  edit([{ op: "remove", path: line }], { whole: true }).then(() => leave(place));
}

function leave(place) {
  if (place.startsWith("#")) document.querySelector(place)?.focus();
  else goTo(place);
}

// shift moves the line of a list that an element is about: the list's place, the line's number, and data-suffix is its place.
function shift(el, by) {
  const { suffix, path = el.dataset.at } = el.dataset;
  const [, list, n] = /^(.*)\/(\d+)$/.exec(path.slice(0, path.length - suffix.length));
  const to = `${list}/${Number(n) + by}`;
  if (!document.querySelector(`[data-path="${to + suffix}"], [data-at="${to + suffix}"]`)) return; // it is the first, or the last
  el.blur();
  edit([{ op: "move", from: `${list}/${n}`, path: to }], { whole: true, focus: to + suffix });
}

export function switchSigns(on) {
  if (on) localStorage.removeItem(keysOff);
  else localStorage.setItem(keysOff, "yes");
}

bench.addEventListener("click", (event) => {
  if (event.target.closest("[data-keys]")) document.getElementById("keys").showModal();
});
