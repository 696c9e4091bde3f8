// Drawing: the server draws, and what it drew is morphed into the page, so that whoever works there keeps their place: the element
// that has the focus, what is being typed, and what is open stay as they are.
import { Idiomorph } from "/assets/vendor/idiomorph.js";
import { stable } from "/assets/queue.js";

const before = []; // called before anything is drawn
const after = []; // called with each element that was drawn

// onDraw calls f after parts of the page were drawn anew, and once now.
export function onDraw(f) {
  after.push(f);
  f(document);
}

// beforeDraw calls f before parts of the page are drawn: to take away what scripts have put there for the moment.
export const beforeDraw = (f) => before.push(f);

// ids of the lines of every list, by the place of the list, as the page shows them.
let shown = {};
export const ids = () => shown;
export function setIDs(next) {
  shown = next;
}

// typing reports whether a field holds words that are not saved yet.
export const typing = (el) =>
  Boolean(el?.matches?.("input[data-path], textarea[data-path]")) && el.type !== "checkbox" && el.value !== (el.dataset.before ?? el.defaultValue);

// identify gives elements that stand for something an id by what that is, so that they are found again wherever they have moved.
function identify(root, names) {
  for (const el of root.querySelectorAll("[data-path], [data-at], [data-key], tr[data-choice], tbody[data-id]")) {
    if (el.id && !el.id.startsWith("~")) continue;
    const id = identity(el, names);
    if (el.id !== id) el.id = id; // even the same one, set again, would be a change to whoever watches
  }
}

function identity(el, names) {
  const { path, at, key, choice, id } = el.dataset;
  if (choice !== undefined) return `~choice ${el.closest("tbody")?.dataset.id} ${choice}`;
  if (id !== undefined && el.tagName === "TBODY") return "~lines " + id;
  if (path) return "~path " + stable(path, names);
  if (key) return "~key " + key.replace(/\/[\w/-]+/, (place) => stable(place, names));
  return "~at " + stable(at, names);
}

// What stays as whoever works there has left it: open parts, and what scripts show and hide.
const kept = (name, el) =>
  (name === "open" && el.tagName === "DETAILS") ||
  (name === "hidden" && el.matches(".witness, #votebar")) ||
  (name === "checked" && el.matches("[data-chosen]")) ||
  (el.hasAttribute("x-show") && (name === "style" || name === "x-cloak")) ||
  (name === "aria-expanded" && el.hasAttribute("x-bind:aria-expanded"));

// awaited reports whether a drawing of the same shape comes after the count: until then the one that is there can be used.
const awaited = (el, next) => Boolean(el.dataset?.shape) && el.dataset.shape === next.dataset?.shape && !next.firstElementChild;

const options = () => ({
  morphStyle: "innerHTML",
  ignoreActiveValue: typing(document.activeElement),
  callbacks: {
    beforeAttributeUpdated: (name, el) => !kept(name, el),
    // A figure is being typed; the room's own script has made what is there; or it is drawn anew once it is counted.
    beforeNodeMorphed: (el, next) =>
      !(el.matches?.(".cell") && el.querySelector("input:focus")) && !el.matches?.("[data-still]") && !awaited(el, next),
    beforeNodeRemoved: (el) => el.id !== "picturepanel",
  },
});

// morph makes the inside of an element what the html says.
function morph(el, html, names) {
  const next = document.createElement("template");
  next.innerHTML = html;
  identify(el, shown);
  identify(next.content, names);
  Idiomorph.morph(el, next.content.childNodes, options());
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
export function touch(patch) {
  const places = patch.flatMap((op) => [op.path, op.from]).filter(Boolean);
  const touched = new Set(places.map((p) => p.split("/").slice(0, 3).join("/")));
  for (const el of blocks()) if (el.dataset.about && touched.has(el.dataset.about)) el.dataset.stamp = "";
}

for (const type of ["input", "change"])
  document.getElementById("room").addEventListener(type, (event) => {
    const el = event.target.closest("[data-block]");
    if (el) el.dataset.stamp = "";
  });

// place puts the blocks of a sheet in order, and returns those that were drawn.
function place(list, names) {
  const holder = sheet();
  const old = new Map(blocks().map((el) => [el.dataset.block, el]));
  const keys = new Set(list.map((b) => b.key));
  for (const [key, el] of old) if (!keys.has(key)) el.remove();
  const fresh = [];
  let at = holder.firstElementChild;
  for (const { key, html } of list) {
    let el = old.get(key);
    if (html) {
      const parsed = document.createElement("template");
      parsed.innerHTML = html;
      const next = parsed.content.firstElementChild;
      if (el) {
        for (const { name } of [...el.attributes]) if (!next.hasAttribute(name)) el.removeAttribute(name);
        for (const { name, value } of next.attributes) el.setAttribute(name, value);
        morph(el, next.innerHTML, names);
      } else el = next;
      fresh.push(el);
    }
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
function enter(el) {
  const first = el.matches(focusable) && usable(el) ? el : [...el.querySelectorAll(focusable)].find(usable);
  first?.focus({ preventScroll: true });
  return document.activeElement === first;
}

// fillIn puts into an element what a room's script has fetched; whoever was in it stays in it, or goes back to the room.
export function fillIn(el, html) {
  const held = el.contains(document.activeElement);
  el.innerHTML = html;
  if (held && !enter(el)) document.getElementById("room").focus({ preventScroll: true });
}

// focusOf draws, and gives the focus back: to where it was, or along its trail. A field that is on its way to the page may only come with
// the pieces that are drawn after the count: lost is its id.
let lost = "";
let meanwhile = null; // what has the focus until then
function focusOf(draw) {
  const el = document.activeElement;
  const held = el && el !== document.body;
  if (held) identify(document, shown);
  const places = held ? trail(el) : [];
  draw();
  const now = document.activeElement;
  if (!held || (now && now !== document.body)) return;
  if (places[0] === el.id && el.id && !document.getElementById(el.id)) lost = el.id;
  for (const id of places) {
    const place = document.getElementById(id);
    if (place && enter(place)) break;
  }
  meanwhile = document.activeElement;
}

// drawParts draws pieces of the page by their element id, and the sheet by its blocks.
export function drawParts(parts, pieces, nextIDs) {
  const names = nextIDs || shown;
  for (const f of before) f();
  lost = "";
  focusOf(() => {
    const drawn = [];
    for (const [part, html] of Object.entries(parts || {})) {
      const el = document.getElementById(part);
      if (!el) continue;
      morph(el, html, names);
      drawn.push(el);
    }
    if (pieces) drawn.push(...place(pieces, names));
    shown = names;
    for (const el of drawn) told(el);
  });
}

// drawLate draws pieces that come after the count; a field that was lost with the sheet may be among them.
export function drawLate(parts) {
  focusOf(() => {
    for (const [part, html] of Object.entries(parts)) {
      const el = document.getElementById(part);
      if (!el) continue;
      morph(el, html, shown);
      told(el);
    }
  });
  if (lost && (document.activeElement === document.body || document.activeElement === meanwhile)) {
    identify(document, shown);
    document.getElementById(lost)?.focus({ preventScroll: true });
  }
  lost = "";
}
