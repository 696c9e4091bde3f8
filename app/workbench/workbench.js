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
  const text = JSON.stringify({ room, query: location.search, ...body });
  const response = await fetch(`/quizzes/${id}/${path}`, { method: "POST", keepalive: text.length < 30000, headers: { "Content-Type": "application/json" }, body: text });
  return [response.status, response.status === 204 ? null : await response.json()];
}

// A long sheet is made of blocks, each stamped with what it shows. A window says which it has, and gets the others. A block in
// which something was typed, or that an edit is about, shows more than its stamp says: it is always drawn anew.
const sheet = () => document.querySelector("#room [data-blocks]");
const blocks = () => [...(sheet()?.children || [])];
function have() {
  const stamps = {};
  for (const el of blocks()) if (el.dataset.stamp) stamps[el.dataset.block] = el.dataset.stamp;
  return stamps;
}
function touch(patch) {
  const about = blocks().filter((el) => el.dataset.about && el.dataset.stamp);
  const touched = new Set(patch.flatMap((op) => [op.path, op.from]).filter(Boolean).map((p) => p.split("/").slice(0, 3).join("/")));
  for (const el of about) if (touched.has(el.dataset.about)) el.dataset.stamp = "";
}
for (const type of ["input", "change"])
  document.getElementById("room").addEventListener(type, (event) => {
    const el = event.target.closest("[data-block]");
    if (el) el.dataset.stamp = "";
  });

// place puts the blocks of a sheet in order, and returns those that are new.
function place(list) {
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
      if (at === el) at = next;
      if (el) el.replaceWith(next);
      fresh.push((el = next));
    }
    if (at === el) at = el.nextElementSibling;
    else holder.insertBefore(el, at);
  }
  return fresh;
}

// typing reports whether a field holds words that are not saved yet.
const typing = (el) => el?.matches?.("input[data-path], textarea[data-path]") && el.type !== "checkbox" && el.value !== (el.dataset.before ?? el.defaultValue);

// keep remembers what has the focus, so that drawing anew does not lose it.
function keep() {
  const el = document.activeElement;
  if (!el || el === document.body) return null;
  const key = ["path", "key", "at"].find((k) => el.dataset[k]);
  const caret = "selectionStart" in el ? [el.selectionStart, el.selectionEnd] : null;
  return { id: el.id, key, value: key && el.dataset[key], caret, typed: typing(el) ? el.value : null };
}

function find(kept) {
  if (!kept) return null;
  if (kept.key) return document.querySelector(`[data-${kept.key}="${CSS.escape(kept.value)}"]`);
  return kept.id ? document.getElementById(kept.id) : null;
}

let lost = null;
let drawings = 0; // of the sheet
function draw({ parts, blocks: pieces, name: title }) {
  const kept = keep();
  if (parts?.room || pieces) drawings += 1;
  const open = [...document.querySelectorAll("#room details[data-key]")].map((el) => [el.dataset.key, el.open]);
  for (const [part, html] of Object.entries(parts || {})) {
    const el = document.getElementById(part);
    if (!el) continue;
    el.innerHTML = html;
    for (const f of listeners) f(el);
  }
  if (pieces) {
    for (const el of place(pieces)) for (const f of listeners) f(el);
    sayThere(document);
  }
  for (const [key, shown] of open) {
    const el = document.querySelector(`details[data-key="${CSS.escape(key)}"]`);
    if (el) el.open = shown;
  }
  const el = find(kept);
  lost = kept && !el ? kept : null; // it may come back with the pieces that are drawn after the count
  if (el && el !== document.activeElement) {
    el.focus({ preventScroll: true });
    if (kept.caret && kept.caret[0] !== null && el.setSelectionRange) el.setSelectionRange(...kept.caret);
  }
  if (el && kept?.typed != null) el.value = kept.typed;
  const name = document.getElementById("quizname");
  if (title !== undefined && name !== document.activeElement) name.value = name.dataset.before = title;
}

export function say(text, again = false, link = "") {
  if (view) view.say(text, again, link);
}

// tell says what another window has changed.
function tell(since) {
  if (since?.length) say("Changed in another window: " + since.join("; ") + ".");
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
    const response = await fetch(`/quizzes/${id}/reach?${new URLSearchParams({ assume: assume(), room, query: location.search })}`, { signal: mine.signal });
    const answer = await response.json();
    if (mine.signal.aborted) return;
    if (!response.ok) return say(answer.message);
    if (answer.revision < revision) return count();
    const kept = keep();
    bar.innerHTML = answer.html;
    for (const f of listeners) f(bar);
    const again = find(kept);
    if (again && bar.contains(again)) again.focus();
    for (const [part, html] of Object.entries(answer.parts || {})) {
      const el = document.getElementById(part);
      if (!el) continue;
      const before = el.contains(document.activeElement) ? keep() : null;
      el.innerHTML = html;
      for (const f of listeners) f(el);
      find(before)?.focus({ preventScroll: true });
    }
    if (lost && document.activeElement === document.body) find(lost)?.focus({ preventScroll: true });
    lost = null;
    says = answer.says || [];
    sayThere(document);
    columns = answer.columns || [];
    for (const f of columnListeners) f(columns);
    bar.classList.remove("counting");
  } catch {
    // given up for a newer count, or no connection: it is asked again when the connection is back
    if (counting === mine && !mine.signal.aborted) offline(true);
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
  if (!response?.ok) return offline(true);
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
  const response = await fetch(`/quizzes/${id}/assumed`, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ key, share: event.target.value }) }).catch(() => null);
  if (!response) return offline(true);
  const answer = await response.json();
  if (!response.ok) return say(answer.message);
  const panel = document.getElementById("assumed");
  const next = document.activeElement?.dataset?.share;
  panel.innerHTML = answer.html;
  panel.querySelector(`[data-share="${CSS.escape(next || key)}"]`)?.focus();
  count();
});

// Every few seconds the window asks whether somebody else has edited; what is being typed here stays.
let away = false;
function offline(now) {
  if (now === away) return;
  away = now;
  saved(now ? "no connection, edits are kept and sent later" : waiting ? "saving…" : "saved");
  if (!now) count();
}
const pause = 2500;
setInterval(async () => {
  if (document.hidden || waiting || document.querySelector(".cell input, [data-table] input:focus, #picturepanel")) return;
  try {
    const [status, answer] = await post(`since/${revision}`, { have: have() });
    offline(false);
    if (status === 204 || waiting) return;
    if (status !== 200) return say(answer.message);
    if (answer.revision <= revision) return;
    revision = answer.revision;
    draw(answer);
    tell(answer.since);
    count();
  } catch {
    offline(true);
  }
}, pause);

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
  touch(patch);
  if (focus) ahead = { keys: ahead?.keys || [], waits: (ahead?.waits || 0) + 1 };
  saved("saving…");
  const shown = drawings;
  // What was drawn meanwhile did not know of this edit.
  line = line.then(() => send(patch, whole || drawings !== shown, focus)).finally(() => (waiting -= 1));
  return line;
}

// settled waits until the edits that are on their way are stored.
export const settled = () => line;

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

async function send(patch, whole, focus) {
  let status, answer;
  for (let wait = 500; ; wait = Math.min(wait * 2, 8000)) {
    try {
      [status, answer] = await post("edits", { base: revision, patch, whole, have: have() });
      break;
    } catch {
      away = true;
      ahead = null;
      saved("no connection, edits are kept and sent later");
      await new Promise((done) => setTimeout(done, wait));
    }
  }
  if (status === 200) {
    revision = answer.revision;
    away = false;
    draw(answer);
    if (waiting > 1) saved("saving…"); // another edit stands behind this one
    if (focus) arrive(focus);
    tell(answer.since);
    count();
    return true;
  }
  if (focus) ahead = null;
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
    const [status, answer] = await post(step, { have: have() }).catch(() => [0, { message: "There is no connection. Try again in a moment." }]);
    if (status === 200) {
      revision = answer.revision;
      draw(answer);
      count();
      if (answer.at && !goTo(answer.at, true, false)) say((step === "undo" ? "Taken back: " : "Made again: ") + answer.did + ".", false, answer.link);
    } else say(answer.message);
  }));
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
  // "add" at a number would put another line before it
  const op = value === undefined ? { op: "remove", path } : { op: /\/\d+$/.test(path) ? "replace" : "add", path, value };
  if (op.op === "remove" && before === "") return;
  if (op.op === "remove" && el.dataset.kind === "number" && "must" in el.dataset) {
    el.value = before;
    return say("A number must stand here.");
  }
  // Some places stand in a part that is not there yet: it is made by the same edit.
  edit([...JSON.parse(el.dataset.make || "[]"), op], { whole: "whole" in el.dataset || Boolean(el.dataset.make) });
}

bench.addEventListener("change", (event) => {
  const el = event.target;
  if (el.tagName === "SELECT" && el.selectedOptions[0]?.dataset.patch) {
    edit(JSON.parse(el.selectedOptions[0].dataset.patch), { whole: true });
  } else if (el.dataset.append !== undefined) {
    if (el.value) edit([{ op: "add", path: el.dataset.append + "/-", value: el.value }], { whole: true });
  } else if (el.dataset.checked !== undefined) {
    edit(JSON.parse(el.checked ? el.dataset.checked : el.dataset.unchecked), { whole: true });
  } else if (el.dataset.path && el.matches("input, textarea, select")) commit(el);
});

bench.addEventListener("click", (event) => {
  const step = event.target.closest("[data-history]");
  if (step) return history(step.dataset.history);
  const button = event.target.closest("button[data-patch]");
  if (!button) return;
  const patch = JSON.parse(button.dataset.patch);
  if (event.detail > 1 && patch.some((op) => op.op === "remove")) return; // a double click ends one thing, not what moves up into its place too
  edit(patch, { whole: true, focus: button.dataset.focus });
});

document.addEventListener("keydown", (event) => {
  const el = event.target;
  const command = event.ctrlKey || event.metaKey;
  if (command && !event.altKey && (event.key === "z" || event.key === "Z" || event.key === "y")) {
    const typing = el.matches("input, textarea") && el.value !== (el.dataset.before ?? el.defaultValue);
    if (typing) return; // the browser takes back what is being typed
    event.preventDefault();
    history(event.shiftKey || event.key === "y" ? "redo" : "undo");
  } else if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown") && el.closest("[data-suffix]")) {
    event.preventDefault();
    shift(el.closest("[data-suffix]"), event.key === "ArrowUp" ? -1 : 1);
  } else if (event.key === "?" && !el.matches("input, textarea, select")) {
    event.preventDefault();
    document.getElementById("keys").showModal();
  } else if (event.altKey && /^[1-9]$/.test(event.key)) {
    const to = document.querySelectorAll("#rooms a")[event.key - 1];
    if (to) {
      event.preventDefault();
      el.blur(); // what is typed there is kept
      to.click();
    }
  } else if (event.altKey && event.key === "r") {
    event.preventDefault();
    document.querySelector("#reach button, #reach select")?.focus();
  } else if (event.key === "Escape" && !document.getElementById("assumed").hidden) {
    shares(false);
    document.querySelector("#reach [data-shares]")?.focus();
  } else if (event.key === "Escape" && el.dataset.path && el.matches("input, textarea")) {
    el.value = el.dataset.before ?? el.defaultValue;
    el.classList.remove("bad");
  } else if (event.key === "Enter" && !event.shiftKey && el.matches("input[data-path], textarea[data-path]:not([data-lines])")) {
    event.preventDefault();
    const next = el.dataset.enter;
    commit(el);
    const list = next ? [...el.closest("tbody").querySelectorAll(`textarea[data-enter='${next}']`)] : [];
    const after = list[list.indexOf(el) + 1];
    if (after) after.focus(); // the next answer, or a new one below the last
    else if (next && document.querySelector(next) && (!list.includes(el) || el.value.trim())) document.querySelector(next).click();
    else el.blur();
  }
});

// shift moves the line of a list that an element is about: the list's place, the line's number, and data-suffix is its place.
function shift(el, by) {
  const { suffix, path = el.dataset.at } = el.dataset;
  const [, list, n] = /^(.*)\/(\d+)$/.exec(path.slice(0, path.length - suffix.length));
  const to = `${list}/${Number(n) + by}`;
  if (!document.querySelector(`[data-path="${to + suffix}"], [data-at="${to + suffix}"]`)) return; // it is the first, or the last
  el.blur();
  edit([{ op: "move", from: `${list}/${n}`, path: to }], { whole: true, focus: to + suffix });
}

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
  else keepTyped();
});

// What stands typed in a field is kept when the window goes: the request outlives it.
function keepTyped() {
  if (typing(document.activeElement)) commit(document.activeElement);
}
window.addEventListener("pagehide", keepTyped);

Alpine.data("menu", menu);
Alpine.data("bench", () => ({
  message: "",
  again: false,
  link: "",
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
