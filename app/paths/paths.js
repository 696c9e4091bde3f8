// The Paths room: everything on the map is a link; choosing one keeps where the map was scrolled to.
import { Alpine, assume, Beside, onDraw } from "./workbench.js";

const room = document.getElementById("room");
const kept = "paths:scroll";

room.addEventListener("click", (event) => {
  if (event.target.closest(".map a")) sessionStorage.setItem(kept, String(room.querySelector(".mapside").scrollTop));
  const file = event.target.closest("[data-export]");
  if (file) file.href = file.href.split("?")[0] + "?assume=" + assume();
});

onDraw((root) => {
  const before = sessionStorage.getItem(kept);
  if (root.id !== "map" || before === null) return;
  room.querySelector(".mapside").scrollTop = Number(before);
  sessionStorage.removeItem(kept);
});

const spare = new Beside("spare", "Looking for questions you could remove…");
onDraw((root) => {
  const box = document.getElementById("spare");
  if (box && (root === document || root.id === "reach")) spare.ask(box);
});

// A branch that is sent elsewhere stays selected under its new arc.
room.addEventListener("change", (event) => {
  const from = event.target.closest("[data-retarget]")?.dataset.retarget;
  if (from && event.target.matches('[data-do][data-at$="/go"]'))
    window.history.replaceState(null, "", "?arc=" + from + "+" + event.target.value);
});

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && location.search && !event.target.closest("#pathside, dialog, .popover"))
    location.search = "";
});

Alpine.start();
