// A window of the workbench. Elements of a room name their place (data-path) or carry a patch (data-patch); every edit goes to the
// server as a JSON Patch on the revision that the window showed, through one queue. What else a window does stands beside:
// frame.js (what its parts share), controls.js, keys.js, ahead.js (typing before a line is there), bar.js, signin.js,
// draw.js (redrawing), events.js (others' edits), queue.js.
import Alpine from "/assets/vendor/alpine.js";
import { grow, menu } from "/assets/parts.js";
import { drawParts, have, ids, onDraw, setIDs, touch, typing } from "/assets/draw.js";
import { Events, FAILED, OPEN } from "/assets/events.js";
import { EditQueue, Unreachable, withTests } from "/assets/queue.js";
import { bench, goTo, id, offer, random, room, say, setMessages, shown, tell } from "/assets/frame.js";
import { arrived, expect, forget } from "/assets/ahead.js";
import { count, sayThere } from "/assets/bar.js";
import { commit } from "/assets/controls.js";
import { signs, switchSigns } from "/assets/keys.js";
import { signIn } from "/assets/signin.js";
import { Steps } from "/assets/steps.js";
import "/assets/fields.js";
export { beforeDraw, onDraw } from "/assets/draw.js";
export { Beside } from "/assets/beside.js";
export { goTo, id, say, shownRevision } from "/assets/frame.js";
export { assume, onColumns } from "/assets/bar.js";
export { commit } from "/assets/controls.js";

setIDs(JSON.parse(bench.dataset.ids || "{}"));

// A window keeps its name when it is loaded anew: what it did before it still knows of. A twin of a window gets another.
const nameKey = "window";
let windowName = sessionStorage.getItem(nameKey) || random();
sessionStorage.setItem(nameKey, windowName);
navigator.locks?.request("omphalos " + windowName, { ifAvailable: true }, (lock) => {
  if (!lock) sessionStorage.setItem(nameKey, (windowName = random()));
  return new Promise(() => {}); // held as long as the window is there
});

// post asks the server. Whatever is not its own JSON is a failure on the way, not of the edit.
export async function post(path, body) {
  const text = JSON.stringify({ room, query: location.search, window: windowName, ...body });
  const request = { method: "POST", keepalive: text.length < 30000, headers: { "Content-Type": "application/json" }, body: text };
  const response = await fetch(`/quizzes/${id}/${path}`, request).catch(() => null);
  if (!response) throw new Unreachable("no connection");
  if (response.status === 204) return { kind: "nothing-new" };
  const answer = response.headers.get("Content-Type")?.startsWith("application/json") ? await response.json().catch(() => null) : null;
  if (!answer?.kind) throw new Unreachable(`no answer of the quiz’s server (${response.status} ${response.statusText})`);
  if (answer.kind === "signed-out") signIn(() => queue.wake());
  return answer;
}

// What has not reached the server is kept for this window, and sent when it is loaded again.
const pendingKey = "edits:" + id;
const queue = new EditQueue({
  send: ({ step, id: edit, base, patch, whole }) => post(step, { id: edit, base, patch, whole: whole || shown.drawings !== drawingsAt.get(edit), have: have() }),
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

// What a window does besides edits of the document, a table or a share, is taken back in its turn.
const steps = new Steps((text) => say(text));
export function did(name, back, forth) {
  steps.did(name, back, forth);
  showState();
}

function showState() {
  const undo = document.querySelector('[data-history="undo"]');
  if (undo && steps.can("undo")) undo.disabled = false;
  const redo = document.querySelector('[data-history="redo"]');
  if (redo && steps.can("redo")) redo.disabled = false;
  const el = document.querySelector("[data-saved]");
  if (!el) return;
  el.textContent = savedState();
}

function draw({ parts, blocks, name, ids: nextIDs }) {
  if (parts?.room || blocks) shown.drawings += 1;
  drawParts(parts, blocks, nextIDs);
  if (blocks) sayThere(document);
  const title = document.getElementById("quizname");
  if (name !== undefined && title !== document.activeElement) title.value = title.dataset.before = name;
  showState();
}

// take shows what the server says to an edit or a question. The server counts while the window draws.
function take(answer) {
  shown.revision = answer.revision;
  count();
  draw(answer);
}

// edit sends a patch. whole asks for the sheet to be drawn anew; focus is the data-path to go to then; base is the revision that the
// patch was made on, when the page has gone on since.
export async function edit(patch, { whole = false, focus = null, base = shown.revision, names = ids() } = {}) {
  touch(patch);
  if (focus) expect();
  const made = random();
  drawingsAt.set(made, shown.drawings);
  const answer = await queue.push({ step: "edits", id: made, base, patch: withTests(patch, names), whole });
  drawingsAt.delete(made);
  return ended(answer, patch, whole, focus);
}

function ended(answer, patch, whole, focus) {
  refused = answer.kind !== "stored";
  if (!refused) {
    steps.edited();
    take(answer);
    if (focus) arrive(focus);
    tell(answer.since);
    return true;
  }
  if (focus) forget();
  if (answer.kind === "stale") {
    take(answer);
    lastStale = { patch, whole, focus };
    say("Changed in another window: " + answer.since.join("; ") + ". Your last edit is not saved yet.", true);
    return false;
  }
  showState();
  const instead = answer.instead && patch.map((op) => (op.path === answer.where ? { ...op, value: answer.instead } : op));
  if (instead) offer(answer.message, `Use ${answer.instead}`, () => edit(instead, { whole: true, focus: answer.where }));
  else say(answer.message);
  const el = answer.where && document.querySelector(`[data-path="${CSS.escape(answer.where)}"]`);
  if (el) sayAt(el, answer.message);
  return false;
}

// sayAt says at a field why what was typed there is refused, until something else is typed.
function sayAt(el, message) {
  el.classList.add("bad");
  el.setAttribute("aria-invalid", "true");
  const line = document.createElement("span");
  line.className = "said problem";
  line.textContent = "▲ " + message;
  el.after(line);
  el.addEventListener("input", () => line.remove(), { once: true });
}
let lastStale = null; // the last edit that was refused because somebody else had changed the same place

// arrive goes to what an edit has made. What stands there is only a beginning: it is chosen, so that typing takes its place.
function arrive(focus) {
  goTo(focus);
  const el = document.activeElement;
  if (el.matches("input:not([type=checkbox]), textarea") && el.dataset.path) el.select();
  arrived();
}

// settled waits until the edits that are on their way have ended.
export const settled = () => queue.settled();
export const waiting = () => queue.waiting;

// What an earlier page of this window could not send any more is sent now, under the same ids.
function sendKept() {
  const list = JSON.parse(sessionStorage.getItem(pendingKey) || "[]");
  for (const kept of list) queue.push({ ...kept, whole: true }).then((answer) => ended(answer, kept.patch || [], true, null));
}

export async function history(step) {
  const own = steps.take(step);
  if (own) return own;
  const answer = await queue.push({ step, id: random(), base: shown.revision, patch: null, whole: true });
  refused = false;
  if (answer.kind === "stored") {
    steps.moved(step);
    take(answer);
    if (answer.at) say(answer.did + ".", false, goTo(answer.at, true, false) ? "" : answer.link);
    return;
  }
  if (answer.kind === "stale") take(answer);
  say(answer.message + (answer.since?.length ? " " + answer.since.join("; ") + "." : ""));
}

// Others' edits are told by one long connection, which only a window that is seen keeps; where it fails the window asks from time to
// time. What is being typed here stays.
let behind = false; // others have edited, and this window has not caught up
const pause = 2500;

const events = new Events({
  address: `/quizzes/${id}/events?room=${bench.dataset.room}`,
  here: (words) => (document.getElementById("here").textContent = words),
  told(told, again) {
    behind ||= told > shown.revision;
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
  const answer = await post(`since/${shown.revision}`, { have: have() }).catch(() => null);
  if (!answer || queue.waiting) return;
  if (answer.kind === "gone") return say(answer.message);
  behind = false;
  if (answer.kind !== "stored" || answer.revision <= shown.revision) return;
  take(answer);
  tell(answer.since);
}
setInterval(() => {
  attend();
  catchUp();
}, pause);

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
  offer: "",
  act: null,
  link: "",
  letters: signs(),
  init() {
    setMessages(this);
    const at = new URLSearchParams(location.search).get("at");
    if (at) requestAnimationFrame(() => goTo(at, true));
  },
  say(text, again, link) {
    this.message = text;
    this.again = again;
    this.link = link;
    this.offer = "";
  },
  propose(text, label, act) {
    this.say(text, false, "");
    this.offer = label;
    this.act = act;
  },
  accept() {
    this.message = this.offer = "";
    this.act();
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
    switchSigns(this.letters);
  },
}));

// A page begins in its room: keys act there, and the first Tab goes on to what it holds.
function begin() {
  if (document.activeElement === document.body) document.getElementById("room").focus({ preventScroll: true });
}

onDraw(grow);
begin();
sendKept();
attend();
count();
export { Alpine };
