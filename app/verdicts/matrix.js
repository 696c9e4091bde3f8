// The matrix: cells painted by keys or by mouse, and cut points dragged on both edges, with figures that follow.
import { assume, drawnAt, edit, id, onDraw, say } from "./workbench.js";
import { percent } from "./number.js";
import { answered, movable, pointed, write } from "./cutpoint.js";

const room = document.getElementById("room");
const cellsOf = (svg) => [...svg.querySelectorAll("[data-cell]")];
const placeOf = (cell) => [cell.dataset.down, cell.dataset.across].join();
const chosen = new Map(); // by matrix: the place of the cell that is chosen in it

// chosenIn is the cell that is chosen in a matrix, as it is drawn now.
const chosenIn = (box) => cellsOf(box).find((cell) => placeOf(cell) === chosen.get(box.id));

// choose makes a cell the one that keys and paints are about.
function choose(cell, focus) {
  const svg = cell.ownerSVGElement;
  chosen.set(svg.closest("[data-matrix]").id, placeOf(cell));
  for (const other of cellsOf(svg)) {
    const is = other === cell;
    other.setAttribute("tabindex", is ? 0 : -1);
    other.setAttribute("aria-pressed", is);
  }
  tell(cell);
  if (focus) cell.focus();
}

// tell says who is in a cell, or just above a cut point, and leads to the walk of one who is in the cell.
function tell(el) {
  const says = el.ownerSVGElement.parentElement.querySelector(".cellsays");
  says.textContent = el.dataset.who + (el.dataset.walk ? " For example: " + el.dataset.walk + ". " : "");
  if (!el.dataset.lit) return;
  const link = document.createElement("a");
  link.href = `/quizzes/${id}/paths?cell=${el.dataset.lit}`;
  link.textContent = "Show in Paths";
  says.append(link);
}

onDraw((root) => {
  for (const box of document.querySelectorAll("[data-matrix]")) {
    if (root !== document && !root.contains(box) && !box.contains(root)) continue;
    const cell = chosenIn(box);
    if (cell) choose(cell, false);
  }
});

const paint = (cell, value) => edit([{ op: "replace", path: cell.dataset.cell, value }], { base: drawnAt(cell) });

room.addEventListener("click", (event) => {
  const cell = event.target.closest?.("[data-cell]");
  if (cell) return choose(cell, true);
  const button = event.target.closest?.("[data-paint]");
  if (!button) return;
  const at = chosenIn(button.closest(".linebody").querySelector("[data-matrix]"));
  if (!at) return say("Select a cell first.");
  paint(at, JSON.parse(button.dataset.paint));
});

room.addEventListener("focusin", (event) => {
  const cell = event.target.closest?.("[data-cell]");
  if (cell) choose(cell, false);
  const edge = event.target.closest?.(".edgecut");
  if (edge) tell(edge);
});

// Two letters typed in a row are an outcome's mark; one is enough where only one mark begins with it.
let typed = "";
let forget = 0;
function letter(cell, key) {
  clearTimeout(forget);
  typed += key.toUpperCase();
  forget = setTimeout(() => (typed = ""), 2000);
  const paints = cell.closest(".linebody").querySelector("[data-paints]");
  const fits = [...paints.querySelectorAll("[data-letters]")].filter((el) => el.dataset.letters.startsWith(typed));
  if (!fits.length) {
    say(`No outcome has the letters ${typed}.`);
    typed = "";
  } else if (fits.length === 1) {
    typed = "";
    paint(cell, JSON.parse(fits[0].dataset.paint));
  }
}

room.addEventListener("keydown", (event) => {
  const cell = event.target.closest?.("[data-cell]");
  if (!cell || event.ctrlKey || event.metaKey || event.altKey) return;
  const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [1, 0], ArrowDown: [-1, 0] }[event.key];
  if (step) {
    event.preventDefault();
    const to = [Number(cell.dataset.down) + step[0], Number(cell.dataset.across) + step[1]].join();
    const next = cellsOf(cell.ownerSVGElement).find((el) => [el.dataset.down, el.dataset.across].join() === to);
    if (next) choose(next, true);
  } else if (event.key === " " || event.key === "Delete" || event.key === "Backspace") {
    event.preventDefault();
    event.stopPropagation();
    paint(cell, null);
  } else if (/^[\p{L}\p{N}]$/u.test(event.key)) {
    event.preventDefault();
    event.stopPropagation();
    letter(cell, event.key);
  }
});

// edgeOf is one of the two edges: where it begins in the drawing, which way its values grow, and its cut points.
function edgeOf(svg, down) {
  const { left, right, top, bottom, xlow, xscale, xstep, xcuts, ylow, yscale, ystep, ycuts } = svg.dataset;
  const [low, scale, step, begin, end] = (
    down ? [ylow, yscale, ystep, bottom, top] : [xlow, xscale, xstep, left, right]
  ).map(Number);
  return { low, scale, step, begin, end, way: down ? -1 : 1, cuts: JSON.parse(down ? ycuts : xcuts) };
}

// pixel is where on its edge a cut point stands: half a step before its value.
function pixel(edge, cut) {
  const far = (cut - edge.step / 2 - edge.low) * edge.scale;
  return edge.begin + edge.way * Math.max(0, Math.min(Math.abs(edge.end - edge.begin), far));
}

const down = (handle) => handle.classList.contains("down");

movable(room, ".edgecut", {
  at(handle, event) {
    const edge = edgeOf(handle.ownerSVGElement, down(handle));
    const { x, y } = pointed(handle, event);
    return edge.low + (edge.way * ((down(handle) ? y : x) - edge.begin)) / edge.scale + edge.step / 2;
  },
  put(handle, value) {
    const svg = handle.ownerSVGElement;
    const edge = edgeOf(svg, down(handle));
    const at = pixel(edge, value).toFixed(1);
    const { left, bottom } = svg.dataset;
    handle.setAttribute("transform", down(handle) ? `translate(${left} ${at})` : `translate(${at} ${bottom})`);
    write(handle, value);
    edge.cuts[Number(handle.dataset.edge.split("/").at(-1))] = value;
    svg.dataset[down(handle) ? "ycuts" : "xcuts"] = JSON.stringify(edge.cuts);
    layOut(svg);
  },
  store: (handle, value) => edit([{ op: "replace", path: handle.dataset.edge, value }], { base: drawnAt(handle) }),
});

// band is the band of a value on an edge: 0 is below the lowest cut point.
const band = (edge, value) => edge.cuts.filter((cut) => value >= cut).length;

// bandEnds are the pixels at which a band begins and ends.
const bandEnds = (edge, i) => [
  i > 0 ? pixel(edge, edge.cuts[i - 1]) : edge.begin,
  i < edge.cuts.length ? pixel(edge, edge.cuts[i]) : edge.end,
];

// layOut draws the cells for cut points that are being moved, with their shares.
function layOut(svg) {
  const [x, y] = [edgeOf(svg, false), edgeOf(svg, true)];
  const shares = new Map();
  for (const [across, down, share] of JSON.parse(svg.dataset.joint || "[]")) {
    const key = band(y, down) + " " + band(x, across);
    shares.set(key, (shares.get(key) || 0) + share);
  }
  for (const cell of svg.querySelectorAll(".cross")) {
    const [left, right] = bandEnds(x, Number(cell.dataset.across));
    const [bottom, top] = bandEnds(y, Number(cell.dataset.down));
    const [width, height] = [Math.max(0, right - left), Math.max(0, bottom - top)];
    const rect = cell.querySelector("rect");
    for (const [name, value] of Object.entries({ x: left, y: top, width, height })) rect.setAttribute(name, value);
    const tag = cell.querySelector(".tag");
    tag.setAttribute("transform", `translate(${(left + right) / 2} ${(top + bottom) / 2})`);
    tag.setAttribute("visibility", width < tag.dataset.width || height < tag.dataset.height ? "hidden" : "visible");
    if (!svg.dataset.joint) continue;
    const share = shares.get(cell.dataset.down + " " + cell.dataset.across) || 0;
    cell.querySelector(".cellshare").textContent = percent(share);
  }
}

// Wanted shares: what comes closest to them is found on the server, and used as one edit.
room.addEventListener("click", async (event) => {
  const button = event.target.closest?.("[data-findlevel]");
  if (!button) return;
  const box = button.closest("[data-level]");
  const out = box.querySelector("[data-leveled]");
  const data = new URLSearchParams({ line: box.dataset.level, assume: assume() });
  for (const field of box.querySelectorAll("[name]")) {
    const share = field.value.trim().replace(",", ".");
    if (share) data.set("want." + field.name, share);
  }
  out.textContent = "counting…";
  const response = await fetch(`/quizzes/${id}/level?${data}`).catch(() => null);
  if (!response) return void (out.textContent = "You’re offline. Check your connection and try again.");
  answered(out, await response.json(), "Apply");
});
