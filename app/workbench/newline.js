// Lines of a list: Enter goes from one to the next, and makes a new one below the last. A line that is made here stands in the
// page immediately, under an id of this window; what is typed into it is sent as edits of that id, in order.
import { behaviour, behaviourOf, commit } from "./behaviours.js";
import { awaitDrawing, refuse } from "./draw.js";
import { edit, rewrite, shared } from "./edits.js";
import { random, sayMore, store, typedText } from "./frame.js";
import { beside, fresh, idIn, listOf } from "./place.js";

/** The fields of a list that Enter walks through. */
const fieldsOf = (el) => [
  ...el.closest("tbody, [data-list]").querySelectorAll(`textarea[data-enter="${el.dataset.enter}"]`),
];
const lineOf = (el) => el.closest("tr[data-order]");

/** goOn leads from a field to the next one of its list, or makes a new line below the last. @param {any} el */
export function goOn(el) {
  if (!el.dataset.enter) return el.blur();
  const list = fieldsOf(el);
  const after = list[list.indexOf(el) + 1];
  if (after) return after.focus();
  if (lineOf(el) && !el.value.trim()) return endList(el, list.filter(lineOf));
  const lines = list.filter(lineOf);
  if (lines.length) return void addLine(lines.at(-1));
  const button = el.closest("tbody").querySelector("[data-do=line]");
  if (button) press(button);
  else el.blur();
}

// press makes a line: below the last, or the first of its list.
function press(button) {
  const last = fieldsOf(button).filter(lineOf).at(-1);
  if (last) addLine(last);
  else behaviourOf({ dataset: { do: "apply" } }).press(button, new MouseEvent("click"));
}
behaviour("line", { press });
behaviour("up", { press: (button) => shift(button, -1) });
behaviour("down", { press: (button) => shift(button, 1) });

/**
 * addLine makes a line below one. What it looks like is known: the server's drawing takes its place under the same id.
 * @param {any} last the field of the line above
 */
export function addLine(last, label = "") {
  const above = lineOf(last);
  const list = listOf(above.dataset.at);
  const prefix = last.dataset.enter === "row" ? "r" : "a";
  const ids = () => [...above.parentNode.querySelectorAll("tr[data-order]")].map((tr) => idIn(tr.dataset.at));
  const at = `${list}/@${fresh(prefix, ids(), shared())}`;
  const tr = above.cloneNode(true);
  for (const el of tr.querySelectorAll(".chip, .goes, .thumb, .linetool, [data-grip], .said")) el.remove();
  for (const el of [tr, ...tr.querySelectorAll("[id]")]) el.removeAttribute("id");
  const field = tr.querySelector("textarea");
  const place = (to) => {
    tr.dataset.at = to;
    field.dataset.at = to + "/label";
    for (const el of tr.querySelectorAll("button[data-at]")) el.dataset.at = to;
  };
  place(at);
  field.value = field.defaultValue = label;
  field.classList.remove("bad");
  for (const cell of tr.querySelectorAll(".cell")) {
    cell.textContent = "";
    cell.className = "cell";
  }
  create({
    el: tr,
    at,
    put: () => above.after(tr),
    place,
    another: () => `${list}/@${fresh(prefix, ids(), true)}`,
    patch: (to) => [{ op: "add", path: beside(above.dataset.at, true), value: { id: idIn(to), label } }],
  });
  field.focus();
  return field;
}

const mostTries = 4; // ids that are tried before the creation is given up

/**
 * create sends the creation of an element that this window has put into the page. Where another window has made the same id
 * it takes another, and so does what was typed for it. If it is refused the element goes, and its text is shown.
 * @param {object} it
 * @param {any} it.el
 * @param {string} it.at its place
 * @param {() => void} it.put puts it into the page
 * @param {(at: string, next: (at: string) => string) => void} it.place names the element and what is in it
 * @param {() => string} it.another makes another place
 * @param {(at: string) => any[]} it.patch makes the creation
 */
export function create({ el, at, put, place, another, patch }) {
  let tries = 1;
  const again = (answer) => {
    if (answer.code !== "taken_id" || tries >= mostTries) return null;
    tries += 1;
    const old = at;
    at = another();
    const next = (path) => (path === old || path?.startsWith(old + "/") ? at + path.slice(old.length) : path);
    refuse(old);
    put();
    place(at, next);
    awaitDrawing(at, el);
    store.renamed(next);
    for (const text of store.texts.values()) text.place = next(text.place);
    rewrite((one) => one.patch?.forEach((op) => (op.path = next(op.path))));
    return { id: random(), patch: patch(at) };
  };
  put();
  awaitDrawing(at, el);
  edit(patch(at), { again }).then((stored) => {
    if (stored) return;
    const typed = [...el.querySelectorAll("textarea")].map((field) => field.value).filter(Boolean);
    refuse(at);
    sayMore(typedText(typed.join("”, “")));
  });
}

/**
 * endList goes on from the empty line at the end of a list, which is taken away if others are left: to the next question, or
 * to where one is begun.
 */
function endList(el, lines) {
  const block = el.closest("tbody");
  const next = block?.nextElementSibling?.querySelector("textarea[data-do], input[data-do]");
  const leave = () =>
    next?.isConnected ? next.focus() : /** @type {any} */ (document.querySelector("#newquestion"))?.focus();
  if (lines.length > 1) {
    store.giveUp(el.dataset.at);
    const { at } = lineOf(el).dataset;
    leave();
    edit([{ op: "remove", path: at }]);
    return;
  }
  leave();
}

/**
 * shift moves the line that an element is in.
 * @param {any} el
 * @param {number} by
 */
export function shift(el, by) {
  const line = el.closest("[data-order]");
  const { at } = line.dataset;
  const all = [...line.parentNode.querySelectorAll("[data-order]")].filter(
    (other) => listOf(other.dataset.at) === listOf(at),
  );
  const other = all[all.indexOf(line) + by];
  if (!other) return; // it is the first, or the last
  commit(el);
  const focus = el.dataset.at || at;
  edit([{ op: "move", from: at, path: beside(other.dataset.at, by > 0) }], {
    focus: focus.includes("=") ? undefined : focus,
  });
}

/**
 * moved sends where a line has been dragged to.
 * @param {any} item
 */
export function moved(item) {
  const { at } = item.dataset;
  const all = [...item.parentNode.children].filter(
    (el) => el.dataset.order !== undefined && listOf(el.dataset.at) === listOf(at),
  );
  const n = all.indexOf(item);
  const other = all[n - 1] || all[n + 1];
  if (other) edit([{ op: "move", from: at, path: beside(other.dataset.at, n > 0) }]);
}
