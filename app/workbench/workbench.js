// The one way that edits take: a room's elements name their place (data-path) or carry a patch (data-patch); every edit
// goes to the server as a JSON Patch on the revision that this window has, one after another.
import Alpine from "/assets/vendor/alpine.js";
import { grow, menu } from "/assets/parts.js";

const bench = document.querySelector(".bench");
export const id = bench.dataset.quiz;
const room = bench.dataset.room;
let revision = Number(bench.dataset.revision);
let view = null; // the Alpine component that shows messages
let line = Promise.resolve(); // edits wait here for the one before
let waiting = 0;
let last = null; // the last edit that was refused as stale
const listeners = [];

// onDraw calls f after parts of the page were drawn anew.
export function onDraw(f) {
  listeners.push(f);
  f(document);
}

function saved(text) {
  const el = document.querySelector("[data-saved]");
  if (el) el.textContent = text;
}

async function post(path, body) {
  const response = await fetch(`/quizzes/${id}/${path}`, {
    method: "POST",
    keepalive: JSON.stringify(body).length < 30000,
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ room, query: location.search, ...body }),
  });
  return [response.status, await response.json()];
}

// keep remembers what has the focus, so that drawing anew does not lose it.
function keep() {
  const el = document.activeElement;
  if (!el || el === document.body) return null;
  const key = ["path", "key", "at"].find((k) => el.dataset[k]);
  const caret = "selectionStart" in el ? [el.selectionStart, el.selectionEnd] : null;
  return { id: el.id, key, value: key && el.dataset[key], caret };
}

function find(kept) {
  if (!kept) return null;
  if (kept.key) return document.querySelector(`[data-${kept.key}="${CSS.escape(kept.value)}"]`);
  return kept.id ? document.getElementById(kept.id) : null;
}

function draw({ parts, name: title }) {
  const kept = keep();
  const open = [...document.querySelectorAll("#room details[open][data-key]")].map((el) => el.dataset.key);
  for (const [part, html] of Object.entries(parts || {})) {
    const el = document.getElementById(part);
    if (!el) continue;
    el.innerHTML = html;
    for (const f of listeners) f(el);
  }
  for (const key of open) {
    const el = document.querySelector(`details[data-key="${CSS.escape(key)}"]`);
    if (el) el.open = true;
  }
  const el = find(kept);
  if (el && el !== document.activeElement) {
    el.focus({ preventScroll: true });
    if (kept.caret && kept.caret[0] !== null && el.setSelectionRange) el.setSelectionRange(...kept.caret);
  }
  const name = document.getElementById("quizname");
  if (title !== undefined && name !== document.activeElement) name.value = name.dataset.before = title;
}

function say(text, again = false) {
  if (view) view.say(text, again);
}

// The reach bar is asked for after every edit; a count that is overtaken by another edit is given up. While it is under way
// the bar says so, and never shows figures of an older draft as if they were of this one.
let counting = null;
const remembered = "assume:" + id;
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
    const assume = localStorage.getItem(remembered) || "even";
    const response = await fetch(`/quizzes/${id}/reach?assume=${assume}`, { signal: mine.signal });
    const answer = await response.json();
    if (mine.signal.aborted) return;
    if (!response.ok) return say(answer.message);
    if (answer.revision < revision) return count();
    const kept = keep();
    bar.innerHTML = answer.html;
    for (const f of listeners) f(bar);
    const again = find(kept);
    if (again && bar.contains(again)) again.focus();
    columns = answer.columns || [];
    for (const f of columnListeners) f(columns);
    bar.classList.remove("counting");
  } catch {
    // given up for a newer count, or no connection: the next edit asks again
  } finally {
    clearTimeout(slow);
    if (counting === mine) counting = null;
  }
}

bench.addEventListener("change", (event) => {
  if (event.target.dataset.assume === undefined) return;
  localStorage.setItem(remembered, event.target.value);
  count();
});

// A segment shows somebody who ends there, on hover and on focus.
function segment(event) {
  const at = event.target.closest?.("[data-segment]");
  const all = [...document.querySelectorAll("[data-segment]")];
  const shown = event.type === "mouseover" || event.type === "focusin" ? all.indexOf(at) : -1;
  document.querySelectorAll(".witness").forEach((el, i) => (el.hidden = i !== shown));
}
for (const type of ["mouseover", "mouseleave", "focusin", "focusout"]) document.getElementById("reach").addEventListener(type, segment);

// edit sends a patch. whole asks for the sheet to be drawn anew; focus is the data-path to go to then.
export function edit(patch, { whole = false, focus = null } = {}) {
  waiting += 1;
  saved("saving…");
  line = line.then(() => send(patch, whole, focus)).finally(() => (waiting -= 1));
  return line;
}

async function send(patch, whole, focus) {
  let status, answer;
  for (let wait = 500; ; wait = Math.min(wait * 2, 8000)) {
    try {
      [status, answer] = await post("edits", { base: revision, patch, whole });
      break;
    } catch {
      saved("no connection, the edit is kept and sent later");
      await new Promise((done) => setTimeout(done, wait));
    }
  }
  if (status === 200) {
    revision = answer.revision;
    draw(answer);
    if (focus) goTo(focus);
    count();
    return true;
  }
  if (status === 409) {
    revision = answer.revision;
    draw(answer);
    count();
    last = { patch, whole, focus };
    say("Changed in another window: " + answer.since.join("; ") + ". Your last edit is not saved yet.", true);
    return false;
  }
  saved("not saved");
  say(answer.message);
  const el = answer.where && document.querySelector(`[data-path="${CSS.escape(answer.where)}"]`);
  if (el) {
    el.classList.add("bad");
    el.setAttribute("aria-invalid", "true");
  }
  return false;
}

export function history(step) {
  return (line = line.then(async () => {
    const [status, answer] = await post(step, {}).catch(() => [0, { message: "There is no connection. Try again in a moment." }]);
    if (status === 200) {
      revision = answer.revision;
      draw(answer);
      count();
    } else say(answer.message);
  }));
}

// goTo shows the place of a JSON Pointer: the element itself, or the nearest one around it.
export function goTo(pointer, light = false) {
  for (let at = pointer; at; at = at.slice(0, at.lastIndexOf("/"))) {
    const el = document.querySelector(`[data-path="${CSS.escape(at)}"], [data-at="${CSS.escape(at)}"]`);
    if (!el) continue;
    const details = el.closest("details");
    if (details) details.open = true;
    el.scrollIntoView({ block: "center" });
    el.focus({ preventScroll: true });
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
  return el.value;
}

// commit sends the value of a control with data-path, if it has changed.
export function commit(el) {
  const before = el.dataset.before ?? el.defaultValue;
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
  el.dataset.before = el.value;
  const path = el.dataset.path;
  const op = value === undefined ? { op: "remove", path } : { op: "add", path, value };
  if (op.op === "remove" && before === "") return;
  edit([op], { whole: "whole" in el.dataset });
}

bench.addEventListener("change", (event) => {
  const el = event.target;
  if (el.tagName === "SELECT" && el.selectedOptions[0]?.dataset.patch) {
    edit(JSON.parse(el.selectedOptions[0].dataset.patch), { whole: true });
  } else if (el.dataset.checked !== undefined) {
    edit(JSON.parse(el.checked ? el.dataset.checked : el.dataset.unchecked), { whole: true });
  } else if (el.dataset.path && el.matches("input, textarea, select")) commit(el);
});

bench.addEventListener("click", (event) => {
  const step = event.target.closest("[data-history]");
  if (step) return history(step.dataset.history);
  const button = event.target.closest("button[data-patch]");
  if (button) edit(JSON.parse(button.dataset.patch), { whole: true, focus: button.dataset.focus });
});

bench.addEventListener("keydown", (event) => {
  const el = event.target;
  const command = event.ctrlKey || event.metaKey;
  if (command && !event.altKey && (event.key === "z" || event.key === "Z" || event.key === "y")) {
    const typing = el.matches("input, textarea") && el.value !== (el.dataset.before ?? el.defaultValue);
    if (typing) return; // the browser takes back what is being typed
    event.preventDefault();
    history(event.shiftKey || event.key === "y" ? "redo" : "undo");
  } else if (event.key === "Escape" && el.dataset.path && el.matches("input, textarea")) {
    el.value = el.dataset.before ?? el.defaultValue;
    el.classList.remove("bad");
  } else if (event.key === "Enter" && !event.shiftKey && el.matches("input[data-path], textarea[data-path]:not([data-lines])")) {
    event.preventDefault();
    const next = el.dataset.enter;
    commit(el);
    if (next && document.querySelector(next)) document.querySelector(next).click();
    else el.blur();
  }
});

// A link out of the page waits for the edits on their way; only a connection that is down makes the browser ask.
bench.addEventListener("click", (event) => {
  const link = event.target.closest("a[href]");
  if (!link || !waiting || link.target || link.hasAttribute("download") || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  line.then(() => location.assign(link.href));
});

bench.addEventListener("submit", (event) => {
  if (!waiting) return;
  event.preventDefault();
  line.then(() => event.target.requestSubmit());
});

window.addEventListener("beforeunload", (event) => {
  if (waiting) event.preventDefault();
});

Alpine.data("menu", menu);
Alpine.data("bench", () => ({
  message: "",
  again: false,
  init() {
    view = this;
    const at = new URLSearchParams(location.search).get("at");
    if (at) requestAnimationFrame(() => goTo(at, true));
  },
  say(text, again) {
    this.message = text;
    this.again = again;
  },
  retry() {
    this.message = "";
    if (last) edit(last.patch, { whole: true, focus: last.focus });
    last = null;
  },
  dismiss() {
    this.message = "";
  },
}));

onDraw(grow);
count();
export { Alpine };
