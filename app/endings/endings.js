// The Endings room: a new outcome is shown as soon as it is there.
import { Alpine, onDraw } from "/assets/workbench.js";

let added = null;
document.getElementById("room").addEventListener("click", (event) => {
  const button = event.target.closest("[data-newoutcome]");
  if (button) added = Number(button.dataset.newoutcome);
});
onDraw((root) => {
  const links = [...root.querySelectorAll("a.pick")];
  if (added !== null && links[added]) {
    added = null;
    links.at(-1).click();
  }
});

Alpine.start();
