// The Script room: the ledger's cells, reordering, and settings that open below their question.
import { Alpine, edit, onColumns, onDraw } from "/assets/workbench.js";

const room = document.getElementById("room");

// Cells are walked with the arrow keys; typing begins an edit, Enter ends it and goes down.
const cells = () => [...room.querySelectorAll(".cell")];

function neighbour(cell, rows, columns) {
  const grid = [...room.querySelectorAll("tr.answer")].map((tr) => [...tr.querySelectorAll(".cell")]).filter((r) => r.length);
  const y = grid.findIndex((r) => r.includes(cell));
  const x = grid[y].indexOf(cell);
  const row = grid[y + rows];
  if (!row) return null;
  if (!columns) return row.find((c) => c.dataset.column === cell.dataset.column && c.dataset.group === cell.dataset.group) || row[Math.min(x, row.length - 1)];
  return row[x + columns] || null;
}

function select(cell) {
  if (!cell) return;
  for (const other of cells()) other.tabIndex = -1;
  cell.tabIndex = 0;
  cell.focus();
}

function begin(cell, text) {
  const before = cell.textContent;
  const input = document.createElement("input");
  input.value = text ?? before;
  input.inputMode = "decimal";
  input.setAttribute("aria-label", cell.dataset.name);
  cell.textContent = "";
  cell.append(input);
  input.focus();
  let done = false;
  const end = (keep) => {
    if (done) return;
    done = true;
    const typed = input.value.trim().replace("−", "-").replace(",", ".");
    const valid = typed === "" || (Number.isFinite(Number(typed)) && /^-?(\d+(\.\d{1,4})?|\.\d{1,4})$/.test(typed));
    input.remove();
    cell.classList.toggle("bad", keep && !valid);
    cell.title = keep && !valid ? "Type a number of at most 4 decimals" : "";
    const after = keep && valid ? (Number(typed) === 0 ? "" : String(Number(typed))) : before;
    cell.textContent = after;
    if (after !== before) save(cell);
  };
  input.addEventListener("blur", () => end(true));
  input.addEventListener("keydown", (event) => {
    const moves = { Enter: [event.shiftKey ? -1 : 1, 0], Tab: [0, event.shiftKey ? -1 : 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] };
    if (event.key === "Escape") {
      event.preventDefault();
      event.stopPropagation();
      end(false);
      select(cell);
    } else if (moves[event.key]) {
      const to = neighbour(cell, ...moves[event.key]);
      if (event.key === "Tab" && !to) return;
      event.preventDefault();
      event.stopPropagation();
      end(true);
      select(to || cell);
    }
  });
}

// save sends the whole line of a ledger (all points, or all votes, of an answer) as one edit, so that undo takes one back.
function save(cell) {
  const { base, part, group } = cell.dataset;
  const line = cells().filter((c) => c.dataset.base === base && c.dataset.group === group);
  const value = {};
  for (const c of line) {
    const n = Number(c.textContent || 0);
    if (part) {
      value[c.dataset.column] ??= {};
      if (n) value[c.dataset.column][c.dataset.part] = n;
    } else if (n) value[c.dataset.column] = n;
  }
  if (part) for (const [id, l] of Object.entries(value)) if (!Object.keys(l).length) delete value[id];
  tint(cell);
  edit([{ op: "add", path: part ? base : `${base}/${group}`, value }]);
}

function tint(cell) {
  const column = cells().filter((c) => c.dataset.column === cell.dataset.column && c.dataset.group === cell.dataset.group && !c.dataset.part);
  const top = Math.max(...column.map((c) => Math.abs(Number(c.textContent || 0))), 0);
  for (const c of column) {
    c.classList.remove("p1", "p2", "p3", "m1", "m2", "m3");
    const n = Number(c.textContent || 0);
    if (n && top) c.classList.add((n < 0 ? "m" : "p") + Math.min(3, Math.max(1, Math.floor((Math.abs(n) / top) * 3 + 0.999))));
  }
}

room.addEventListener("keydown", (event) => {
  const cell = event.target.closest(".cell");
  if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
    const el = event.target.closest("[data-up]");
    const patch = el?.dataset[event.key === "ArrowUp" ? "up" : "down"];
    if (!el) return;
    event.preventDefault();
    if (patch) {
      el.blur();
      const ops = JSON.parse(patch);
      edit(ops, { whole: true, focus: ops[0].path + (el.classList.contains("qtext") ? "/text" : "/label") });
    }
    return;
  }
  if (!cell || event.target !== cell || event.ctrlKey || event.metaKey || event.altKey) return;
  const moves = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], Enter: [1, 0] };
  if (moves[event.key]) {
    event.preventDefault();
    event.stopPropagation();
    select(neighbour(cell, ...moves[event.key]));
  } else if (event.key === "Delete" || event.key === "Backspace") {
    event.preventDefault();
    if (cell.textContent) {
      cell.textContent = "";
      save(cell);
    }
  } else if (event.key === "F2") {
    event.preventDefault();
    begin(cell);
  } else if (/^[-−\d.,]$/.test(event.key)) begin(cell, ""); // the key itself is typed into the field
});

room.addEventListener("click", (event) => {
  const cell = event.target.closest(".cell");
  if (cell && event.target === cell) select(cell);
  const opener = event.target.closest("[data-settings]");
  if (opener) {
    const details = room.querySelector(`details[data-key="${CSS.escape(opener.dataset.settings)}"]`);
    details.open = !details.open;
    opener.setAttribute("aria-expanded", details.open);
    if (details.open) details.querySelector("input").focus();
  }
});

room.addEventListener("dblclick", (event) => {
  const cell = event.target.closest(".cell");
  if (cell && event.target === cell) begin(cell);
});

onDraw((root) => {
  if (root !== document && root.id !== "room") return;
  const table = room.querySelector("table.script");
  const first = room.querySelector(".cell");
  if (first) first.tabIndex = 0;
  for (const opener of room.querySelectorAll("[data-settings]")) {
    const details = room.querySelector(`details[data-key="${CSS.escape(opener.dataset.settings)}"]`);
    opener.setAttribute("aria-expanded", details.open);
  }
  const move = (list) => (event) => {
    const from = Number(event.item.dataset.index);
    const siblings = [...event.item.parentNode.children].filter((el) => el.dataset.index !== undefined);
    const to = siblings.indexOf(event.item);
    if (from !== to) edit([{ op: "move", from: `${list(event)}/${from}`, path: `${list(event)}/${to}` }], { whole: true });
  };
  window.Sortable.create(table, { draggable: "tbody.question", handle: "[data-drag]", animation: 120, ghostClass: "ghost", forceFallback: true, fallbackTolerance: 3, onEnd: move(() => "/questions") });
  for (const body of table.querySelectorAll("tbody.question"))
    window.Sortable.create(body, { draggable: "tr.answer", handle: "[data-grip]", animation: 120, ghostClass: "ghost", forceFallback: true, fallbackTolerance: 3, onEnd: move((e) => e.item.closest("tbody").dataset.at + "/choices") });
});

// The head of a scale's column shows the least and most that anybody can get, and how the scores are spread.
function heads(columns) {
  for (const c of columns) {
    const el = room.querySelector(`[data-range="${CSS.escape(c.id)}"]`);
    if (!el) continue;
    el.querySelector("[data-least]").textContent = c.range;
    const bars = c.bars.map((h, i) => `<rect x="${i * 4}" y="${(16 - 15 * h).toFixed(1)}" width="3" height="${(15 * h + 1).toFixed(1)}"/>`).join("");
    el.querySelector("svg").innerHTML = bars;
    el.querySelector("svg").setAttribute("viewBox", `0 0 ${Math.max(1, c.bars.length * 4)} 17`);
  }
}
let latest = [];
onColumns((columns) => heads((latest = columns)));
onDraw((root) => root.id === "room" && heads(latest));

Alpine.start();
