// The Launch room: links to copy, and the line of the kit with its live sample, which follow what is set beside them.
import { Alpine } from "./workbench.js";
import { copy } from "./parts.js";
import { stage } from "./stage.js";

const room = document.getElementById("room");
for (const frame of room.querySelectorAll("[data-stage]")) stage(frame);
const order = ["over", "read", "edge", "words", "phones", "again", "source"];

room.addEventListener("click", (event) => {
  const text = event.target.closest("[data-copytext]");
  if (text) copy(text, text.dataset.copytext);
  const kit = event.target.closest("[data-copykit]");
  if (kit) copy(kit, room.querySelector("[data-kitline]").textContent);
});

// Where the server does not know its own address, it is the one that it was reached at.
for (const el of room.querySelectorAll('[data-copytext^="/"]'))
  el.dataset.copytext = location.origin + el.dataset.copytext;
for (const el of room.querySelectorAll("[data-own]"))
  if (el.textContent.startsWith("/")) el.textContent = location.origin + el.textContent;
const line = room.querySelector("[data-kitline]");
if (line) line.textContent = line.textContent.replace('src="/kit.js"', `src="${location.origin}/kit.js"`);

// What is on its way to other programs is asked for until it has arrived, while somebody looks and has nothing of it open.
const log = /** @type {HTMLElement} */ (room.querySelector("[data-deliveries]"));
async function follow() {
  const first = log.querySelector('[data-state="waiting"][data-tries="0"]');
  setTimeout(follow, first ? 1500 : 15000);
  if (document.hidden || log.querySelector("details[open]") || log.contains(document.activeElement)) return;
  const answer = await fetch(log.dataset.deliveries, { headers: { Accept: "text/html" } }).catch(() => null);
  if (answer?.ok) log.innerHTML = await answer.text();
}
if (log) setTimeout(follow, 1500);

const quoted = (text) => text.replaceAll("&", "&amp;").replaceAll('"', "&quot;").replaceAll("<", "&lt;");
let later = 0;
room.addEventListener("input", (event) => {
  const size = event.target.closest("[data-pngsize]");
  if (size) {
    const link = size.closest("form").querySelector("[data-png]");
    const address = new URL(link.href);
    address.searchParams.set("size", size.value);
    link.href = address;
  }
  if (event.target.name === "passphrase" && event.target.value)
    room.querySelector('[name="who"][value="passphrase"]').checked = true;
  const form = event.target.closest("[data-kit]");
  if (!form) return;
  const { slug, mode } = form.dataset;
  const base = form.dataset.base || location.origin;
  const values = Object.fromEntries([...new FormData(form)].filter(([, value]) => value !== ""));
  let text = `<script src="${base}/kit.js" data-quiz="${slug}"`;
  for (const name of order) if (values[name]) text += ` data-${name}="${quoted(values[name])}"`;
  if (mode === "over" && !values.over && !values.read) text += ' data-over="0"';
  room.querySelector("[data-kitline]").textContent = text + " async></script>";
  clearTimeout(later);
  later = setTimeout(() => {
    const frame = room.querySelector("[data-kitsample]");
    frame.src = new URL("?" + new URLSearchParams({ mode, ...values }), frame.src.split("?")[0]);
  }, 400);
});

Alpine.start();
