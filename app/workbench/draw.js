// Drawing: the server draws, and what it drew is morphed into the page, so that people who work there keep their place: the
// element that has the focus, what is being typed, and what is open stay as they are. Texts that the server has not
// confirmed are laid over what it drew.
import { Idiomorph } from "./vendor/idiomorph.js";
import { following } from "./place.js";

/** @typedef {import("./store.js").Store} Store */

const before = []; // called before anything is drawn
const after = []; // called with each element that was drawn
/** @type {Store} */
let store;
/** Elements that this window has made and the server has not drawn yet, by their place. */
const own = new Map();

/** begin tells whose texts are kept. @param {Store} it */
export function begin(it) {
  store = it;
}

// onDraw calls f after parts of the page were drawn anew, and once now.
export function onDraw(f) {
  after.push(f);
  f(document);
}

// beforeDraw calls f before parts of the page are drawn: to take away what scripts have put there for the moment.
export const beforeDraw = (f) => before.push(f);

// awaitDrawing keeps an element that this window has made until the server draws it, or refuses it.
export function awaitDrawing(at, el) {
  own.set(at, el);
}

// refuse takes away an element that the server does not make.
export function refuse(at) {
  own.get(at)?.remove();
  own.delete(at);
}

// drawnAt is the revision that an element was drawn at.
export const drawnAt = (el) => Number(el.closest?.("[data-drawn]")?.dataset.drawn ?? store.revision);

const isField = (el) => el.matches?.("input:not([type=checkbox]):not([type=file]), textarea");
export const fieldAt = (at, root = /** @type {ParentNode} */ (document)) =>
  [...root.querySelectorAll(`[data-do][data-at="${CSS.escape(at)}"]`)].find(isField);

// places are all that a piece of the page names, as attributes and within keys.
const places = (root) =>
  [...root.querySelectorAll("[data-at], [data-key]")]
    .flatMap(({ dataset: { at, key } }) => [at, key?.slice(key.indexOf("/"))])
    .filter(Boolean);

// identify gives elements that stand for something an id by what that is, so that they are found again wherever they have moved.
function identify(root, next = (at) => at) {
  for (const el of root.querySelectorAll("[data-at], [data-key]")) {
    if (el.id && !el.id.startsWith("~")) continue;
    const id = identity(el, next);
    if (el.id !== id) el.id = id; // even the same one, set again, would be a change to whoever watches
  }
}

function identity(el, next) {
  const { at, key, do: what } = el.dataset;
  if (what && at)
    return `~at ${what} ${next(at)}${el.tagName === "BUTTON" || el.type === "checkbox" ? " " + el.value : ""}`;
  if (!key) return "~at " + next(at);
  const slash = key.indexOf("/");
  return "~key " + (slash < 0 ? key : key.slice(0, slash) + next(key.slice(slash)));
}

// What stays as whoever works there has left it: open parts, and what scripts show and hide.
const kept = (name, el) =>
  (name === "open" && el.tagName === "DETAILS") ||
  name === "data-drawn" ||
  (name === "tabindex" && el.matches(".cell")) || // without it the cell would lose the focus
  (name === "hidden" && el.matches(".witness, #votebar")) ||
  (name === "checked" && el.matches("[data-chosen]")) ||
  (el.hasAttribute("x-show") && (name === "style" || name === "x-cloak")) ||
  (name === "aria-expanded" && el.hasAttribute("x-bind:aria-expanded"));

// awaited reports whether a drawing of the same shape comes after the count: until then the one that is there can be used.
const awaited = (el, next) =>
  Boolean(el.dataset?.shape) && el.dataset.shape === next.dataset?.shape && !next.firstElementChild;

// held reports whether a field has words that the server does not: those of the document, and those that only this page knows,
// such as the beginning of a question.
const held = (el) =>
  isField(el) && (store.texts.has(el.dataset.at) || (!el.dataset.do && el.value !== el.defaultValue));

const options = () => ({
  morphStyle: "innerHTML",
  ignoreActiveValue: held(document.activeElement),
  callbacks: {
    beforeAttributeUpdated: (name, el) => !kept(name, el),
    // A figure is being typed; the room's own script has made what is there; or it is drawn anew once it is counted.
    beforeNodeMorphed: (el, next) =>
      !(el.matches?.(".cell") && el.querySelector("input:focus")) &&
      !el.matches?.("[data-still]") &&
      !awaited(el, next),
    beforeNodeRemoved: (el) =>
      el.id !== "picturepanel" && !el.matches?.("[data-waiting]") && ![...own.values()].includes(el),
  },
});

// morph makes the inside of an element what the html says.
function morph(el, html) {
  const next = document.createElement("template");
  next.innerHTML = html;
  const follow = following(places(el), places(next.content));
  store.renamed(follow);
  identify(el, follow);
  identify(next.content);
  const server = new Map();
  for (const at of store.texts.keys()) {
    const field = fieldAt(at, next.content);
    if (field) server.set(at, field.defaultValue);
  }
  const ours = [...el.querySelectorAll("input[id], textarea[id]")]
    .filter((one) => held(one) && !one.dataset.do)
    .map((one) => [one.id, one.value]);
  for (const at of own.keys()) if (next.content.querySelector(`[data-at="${CSS.escape(at)}"]`)) own.delete(at);
  Idiomorph.morph(el, next.content.childNodes, options());
  lay(el, server);
  for (const [id, value] of ours) {
    const field = /** @type {any} */ (document.getElementById(id));
    if (field && field.value !== value) field.value = value;
  }
}

// lay puts the texts that are not confirmed back into their fields; what the server has of them is their default.
function lay(el, server) {
  for (const [at, text] of store.texts) {
    const field = fieldAt(at, el);
    if (!field) continue;
    const value = server.get(at);
    if (value !== undefined && field.defaultValue !== value) field.defaultValue = value;
    if (field.value !== text.value) field.value = text.value;
  }
}

function told(el) {
  for (const f of after) f(el);
}

// A long sheet is made of blocks, each stamped with what it shows. A window says which it has, and gets the others. A block in
// which something was typed, or that an edit is about, shows more than its stamp says: it is always drawn anew.
const sheet = () => document.querySelector("#room [data-blocks]");
const blocks = () => [...(sheet()?.children || [])];

export function have() {
  const stamps = {};
  for (const el of blocks()) if (el.dataset.stamp) stamps[el.dataset.block] = el.dataset.stamp;
  return stamps;
}

// touch tells that an edit is about some blocks.
export function touch(paths) {
  for (const el of blocks()) {
    const about = el.dataset.at;
    if (about && paths.some((path) => path === about || path.startsWith(about + "/"))) el.dataset.stamp = "";
  }
}

for (const type of ["input", "change"])
  document.getElementById("room")?.addEventListener(type, (event) => {
    const el = event.target.closest("[data-block]");
    if (el) el.dataset.stamp = "";
  });

// arrange puts the blocks of a sheet in order, and returns those that were drawn.
function arrange(list) {
  const holder = sheet();
  const old = new Map(blocks().map((el) => [el.dataset.block, el]));
  const keys = new Set(list.map((b) => b.key));
  for (const [key, el] of old) if (!keys.has(key) && !own.has(el.dataset.at)) el.remove();
  const fresh = [];
  let at = holder.firstElementChild;
  for (const { key, html } of list) {
    let el = old.get(key);
    if (html) {
      const parsed = document.createElement("template");
      parsed.innerHTML = html;
      const next = parsed.content.firstElementChild;
      if (el) {
        if (next.dataset.at) own.delete(next.dataset.at);
        for (const { name } of [...el.attributes]) if (!next.hasAttribute(name)) el.removeAttribute(name);
        for (const { name, value } of next.attributes) el.setAttribute(name, value);
        morph(el, next.innerHTML);
      } else {
        el = next;
        lay(el, new Map());
      }
      fresh.push(el);
    }
    if (!el) continue; // the server has it, the page has lost it: the next drawing brings it
    while (at && own.has(at.dataset?.at) && at !== el) at = at.nextElementSibling;
    if (at === el) at = el.nextElementSibling;
    else holder.insertBefore(el, at);
  }
  return fresh;
}

// trail are the ids of places to go to where what has the focus is taken away: itself, then, from the inside out, the line around
// it, the next line of its list, and the one before.
function trail(el) {
  const out = [el.id];
  const beside = (at, step) => {
    let next = at[step];
    while (next && !next.id) next = next[step];
    return next?.id;
  };
  for (let at = el.parentElement; at && at !== document.body && at.id !== "room"; at = at.parentElement) {
    if (at.id) out.push(at.id, beside(at, "nextElementSibling"), beside(at, "previousElementSibling"));
  }
  return [...out, "room"].filter(Boolean);
}

const focusable = "textarea, input:not([type=hidden]), select, button, a[href], summary, [tabindex]";
const usable = (el) => !el.disabled && el.checkVisibility?.() !== false;

// enter gives the focus to an element, or to the first thing in it that takes it, and reports whether it did.
export function enter(el) {
  const first = el.matches(focusable) && usable(el) ? el : [...el.querySelectorAll(focusable)].find(usable);
  first?.focus({ preventScroll: true });
  return document.activeElement === first;
}

// fillIn puts into an element what a room's script has fetched; whoever was in it stays in it, or goes back to the room.
export function fillIn(el, html) {
  const within = el.contains(document.activeElement);
  el.innerHTML = html;
  if (within && !enter(el)) document.getElementById("room").focus({ preventScroll: true });
}

// focusOf draws, and gives the focus back: to where it was, or along its trail. A field that is on its way to the page may only come with
// the pieces that are drawn after the count: lost is its id.
let lost = "";
let meanwhile = null; // what has the focus until then
function focusOf(draw) {
  const el = document.activeElement;
  const within = el && el !== document.body;
  if (within) identify(document);
  const ids = within ? trail(el) : [];
  draw();
  const now = document.activeElement;
  if (!within || (now && now !== document.body)) return;
  if (ids[0] === el.id && el.id && !document.getElementById(el.id)) lost = el.id;
  for (const id of ids) {
    const to = document.getElementById(id);
    if (to && enter(to)) break;
  }
  meanwhile = document.activeElement;
}

// drawParts draws pieces of the page by their element id, and the sheet by its blocks.
export function drawParts(parts, pieces) {
  for (const f of before) f();
  lost = "";
  focusOf(() => {
    const drawn = [];
    for (const [part, html] of Object.entries(parts || {})) {
      const el = document.getElementById(part);
      if (!el) continue;
      morph(el, html);
      drawn.push(el);
    }
    if (pieces) drawn.push(...arrange(pieces));
    for (const el of drawn) told(el);
  });
}

// drawLate draws pieces that come after the count of a revision; a field that was lost with the sheet may be among them.
export function drawLate(parts, revision) {
  focusOf(() => {
    for (const [part, html] of Object.entries(parts)) {
      const el = document.getElementById(part);
      if (!el) continue;
      morph(el, html);
      el.dataset.drawn = String(revision);
      told(el);
    }
  });
  if (lost && (document.activeElement === document.body || document.activeElement === meanwhile)) {
    identify(document);
    document.getElementById(lost)?.focus({ preventScroll: true });
  }
  lost = "";
}
