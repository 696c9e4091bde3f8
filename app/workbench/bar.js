// The reach bar at the bottom, the shares that it assumes, and what is said at places of the sheet.
import { drawLate, onDraw } from "./draw.js";
import { did, post } from "./edits.js";
import { bench, id, room, say, store } from "./frame.js";

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

export async function count() {
  counting?.abort();
  const mine = (counting = new AbortController());
  const bar = document.getElementById("reach");
  const slow = setTimeout(() => bar.classList.add("counting"), 60);
  try {
    const query = new URLSearchParams({ assume: assume(), room, query: location.search });
    const response = await fetch(`/quizzes/${id}/reach?${query}`, {
      signal: mine.signal,
      headers: { Accept: "application/json" },
    });
    const answer = await response.json();
    if (mine.signal.aborted) return;
    if (!response.ok) return say(answer.message);
    if (answer.revision < store.revision) return count();
    drawLate({ reach: answer.html, ...answer.parts }, answer.revision);
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
export function sayThere(root) {
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
export async function shares(shown) {
  const panel = document.getElementById("assumed");
  if (!shown) return void (panel.hidden = true);
  const response = await fetch(`/quizzes/${id}/assumed`).catch(() => null);
  if (!response?.ok) return say("Couldn’t load the shares. Try again in a moment.");
  panel.innerHTML = await response.text();
  panel.hidden = false;
  panel.querySelector("input")?.focus();
}

bench.addEventListener("click", (event) => {
  if (event.target.closest("[data-shares]")) shares(document.getElementById("assumed").hidden);
});

bench.addEventListener("change", async (event) => {
  const key = event.target.dataset.share;
  if (key === undefined) return;
  const [before, now] = [event.target.defaultValue, event.target.value];
  if (await share(key, now))
    did(
      "Expected share",
      () => share(key, before),
      () => share(key, now),
    );
});

// share stores an assumed share, and reports whether it did.
async function share(key, value) {
  const answer = await post("assumed", { key, share: value }).catch((error) => ({
    message: `Couldn’t save the share: ${error.message}.`,
  }));
  if (!answer.html) return void say(answer.message);
  const panel = document.getElementById("assumed");
  const next = document.activeElement?.dataset?.share;
  panel.innerHTML = answer.html;
  panel.querySelector(`[data-share="${CSS.escape(next || key)}"]`)?.focus();
  count();
  return true;
}

// A segment shows somebody who ends there, on hover and on focus.
function segment(event) {
  const at = event.target.closest?.("[data-segment]");
  const all = [...document.querySelectorAll("[data-segment]")];
  const shown = event.type === "mouseover" || event.type === "focusin" ? all.indexOf(at) : -1;
  document.querySelectorAll(".witness").forEach((el, i) => (el.hidden = i !== shown));
}
for (const type of ["mouseover", "mouseleave", "focusin", "focusout"])
  document.getElementById("reach").addEventListener(type, segment);
