// What the parts of a window of the workbench share: the quiz and room that it shows, its texts, the line of messages, and the
// way to a place of the document.
import { begin, enter } from "./draw.js";
import { Store } from "./store.js";

/** @type {HTMLElement} */
export const bench = document.querySelector(".bench");
export const id = bench.dataset.quiz;
export const room = bench.dataset.room;

export const store = new Store(Number(bench.dataset.revision));
begin(store);

// On a narrow window the rooms scroll: the one that is shown is in sight.
const rooms = document.getElementById("rooms");
/** @type {HTMLElement} */
const here = rooms?.querySelector("[aria-current]");
if (here) rooms.scrollLeft = here.offsetLeft - (rooms.clientWidth - here.offsetWidth) / 2;

/**
 * A message of the window.
 * @typedef {object} Message
 * @property {string} text
 * @property {string} [label] of a button that does something about it
 * @property {() => void} [act]
 * @property {string} [link] where it is about
 */

let messages = null; // the Alpine component that shows them
/** @type {Message | null} */
let early = null; // said before it was there
export const setMessages = (component) => {
  messages = component;
  if (early) messages.show(early);
};

/**
 * say shows a message until the next one, or until it is closed.
 * @param {string} text
 * @param {Omit<Message, "text">} [more]
 */
export function say(text, more = {}) {
  if (messages) messages.show({ text, ...more });
  else early = { text, ...more };
}

// typedText shows a text that could not be stored and whose field is no longer there.
export const typedText = (text) =>
  typeof text === "string" && text ? `You typed “${text}”. Copy the text if you need it.` : "";

// sayMore adds a sentence to the message that is shown.
export const sayMore = (text) => say([messages?.message, text].filter(Boolean).join(" "));

// unsay takes away a message whose button has nothing to act on any longer.
export const unsay = () => messages?.settle();

// tell says what another window has changed.
export function tell(since) {
  if (since?.length) say("Changed in another window: " + since.join("; ") + ".");
}

export const random = () =>
  [...crypto.getRandomValues(new Uint8Array(12))].map((b) => b.toString(36).padStart(2, "0")).join("");

/**
 * elementAt finds the element of a place: the control there, else what stands for it.
 * @param {string} at
 * @returns {HTMLElement | null}
 */
export const elementAt = (at) =>
  document.querySelector(`[data-do][data-at="${CSS.escape(at)}"]:not(button)`) ||
  document.querySelector(`[data-at="${CSS.escape(at)}"]`);

// goTo shows a place: the element itself, or the nearest one around it.
export function goTo(place, light = false, focus = true) {
  for (let at = place; at; at = at.slice(0, at.lastIndexOf("/"))) {
    const el = elementAt(at);
    if (!el) continue;
    const details = el.closest("details");
    if (details) details.open = true;
    el.scrollIntoView({ block: "center" });
    if (focus) enter(el);
    if (light) {
      const box = el.closest("tr, .line, .sheet") || el;
      box.classList.add("lit");
      setTimeout(() => box.classList.remove("lit"), 2500);
    }
    return true;
  }
  return false;
}
