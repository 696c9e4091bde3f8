// The Leads room follows what comes: new responses appear without a reload, and whoever is being read stays.
import { Alpine, id, waiting } from "/assets/workbench.js";
import { count } from "/assets/bar.js";
import { drawParts } from "/assets/draw.js";

const pause = 4000;
const rest = 20; // a view that takes long to draw is left alone for so many times as long
let next = 0;
const room = document.getElementById("room");
const shown = () => room.querySelector("[data-came]");

// Nothing is drawn anew under somebody's hands.
const busy = () => document.hidden || waiting() || room.querySelector("input:focus, textarea:focus, select:focus");

async function follow() {
  if (busy() || !shown() || performance.now() < next) return;
  const answer = await fetch(`/quizzes/${id}/leads/came`, { headers: { Accept: "application/json" } }).catch(() => null);
  const { came } = (answer?.ok && (await answer.json().catch(() => null))) || {};
  if (!came || came === shown().dataset.came) return;
  const address = new URL(location);
  const person = document.getElementById("person")?.dataset.lead;
  if (person) address.searchParams.set("lead", person);
  const begun = performance.now();
  const response = await fetch(address).catch(() => null);
  next = performance.now() + rest * (performance.now() - begun);
  if (!response?.ok || busy()) return;
  const page = new DOMParser().parseFromString(await response.text(), "text/html");
  const [drawn, rooms] = ["room", "rooms"].map((part) => page.getElementById(part));
  if (!drawn || busy()) return; // signed out meanwhile, or being typed in
  drawParts({ rooms: rooms.innerHTML, room: drawn.innerHTML });
  count(); // what is drawn after the count
}

setInterval(follow, pause);

Alpine.start();
