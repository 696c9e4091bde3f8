// The Verdicts room: lines in the order in which they decide, cut points to drag, and advice on them.
import {
  Alpine,
  assume,
  behaviour,
  drawnAt,
  edit,
  id,
  moved,
  name,
  onColumns,
  onDraw,
  random,
  say,
} from "./workbench.js";
import { answered, movable, pointed, write } from "./cutpoint.js";

const room = document.getElementById("room");

onDraw((root) => {
  if (root !== document && root.id !== "room") return;
  const list = document.getElementById("cascade");
  if (window.Sortable.get(list)) return;
  window.Sortable.create(list, {
    draggable: ".line[data-order]",
    handle: "[data-grip]",
    animation: 120,
    ghostClass: "ghost",
    forceFallback: true,
    fallbackTolerance: 3,
    onEnd: (event) => moved(event.item),
  });
});

// The value of a place on the number line is half a step beside it where cut points stand between values.
const shift = (handle) => {
  const { step } = handle.ownerSVGElement.dataset;
  return Number(step) === Number(handle.dataset.by) ? Number(step) / 2 : 0;
};

movable(room, ".cutpoint:not(.edgecut)", {
  at(handle, event) {
    const { low, scale } = handle.ownerSVGElement.dataset;
    return Number(low) + (pointed(handle, event).x - 8) / Number(scale) + shift(handle);
  },
  put(handle, value) {
    const { low, scale } = handle.ownerSVGElement.dataset;
    const x = 8 + (value - shift(handle) - Number(low)) * Number(scale);
    handle.setAttribute("transform", `translate(${x.toFixed(1)} 0)`);
    if (value < Number(handle.getAttribute("aria-valuemin"))) handle.setAttribute("aria-valuemin", value);
    if (value > Number(handle.getAttribute("aria-valuemax"))) handle.setAttribute("aria-valuemax", value);
    write(handle, value);
  },
  store: (handle, value) => edit([{ op: "add", path: handle.dataset.cut, value }], { base: drawnAt(handle) }),
});

// Advice is asked for as its figures are typed; using it is one edit.
async function advise(box) {
  const out = box.querySelector("[data-advised]");
  const data = new URLSearchParams({ line: box.dataset.advice });
  for (const field of box.querySelectorAll("[name]")) data.set(field.name, field.value);
  data.set("assume", assume());
  const response = await fetch(`/quizzes/${id}/advice?${data}`).catch(() => null);
  if (!response) return say("You’re offline. Check your connection and try again.");
  const answer = await response.json();
  answered(out, answer, "Use " + answer.value);
}

room.addEventListener("change", (event) => {
  const box = event.target.closest("[data-advice]");
  if (box) advise(box);
});

onColumns(() => document.querySelectorAll("[data-advice]").forEach(advise));

// Several rows of a decision table at once: chosen by hand or by an answer, and led to one outcome; filled down or pasted.
const rows = (el) => [...el.closest(".linebody").querySelectorAll("tr[data-cells]")];
const box = (tr) => tr.querySelector("[data-chosen]");
const chosen = (el) => rows(el).filter((tr) => box(tr).checked);
const lead = (tr, value) => ({ op: "add", path: tr.dataset.at + "/outcome", value });

function fits(tr, where) {
  if (where === "all") return true;
  const [column, ...value] = where.split(" ");
  const cell = JSON.parse(tr.dataset.cells)[Number(column)];
  return cell === null || cell.map(String).includes(value.join(" "));
}

behaviour("rows.where", {
  choose(menu) {
    for (const tr of rows(menu)) box(tr).checked = Boolean(menu.value) && fits(tr, menu.value);
    say(`${chosen(menu).length} of ${rows(menu).length} rows selected.`);
    menu.value = "";
  },
});
behaviour("rows.lead", {
  choose(menu) {
    const option = menu.selectedOptions[0];
    const list = chosen(menu);
    const lines = list.map((tr) => tr.dataset.at);
    const send = (value, before = []) =>
      edit([...before, ...lines.map((at) => ({ op: "add", path: at + "/outcome", value }))], { base: drawnAt(menu) });
    menu.value = "";
    if (!list.length) return say("Select rows first: tick them, or select all rows with a certain answer.");
    if (!option.dataset.ask) return option.value && send(option.value);
    name(menu, option.dataset.ask, (said) => {
      const outcome = { id: "o" + random().slice(0, 5), name: said, ending: { kind: "page" } };
      send(outcome.id, [{ op: "add", path: "/outcomes/-", value: outcome }]);
    });
  },
});

let lastChosen = null;
room.addEventListener("click", (event) => {
  const el = event.target;
  if (el.dataset?.chosen === undefined) return;
  if (event.shiftKey && lastChosen?.isConnected && lastChosen.closest(".linebody") === el.closest(".linebody")) {
    const all = rows(el);
    const [a, b] = [all.indexOf(lastChosen.closest("tr")), all.indexOf(el.closest("tr"))].sort((x, y) => x - y);
    for (const tr of all.slice(a, b + 1)) box(tr).checked = el.checked;
  }
  lastChosen = el;
});

room.addEventListener("keydown", (event) => {
  const menu = event.target;
  if (menu.dataset.leads === undefined || event.key.toLowerCase() !== "d" || !(event.ctrlKey || event.metaKey)) return;
  event.preventDefault();
  const all = rows(menu);
  const list = chosen(menu);
  const at = all.indexOf(menu.closest("tr"));
  const from = list.length ? list[0] : all[at - 1];
  if (!from) return;
  const value = from.querySelector("[data-leads]").value;
  edit((list.length ? list.slice(1) : [all[at]]).map((tr) => lead(tr, value)));
});

room.addEventListener("paste", (event) => {
  const menu = event.target.closest?.("[data-leads]");
  if (!menu) return;
  event.preventDefault();
  const words = event.clipboardData.getData("text/plain").replace(/\r\n?/g, "\n").replace(/\n$/, "").split("\n");
  const all = rows(menu);
  const at = all.indexOf(menu.closest("tr"));
  const ops = [];
  for (const [i, word] of words.entries()) {
    const option = [...menu.options].find(
      (o) => !o.dataset.ask && o.textContent.trim().toLowerCase() === word.trim().toLowerCase(),
    );
    if (!option)
      return say(`Nothing was pasted: line ${i + 1}, “${word.slice(0, 30)}”, doesn’t match the name of an outcome.`);
    if (all[at + i]) ops.push(lead(all[at + i], option.value));
  }
  edit(ops);
});

Alpine.start();
