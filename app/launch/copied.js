// Buttons that copy a text, on a page of its own.
import { copy } from "./parts.js";

document.addEventListener("click", (event) => {
  const button = /** @type {Element} */ (event.target).closest("[data-copytext]");
  if (button) copy(button, /** @type {HTMLElement} */ (button).dataset.copytext);
});
