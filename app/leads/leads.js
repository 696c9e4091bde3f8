// The Leads room follows what comes: new responses appear without a reload, and whoever is being read stays.
import { count } from "./bar.js";
import { drawParts, onDraw } from "./draw.js";
import { waiting } from "./edits.js";
import { Alpine, id } from "./workbench.js";

// A filter is added to those that are chosen already; the place in the list and the person that is open are left out.
onDraw((root) => {
  for (const link of root.querySelectorAll("a[data-adds]")) {
    const query = new URLSearchParams(location.search);
    for (const place of ["before", "after", "lead", "replay"]) query.delete(place);
    for (const [name, value] of new URLSearchParams(link.search)) query.set(name, value);
    link.search = String(query);
  }
});

const pause = 4000;
const rest = 20; // a view that takes long to draw is left alone for so many times as long
let next = 0;
const room = document.getElementById("room");
const shown = () => room.querySelector("[data-came]");

// Nothing is drawn anew under somebody's hands.
const busy = () => document.hidden || waiting() || room.querySelector("input:focus, textarea:focus, select:focus");

async function follow() {
  if (busy() || !shown() || performance.now() < next) return;
  const answer = await fetch(`/quizzes/${id}/leads/came`, { headers: { Accept: "application/json" } }).catch(
    () => null,
  );
  const { came } = (answer?.ok && (await answer.json().catch(() => null))) || {};
  if (!came || came === shown().dataset.came) return;
  const address = new URL(location.href);
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

// A cut point of the draft, moved here, says how many of the people who came would end on its other side.
room.addEventListener("input", (event) => {
  const cut = event.target.closest("[data-cut]");
  if (!cut) return;
  const { now: at, below, from, place } = cut.dataset;
  const all = cut.closest(".trycuts");
  const [before, now] = [Number(at), Number(event.target.value)];
  const between = JSON.parse(all.dataset.values).filter(
    ([value]) => value >= Math.min(before, now) && value < Math.max(before, now),
  );
  const moved = between.reduce((sum, [, count]) => sum + count, 0);
  const [away, to] = now < before ? [below, from] : [from, below];
  cut.querySelector(".num").textContent = event.target.value;
  cut.querySelector("p").textContent = moved
    ? `${moved.toLocaleString("en")} of these ${Number(all.dataset.people).toLocaleString("en")} people would move from ${away} to ${to}.`
    : "No one’s outcome would change.";
  const take = cut.querySelector("button");
  take.hidden = now === before;
  take.dataset.patch = JSON.stringify([{ op: "replace", path: place, value: now }]);
});

room.addEventListener("click", (event) => {
  if (event.target.closest("[data-print]")) print();
});

setInterval(follow, pause);

Alpine.start();
