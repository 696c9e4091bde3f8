// Typing before a new line is there. Until the server has drawn the line, a field next to the button takes the text; then the text
// goes into the field of the line.
import { onArrive } from "./edits.js";
import { bench, elementAt, goTo, sayMore, typedText } from "./frame.js";

/** @typedef {{focus: string, input: HTMLInputElement, left: boolean}} Waiting */

/** @type {Waiting | null} */
let waiting = null;

/**
 * waitFor takes what is typed for the place that an edit makes.
 * @param {HTMLElement} button
 * @param {string} focus
 * @param {Promise<boolean>} ended
 */
export function waitFor(button, focus, ended) {
  end();
  const input = document.createElement("input");
  input.className = "field waiting";
  input.dataset.waiting = "";
  input.setAttribute("aria-label", "Keep typing while the new line is added");
  const box = button.getBoundingClientRect();
  Object.assign(input.style, { left: box.left + "px", top: box.top + "px" }); // beside the room, which is being drawn
  bench.append(input);
  input.focus({ preventScroll: true });
  /** @type {Waiting} */
  const mine = { focus, input, left: false };
  waiting = mine;
  input.addEventListener("blur", () => (mine.left = true));
  input.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" || event.isComposing) return;
    event.preventDefault();
    event.stopPropagation();
    mine.left = true;
  });
  ended.then((stored) => {
    if (stored || waiting !== mine) return;
    sayMore(typedText(input.value));
    end();
  });
  return { typed: () => ({ value: input.value, left: mine.left }) };
}

function end() {
  waiting?.input.remove();
  waiting = null;
}

onArrive((focus, asked) => {
  if (!waiting || waiting.focus !== asked) return false;
  const { input, left } = waiting;
  waiting = null;
  const { value } = input;
  const held = document.activeElement === input;
  input.remove();
  const el = elementAt(focus);
  if (held || !left) goTo(focus);
  if (!(el instanceof HTMLInputElement || el instanceof HTMLTextAreaElement)) return true;
  if (!value) {
    if (held) el.select();
    return true;
  }
  el.value = value;
  el.dispatchEvent(new Event("input", { bubbles: true }));
  if (left) el.dispatchEvent(new Event("change", { bubbles: true }));
  else el.setSelectionRange(value.length, value.length);
  return true;
});
