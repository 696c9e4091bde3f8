// The edits of a window: every one goes to the server through one queue, on the revision that its control was drawn at. What
// the server answers is drawn, and told to whoever listens.
import { drawParts, drawnAt, have, onDraw, touch } from "./draw.js";
import { Events, FAILED, OPEN } from "./events.js";
import { bench, goTo, id, random, room, say, store, tell, typedText, unsay } from "./frame.js";
import { EditQueue, Unreachable } from "./queue.js";
import { signIn } from "./signin.js";
import { Steps } from "./steps.js";

/**
 * What an edit is: operations of JSON Patch whose places are references, or an act, which the server works out.
 * @typedef {{op: string, path: string, from?: string, value?: any}[]} Patch
 * @typedef {{name: string, at: string, value?: any}} Act
 * @typedef {object} How
 * @property {boolean} [quiet] the page shows it already: the sheet is not drawn anew
 * @property {string} [focus] the place to go to when it is drawn
 * @property {number} [base] the revision that the edit was made on, where it is not the one that is shown
 * @property {boolean} [still] the focus stays where it is, wherever the server would lead
 * @property {(answer: any) => any} [again] what to send instead, when the server refuses it
 * @property {() => (() => void) | null} [clashed] called when someone else was faster: returns what makes the edit again, null where
 *   the person is still typing
 */

// A window keeps its name when it is loaded again: what it did before it still knows of. A twin of a window gets another.
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
  /** @type {RequestInit} */
  const request = {
    method: "POST",
    keepalive: text.length < 30000,
    headers: { "Content-Type": "application/json", Accept: "application/json" },
    body: text,
  };
  const response = await fetch(`/quizzes/${id}/${path}`, request).catch(() => null);
  if (!response) throw new Unreachable("you’re offline");
  if (response.status === 204) return { kind: "nothing-new" };
  const answer = response.headers.get("Content-Type")?.startsWith("application/json")
    ? await response.json().catch(() => null)
    : null;
  if (!answer?.kind) throw new Unreachable(`the server didn’t respond (${response.status} ${response.statusText})`);
  if (answer.kind === "signed-out") signIn(() => queue.wake());
  return answer;
}

// What has not reached the server is kept for this window, and sent when it is loaded again.
const pendingKey = "edits:" + id;
let drawings = 0; // how often the sheet has been drawn: an edit made before the last one asks for another
const queue = new EditQueue({
  send: ({ step, body, id: edit, base, patch, act, whole, drawn }) =>
    post(step, body || { id: edit, base, patch, act, whole: whole || drawn !== drawings, have: have() }),
  keep: (list) =>
    list.length ? sessionStorage.setItem(pendingKey, JSON.stringify(list)) : sessionStorage.removeItem(pendingKey),
  changed: showState,
});

let refused = false; // the last edit was

function savedState() {
  if (queue.trouble) return `${queue.trouble} – your changes are kept in this browser and will be saved later`;
  if (queue.waiting) return "saving…";
  if (refused) return "Not saved";
  return events.state === FAILED ? "You’re offline – your changes are kept here and will be saved later" : "saved";
}

// What a window does besides edits of the document, a table or a share, is taken back in its turn.
const steps = new Steps((text) => say(text));
export function did(name, back, forth) {
  steps.did(name, back, forth);
  showState();
}

function showState() {
  for (const step of ["undo", "redo"]) {
    const button = document.querySelector(`[data-do="${step}"]`);
    if (button instanceof HTMLButtonElement && steps.can(step)) button.disabled = false;
  }
  const el = document.querySelector("[data-saved]");
  if (el) el.textContent = savedState();
}

/**
 * change sends something beside the document, a table, through the same queue, and resolves to the server's answer.
 * @param {string} step the address within the quiz
 * @param {any} body
 */
export async function change(step, body) {
  const answer = await queue.push({ step, body });
  refused = answer.kind !== "stored";
  if (refused) say(answer.message);
  showState();
  return answer;
}

const listeners = [];
// onStored calls f with the revision of every answer that brings a newer draft.
export const onStored = (f) => listeners.push(f);

// take shows what the server says to an edit or a question. The server counts while the window draws.
function take(answer) {
  store.revision = answer.revision;
  for (const f of listeners) f(answer.revision);
  if (answer.parts?.room || answer.blocks) drawings += 1;
  drawParts(answer.parts, answer.blocks);
  const title = document.getElementById("quizname");
  if (
    answer.name !== undefined &&
    title instanceof HTMLInputElement &&
    title !== document.activeElement &&
    !store.texts.has("/name")
  )
    title.value = title.defaultValue = answer.name;
  showState();
}

/**
 * edit sends a patch, and resolves to whether it was stored.
 * @param {Patch} patch
 * @param {How} [how]
 */
export const edit = (patch, how = {}) =>
  send({ patch }, patch.flatMap((op) => [op.path, op.from]).filter(Boolean), how);

/**
 * act sends what a control means; the server works out what it comes to.
 * @param {string} name
 * @param {string} at
 * @param {any} [value]
 * @param {How} [how]
 */
export const act = (name, at, value, how = {}) => send({ act: { name, at, value } }, [at], how);

async function send(what, places, how) {
  unsay();
  touch(places);
  const goal = store.follow(how.focus || "");
  const answer = await queue.push({
    step: "edits",
    id: random(),
    base: how.base ?? store.revision,
    ...what,
    whole: !how.quiet,
    drawn: drawings,
    again: how.again,
  });
  const stored = ended(answer, what, how, goal);
  store.followed.delete(goal);
  return stored;
}

function ended(answer, what, how, goal = { at: "" }) {
  refused = answer.kind !== "stored";
  if (!refused) {
    steps.edited();
    take(answer);
    const focus = goal.at || (how.still ? "" : answer.focus);
    if (focus) arrive(focus, how.focus);
    if (answer.said) say(answer.said, { label: "Undo", act: () => history("undo") });
    tell(answer.since);
    return true;
  }
  if (answer.kind === "stale") {
    take(answer);
    const changed = "Changed in another window: " + answer.since.join("; ") + ". ";
    if (how.clashed) {
      const use = how.clashed();
      say(
        changed + (use ? "Your last change isn’t saved yet." : "Your text will replace it."),
        use ? { label: "Redo", act: use } : {},
      );
      refused = Boolean(use);
      showState();
      return false;
    }
    say(changed + "Your last change isn’t saved yet.", {
      label: "Redo",
      act: () =>
        void send(what, [], { ...how, base: store.revision }).then(
          (stored) => stored && what.patch?.forEach((op) => store.arrived(op.path, op.value)),
        ),
    });
    return false;
  }
  showState();
  const [op, ...others] = what.patch || [];
  const alone = op && !others.length;
  const own = alone ? op.path : answer.where;
  const el = own && document.querySelector(`[data-do][data-at="${CSS.escape(own)}"]`);
  if (answer.instead && alone) {
    const instead = [{ ...op, value: answer.instead }];
    say(answer.message, { label: `Use ${answer.instead}`, act: () => edit(instead, { focus: op.path }) });
  } else say([answer.message, !el && alone && typedText(op.value)].filter(Boolean).join(" "));
  if (el) sayAt(el, answer.message);
  return false;
}

// sayAt says at a field why what was typed there is refused, until something else is typed.
function sayAt(el, message) {
  el.classList.add("bad");
  el.setAttribute("aria-invalid", "true");
  if (el.nextElementSibling?.matches(".said.problem")) el.nextElementSibling.remove();
  const line = document.createElement("span");
  line.className = "said problem";
  line.textContent = "▲ " + message;
  el.after(line);
  el.addEventListener("input", () => line.remove(), { once: true });
}

const arriving = [];
// onArrive calls f with the place that an edit leads to, once it is drawn.
export const onArrive = (f) => arriving.push(f);

// arrive goes to what an edit has made. What stands there is only a beginning: it is chosen, so that typing takes its place.
function arrive(focus, asked = focus) {
  if (arriving.some((f) => f(focus, asked))) return;
  goTo(focus);
  const el = document.activeElement;
  if ((el instanceof HTMLInputElement && el.type !== "checkbox") || el instanceof HTMLTextAreaElement)
    if (el.dataset.do) el.select();
}

// rewrite lets f change what has not been sent yet.
export const rewrite = (f) => queue.change(f);

// settled waits until the edits that are on their way have ended.
export const settled = () => queue.settled();
export const waiting = () => queue.waiting;

// What an earlier page of this window could not send any longer is sent now, under the same ids.
export function sendKept() {
  const list = JSON.parse(sessionStorage.getItem(pendingKey) || "[]");
  for (const kept of list)
    queue
      .push({ ...kept, whole: true })
      .then((answer) => (kept.body ? answer.message && say(answer.message) : ended(answer, kept, {})));
}

/** @param {"undo" | "redo"} step */
export async function history(step) {
  unsay();
  const own = steps.take(step);
  if (own) return own;
  const answer = await queue.push({ step, id: random(), base: store.revision, patch: null, whole: true });
  refused = false;
  if (answer.kind === "stored") {
    steps.moved(step);
    take(answer);
    if (answer.at) say(answer.did + ".", { link: goTo(answer.at, true, false) ? "" : answer.link });
    return;
  }
  if (answer.kind === "stale") take(answer);
  say(answer.message + (answer.since?.length ? " " + answer.since.join("; ") + "." : ""));
}

// Others' edits are told by one long connection, which only a window that is seen keeps; where it fails the window asks from time to
// time. What is being typed here stays.
let behind = false; // others have edited, and this window has not caught up
let others = ""; // who else has the quiz open, in words
const pause = 2500;
export const shared = () => others !== "";

const events = new Events({
  address: `/quizzes/${id}/events?room=${bench.dataset.room}`,
  here: (words) => (document.getElementById("here").textContent = others = words),
  told(told, again) {
    behind ||= told > store.revision;
    if (again) {
      queue.wake();
      for (const f of listeners) f(store.revision);
    }
    catchUp();
  },
  changed: showState,
});
const attend = () => (document.hidden ? events.close() : events.open());

// begin opens the connection, and asks from time to time where it fails.
export function begin() {
  document.addEventListener("visibilitychange", attend);
  window.addEventListener("pageshow", attend);
  window.addEventListener("pagehide", () => events.close());
  setInterval(() => {
    attend();
    catchUp();
  }, pause);
  attend();
}

const busy = () => queue.waiting || document.querySelector(".cell input, [data-table] input:focus, #picturepanel");

async function catchUp() {
  if (document.hidden || busy() || (events.state === OPEN && !behind)) return;
  const answer = await post(`since/${store.revision}`, { have: have() }).catch(() => null);
  if (!answer || queue.waiting) return;
  if (answer.kind === "gone") return say(answer.message);
  behind = false;
  if (answer.kind !== "stored" || answer.revision <= store.revision) return;
  take(answer);
  tell(answer.since);
}

// leaveTo goes to another page when the edits on their way have ended; only a connection that is down makes the browser ask.
export async function leaveTo(address) {
  await settled();
  location.assign(address);
}

bench.addEventListener("click", (event) => {
  const link = event.target instanceof Element && event.target.closest("a");
  if (
    !link?.href ||
    !queue.waiting ||
    link.target ||
    link.hasAttribute("download") ||
    event.ctrlKey ||
    event.metaKey ||
    event.shiftKey
  )
    return;
  event.preventDefault();
  leaveTo(link.href);
});

bench.addEventListener("submit", async (event) => {
  if (!queue.waiting || event.defaultPrevented || !(event.target instanceof HTMLFormElement)) return;
  event.preventDefault();
  const form = event.target;
  await settled();
  form.requestSubmit();
});

export const trouble = () => queue.waiting > 1 || Boolean(queue.trouble);
export { drawnAt, onDraw };
