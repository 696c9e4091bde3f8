// The Script room: reordering, settings that open below their question, branches beside their answer, formulas.
import "/assets/others.js";
import "/assets/ledger.js";
import "/assets/languages.js";
import { Alpine, edit, id, onColumns, onDraw, say, settled } from "/assets/workbench.js";
import "/assets/tools.js";
import { pictures } from "/assets/pictures.js";

const room = document.getElementById("room");
pictures(room);

// Settings open below their question; which are open stands in the address, so that drawing anew keeps them.
async function settings(question) {
  const params = new URLSearchParams(location.search);
  const open = params.getAll("open");
  const holder = document.getElementById("settings-" + question);
  const button = room.querySelector(`[data-settings="${CSS.escape(question)}"]`);
  if (!holder) return void settled().then(() => location.assign(`?${new URLSearchParams({ open: question, at: `/questions/${lineOf(question)}` })}`)); // the ledger alone has none
  params.delete("open");
  params.delete("at");
  for (const other of open) if (other !== question) params.append("open", other);
  const close = open.includes(question);
  if (!close) params.append("open", question);
  window.history.replaceState(null, "", params.size ? "?" + params : location.pathname);
  button.setAttribute("aria-expanded", String(!close));
  if (close) return holder.replaceChildren();
  const response = await fetch(`/quizzes/${id}/settings/${question}`).catch(() => null);
  if (!response?.ok) return say("The settings could not be fetched. Try again in a moment.");
  holder.innerHTML = await response.text();
  holder.querySelector("input, select, button")?.focus();
}

const lineOf = (question) => room.querySelector(`tbody[data-id="${CSS.escape(question)}"]`).dataset.index;

room.addEventListener("click", (event) => {
  const opener = event.target.closest("[data-settings]");
  if (opener) settings(opener.dataset.settings);
  const then = event.target.closest("[data-then]");
  if (then) branch(then);
  const norm = event.target.closest("[data-norm]");
  if (norm) takeNorm(norm.dataset.norm);
  const column = event.target.closest("[data-without]");
  if (column) without(column.dataset.without);
});

// A column goes with every figure in it: the edit that names them all is fetched.
async function without(column) {
  await settled();
  const response = await fetch(`/quizzes/${id}/without/${column}`).catch(() => null);
  const answer = await response?.json();
  if (!response?.ok) return say(answer?.message || "There is no connection. Try again in a moment.");
  edit(answer.patch, { whole: true });
}

room.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !(event.ctrlKey || event.metaKey)) return;
  const question = event.target.closest("tbody.question");
  if (!question) return;
  event.preventDefault();
  event.stopPropagation();
  event.target.blur();
  settings(question.dataset.id);
});

// A branch beside its answer: the button becomes the menu of places that come later.
function branch(button) {
  const body = button.closest("tbody.question");
  const { at, id: question, kindof, index } = body.dataset;
  const { choice } = button.closest("tr").dataset;
  const menu = document.createElement("select");
  menu.className = "field small";
  menu.setAttribute("aria-label", "After this answer go to");
  menu.append(new Option("the next question", ""));
  for (const option of document.getElementById("targets").content.children)
    if (Number(option.dataset.position) > Number(index)) menu.append(option.cloneNode(true));
  const now = button.querySelector("b")?.textContent;
  for (const option of menu.options) if (now && option.textContent === now) option.selected = true;
  const before = menu.value;
  button.hidden = true;
  button.after(menu);
  menu.focus();
  const done = () => {
    menu.removeEventListener("blur", done); // taking it away takes the focus from it
    menu.remove();
    button.hidden = false;
  };
  menu.addEventListener("keydown", (event) => {
    if (event.key !== "Escape") return;
    event.stopPropagation();
    done();
    button.focus();
  });
  menu.addEventListener("blur", done);
  menu.addEventListener("change", (event) => {
    event.stopPropagation();
    const go = menu.value;
    const existing = button.dataset.then;
    done();
    if (go === before) return;
    const value = { when: { fact: "answer." + question, op: kindof === "multiple" ? "has" : "is", value: choice }, go };
    const op = existing
      ? go
        ? { op: "add", path: existing + "/go", value: go }
        : { op: "remove", path: existing }
      : { op: "add", path: at + "/branches/-", value };
    edit([op], { whole: true });
  });
}

// A question begins with its words: Enter makes it one of one answer, a kind beside them one of that kind.
const words = () => room.querySelector("[data-newquestion]");
function ask(patch, focus) {
  const field = words();
  const typed = field.value.trim();
  const ops = JSON.parse(patch);
  if (typed) ops[0].value.text = typed;
  field.value = "";
  const { choices, rows } = ops[0].value;
  if (typed && !rows && (!choices || choices.every((c) => c.label))) // nothing is left to type: on to the next question
    return edit(ops, { whole: true }).then(() => words().focus());
  const first = typed && rows ? "/rows/0/label" : typed && choices ? "/choices/0/label" : "/text";
  edit(ops, { whole: true, focus: focus.replace(/\/text$/, first) });
}
room.addEventListener("keydown", (event) => {
  const field = event.target;
  if (field !== words() || event.key !== "Enter" || event.shiftKey || event.isComposing) return;
  event.preventDefault();
  event.stopPropagation();
  if (field.value.trim()) ask(room.querySelector("[data-newkind]").dataset.newkind, field.dataset.focus);
});
room.addEventListener("click", (event) => {
  const kind = event.target.closest("[data-newkind]");
  if (kind) ask(kind.dataset.newkind, kind.dataset.focus);
});
room.addEventListener("change", (event) => {
  const list = event.target;
  if (list.dataset.newkinds === undefined || !list.value) return;
  const { value } = list;
  list.value = "";
  ask(value, list.dataset.focus);
});

// Several lines pasted into an answer become an answer each.
room.addEventListener("paste", (event) => {
  const field = event.target;
  const text = event.clipboardData.getData("text/plain").replace(/\r\n?/g, "\n").trim();
  if (!field.matches?.("tr.answer[data-choice] textarea") || !text.includes("\n")) return;
  event.preventDefault();
  const [first, ...rest] = text.split("\n").map((line) => line.replace(/\s+/g, " ").trim()).filter(Boolean);
  const body = field.closest("tbody");
  const taken = new Set([...body.querySelectorAll("tr[data-choice]")].map((tr) => tr.dataset.choice));
  const fresh = () => {
    for (let n = 1; ; n++) if (!taken.has("a" + n)) return taken.add("a" + n) && "a" + n;
  };
  const before = field.value.slice(0, field.selectionStart) + first + field.value.slice(field.selectionEnd);
  const at = Number(field.closest("tr").dataset.index);
  const list = `${body.dataset.at}/choices`;
  const ops = [{ op: "add", path: `${list}/${at}/label`, value: before }];
  const below = [...body.querySelectorAll("tr[data-choice]")].slice(at + 1);
  rest.forEach((label, i) => {
    const blank = below[i] && below.slice(0, i + 1).every((tr) => !tr.querySelector("textarea").value.trim());
    if (blank) ops.push({ op: "add", path: `${list}/${at + 1 + i}/label`, value: label });
    else ops.push({ op: "add", path: `${list}/${at + 1 + i}`, value: { id: fresh(), label } });
  });
  field.defaultValue = field.value = field.dataset.before = before;
  delete field.begun;
  edit(ops, { whole: true, focus: `${list}/${at + rest.length}/label` });
});

room.addEventListener("change", (event) => {
  const el = event.target;
  if (el.dataset.addparam === undefined) return;
  const value = el.value.trim();
  if (!/^[A-Za-z_][\w.-]*$/.test(value)) return say("A parameter’s name has letters, digits, _ . and -.");
  edit([{ op: "add", path: "/params/-", value }], { whole: true });
});

// Names are completed in formulas: a list below the field, walked with the arrow keys.
let list = null;
let completed = null; // the field that the list belongs to
function close() {
  list?.remove();
  list = null;
  completed?.setAttribute("aria-expanded", "false");
  completed?.removeAttribute("aria-activedescendant");
}
const word = (input) => /[\w.]*$/.exec(input.value.slice(0, input.selectionStart))[0];
function complete(input) {
  close();
  const typed = word(input);
  if (!typed) return;
  const names = JSON.parse(input.closest(".formulas").dataset.names || "[]");
  const found = names.filter((n) => n !== typed && n.toLowerCase().includes(typed.toLowerCase())).slice(0, 8);
  if (!found.length) return;
  list = document.createElement("ul");
  list.className = "completions";
  list.id = "completions";
  list.setAttribute("role", "listbox");
  list.setAttribute("aria-label", "Names that fit");
  for (const [i, n] of found.entries()) {
    const item = document.createElement("li");
    item.id = "completion-" + i;
    item.setAttribute("role", "option");
    item.textContent = n;
    list.append(item);
  }
  input.setAttribute("role", "combobox");
  input.setAttribute("aria-autocomplete", "list");
  input.setAttribute("aria-controls", "completions");
  completed = input;
  list.addEventListener("mousedown", (event) => {
    event.preventDefault();
    if (event.target.closest("li")) take(input, event.target.closest("li").textContent);
  });
  input.after(list);
  input.setAttribute("aria-expanded", "true");
  choose(0);
}
function choose(n) {
  [...list.children].forEach((item, i) => item.setAttribute("aria-selected", String(i === n)));
  completed.setAttribute("aria-activedescendant", "completion-" + n);
}
function take(input, name) {
  const at = input.selectionStart;
  const from = at - word(input).length;
  input.setRangeText(name, from, at, "end");
  close();
}
room.addEventListener("input", (event) => event.target.matches("[data-formula]") && complete(event.target));
room.addEventListener("focusout", (event) => event.target.matches("[data-formula]") && close());
room.addEventListener(
  "keydown",
  (event) => {
    if (!list || !event.target.matches("[data-formula]")) return;
    const at = [...list.children].findIndex((i) => i.getAttribute("aria-selected") === "true");
    const n = list.children.length;
    if (event.key === "ArrowDown") choose((at + 1) % n);
    else if (event.key === "ArrowUp") choose((at + n - 1) % n);
    else if (event.key === "Tab" || event.key === "Enter") take(event.target, list.children[at].textContent);
    else if (event.key === "Escape") close();
    else return;
    event.preventDefault();
    event.stopPropagation();
  },
  true,
);

onDraw((root) => {
  const whole = root === document || root.id === "room";
  const table = room.querySelector("table.script");
  if (!table || (!whole && !root.matches("tbody.question"))) return;
  const move = (list) => (event) => {
    const from = Number(event.item.dataset.index);
    const siblings = [...event.item.parentNode.children].filter((el) => el.dataset.index !== undefined && el.matches(event.item.tagName));
    const to = siblings.indexOf(event.item);
    if (from !== to) edit([{ op: "move", from: `${list(event)}/${from}`, path: `${list(event)}/${to}` }], { whole: true });
  };
  const sortable = (el, options) => window.Sortable.get(el) || window.Sortable.create(el, options);
  if (whole) sortable(table, { draggable: "tbody.question", handle: "[data-drag]", animation: 120, ghostClass: "ghost", forceFallback: true, fallbackTolerance: 3, onEnd: move(() => "/questions") });
  for (const body of whole ? table.querySelectorAll("tbody.question") : [root])
    sortable(body, { draggable: "tr.answer", handle: "[data-grip]", animation: 120, ghostClass: "ghost", forceFallback: true, fallbackTolerance: 3, onEnd: move((e) => e.item.closest("tbody").dataset.at + "/choices") });
});

// The head of a scale's column shows the least and most that anybody can get, and how the scores are spread.
function heads(columns) {
  for (const c of columns) {
    const el = room.querySelector(`[data-range="${CSS.escape(c.id)}"]`);
    if (!el) continue;
    el.querySelector("[data-least]").textContent = c.range;
    const bars = c.bars.map((h, i) => `<rect x="${i * 4}" y="${(16 - 15 * h).toFixed(1)}" width="3" height="${(15 * h + 1).toFixed(1)}"/>`).join("");
    el.querySelector("svg").innerHTML = bars;
    el.querySelector("svg").setAttribute("viewBox", `0 0 ${Math.max(1, c.bars.length * 4)} 17`);
  }
}
let latest = [];
onColumns((columns) => heads((latest = columns)));

// Time zones are those that the browser knows.
onDraw(() => {
  const zones = document.getElementById("zones");
  if (zones && !zones.childElementCount) zones.replaceChildren(...Intl.supportedValuesOf("timeZone").map((zone) => new Option(zone)));
});
onDraw((root) => (root.id === "room" || root.matches?.("thead")) && heads(latest));

// A norm is taken on the server, and given to the scale as one edit.
async function takeNorm(from) {
  const response = await fetch(`/quizzes/${id}/norm/${from}`).catch(() => null);
  if (!response) return say("There is no connection. Try again in a moment.");
  const answer = await response.json();
  if (answer.patch) edit(JSON.parse(answer.patch), { whole: true });
  say(answer.text || answer.message);
}

Alpine.start();
