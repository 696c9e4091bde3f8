// Behaviours: what controls do. An element names one with data-do, and its place in the document with data-at; what it reads
// and sends stands here, by name, and in docs/frontend.md. A room adds its own with behaviour().
import { clash } from "./clash.js";
import { fieldAt } from "./draw.js";
import { act, drawnAt, edit, history } from "./edits.js";
import { bench, say, store } from "./frame.js";
import { readNumber } from "./number.js";
import { TYPING } from "./store.js";
import { waitFor } from "./waiting.js";

/**
 * A behaviour. read turns what is typed into the document's value: undefined leaves the field out, and a why refuses it.
 * choose and press are called when a menu or box changes, and when a button is pressed.
 * @typedef {object} Behaviour
 * @property {(text: string, el: any) => {value?: any, why?: string}} [read]
 * @property {(el: any, event: Event) => void} [choose]
 * @property {(el: any, event: MouseEvent) => void} [press]
 * @property {boolean} [lines] Enter makes a new line in it
 * @property {(at: string) => boolean} [resets] the field is empty again once its words are stored: they made something new
 * @property {(at: string, value: any, how: any) => Promise<boolean>} [send] where it is not the value that is stored at the place
 */

/** @type {Map<string, Behaviour>} */
const behaviours = new Map();

/**
 * behaviour adds one to the registry.
 * @param {string} name
 * @param {Behaviour} it
 */
export function behaviour(name, it) {
  behaviours.set(name, it);
}

/**
 * behaviourOf finds the behaviour of a control. "act:NAME" is the act of that name, "member:NAME" one that takes values in and out.
 * @param {any} el
 * @returns {Behaviour | undefined}
 */
export function behaviourOf(el) {
  const name = el?.dataset?.do;
  if (!name) return undefined;
  return behaviours.get(name) || behaviours.get(/^(act|member)(?=:)/.exec(name)?.[0]);
}

const oneLine = (text) => text.replace(/\s*\n\s*/g, " ").trim();
const optionally = (text) => (text.trim() === "" ? undefined : text);
const separated = (text) =>
  text
    .split(",")
    .map((part) => part.trim())
    .filter((part) => part !== "");

behaviour("text", { read: (text) => ({ value: oneLine(text) }) });
behaviour("lines", { read: (text) => ({ value: text }), lines: true });
behaviour("optional", { read: (text) => ({ value: optionally(oneLine(text)) }) });
behaviour("lines optional", { read: (text) => ({ value: optionally(text) }), lines: true });
behaviour("translation", {
  read: (text, el) => ({
    value: text.trim() === "" ? undefined : { text, ...(el.dataset.of && { of: el.dataset.of }) },
  }),
  lines: true,
});
behaviour("number", {
  read(text, el) {
    if (text.trim() === "") return el.required ? { why: "Type a number." } : {};
    const { n, why } = readNumber(text);
    return why ? { why } : { value: n };
  },
});
behaviour("list", {
  read: (text, el) => ({ value: text.trim() === "" && "any" in el.dataset ? null : separated(text) }),
});
behaviour("numbers", {
  read(text, el) {
    if (text.trim() === "" && "any" in el.dataset) return { value: null };
    const list = separated(text).map((part) => readNumber(part));
    const bad = list.find((one) => one.why);
    return bad ? { why: bad.why } : { value: list.map((one) => one.n) };
  },
});

/** put is the operation that makes a value stand at a place. "add" at an element would put another one before it. */
const put = (at, value) => ({ op: /\/[=@#][^/]*$/.test(at) || /\/\d+$/.test(at) ? "replace" : "add", path: at, value });

const from = (el) => ({ base: drawnAt(el) });

behaviour("tick", { choose: (el) => edit([put(el.dataset.at, el.checked)], from(el)) });
behaviour("choose", { choose: (el) => edit([put(el.dataset.at, el.value)], from(el)) });
behaviour("switch", {
  choose: (el) => edit(JSON.parse(el.checked ? el.dataset.checked : el.dataset.unchecked), from(el)),
});
behaviour("pick", {
  choose(el) {
    const option = el.selectedOptions[0];
    if (option.dataset.ask)
      return name(el, option.dataset.ask, (said) => act("outcome.new", el.dataset.at, said, from(el)));
    if (option.dataset.patch) return void edit(JSON.parse(option.dataset.patch), from(el));
    if (el.dataset.at) edit([put(el.dataset.at, el.value)], from(el));
  },
});
behaviour("apply", {
  press(el) {
    const { patch, focus } = el.dataset;
    const ended = edit(JSON.parse(patch), { ...from(el), focus });
    if (focus) waitFor(el, focus, ended);
  },
});
behaviour("act", {
  choose: (el) => void doAct(el, el.type === "checkbox" ? el.checked : el.value),
  press: (el) => void doAct(el, el.value || undefined),
});
const memberOf = (el) => el.dataset.do.slice("member:".length) || "member";
behaviour("member", {
  choose(el) {
    const { value } = el;
    if (!value) return;
    act(memberOf(el), el.dataset.at, { value, in: el.type === "checkbox" ? el.checked : true }, from(el));
  },
  press: (el) => void act(memberOf(el), el.dataset.at, { value: el.value, in: false }, from(el)),
});
behaviour("undo", { press: () => void history("undo") });
behaviour("redo", { press: () => void history("redo") });

// What is being deleted is not deleted twice: until the server has answered, its button does nothing more.
const going = new Set();
async function doAct(el, value) {
  const what = el.dataset.do.slice("act:".length);
  const key = `${what} ${el.dataset.at}`;
  const ends = what === "drop" || what === "condition.drop";
  if (ends && going.has(key)) return;
  if (ends) going.add(key);
  await act(what, el.dataset.at, value, { ...from(el), focus: el.dataset.focus });
  going.delete(key);
}

/**
 * name asks in the place of a menu what the new thing is to be called; Enter makes it, Escape or an empty name leaves all as it was.
 * @param {HTMLSelectElement} menu
 * @param {string} label
 * @param {(name: string) => void} made
 * @param {() => void} [closed] called when the question is over
 */
export function name(menu, label, made, closed = () => {}) {
  const before = [...menu.options].findIndex((o) => o.defaultSelected);
  menu.selectedIndex = Math.max(0, before);
  const input = document.createElement("input");
  input.className = "field";
  input.setAttribute("aria-label", label);
  input.placeholder = label;
  input.dataset.waiting = "";
  menu.hidden = true;
  menu.after(input);
  input.focus();
  let done = false;
  const end = (keep) => {
    if (done) return;
    done = true;
    const said = input.value.trim();
    const held = document.activeElement === input;
    input.remove();
    menu.hidden = false;
    if (held) menu.focus();
    closed();
    if (keep && said) made(said);
  };
  input.addEventListener("blur", () => end(true));
  input.addEventListener("keydown", (event) => {
    if (event.isComposing || (event.key !== "Enter" && event.key !== "Escape")) return;
    event.preventDefault();
    event.stopPropagation();
    end(event.key === "Enter");
  });
}

/**
 * commit sends what has been typed into a field, if the server has something else.
 * @param {any} el
 * @returns {Promise<boolean> | undefined}
 */
export function commit(el) {
  const it = behaviourOf(el);
  const { at } = el.dataset;
  const text = store.texts.get(at);
  if (!it?.read || !text) return undefined;
  const before = text.sent ?? el.defaultValue;
  const { value, why } = it.read(el.value, el);
  if (why) {
    el.classList.add("bad");
    say(why);
    return undefined;
  }
  const shown = typeof value === "string" && !it.lines ? value : el.value;
  if (shown !== el.value) el.value = text.value = shown; // as it is stored
  if (shown === before) {
    if (text.state === TYPING && text.sent === undefined) store.giveUp(at);
    return undefined;
  }
  if (value === undefined && before === "") return undefined;
  el.classList.remove("bad");
  el.removeAttribute("aria-invalid");
  store.sending(at);
  const sent = text.value;
  const how = { base: text.base, clashed: () => clashed(text, sent) };
  const op = value === undefined ? { op: "remove", path: text.place } : put(text.place, value);
  const ended = it.send ? it.send(text.place, value, how) : edit([op], how);
  ended.then((stored) => {
    store.ended(text, sent, stored);
    if (stored && it.resets?.(at) && el.value === sent) el.value = el.defaultValue;
  });
  return ended;
}

// clashed gives a text up for the one that someone else has stored in its field, and keeps it below. Whoever is still typing there
// has been told: what they type replaces the other.
function clashed(text, sent) {
  const at = [...store.texts].find(([, one]) => one === text)?.[0];
  if (at === undefined) return null;
  Object.assign(text, { base: store.revision, place: at });
  if (text.value !== sent) return null;
  store.giveUp(at);
  const field = /** @type {any} */ (fieldAt(at));
  if (field) field.value = field.defaultValue;
  return clash(at, sent);
}

// note remembers what stands in a field that is being typed into.
function note(el) {
  if (behaviourOf(el)?.read && el.dataset.at) store.typed(el.dataset.at, el.value, drawnAt(el));
}

document.addEventListener("input", (event) => note(event.target));

bench.addEventListener("change", (event) => {
  const el = /** @type {any} */ (event.target);
  const it = behaviourOf(el);
  if (it?.choose) it.choose(el, event);
  else if (it?.read) {
    note(el);
    commit(el);
  }
});

// A browser reports no change when the field was changed, and left with Enter, before this script listened.
bench.addEventListener("focusout", (event) => {
  const el = /** @type {any} */ (event.target);
  if (store.texts.get(el.dataset.at)?.state === TYPING && el.isConnected && !el.matches(".bad")) commit(el);
});

bench.addEventListener("click", (event) => {
  const button = event.target instanceof Element && event.target.closest("button[data-do]");
  const it = button && behaviourOf(button);
  if (!it?.press) return;
  if (event.detail > 1) return; // a double click does it once, and nothing to what comes to lie under the pointer
  it.press(button, event);
});

// A number is typed over: its field chooses what is in it when it is entered.
let entered = null;
document.addEventListener("focusin", (event) => {
  const el = /** @type {any} */ (event.target);
  if (el.dataset?.do !== "number" && el.inputMode !== "decimal" && el.inputMode !== "numeric") return;
  entered = el;
  el.select?.();
});
document.addEventListener("pointerup", () => {
  if (entered && entered === document.activeElement && entered.selectionStart === entered.selectionEnd)
    entered.select();
  entered = null;
});

/**
 * giveBack puts back what the server has, and reports whether anything else stood there.
 * @param {any} el
 */
export function giveBack(el) {
  const text = store.texts.get(el.dataset.at);
  el.classList.remove("bad");
  if (!text || text.value === (text.sent ?? el.defaultValue)) return false;
  el.value = text.sent ?? el.defaultValue;
  if (text.sent === undefined) store.giveUp(el.dataset.at);
  else text.value = text.sent;
  if (el.nextElementSibling?.matches(".said.problem")) el.nextElementSibling.remove();
  return true;
}

// early sends what was typed and chosen before the scripts had come. A page that is shown again has old texts in its fields: they are
// what the browser remembers, not what someone typed.
const looked = new WeakSet();
export function early() {
  const fresh = /** @type {any} */ (performance.getEntriesByType("navigation")[0])?.type === "navigate";
  for (const el of /** @type {NodeListOf<any>} */ (bench.querySelectorAll("[data-do]"))) {
    const it = behaviourOf(el);
    if (!it || looked.has(el)) continue;
    looked.add(el);
    if (it.read && el.value !== el.defaultValue) {
      if (!fresh && el !== document.activeElement) el.value = el.defaultValue;
      else {
        note(el);
        if (el !== document.activeElement) commit(el);
      }
    } else if (it.choose && el.type === "checkbox" && el.checked !== el.defaultChecked) {
      if (fresh) it.choose(el, new Event("change"));
      else el.checked = el.defaultChecked;
    } else if (it.choose && el.tagName === "SELECT") {
      const was = [...el.options].findIndex((o) => o.defaultSelected);
      if (el.selectedIndex === Math.max(0, was)) continue;
      if (fresh) it.choose(el, new Event("change"));
      else el.selectedIndex = Math.max(0, was);
    }
  }
}

/** late does what waited for the behaviours of the room itself, and presses the buttons that were pressed before any. */
export function late() {
  early();
  for (const button of /** @type {any} */ (window).pressedEarly?.() || []) if (button.isConnected) button.click();
}

// What stands typed in a field is sent when the window goes: the request outlives it, or it is sent when the window is loaded again.
export function keepTyped() {
  const el = document.activeElement;
  if (el && behaviourOf(el)?.read) commit(el);
}
