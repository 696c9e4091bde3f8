// The matrix: cells painted by keys or by mouse, and cut points dragged on both edges, with figures that follow.
import { assume, edit, id, onDraw, say } from "/assets/workbench.js";

const room = document.getElementById("room");
const cellsOf = (svg) => [...svg.querySelectorAll("[data-cell]")];
const chosen = new Map(); // by matrix: the path of the cell that is chosen

// choose makes a cell the one that keys and paints are about.
function choose(cell, focus) {
  const svg = cell.ownerSVGElement;
  chosen.set(svg.closest("[data-matrix]").dataset.matrix, cell.dataset.cell);
  for (const other of cellsOf(svg)) {
    const is = other === cell;
    other.setAttribute("tabindex", is ? 0 : -1);
    other.setAttribute("aria-pressed", is);
  }
  tell(cell);
  if (focus) cell.focus();
}

// tell says who is in a cell, or just above a cut point.
function tell(el) {
  const says = el.ownerSVGElement.parentElement.querySelector(".cellsays");
  says.textContent = el.dataset.who + (el.dataset.walk ? " For example: " + el.dataset.walk + "." : "");
}

onDraw((root) => {
  for (const box of document.querySelectorAll("[data-matrix]")) {
    if (root !== document && !root.contains(box) && !box.contains(root)) continue;
    const was = chosen.get(box.dataset.matrix);
    const cell = was && [...box.querySelectorAll("[data-cell]")].find((el) => el.dataset.cell === was);
    if (cell) choose(cell, false);
  }
});

const paint = (cell, value) => edit([{ op: "replace", path: cell.dataset.cell, value }], { whole: true });

room.addEventListener("click", (event) => {
  const cell = event.target.closest?.("[data-cell]");
  if (cell) return choose(cell, true);
  const with_ = event.target.closest?.("[data-paint]");
  if (!with_) return;
  const box = [...document.querySelectorAll("[data-matrix]")].find((el) => el.dataset.matrix === with_.closest("[data-paints]").dataset.paints);
  const was = chosen.get(box.dataset.matrix);
  const at = [...box.querySelectorAll("[data-cell]")].find((el) => el.dataset.cell === was);
  if (!at) return say("Choose a cell of the matrix first.");
  paint(at, JSON.parse(with_.dataset.paint));
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
  forget = setTimeout(() => (typed = ""), 1200);
  const paints = [...document.querySelectorAll("[data-paints]")].find((el) => cell.dataset.cell.startsWith(el.dataset.paints + "/"));
  const fits = [...paints.querySelectorAll("[data-letters]")].filter((el) => el.dataset.letters.startsWith(typed));
  if (!fits.length) {
    say(`No outcome has the mark ${typed}.`);
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
    const next = cellsOf(cell.ownerSVGElement).find(
      (el) => Number(el.dataset.down) === Number(cell.dataset.down) + step[0] && Number(el.dataset.across) === Number(cell.dataset.across) + step[1],
    );
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

// Cut points: along one edge or the other.
const vertical = (handle) => handle.classList.contains("down");
function edgeOf(handle) {
  const { xlow, xscale, xstep, ylow, yscale, ystep } = handle.ownerSVGElement.dataset;
  return vertical(handle)
    ? { low: Number(ylow), scale: Number(yscale), step: Number(ystep), from: 332, way: -1 }
    : { low: Number(xlow), scale: Number(xscale), step: Number(xstep), from: 104, way: 1 };
}

const digits = (by) => (String(by).split(".")[1] || "").length;
function within(handle, value) {
  const by = Number(handle.dataset.by);
  const least = handle.dataset.least === undefined ? -Infinity : Number(handle.dataset.least) + by;
  const most = handle.dataset.most === undefined ? Infinity : Number(handle.dataset.most) - by;
  return Number(Math.max(least, Math.min(most, value)).toFixed(digits(by)));
}

const pixel = (edge, cut) => edge.from + edge.way * Math.max(0, (cut - edge.step / 2 - edge.low) * edge.scale);

function put(handle, value) {
  const edge = edgeOf(handle);
  const at = pixel(edge, value).toFixed(1);
  handle.setAttribute("transform", vertical(handle) ? `translate(104 ${at})` : `translate(${at} 332)`);
  handle.setAttribute("aria-valuenow", value);
  handle.setAttribute("aria-valuetext", "from " + value);
  handle.querySelector("text").textContent = value;
  const svg = handle.ownerSVGElement;
  const name = vertical(handle) ? "ycuts" : "xcuts";
  const cuts = JSON.parse(svg.dataset[name]);
  cuts[Number(handle.dataset.edge.split("/").at(-1))] = value;
  svg.dataset[name] = JSON.stringify(cuts);
  layOut(svg);
}

// layOut draws the cells for cut points that are being moved, with their shares.
function layOut(svg) {
  const [xs, ys] = [JSON.parse(svg.dataset.xcuts), JSON.parse(svg.dataset.ycuts)];
  const x = { low: Number(svg.dataset.xlow), scale: Number(svg.dataset.xscale), step: Number(svg.dataset.xstep), from: 104, way: 1 };
  const y = { low: Number(svg.dataset.ylow), scale: Number(svg.dataset.yscale), step: Number(svg.dataset.ystep), from: 332, way: -1 };
  const band = (cuts, value) => cuts.filter((c) => value >= c).length;
  const shares = new Map();
  for (const [a, d, share] of svg.dataset.joint ? JSON.parse(svg.dataset.joint) : []) {
    const key = band(ys, d) + " " + band(xs, a);
    shares.set(key, (shares.get(key) || 0) + share);
  }
  for (const cell of svg.querySelectorAll(".cross")) {
    const [d, a] = [Number(cell.dataset.down), Number(cell.dataset.across)];
    const left = a > 0 ? pixel(x, xs[a - 1]) : 104;
    const right = a < xs.length ? Math.min(768, pixel(x, xs[a])) : 768;
    const bottom = d > 0 ? pixel(y, ys[d - 1]) : 332;
    const top = d < ys.length ? Math.max(62, pixel(y, ys[d])) : 62;
    const rect = cell.querySelector("rect");
    rect.setAttribute("x", left);
    rect.setAttribute("y", top);
    rect.setAttribute("width", Math.max(0, right - left));
    rect.setAttribute("height", Math.max(0, bottom - top));
    const tag = cell.querySelector(".tag");
    tag.setAttribute("transform", `translate(${(left + right) / 2} ${(top + bottom) / 2})`);
    tag.setAttribute("visibility", right - left < 60 || bottom - top < 20 ? "hidden" : "visible");
    if (svg.dataset.joint) cell.querySelector(".cellshare").textContent = (100 * (shares.get(d + " " + a) || 0)).toFixed(1) + "%";
  }
}

const store = (handle, value) => edit([{ op: "replace", path: handle.dataset.edge, value }], { whole: true });

room.addEventListener("pointerdown", (event) => {
  const handle = event.target.closest?.(".edgecut");
  if (!handle || event.button !== 0) return;
  event.preventDefault();
  handle.focus();
  const svg = handle.ownerSVGElement;
  const edge = edgeOf(handle);
  const before = Number(handle.getAttribute("aria-valuenow"));
  const by = Number(handle.dataset.by);
  let value = before;
  const move = (e) => {
    const box = svg.getBoundingClientRect();
    const ratio = svg.viewBox.baseVal.width / box.width;
    const along = vertical(handle) ? (e.clientY - box.top) * ratio : (e.clientX - box.left) * ratio;
    const at = edge.low + (edge.way * (along - edge.from)) / edge.scale + edge.step / 2;
    value = within(handle, before + Math.round((at - before) / by) * by);
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
  const handle = event.target.closest?.(".edgecut");
  const sign = handle && { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
  if (!sign) return;
  event.preventDefault();
  const before = Number(handle.getAttribute("aria-valuenow"));
  const value = within(handle, before + sign * Number(handle.dataset.by) * (event.shiftKey ? 10 : 1));
  if (value === before) return;
  put(handle, value);
  store(handle, value);
});

// Wanted shares: what comes closest to them is found on the server, and used as one edit.
room.addEventListener("click", async (event) => {
  const button = event.target.closest?.("[data-findlevel]");
  if (!button) return;
  const box = button.closest("[data-level]");
  const out = box.querySelector("[data-leveled]");
  const data = new URLSearchParams({ line: box.dataset.level, assume: assume() });
  for (const field of box.querySelectorAll("[name]")) if (field.value.trim()) data.set("want." + field.name, field.value.trim().replace(",", "."));
  out.textContent = "counting…";
  const response = await fetch(`/quizzes/${id}/level?${data}`).catch(() => null);
  if (!response) return void (out.textContent = "There is no connection. Try again in a moment.");
  const answer = await response.json();
  out.textContent = (answer.message || answer.text) + " ";
  if (!answer.patch) return;
  const use = document.createElement("button");
  use.type = "button";
  use.className = "button";
  use.dataset.patch = answer.patch;
  use.textContent = "Use them";
  out.append(use);
});
