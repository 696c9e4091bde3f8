// The Script room: reordering, settings that open below their question, branches beside their answer, formulas.
import "./others.js";
import "./ledger.js";
import "./languages.js";
import {
  act,
  addLine,
  Alpine,
  behaviour,
  commit,
  create,
  edit,
  id,
  leaveTo,
  moved,
  name,
  onColumns,
  onDraw,
  say,
  shared,
} from "./workbench.js";
import "./furnish.js";
import "./tools.js";
import { fresh, idIn } from "./place.js";
import { pictures } from "./pictures.js";

const room = document.getElementById("room");
pictures(room);

// Settings open below their question; which are open stands in the address, so that drawing anew keeps them.
async function settings(question) {
  const params = new URLSearchParams(location.search);
  const open = params.getAll("open");
  const holder = document.getElementById("settings-" + question);
  const button = room.querySelector(`[data-settings="${CSS.escape(question)}"]`);
  if (!holder) return leaveTo(`?${new URLSearchParams({ open: question, at: `/questions/@${question}` })}`); // the ledger alone has none
  params.delete("open");
  params.delete("at");
  for (const other of open) if (other !== question) params.append("open", other);
  const close = open.includes(question);
  if (!close) params.append("open", question);
  window.history.replaceState(null, "", params.size ? "?" + params : location.pathname);
  button.setAttribute("aria-expanded", String(!close));
  if (close) return holder.replaceChildren();
  const response = await fetch(`/quizzes/${id}/settings/${question}`).catch(() => null);
  if (!response?.ok) return say("Couldn’t load the settings. Try again in a moment.");
  holder.innerHTML = await response.text();
  holder.querySelector("input, select, button")?.focus();
}

room.addEventListener("click", (event) => {
  const target = /** @type {Element} */ (event.target);
  const opener = /** @type {HTMLElement} */ (target.closest("[data-settings]"));
  if (opener) settings(opener.dataset.settings);
  const then = target.closest("[data-then]");
  if (then) branch(then);
  const norm = /** @type {HTMLElement} */ (target.closest("[data-norm]"));
  if (norm) takeNorm(norm.dataset.norm);
});

room.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !(event.ctrlKey || event.metaKey)) return;
  const question = event.target.closest("tbody.question");
  if (!question) return;
  event.preventDefault();
  event.stopPropagation();
  event.target.blur();
  settings(idIn(question.dataset.at));
});

// A branch beside its answer: the button becomes the menu of places that come later.
function branch(button) {
  const body = button.closest("tbody.question");
  const { at } = body.dataset;
  const choice = idIn(button.closest("tr").dataset.at);
  const index = [...room.querySelectorAll("tbody.question")].indexOf(body);
  const menu = document.createElement("select");
  menu.className = "field small";
  menu.setAttribute("aria-label", "After this answer go to");
  menu.append(new Option("the next question", ""));
  [...document.getElementById("targets").content.children].forEach((option, i) => {
    if (i > index || !option.value.startsWith("question:")) menu.append(option.cloneNode(true)); // questions come first, in their order
  });
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
    const option = menu.selectedOptions[0];
    if (option.dataset.ask) {
      menu.removeEventListener("blur", done);
      return name(menu, option.dataset.ask, (made) => act("branch.set", at, { choice, made }), done);
    }
    const go = menu.value;
    done();
    if (go !== before) act("branch.set", at, { choice, go });
  });
}

// A question begins with its words: Enter makes it one of one answer, a kind beside them one of that kind. It stands in the page at
// once, under an id of this window, and what is typed into it is sent as edits of that id.
const words = () => /** @type {any} */ (room.querySelector("[data-newquestion]"));
const questions = () => /** @type {any[]} */ ([...room.querySelectorAll("tbody.question")]);
const questionIDs = () => questions().map((el) => idIn(el.dataset.at));
function ask(begins) {
  const field = words();
  const value = {
    ...JSON.parse(begins),
    id: fresh("q", questionIDs(), shared()),
  };
  const typed = field.value.trim();
  if (typed) value.text = typed;
  field.value = "";
  const at = `/questions/@${value.id}`;
  const body = sketch(at, value);
  create({
    el: body,
    at,
    put: () => field.closest("tbody").before(body),
    place: (_, next) =>
      [body, ...body.querySelectorAll("[data-at]")].forEach((el) => (el.dataset.at = next(el.dataset.at))),
    another() {
      value.id = fresh("q", questionIDs(), true);
      return `/questions/@${value.id}`;
    },
    patch: () => [{ op: "add", path: "/questions/-", value }],
  });
  const fields = [...body.querySelectorAll("textarea")];
  (fields.find((el) => !el.value) || field).focus();
}

// sketch is a question as it can be typed into until the server draws it.
function sketch(at, value) {
  const body = document.createElement("tbody");
  body.className = "question";
  Object.assign(body.dataset, { at, order: "", block: "q:" + value.id, stamp: "" });
  const line = (place, text, label, enter, placeholder, head) => {
    const tr = document.createElement("tr");
    tr.className = head ? "qhead" : enter === "row" ? "gridrow" : "answer";
    const rail = tr.insertCell();
    rail.className = "rail";
    if (head) rail.innerHTML = `<span class="station">${questions().length + 1}</span>`;
    else Object.assign(tr.dataset, { at: place, order: "" });
    const cell = tr.insertCell();
    cell.colSpan = 20;
    const area = document.createElement("textarea");
    area.className = head ? "inplace qtext" : "inplace";
    area.rows = 1;
    area.defaultValue = text || "";
    area.placeholder = placeholder;
    area.setAttribute("aria-label", label);
    Object.assign(area.dataset, { do: "text", at: `${place}/${head ? "text" : "label"}`, enter });
    cell.append(area);
    body.append(tr);
  };
  const n = questions().length + 1;
  line(at, value.text, `Question ${n}`, value.rows ? "row" : "answer", "What do you want to ask?", true);
  for (const row of value.rows || [])
    line(`${at}/rows/@${row.id}`, row.label, `Row of question ${n}`, "row", "What is asked about", false);
  (value.choices || []).forEach((choice, i) =>
    line(`${at}/choices/@${choice.id}`, choice.label, `Answer ${i + 1} of question ${n}`, "answer", "An answer", false),
  );
  return body;
}

room.addEventListener("keydown", (event) => {
  const field = /** @type {any} */ (event.target);
  if (field !== words() || event.key !== "Enter" || event.shiftKey || event.isComposing) return;
  event.preventDefault();
  event.stopPropagation();
  if (field.value.trim()) ask(/** @type {any} */ (room.querySelector('[data-do="question.new"]')).value);
});
behaviour("question.new", {
  press: (button) => ask(button.value),
  choose(list) {
    const { value } = list;
    list.value = "";
    if (value) ask(value);
  },
});

// The name of a column can be several, with commas between them: each gets a column of its own.
behaviour("column", {
  read: (text) => ({ value: text.replace(/\s*\n\s*/g, ", ").trim() }),
  send: (at, value, how) => act("column.name", at.replace(/\/name$/, ""), value, how),
});

// Several lines pasted into an answer become an answer each.
room.addEventListener("paste", (event) => {
  const field = /** @type {any} */ (event.target);
  const text = event.clipboardData.getData("text/plain").replace(/\r\n?/g, "\n").trim();
  if (!field.matches?.("tr.answer[data-order] > .w textarea") || !text.includes("\n")) return;
  event.preventDefault();
  const [first, ...rest] = text
    .split("\n")
    .map((line) => line.replace(/\s+/g, " ").trim())
    .filter(Boolean);
  const type = (el, value) => {
    el.value = value;
    el.dispatchEvent(new Event("input", { bubbles: true }));
    commit(el);
  };
  type(field, field.value.slice(0, field.selectionStart) + first + field.value.slice(field.selectionEnd));
  const lines = () => [...field.closest("tbody").querySelectorAll("tr.answer[data-order] > .w textarea")];
  let at = field;
  for (const label of rest) {
    const all = lines();
    const next = all[all.indexOf(at) + 1];
    if (next && !next.value.trim()) type((at = next), label);
    else at = addLine(at, label);
  }
  at.focus();
});

room.addEventListener("change", (event) => {
  const el = /** @type {any} */ (event.target);
  if (el.dataset.addparam === undefined) return;
  const value = el.value.trim();
  if (!/^[A-Za-z_][\w.-]*$/.test(value))
    return say("Use only letters, digits, dots, hyphens and underscores in a parameter name.");
  el.value = "";
  act("member", "/params", { value, in: true });
});

// Names are completed in formulas, by themselves or by the words of what they name: a list below the field, walked with the arrow keys.
let list = null;
let completed = null; // the field that the list belongs to
function close() {
  list?.remove();
  list = null;
  completed?.setAttribute("aria-expanded", "false");
  completed?.removeAttribute("aria-activedescendant");
}
// typedIn is what stands before the caret: the words since the last sign, and the last of them.
const typedIn = (input) => {
  const before = input.value.slice(0, input.selectionStart);
  return [/[^-+*/(),<>=]*$/.exec(before)[0].trimStart(), /[\w.]*$/.exec(before)[0]];
};
/** Names with what is typed in them or in their words: first those in which a word begins with it. */
function bestFirst(names, like) {
  const text = (name) => name.join(" ").toLowerCase();
  const rank = (name) =>
    text(name)
      .split(/[\s.]+/)
      .some((word) => word.startsWith(like))
      ? 0
      : 1;
  return names.filter((name) => text(name).includes(like)).sort((a, b) => rank(a) - rank(b));
}
let typed = ""; // what a name takes the place of
function complete(input) {
  close();
  const names = (input.closest(".formulas").dataset.names || "")
    .split("\n")
    .slice(0, -1)
    .map((line) => /^(\S+) (.*)/.exec(line).slice(1));
  let found = [];
  for (typed of typedIn(input)) {
    const like = typed.toLowerCase();
    if (like)
      found = bestFirst(names, like)
        .filter(([n]) => n !== typed)
        .slice(0, 8);
    if (found.length) break;
  }
  if (!found.length) return;
  list = document.createElement("ul");
  list.className = "completions";
  list.id = "completions";
  list.setAttribute("role", "listbox");
  list.setAttribute("aria-label", "Matching names");
  for (const [i, [n, words]] of found.entries()) {
    const item = document.createElement("li");
    item.id = "completion-" + i;
    item.setAttribute("role", "option");
    item.dataset.name = n;
    const about = document.createElement("span");
    about.className = "quiet";
    about.textContent = words;
    item.append(n, about);
    list.append(item);
  }
  input.setAttribute("role", "combobox");
  input.setAttribute("aria-autocomplete", "list");
  input.setAttribute("aria-controls", "completions");
  completed = input;
  list.addEventListener("mousedown", (event) => {
    event.preventDefault();
    if (event.target.closest("li")) take(input, event.target.closest("li").dataset.name);
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
  input.setRangeText(name, at - typed.length, at, "end");
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
    else if (event.key === "Tab" || event.key === "Enter")
      take(event.target, /** @type {HTMLElement} */ (list.children[at]).dataset.name);
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
  const options = {
    animation: 120,
    ghostClass: "ghost",
    forceFallback: true,
    fallbackTolerance: 3,
    onEnd: (event) => moved(event.item),
  };
  const sortable = (el, own) => window.Sortable.get(el) || window.Sortable.create(el, { ...options, ...own });
  if (whole) sortable(table, { draggable: "tbody.question", handle: "[data-drag]" });
  for (const body of whole ? table.querySelectorAll("tbody.question") : [root])
    sortable(body, { draggable: "tr.answer", handle: "[data-grip]" });
});

// The head of a scale's column shows the least and most that anybody can get, and how the scores are spread.
function heads(columns) {
  for (const c of columns) {
    const el = room.querySelector(`[data-range="${CSS.escape(c.id)}"]`);
    if (!el) continue;
    el.querySelector("[data-least]").textContent = c.range;
    const bars = c.bars
      .map(
        (h, i) => `<rect x="${i * 4}" y="${(16 - 15 * h).toFixed(1)}" width="3" height="${(15 * h + 1).toFixed(1)}"/>`,
      )
      .join("");
    el.querySelector("svg").innerHTML = bars;
    el.querySelector("svg").setAttribute("viewBox", `0 0 ${Math.max(1, c.bars.length * 4)} 17`);
  }
}
let latest = [];
onColumns((columns) => heads((latest = columns)));

// Time zones are those that the browser knows.
onDraw(() => {
  const zones = document.getElementById("zones");
  if (zones && !zones.childElementCount)
    zones.replaceChildren(...Intl.supportedValuesOf("timeZone").map((zone) => new Option(zone)));
});
onDraw((root) => (root.id === "room" || root.matches?.("thead")) && heads(latest));

// A norm is taken on the server, and given to the scale as one edit.
async function takeNorm(from) {
  const response = await fetch(`/quizzes/${id}/norm/${from}`).catch(() => null);
  if (!response) return say("You’re offline. Check your connection and try again.");
  const answer = await response.json();
  if (answer.patch) edit(JSON.parse(answer.patch));
  say(answer.text || answer.message);
}

Alpine.start();
