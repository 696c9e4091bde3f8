// Someone else changed the same field at the same time. The field shows the stored text; the text that was typed in this window is
// shown below it until it is used or discarded.
import { fieldAt, onDraw } from "./draw.js";
import { store } from "./frame.js";

/** Texts that were typed in this window, by their places. @type {Map<{at: string}, string>} */
const kept = new Map();
const most = 80; // characters that are shown of it

/**
 * clash puts a text below its field, and returns what makes it the field's again.
 * @param {string} at
 * @param {string} text
 */
export function clash(at, text) {
  for (const goal of kept.keys()) if (goal.at === at) forget(goal);
  const goal = store.follow(at);
  kept.set(goal, text);
  show(goal);
  return () => kept.has(goal) && use(goal);
}

// use types a text into its field once more.
function use(goal) {
  const field = /** @type {any} */ (fieldAt(goal.at));
  if (!field) return;
  field.value = kept.get(goal);
  forget(goal);
  for (const type of ["input", "change"]) field.dispatchEvent(new Event(type, { bubbles: true }));
  field.focus();
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
  line.setAttribute("aria-label", "Two versions of this text");
  const discard = () => {
    forget(goal);
    field.focus();
  };
  const shown = text.length > most ? text.slice(0, most) + "…" : text;
  line.append(
    `▲ Someone else changed this text at the same time. Yours: “${shown}” `,
    button("Use mine", () => use(goal)),
    " ",
    button("Discard mine", discard),
  );
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
