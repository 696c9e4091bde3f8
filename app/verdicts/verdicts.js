// The Verdicts room: lines in the order in which they decide, cut points to drag, and advice on them.
import { Alpine, assume, edit, id, onColumns, onDraw, say } from "/assets/workbench.js";

const room = document.getElementById("room");

onDraw((root) => {
  if (root !== document && root.id !== "room") return;
  const list = document.getElementById("cascade");
  if (window.Sortable.get(list)) return;
  window.Sortable.create(list, {
    draggable: ".line[data-index]",
    handle: "[data-grip]",
    animation: 120,
    ghostClass: "ghost",
    forceFallback: true,
    fallbackTolerance: 3,
    onEnd(event) {
      const from = Number(event.item.dataset.index);
      const to = [...list.querySelectorAll(".line[data-index]")].indexOf(event.item);
      if (from !== to) edit([{ op: "move", from: `/verdicts/${from}`, path: `/verdicts/${to}` }], { whole: true });
    },
  });
});

// A cut point is dragged along the number line, or moved by the arrow keys; it never passes its neighbours.
const digits = (by) => (String(by).split(".")[1] || "").length;

function within(handle, value) {
  const by = Number(handle.dataset.by);
  const least = handle.dataset.least === undefined ? -Infinity : Number(handle.dataset.least) + by;
  const most = handle.dataset.most === undefined ? Infinity : Number(handle.dataset.most) - by;
  return Number(Math.max(least, Math.min(most, value)).toFixed(Math.max(digits(by), 0)));
}

function put(handle, value) {
  const svg = handle.ownerSVGElement;
  const shift = Number(svg.dataset.step) === Number(handle.dataset.by) ? -Number(svg.dataset.step) / 2 : 0;
  const x = 8 + (value + shift - Number(svg.dataset.low)) * Number(svg.dataset.scale);
  handle.setAttribute("transform", `translate(${x.toFixed(1)} 0)`);
  handle.setAttribute("aria-valuenow", value);
  if (value < Number(handle.getAttribute("aria-valuemin"))) handle.setAttribute("aria-valuemin", value);
  if (value > Number(handle.getAttribute("aria-valuemax"))) handle.setAttribute("aria-valuemax", value);
  handle.setAttribute("aria-valuetext", "from " + value);
  handle.querySelector("text").textContent = value;
}

const store = (handle, value) => edit([{ op: "add", path: handle.dataset.cut, value }], { whole: true });

room.addEventListener("pointerdown", (event) => {
  const handle = event.target.closest(".cutpoint");
  if (!handle || event.button !== 0) return;
  event.preventDefault();
  handle.focus();
  const svg = handle.ownerSVGElement;
  const before = Number(handle.getAttribute("aria-valuenow"));
  const box = svg.getBoundingClientRect();
  const ratio = svg.viewBox.baseVal.width / box.width;
  const by = Number(handle.dataset.by);
  const shift = Number(svg.dataset.step) === by ? by / 2 : 0;
  let value = before;
  const move = (e) => {
    const at = Number(svg.dataset.low) + ((e.clientX - box.left) * ratio - 8) / Number(svg.dataset.scale) + shift;
    const steps = Math.round((at - before) / by);
    value = within(handle, before + steps * by);
    put(handle, value);
  };
  const end = () => {
    removeEventListener("pointermove", move);
    removeEventListener("pointerup", end);
    if (value !== before) store(handle, value);
  };
  addEventListener("pointermove", move);
  addEventListener("pointerup", end);
});

room.addEventListener("keydown", (event) => {
  const handle = event.target.closest(".cutpoint");
  if (!handle) return;
  const sign = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
  if (!sign) return;
  event.preventDefault();
  const before = Number(handle.getAttribute("aria-valuenow"));
  const value = within(handle, before + sign * Number(handle.dataset.by) * (event.shiftKey ? 10 : 1));
  if (value === before) return;
  put(handle, value);
  store(handle, value);
});

// Advice is asked for as its figures are typed; using it is one edit.
async function advise(box) {
  const out = box.querySelector("[data-advised]");
  const data = new URLSearchParams({ line: box.dataset.advice });
  for (const field of box.querySelectorAll("[name]")) data.set(field.name, field.value);
  data.set("assume", assume());
  const response = await fetch(`/quizzes/${id}/advice?${data}`).catch(() => null);
  if (!response) return say("There is no connection. Try again in a moment.");
  const answer = await response.json();
  out.textContent = (answer.message || "→ " + answer.text) + " ";
  if (!answer.patch) return;
  const button = document.createElement("button");
  button.type = "button";
  button.className = "button";
  button.dataset.patch = answer.patch;
  button.textContent = "Use " + answer.value;
  out.append(button);
}

room.addEventListener("change", (event) => {
  const box = event.target.closest("[data-advice]");
  if (box) advise(box);
});

onColumns(() => document.querySelectorAll("[data-advice]").forEach(advise));

Alpine.start();
