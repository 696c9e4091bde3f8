// The Launch room: the link with this site's own address before it.
import { Alpine, onDraw } from "/assets/workbench.js";
import { copy } from "/assets/parts.js";

onDraw((root) => {
  const link = root.querySelector("[data-link]");
  if (link) link.textContent = link.href;
});
document.getElementById("room").addEventListener("click", (event) => {
  const button = event.target.closest("[data-copy]");
  if (button) copy(button, document.querySelector("[data-link]").href);
});

Alpine.start();
