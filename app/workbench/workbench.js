// A window of the workbench. Elements of a room name their place (data-path) or carry a patch (data-patch); every edit goes to the
// server as a JSON Patch on the revision that the window showed, through one queue.
import Alpine from "/assets/vendor/alpine.js";
import { grow, menu } from "/assets/parts.js";
import { drawLate, drawParts, have, ids, onDraw, setIDs, touch, typing } from "/assets/draw.js";
import { Events, FAILED, OPEN } from "/assets/events.js";
import { EditQueue, Unreachable, withTests } from "/assets/queue.js";
export { beforeDraw, onDraw } from "/assets/draw.js";

const bench = document.querySelector(".bench");
export const id = bench.dataset.quiz;
const room = bench.dataset.room;
let revision = Number(bench.dataset.revision); // that the page shows
export const shownRevision = () => revision;
setIDs(JSON.parse(bench.dataset.ids || "{}"));
let view = null; // the Alpine component that shows messages
let drawings = 0; // of the sheet

const random = () => [...crypto.getRandomValues(new Uint8Array(12))].map((b) => b.toString(36).padStart(2, "0")).join("");

// A window keeps its name when it is loaded anew: what it did before it still knows of. A twin of a window gets another.
const nameKey = "window";
let windowName = sessionStorage.getItem(nameKey) || random();
sessionStorage.setItem(nameKey, windowName);
navigator.locks?.request("omphalos " + windowName, { ifAvailable: true }, (lock) => {
  if (!lock) sessionStorage.setItem(nameKey, (windowName = random()));
  return new Promise(() => {}); // held as long as the window is there
});

export function say(text, again = false, link = "") {
  if (view) view.say(text, again, link);
}

// tell says what another window has changed.
function tell(since) {
  if (since?.length) say("Changed in another window: " + since.join("; ") + ".");
}

// post asks the server. Whatever is not its own JSON is a failure on the way, not of the edit.
async function post(path, body) {
  const text = JSON.stringify({ room, query: location.search, window: windowName, ...body });
  const request = { method: "POST", keepalive: text.length < 30000, headers: { "Content-Type": "application/json" }, body: text };
  const response = await fetch(`/quizzes/${id}/${path}`, request).catch(() => null);
  if (!response) throw new Unreachable("no connection");
  if (response.status === 204) return { kind: "nothing-new" };
  const answer = response.headers.get("Content-Type")?.startsWith("application/json") ? await response.json().catch(() => null) : null;
  if (!answer?.kind) throw new Unreachable(`no answer of the quiz’s server (${response.status} ${response.statusText})`);
  if (answer.kind === "signed-out") signIn();
  return answer;
}

// What has not reached the server is kept for this window, and sent when it is loaded again.
const pendingKey = "edits:" + id;
const queue = new EditQueue({
  send: ({ step, id: edit, base, patch, whole }) => post(step, { id: edit, base, patch, whole: whole || drawings !== drawingsAt.get(edit), have: have() }),
  keep: (list) => (list.length ? sessionStorage.setItem(pendingKey, JSON.stringify(list)) : sessionStorage.removeItem(pendingKey)),
  changed: showState,
});
const drawingsAt = new Map(); // how often the sheet had been drawn when an edit was made: what was drawn since did not know of it

let refused = false; // the last edit was

function savedState() {
  if (queue.trouble) return `${queue.trouble}, edits are kept and sent later`;
  if (queue.waiting) return "saving…";
  if (refused) return "not saved";
  return events.state === FAILED ? "no connection, edits are kept and sent later" : "saved";
}

function showState() {
  const el = document.querySelector("[data-saved]");
  if (!el) return;
  el.textContent = savedState();
}

function draw({ parts, blocks, name, ids: nextIDs }) {
  if (parts?.room || blocks) drawings += 1;
  drawParts(parts, blocks, nextIDs);
  if (blocks) sayThere(document);
  const title = document.getElementById("quizname");
  if (name !== undefined && title !== document.activeElement) title.value = title.dataset.before = name;
  showState();
}

// take shows what the server says to an edit or a question.
function take(answer) {
  revision = answer.revision;
  draw(answer);
  count();
}

// edit sends a patch. whole asks for the sheet to be drawn anew; focus is the data-path to go to then; base is the revision that the
// patch was made on, when the page has gone on since.
export async function edit(patch, { whole = false, focus = null, base = revision, names = ids() } = {}) {
  touch(patch);
  if (focus) ahead = { keys: ahead?.keys || [], waits: (ahead?.waits || 0) + 1 };
  const made = random();
  drawingsAt.set(made, drawings);
  const answer = await queue.push({ step: "edits", id: made, base, patch: withTests(patch, names), whole });
  drawingsAt.delete(made);
  return ended(answer, patch, whole, focus);
}

function ended(answer, patch, whole, focus) {
  refused = answer.kind !== "stored";
  if (!refused) {
    take(answer);
    if (focus) arrive(focus);
    tell(answer.since);
    return true;
  }
  if (focus) ahead = null;
  if (answer.kind === "stale") {
    take(answer);
    lastStale = { patch, whole, focus };
    say("Changed in another window: " + answer.since.join("; ") + ". Your last edit is not saved yet.", true);
    return false;
  }
  showState();
  say(answer.message);
  const el = answer.where && document.querySelector(`[data-path="${CSS.escape(answer.where)}"]`);
  if (el) {
    el.classList.add("bad");
    el.setAttribute("aria-invalid", "true");
  }
  return false;
}
let lastStale = null; // the last edit that was refused because somebody else had changed the same place

// settled waits until the edits that are on their way have ended.
export const settled = () => queue.settled();

// What an earlier page of this window could not send any more is sent now, under the same ids.
function sendKept() {
  const list = JSON.parse(sessionStorage.getItem(pendingKey) || "[]");
  for (const kept of list) queue.push({ ...kept, whole: true }).then((answer) => ended(answer, kept.patch || [], true, null));
}

export async function history(step) {
  const answer = await queue.push({ step, id: random(), base: revision, patch: null, whole: true });
  refused = false;
  if (answer.kind === "stored") {
    take(answer);
    const words = step === "undo" ? "Taken back: " : "Made again: ";
    if (answer.at && !goTo(answer.at, true, false)) say(words + answer.did + ".", false, answer.link);
    return;
  }
  if (answer.kind === "stale") take(answer);
  say(answer.message + (answer.since?.length ? " " + answer.since.join("; ") + "." : ""));
}

// The reach bar is asked for after every edit; a count that is overtaken by another edit is given up. While it is under way
// the bar says so, and never shows figures of an older draft as if they were of this one.
let counting = null;
const remembered = "assume:" + id;
export const assume = () => localStorage.getItem(remembered) || "even";
const columnListeners = [];
let columns = [];

export function onColumns(f) {
  columnListeners.push(f);
  f(columns);
}

async function count() {
  counting?.abort();
  const mine = (counting = new AbortController());
  const bar = document.getElementById("reach");
  const slow = setTimeout(() => bar.classList.add("counting"), 60);
  try {
    const query = new URLSearchParams({ assume: assume(), room, query: location.search });
    const response = await fetch(`/quizzes/${id}/reach?${query}`, { signal: mine.signal, headers: { Accept: "application/json" } });
    const answer = await response.json();
    if (mine.signal.aborted) return;
    if (!response.ok) return say(answer.message);
    if (answer.revision < revision) return count();
    drawLate({ reach: answer.html, ...answer.parts });
    says = answer.says || [];
    sayThere(document);
    columns = answer.columns || [];
    for (const f of columnListeners) f(columns);
    bar.classList.remove("counting");
  } catch {
    // given up for a newer count, or not reached: it is asked again after the next edit, and when the connection is back
  } finally {
    clearTimeout(slow);
    if (counting === mine) counting = null;
  }
}

// What is found stands where it is about: each message goes to the nearest element around its place that takes messages.
let says = [];
function sayThere(root) {
  const takers = [...root.querySelectorAll("[data-says]")];
  for (const el of takers) el.replaceChildren();
  for (const { where, severity, message } of says) {
    let best = null;
    for (const el of takers) {
      const at = el.dataset.says;
      if ((where === at || where.startsWith(at + "/")) && (!best || at.length > best.dataset.says.length)) best = el;
    }
    if (!best || [...best.children].some((el) => el.textContent.endsWith(message))) continue;
    const line = document.createElement("span");
    line.className = "said " + severity;
    line.textContent = (severity === "note" ? "" : "▲ ") + message;
    best.append(line);
  }
}
onDraw((root) => (root === document || root.id === "room") && sayThere(document));

bench.addEventListener("change", (event) => {
  if (event.target.dataset.assume === undefined) return;
  localStorage.setItem(remembered, event.target.value);
  if (event.target.value !== "assumed") shares(false);
  count();
});

// The shares that the team assumes are typed in a panel above the reach bar.
async function shares(shown) {
  const panel = document.getElementById("assumed");
  if (!shown) return void (panel.hidden = true);
  const response = await fetch(`/quizzes/${id}/assumed`).catch(() => null);
  if (!response?.ok) return say("The shares could not be fetched. Try again in a moment.");
  panel.innerHTML = await response.text();
  panel.hidden = false;
  panel.querySelector("input")?.focus();
}

bench.addEventListener("click", (event) => {
  if (event.target.closest("[data-shares]")) shares(document.getElementById("assumed").hidden);
  if (event.target.closest("[data-keys]")) document.getElementById("keys").showModal();
});

bench.addEventListener("change", async (event) => {
  const key = event.target.dataset.share;
  if (key === undefined) return;
  const answer = await post("assumed", { key, share: event.target.value }).catch((error) => ({ message: `The share is not stored: ${error.message}.` }));
  if (!answer.html) return say(answer.message);
  const panel = document.getElementById("assumed");
  const next = document.activeElement?.dataset?.share;
  panel.innerHTML = answer.html;
  panel.querySelector(`[data-share="${CSS.escape(next || key)}"]`)?.focus();
  count();
});

// Others' edits are told by one long connection, which only a window that is seen keeps; where it fails the window asks from time to
// time. What is being typed here stays.
let behind = false; // others have edited, and this window has not caught up
const pause = 2500;

const events = new Events({
  address: `/quizzes/${id}/events`,
  told(told, again) {
    behind ||= told > revision;
    if (again) {
      queue.wake();
      count();
    }
    catchUp();
  },
  changed: showState,
});
const attend = () => (document.hidden ? events.close() : events.open());
document.addEventListener("visibilitychange", attend);
window.addEventListener("pageshow", attend);
window.addEventListener("pagehide", () => events.close());

const busy = () => queue.waiting || document.querySelector(".cell input, [data-table] input:focus, #picturepanel");

async function catchUp() {
  if (document.hidden || busy() || (events.state === OPEN && !behind)) return;
  const answer = await post(`since/${revision}`, { have: have() }).catch(() => null);
  if (!answer || queue.waiting) return;
  if (answer.kind === "gone") return say(answer.message);
  behind = false;
  if (answer.kind !== "stored" || answer.revision <= revision) return;
  take(answer);
  tell(answer.since);
}
setInterval(() => {
  attend();
  catchUp();
}, pause);

// Who is signed out signs in over the page, and goes on.
const signInDialog = document.getElementById("signin");
function signIn() {
  if (!signInDialog.open) signInDialog.showModal();
}
signInDialog.querySelector("form").addEventListener("submit", async (event) => {
  event.preventDefault();
  event.stopPropagation();
  const form = event.target;
  const response = await fetch("/sign-in", { method: "POST", headers: { Accept: "application/json" }, body: new URLSearchParams(new FormData(form)) }).catch(() => null);
  const why = form.querySelector("[role=alert]");
  if (response?.status === 204) {
    why.textContent = "";
    form.reset();
    signInDialog.close();
    queue.wake();
    return;
  }
  why.textContent = (await response?.json().catch(() => null))?.message || "There is no connection. Try again in a moment.";
});

// A segment shows somebody who ends there, on hover and on focus.
function segment(event) {
  const at = event.target.closest?.("[data-segment]");
  const all = [...document.querySelectorAll("[data-segment]")];
  const shown = event.type === "mouseover" || event.type === "focusin" ? all.indexOf(at) : -1;
  document.querySelectorAll(".witness").forEach((el, i) => (el.hidden = i !== shown));
}
for (const type of ["mouseover", "mouseleave", "focusin", "focusout"]) document.getElementById("reach").addEventListener(type, segment);

// What is typed while a new line is on its way goes to that line.
let ahead = null; // { keys, waits, left }: how many lines are on their way, what was typed for them, whether that is over
document.addEventListener(
  "keydown",
  (event) => {
    if (!ahead || ahead.left || event.ctrlKey || event.metaKey || event.altKey || event.isComposing) return;
    if (event.key.length > 1 && !["Enter", "Tab", "Backspace"].includes(event.key)) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (event.key === "Backspace" && ahead.keys.at(-1)?.length === 1) ahead.keys.pop();
    else ahead.keys.push(event.key);
  },
  true,
);

document.addEventListener("pointerdown", () => ahead && (ahead.left = true), true); // who points elsewhere types elsewhere

function arrive(focus) {
  goTo(focus);
  if (!ahead || (ahead.waits -= 1)) return;
  const { keys } = ahead;
  ahead = null;
  while (keys.length) {
    const el = document.activeElement;
    if (!el?.matches("input, textarea")) return;
    const key = keys.shift();
    if (key.length === 1) document.execCommand("insertText", false, key); // as if it were typed: it counts as a change
    else if (key === "Tab") el.blur();
    else el.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
    if (ahead) return void ahead.keys.push(...keys.splice(0)); // Enter has asked for the next line
  }
}

// goTo shows the place of a JSON Pointer: the element itself, or the nearest one around it.
export function goTo(pointer, light = false, focus = true) {
  for (let at = pointer; at; at = at.slice(0, at.lastIndexOf("/"))) {
    const el = document.querySelector(`[data-path="${CSS.escape(at)}"], [data-at="${CSS.escape(at)}"]`);
    if (!el) continue;
    const details = el.closest("details");
    if (details) details.open = true;
    el.scrollIntoView({ block: "center" });
    if (focus) el.focus({ preventScroll: true });
    if (light) {
      const box = el.closest("tr, .line, .sheet") || el;
      box.classList.add("lit");
      setTimeout(() => box.classList.remove("lit"), 2500);
    }
    return true;
  }
  return false;
}

// valueOf reads a control as the document holds it: text, a number, true or false; undefined is "leave it out".
function valueOf(el) {
  if (el.type === "checkbox") return el.checked;
  if (el.dataset.kind === "number") {
    const text = el.value.trim().replace("−", "-").replace(",", ".");
    if (text === "") return undefined;
    return Number.isFinite(Number(text)) ? Number(text) : NaN;
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
  if (el.dataset?.path && !el.begun) el.begun = { base: revision, path: el.dataset.path, names: ids() };
});

// commit sends the value of a control with data-path, if it has changed.
export function commit(el) {
  const before = el.dataset.before ?? el.defaultValue;
  const { base, path, names } = el.begun || { base: revision, path: el.dataset.path, names: ids() };
  delete el.begun;
  if (el.tagName === "TEXTAREA" && !("lines" in el.dataset)) el.value = el.value.replace(/\s*\n\s*/g, " ").trim(); // one line
  if (el.type !== "checkbox" && el.tagName !== "SELECT" && el.value === before) return;
  const value = valueOf(el);
  if (Number.isNaN(value)) {
    el.classList.add("bad");
    say("Type a number, such as 2 or 0.5.");
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
  if (!holder || !queue.waiting) return act(el);
  const { key } = el.dataset;
  const chosen = el.value;
  await settled();
  const again = key && document.querySelector(`[data-key="${CSS.escape(key)}"]`);
  if (!again) return;
  if (again.tagName === "SELECT") again.value = chosen;
  act(again);
}

bench.addEventListener("change", (event) => {
  const el = event.target;
  if (el.tagName === "SELECT" && el.selectedOptions[0]?.dataset.patch) {
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

// Keys that are letters or signs act only where a list has the focus or nothing has, and can be switched off (WCAG 2.2, 2.1.4).
const keysOff = "keys:off";
const signs = () => localStorage.getItem(keysOff) === null;
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
  if (!adds || (list.includes(el) && !el.value.trim())) return el.blur();
  edit(JSON.parse(adds.dataset.patch), { whole: true, focus: adds.dataset.focus });
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

// leaveTo goes to another page when the edits on their way have ended; only a connection that is down makes the browser ask.
export async function leaveTo(address) {
  await settled();
  location.assign(address);
}

bench.addEventListener("click", (event) => {
  const link = event.target.closest("a[href]");
  if (!link || !queue.waiting || link.target || link.hasAttribute("download") || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  leaveTo(link.href);
});

bench.addEventListener("submit", async (event) => {
  if (!queue.waiting || event.defaultPrevented) return;
  event.preventDefault();
  await settled();
  event.target.requestSubmit();
});

// What stands typed in a field is kept when the window goes: the request outlives it, or it is sent when the window is loaded again.
function keepTyped() {
  if (typing(document.activeElement)) commit(document.activeElement);
}
window.addEventListener("beforeunload", (event) => {
  keepTyped();
  if (queue.waiting > 1 || queue.trouble) event.preventDefault();
});
window.addEventListener("pagehide", keepTyped);

Alpine.data("menu", menu);
Alpine.data("bench", () => ({
  message: "",
  again: false,
  link: "",
  letters: signs(),
  init() {
    view = this;
    const at = new URLSearchParams(location.search).get("at");
    if (at) requestAnimationFrame(() => goTo(at, true));
  },
  say(text, again, link) {
    this.message = text;
    this.again = again;
    this.link = link;
  },
  retry() {
    this.message = "";
    if (lastStale) edit(lastStale.patch, { whole: true, focus: lastStale.focus });
    lastStale = null;
  },
  dismiss() {
    this.message = "";
  },
  switchKeys() {
    this.letters = !this.letters;
    if (this.letters) localStorage.removeItem(keysOff);
    else localStorage.setItem(keysOff, "yes");
  },
}));

onDraw(grow);
sendKept();
attend();
count();
export { Alpine };
