// The controls of a room: each sends its own small edit (data-path, data-patch and their like, see control.go).
import { edit, settled, history, waiting } from "/assets/workbench.js";
import { bench, say, shown } from "/assets/frame.js";
import { ids } from "/assets/draw.js";
import { readNumber } from "/assets/number.js";

// valueOf reads a control as the document holds it: text, a number, true or false; undefined is "leave it out".
function valueOf(el) {
  if (el.type === "checkbox") return el.checked;
  if (el.dataset.kind === "number") {
    if (el.value.trim() === "") return undefined;
    const { n, why } = readNumber(el.value);
    return why ? NaN : n;
  }
  if ("any" in el.dataset && el.value.trim() === "") return null;
  if (el.dataset.kind === "list" || el.dataset.kind === "numbers") {
    const list = el.value.split(",").map((t) => t.trim()).filter((t) => t !== "");
    return el.dataset.kind === "list" ? list : list.some((t) => !Number.isFinite(Number(t))) ? NaN : list.map(Number);
  }
  if (el.dataset.of !== undefined) return el.value.trim() === "" ? undefined : { text: el.value, ...(el.dataset.of && { of: el.dataset.of }) };
  if (el.dataset.kind === "optional" && el.value.trim() === "") return undefined;
  return el.value;
}

// A field remembers what it was about when its words were begun: others' edits may come while they are typed.
document.addEventListener("input", (event) => {
  const el = event.target;
  if (el.dataset?.path && !el.begun) el.begun = { base: shown.revision, path: el.dataset.path, names: ids() };
});

// later commits what has been typed into a line that is on its way, when it is there. Until then it may be drawn as the server knows it.
function later(el) {
  const typed = el.value;
  el.pending.then((stored) => {
    if (!stored) return;
    if (el.value === el.defaultValue) el.value = typed;
    if (el !== document.activeElement) commit(el); // who types on there sends it with the rest
  });
}

// commit sends the value of a control with data-path, if it has changed.
export function commit(el) {
  if (el.pending) return later(el);
  const before = el.dataset.before ?? el.defaultValue;
  const { base, path, names } = el.begun || { base: shown.revision, path: el.dataset.path, names: ids() };
  delete el.begun;
  if (el.tagName === "TEXTAREA" && !("lines" in el.dataset) && !el.matches(".qtext")) el.value = el.value.replace(/\s*\n\s*/g, " ").trim(); // one line
  if (el.type !== "checkbox" && el.tagName !== "SELECT" && el.value === before) return;
  const value = valueOf(el);
  if (Number.isNaN(value)) {
    el.classList.add("bad");
    say(el.dataset.kind === "number" ? readNumber(el.value).why : "Type numbers, such as 2, 0.5.");
    return;
  }
  el.classList.remove("bad");
  el.removeAttribute("aria-invalid");
  // "add" at a number would put another line before it
  const op = value === undefined ? { op: "remove", path } : { op: /\/\d+$/.test(path) ? "replace" : "add", path, value };
  if (op.op === "remove" && before === "") return;
  if (op.op === "remove" && el.dataset.kind === "number" && "must" in el.dataset) {
    el.value = before;
    return say("A number must stand here.");
  }
  el.dataset.before = el.value;
  edit([op], { whole: "whole" in el.dataset, base, names });
}

// A control whose patch carries what stood there when it was drawn waits until that is drawn with the edits on their way.
async function whenFresh(el, act) {
  const holder = el.closest("[data-fresh]");
  if (!holder || !waiting()) return act(el);
  const { key } = el.dataset;
  const chosen = el.value;
  await settled();
  const again = key && document.querySelector(`[data-key="${CSS.escape(key)}"]`);
  if (!again) return;
  if (again.tagName === "SELECT") again.value = chosen;
  act(again);
}

// ask asks in the place of a menu what the new thing is to be called; Enter makes it, Escape or an empty name leaves all as it was.
function ask(menu, option) {
  const before = [...menu.options].findIndex((o) => o.defaultSelected);
  menu.selectedIndex = Math.max(0, before);
  const ops = JSON.parse(option.dataset.patch);
  const made = ops.find((op) => op.op === "add" && op.value?.name);
  const input = document.createElement("input");
  input.className = "field";
  input.value = made.value.name;
  input.setAttribute("aria-label", option.dataset.ask);
  menu.hidden = true;
  menu.after(input);
  input.select();
  let done = false;
  const end = (keep) => {
    if (done) return;
    done = true;
    const name = input.value.trim();
    input.remove();
    menu.hidden = false;
    menu.focus();
    if (!keep || !name) return;
    made.value.name = name;
    edit(ops, { whole: true });
  };
  input.addEventListener("blur", () => end(true));
  input.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" && event.key !== "Escape") return;
    event.preventDefault();
    event.stopPropagation();
    end(event.key === "Enter");
  });
}

bench.addEventListener("change", (event) => {
  const el = event.target;
  if (el.tagName === "SELECT" && el.selectedOptions[0]?.dataset.ask) {
    ask(el, el.selectedOptions[0]);
  } else if (el.tagName === "SELECT" && el.selectedOptions[0]?.dataset.patch) {
    whenFresh(el, (now) => now.selectedOptions[0]?.dataset.patch && edit(JSON.parse(now.selectedOptions[0].dataset.patch), { whole: true }));
  } else if (el.dataset.append !== undefined) {
    if (el.value) edit([{ op: "add", path: el.dataset.append + "/-", value: el.value }], { whole: true });
  } else if (el.dataset.checked !== undefined) tick(el);
  else if (el.dataset.path && el.matches("input, textarea, select")) commit(el);
});

// tick puts the value of a box into its list, or takes it out. A box that is ticked again before its first edit has ended waits for
// that: only then is it known what is to be taken out.
const ticking = new Set();
async function tick(el) {
  const { key } = el.dataset;
  const wanted = el.checked;
  if (key && ticking.has(key)) {
    await settled();
    const again = document.querySelector(`[data-key="${CSS.escape(key)}"]`);
    if (!again || again.defaultChecked === wanted) return;
    again.checked = wanted;
    return tick(again);
  }
  if (key) ticking.add(key);
  await edit(JSON.parse(wanted ? el.dataset.checked : el.dataset.unchecked), { whole: true });
  ticking.delete(key);
}

bench.addEventListener("click", (event) => {
  const step = event.target.closest("[data-history]");
  if (step) return history(step.dataset.history);
  const button = event.target.closest("button[data-patch]");
  if (!button) return;
  const ends = JSON.parse(button.dataset.patch).some((op) => op.op === "remove");
  if (event.detail > 1 && ends) return; // a double click ends one thing, not what moves up into its place too
  whenFresh(button, (now) => edit(JSON.parse(now.dataset.patch), { whole: true, focus: now.dataset.focus }));
});
