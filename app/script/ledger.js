// The ledger: cells walked with the arrow keys, blocks selected, copied and pasted with any spreadsheet. Every change of
// cells, however many, is one edit.
import { drawnAt, edit, onDraw, say } from "./workbench.js";
import { readNumber } from "./number.js";

const room = document.getElementById("room");
let columns = [];
let anchor = null; // the cell where a selection began
let chosen = []; // the selected cells, when there are several
let typed = null; // the cell in which a figure is being typed, and the text that stood there

// The grid is all lines that have cells; a line's cells stand under their columns, with gaps where it has none.
const lines = () => [...room.querySelectorAll("tr.answer")].filter((tr) => tr.querySelector(".cell"));
const line = (cell) => cell.parentNode;
const at = (cell) => cell.cellIndex - 2;
const cellAt = (tr, column) => {
  const td = tr?.cells[column + 2];
  return td?.classList.contains("cell") ? td : null;
};
const valueOf = (cell) => (cell === typed?.cell ? typed.before : cell.textContent);
const name = (cell) => `${columns[at(cell)]?.Name}, ${line(cell).querySelector("textarea")?.value || "values"}`;

function neighbour(cell, rows, across) {
  const all = lines();
  const tr = all[all.indexOf(line(cell)) + rows];
  if (!tr) return null;
  if (!across) return cellAt(tr, at(cell)) || [...tr.querySelectorAll(".cell")].at(-1);
  for (let c = at(cell) + across; c >= 0 && c < columns.length; c += across) {
    const next = cellAt(tr, c);
    if (next) return next;
  }
  return null;
}

function select(cell, extend = false) {
  if (!cell) return;
  for (const c of room.querySelectorAll('.cell[tabindex="0"]')) c.tabIndex = -1;
  cell.tabIndex = 0;
  cell.focus();
  if (!extend || !anchor?.isConnected) anchor = cell;
  mark(cell);
}

// mark shows the block between where the selection began and a cell.
function mark(cell) {
  for (const c of chosen) c.classList.remove("chosen");
  chosen = [];
  if (anchor && anchor !== cell) {
    const all = lines();
    const [a, b] = [all.indexOf(line(anchor)), all.indexOf(line(cell))].sort((x, y) => x - y);
    const [l, r] = [at(anchor), at(cell)].sort((x, y) => x - y);
    for (let y = a; y <= b; y++)
      for (let x = l; x <= r; x++) {
        const c = cellAt(all[y], x);
        if (c) chosen.push(c);
      }
    for (const c of chosen) c.classList.add("chosen");
  }
  votebar(cell);
}

const block = () =>
  chosen.length ? chosen : document.activeElement?.matches?.(".cell") ? [document.activeElement] : [];

// put sends figures for cells, one small change for each, and writes them there. They are sent first: what is written makes the window
// lay out the sheet, and the server need not wait for it.
function put(changes) {
  const ops = [];
  const texts = new Map();
  for (const [cell, n] of changes) {
    const text = n ? String(n) : "";
    if (valueOf(cell) === text) continue;
    const { at: place, part } = line(cell).dataset;
    const { Group: group, ID: column } = columns[at(cell)];
    const path = part ? `${place}/${column}/${part}` : `${place}/${group}/${column}`;
    texts.set(cell, text);
    if (part) ops.push(linear(cell, place, path, n, texts));
    else ops.push(n ? { op: "add", path, value: n } : { op: "remove", path });
  }
  if (!ops.length) return;
  let last;
  const base = Math.min(...[...texts.keys()].map(drawnAt));
  const quiet = !ops.some((op) => op.path.includes("/=")); // a step is named by what it holds: that changes with its figures
  for (let i = 0; i < ops.length; i += mostAtOnce) last = edit(ops.slice(i, i + mostAtOnce), { quiet, base });
  for (const [cell, text] of texts) cell.textContent = text;
  if (typed && texts.has(typed.cell)) typed = null;
  tint();
  return last;
}

// mostAtOnce is how many changes one edit may have; a larger block is pasted in several, each with its own undo.
const mostAtOnce = 500;

// linear changes a factor or an offset; a column that has neither any more is left out.
// texts are those that are not written into their cells yet.
function linear(cell, place, path, n, texts) {
  const column = at(cell);
  const others = [...line(cell).parentNode.querySelectorAll("tr[data-part]")].filter((tr) => tr !== line(cell));
  const figure = (c) => Number(texts.get(c) ?? c?.textContent ?? 0);
  const alone = others.every((tr) => !figure(cellAt(tr, column)));
  return !n && alone ? { op: "remove", path: `${place}/${columns[column].ID}` } : { op: "add", path, value: n };
}

// tint colours the cells by sign and size against the greatest of their column.
function tint() {
  const rows = lines().filter((tr) => !tr.dataset.part);
  columns.forEach((_, i) => {
    const cells = rows.map((tr) => cellAt(tr, i)).filter(Boolean);
    const top = Math.max(0, ...cells.map((c) => Math.abs(Number(valueOf(c)) || 0)));
    for (const c of cells) {
      const n = Number(valueOf(c)) || 0;
      const shade =
        n && top ? ` ${n < 0 ? "m" : "p"}${Math.min(3, Math.max(1, Math.floor((Math.abs(n) / top) * 3 + 0.999)))}` : "";
      const look = "cell" + (c.classList.contains("chosen") ? " chosen" : "") + shade;
      if (c.className !== look) c.className = look;
    }
  });
}

function begin(cell, text) {
  const before = valueOf(cell);
  const input = document.createElement("input");
  input.value = text ?? before;
  input.inputMode = "decimal";
  input.setAttribute("aria-label", name(cell));
  cell.textContent = "";
  cell.append(input);
  input.focus();
  typed = { cell, before };
  let done = false;
  const end = (keep) => {
    if (done) return;
    done = true;
    const { n, why } = readNumber(input.value);
    const bad = keep && Boolean(why);
    if (keep && !bad) put([[cell, n]]);
    if (input.isConnected) cell.textContent = before;
    typed = null;
    if (bad || cell.title) {
      cell.classList.toggle("bad", bad);
      cell.title = bad ? why : "";
    }
    if (bad) say(why);
  };
  input.addEventListener("blur", () => end(true));
  input.addEventListener("keydown", (event) => {
    const moves = {
      Enter: [event.shiftKey ? -1 : 1, 0],
      Tab: [0, event.shiftKey ? -1 : 1],
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
    };
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

room.addEventListener("keydown", (event) => {
  const cell = event.target.closest(".cell");
  if (!cell || event.target !== cell || event.altKey) return;
  const command = event.ctrlKey || event.metaKey;
  const moves = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], Enter: [1, 0] };
  if (command && event.key === "d") {
    event.preventDefault();
    fillDown();
  } else if (command && event.key === "a") {
    event.preventDefault();
    const all = lines();
    anchor = [...all[0].querySelectorAll(".cell")][0];
    select([...all.at(-1).querySelectorAll(".cell")].at(-1), true);
  } else if (command) return;
  else if (moves[event.key]) {
    event.preventDefault();
    event.stopPropagation();
    const to = neighbour(cell, ...moves[event.key]);
    const words = !to && !event.shiftKey && event.key === "ArrowLeft" && line(cell).querySelector("textarea");
    if (words) {
      words.focus();
      words.setSelectionRange(words.value.length, words.value.length);
    } else select(to || cell, event.shiftKey && event.key !== "Enter");
  } else if (event.key === "Tab") {
    const to = neighbour(cell, 0, event.shiftKey ? -1 : 1);
    if (!to) return;
    event.preventDefault();
    select(to);
  } else if (event.key === "Home" || event.key === "End") {
    event.preventDefault();
    const own = [...line(cell).querySelectorAll(".cell")];
    select(event.key === "Home" ? own[0] : own.at(-1), event.shiftKey);
  } else if (event.key === "Delete" || event.key === "Backspace") {
    event.preventDefault();
    put(block().map((c) => [c, 0]));
  } else if (event.key === "F2") {
    event.preventDefault();
    begin(cell);
  } else if (event.key === " ") {
    event.preventDefault();
    if (columns[at(cell)].Group === "votes") vote(valueOf(cell) === "" ? 1 : Number(valueOf(cell)) > 0 ? -1 : 0);
  } else if (event.key === "Escape") select(cell);
  else if (/^[-−\d.,]$/.test(event.key)) {
    select(cell);
    begin(cell, ""); // the key itself is typed into the field
  }
});

// At the end of an answer's words the arrow goes on into its figures.
room.addEventListener("keydown", (event) => {
  const { target } = event;
  if (
    event.key !== "ArrowRight" ||
    event.shiftKey ||
    event.ctrlKey ||
    event.altKey ||
    event.metaKey ||
    !target.matches("tr.answer textarea")
  )
    return;
  const first = target.closest("tr").querySelector(".cell");
  if (!first || target.selectionStart !== target.value.length) return;
  event.preventDefault();
  select(first);
});

function fillDown() {
  const all = lines();
  const cells = block();
  if (!cells.length) return;
  let changes = [];
  if (cells.length === 1) {
    const above = neighbour(cells[0], -1, 0);
    if (above && at(above) === at(cells[0])) changes = [[cells[0], Number(valueOf(above)) || 0]];
  } else {
    const first = Math.min(...cells.map((c) => all.indexOf(line(c))));
    changes = cells.map((c) => [c, Number(cellAt(all[first], at(c))?.textContent || 0)]);
  }
  put(changes);
}

// A block goes to and from the clipboard as lines of figures with tabs between them.
function copied() {
  const rows = new Map();
  for (const c of block()) rows.set(line(c), [...(rows.get(line(c)) || []), c]);
  return [...rows.values()].map((cells) => cells.map(valueOf).join("\t")).join("\n");
}

for (const type of /** @type {("copy" | "cut")[]} */ (["copy", "cut"]))
  document.addEventListener(type, (event) => {
    if (!document.activeElement?.matches(".cell")) return;
    event.preventDefault();
    event.clipboardData.setData("text/plain", copied());
    if (type === "cut") put(block().map((c) => [c, 0]));
  });

document.addEventListener("paste", (event) => {
  const cell = document.activeElement;
  if (!cell?.matches(".cell")) return;
  event.preventDefault();
  paste(cell, event.clipboardData.getData("text/plain"));
});

function paste(cell, text) {
  const rows = text
    .replace(/\r\n?/g, "\n")
    .replace(/\n$/, "")
    .split("\n")
    .map((l) => l.split("\t"));
  const all = lines();
  const cells = block();
  if (rows.length === 1 && rows[0].length === 1 && cells.length > 1) {
    const { n, why } = readNumber(rows[0][0]);
    return why ? say(`${why} Nothing was pasted. Fix it and paste again.`) : put(cells.map((c) => [c, n]));
  }
  const top = Math.min(...cells.map((c) => all.indexOf(line(c))));
  const left = Math.min(...cells.map(at));
  const changes = [];
  let missed = 0;
  for (const [y, row] of rows.entries())
    for (const [x, word] of row.entries()) {
      const { n, why } = readNumber(word);
      if (why)
        return say(
          `Line ${y + 1}, column ${x + 1} of what you paste: ${why} Nothing was pasted. Fix it and paste again.`,
        );
      const to = cellAt(all[top + y], left + x);
      if (to) changes.push([to, n]);
      else missed += 1;
    }
  put(changes);
  if (changes.length) {
    anchor = changes[0][0];
    select(changes.at(-1)[0], true);
  }
  if (missed)
    say(
      `${missed} of ${missed + changes.length} numbers didn’t fit and were left out: the block is larger than the ledger.`,
    );
}

// A vote is set in three steps from a small bar below its cell, or with the space bar.
function vote(n) {
  const cells = block().filter((c) => columns[at(c)].Group === "votes");
  put(cells.map((c) => [c, n]));
}

function votebar(cell) {
  const bar = document.getElementById("votebar");
  if (!bar) return;
  const votes = cell && columns[at(cell)]?.Group === "votes";
  bar.hidden = !votes;
  if (!votes) return;
  const box = cell.getBoundingClientRect();
  const frame = room.getBoundingClientRect();
  bar.style.top = `${box.bottom - frame.top + room.scrollTop + 2}px`;
  bar.style.right = `${frame.right - box.right - room.scrollLeft}px`;
  for (const b of bar.children)
    b.setAttribute("aria-pressed", String(Math.sign(Number(valueOf(cell)) || 0) === Number(b.dataset.vote)));
}

let dragging = false;
room.addEventListener("pointerdown", (event) => {
  const cell = event.target.closest(".cell");
  if (!cell || event.target !== cell || event.button !== 0) return;
  event.preventDefault();
  select(cell, event.shiftKey);
  dragging = true;
});
room.addEventListener("pointerover", (event) => {
  const cell = event.target.closest?.(".cell");
  if (dragging && cell && cell !== document.activeElement) select(cell, true);
});
addEventListener("pointerup", () => (dragging = false));

room.addEventListener("click", (event) => {
  const button = event.target.closest("[data-vote]");
  if (!button) return;
  const focus = document.activeElement.matches(".cell")
    ? document.activeElement
    : room.querySelector('.cell[tabindex="0"]');
  vote(Number(button.dataset.vote));
  focus?.focus();
  votebar(focus);
});
room.addEventListener("mousedown", (event) => event.target.closest("[data-vote]") && event.preventDefault());

room.addEventListener("dblclick", (event) => {
  const cell = event.target.closest(".cell");
  if (cell && event.target === cell) begin(cell);
});

room.addEventListener("focusout", (event) => {
  if (event.target.matches(".cell") && !event.relatedTarget?.closest?.("#votebar, .cell")) votebar(null);
});

// A cell that had the focus keeps it when its line is drawn anew.
let kept = null;
function refocus() {
  if (!kept || room.contains(document.activeElement)) return;
  const tr = lines().find((l) => l.dataset.base === kept.base && (l.dataset.part || "") === kept.part);
  const cell = tr && cellAt(tr, kept.column);
  if (cell) select(cell);
}
room.addEventListener("focusin", (event) => {
  const cell = event.target.closest(".cell");
  kept = cell ? { base: line(cell).dataset.base, part: line(cell).dataset.part || "", column: at(cell) } : null;
});

onDraw((root) => {
  if (root !== document && root.id !== "room" && !root.matches?.("[data-block]")) return;
  columns = JSON.parse(room.querySelector("[data-columns]")?.dataset.columns || "[]") || [];
  const sheet = room.querySelector("table.script");
  const width = columns.length > 5 ? `many w${columns.length}` : "";
  if (sheet)
    sheet.className = ["script", sheet.classList.contains("compact") && "compact", width].filter(Boolean).join(" ");
  anchor = null;
  chosen = [];
  for (const cell of room.querySelectorAll(".cell:not([tabindex])")) cell.tabIndex = -1;
  const first = !room.querySelector('.cell[tabindex="0"]') && room.querySelector(".cell");
  if (first) first.tabIndex = 0;
  if (root !== document) queueMicrotask(refocus);
});
