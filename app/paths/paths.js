// The Paths room: everything on the map is a link; choosing one keeps where the map was scrolled to.
import { Alpine, assume, fillIn, id, onDraw } from "/assets/workbench.js";

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

// What could go is looked for after each count, beside it.
let asked = null;
let shownFor = "";
async function spare() {
  const box = document.getElementById("spare");
  const bar = document.getElementById("reach").textContent;
  if (!box || bar === shownFor) return;
  shownFor = bar;
  asked?.abort();
  const mine = (asked = new AbortController());
  if (!box.firstElementChild) box.innerHTML = '<p class="quiet small">looking for what could go …</p>';
  try {
    const response = await fetch(`/quizzes/${id}/spare?${new URLSearchParams({ assume: assume() })}`, { signal: mine.signal });
    const html = response.status === 200 ? await response.text() : "";
    if (!mine.signal.aborted) fillIn(box, html);
  } catch {
    // given up for a newer draft, or not reached: it is asked again with the next count
  }
}
onDraw((root) => (root === document || root.id === "reach") && spare());

// A branch that is sent elsewhere stays selected under its new arc.
room.addEventListener("change", (event) => {
  const from = event.target.closest("[data-retarget]")?.dataset.retarget;
  if (from && event.target.matches('[data-at$="/go"]')) window.history.replaceState(null, "", "?arc=" + from + "+" + event.target.value);
});

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && location.search && !event.target.closest("#pathside, dialog, .popover")) location.search = "";
});

Alpine.start();
