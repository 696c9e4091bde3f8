// Somebody else wrote into the same field at the same time. The field shows what is stored; what was typed in this window stands
// below it, until it is used or let go.
import { fieldAt, onDraw } from "./draw.js";
import { store } from "./frame.js";

/** What was typed here, by where. @type {Map<{at: string}, string>} */
const kept = new Map();
const most = 80; // characters that are shown of it

/**
 * clash puts a text below its field.
 * @param {string} at
 * @param {string} text
 */
export function clash(at, text) {
  for (const goal of kept.keys()) if (goal.at === at) forget(goal);
  const goal = store.follow(at);
  kept.set(goal, text);
  show(goal);
}

function forget(goal) {
  kept.delete(goal);
  store.followed.delete(goal);
  fieldAt(goal.at)?.parentElement.querySelector(".clash")?.remove();
}

function show(goal) {
  const field = /** @type {any} */ (fieldAt(goal.at));
  const text = kept.get(goal);
  if (!field || field.parentElement.querySelector(".clash")) return;
  const line = document.createElement("span");
  line.className = "said problem clash";
  line.setAttribute("role", "group");
  line.setAttribute("aria-label", "Written at the same time");
  const mine = button("Use mine", () => {
    forget(goal);
    field.value = text;
    for (const type of ["input", "change"]) field.dispatchEvent(new Event(type, { bubbles: true }));
    field.focus();
  });
  const theirs = button("Let it go", () => {
    forget(goal);
    field.focus();
  });
  line.append(`▲ Someone else wrote this at the same time. Yours: “${text.length > most ? text.slice(0, most) + "…" : text}” `, mine, " ", theirs);
  field.after(line);
}

function button(words, press) {
  const el = document.createElement("button");
  el.type = "button";
  el.className = "plain small";
  el.textContent = words;
  el.addEventListener("click", press);
  return el;
}

onDraw(() => {
  for (const goal of kept.keys()) show(goal);
});
