// The Endings room: an ending is edited in its own page, all of them as a sheet; tables are edited as a sheet and stored immediately.
import { drawParts } from "./draw.js";
import {
  act,
  Alpine,
  behaviour,
  change,
  commit,
  did,
  history,
  leaveTo,
  onDraw,
  random,
  say,
  store,
  waitFor,
} from "./workbench.js";
import "./others.js";
import { blockOf } from "./block.js";
import { besideFrame, toMenu } from "./fields.js";
import { pictures } from "./pictures.js";
import { preview } from "./preview.js";

const room = document.getElementById("room");
pictures(room);

// A new outcome has its id from this window. Its page comes with the name to be typed over; what is typed on the way there goes into
// the name.
const arriving = "endings:new";
behaviour("outcome.add", {
  press(button) {
    const outcome = "o" + random().slice(0, 5);
    const ended = act("outcome.new", "", { id: outcome });
    const waiting = waitFor(button, outcome, ended);
    ended.then((stored) => {
      if (!stored) return;
      sessionStorage.setItem(arriving, JSON.stringify(waiting.typed()));
      leaveTo("?new=1&outcome=" + outcome);
    });
  },
});

function arrive() {
  const name = /** @type {any} */ (document.getElementById("o-name"));
  const { value, left } = JSON.parse(sessionStorage.getItem(arriving) || "{}");
  sessionStorage.removeItem(arriving);
  window.history.replaceState(null, "", location.search.replace("new=1&", ""));
  if (!name) return;
  const whole = name.defaultValue; // keys that came before this script replace it, or stand before or behind it
  const early = name.value.replace(whole, "");
  const typed = (value || "") + early;
  name.focus();
  if (!typed) return name.select();
  name.value = typed;
  name.dispatchEvent(new Event("input", { bubbles: true }));
  name.setSelectionRange(typed.length, typed.length);
  if (left) commit(name);
}
if (new URLSearchParams(location.search).has("new")) arrive();

// The ending is edited where it is seen: a heading, a text, the words of a button become a field in their own place, with what was typed
// before anything was filled in. The page runs no scripts of its own: what happens in it is this window's doing. What is typed is kept in
// the window's store as in any other field, and sent when the field is left.
const typed = () => JSON.parse(/** @type {any} */ (room.querySelector("[data-typed]"))?.dataset.typed || "null");
const look = {
  font: "inherit",
  color: "inherit",
  letterSpacing: "inherit",
  textAlign: "inherit",
  width: "100%",
  display: "block",
  border: "0",
  padding: "0",
  background: "transparent",
  resize: "none",
  fieldSizing: "content",
  outline: "2px solid #8e1f3b",
  outlineOffset: "4px",
  borderRadius: "2px",
};

preview(room, { ready: typeInto });

// field is what a place of the page edits: where it is stored, and what stands there.
function field(el) {
  const { path, heading, text, buttons } = typed();
  const kind = el.dataset.place;
  if (kind === "heading") return { at: path + "/heading", value: heading || "", name: "Heading" };
  if (kind === "text") return { at: path + "/text", value: text || "", name: "Text, in Markdown" };
  const n = [...el.ownerDocument.querySelectorAll('[data-place="button"]')].indexOf(el);
  const button = buttons[n];
  return button && { at: button.at + "/label", value: button.label, name: `Text of button ${n + 1}` };
}

function typeInto(frame) {
  const doc = frame.contentDocument;
  if (!doc?.body || !typed()) return;
  const places = [...doc.querySelectorAll("[data-place]")];
  for (const el of places) {
    const it = field(el);
    if (!it || el.querySelector("[data-typing]")) continue;
    el.tabIndex = 0;
    el.setAttribute("role", "textbox");
    el.setAttribute("aria-label", it.name);
    el.style.cursor = "text";
    const kept = store.texts.get(it.at);
    if (kept) el.textContent = kept.value; // typed, and not confirmed yet
    el.style.opacity = el.textContent.trim() ? "" : "0.55";
    if (!el.textContent.trim()) el.textContent = it.name;
    if (el.dataset.ready) continue;
    el.dataset.ready = "yes";
    el.addEventListener("focus", () => type(frame, el));
    el.addEventListener("click", (event) => {
      event.preventDefault();
      type(frame, el);
    });
  }
  const adds = /** @type {HTMLElement} */ (room.querySelector("[data-addbutton]"));
  const after = places.at(-1);
  if (!adds || !after || doc.querySelector("[data-more]")) return;
  const more = doc.createElement("button");
  more.type = "button";
  more.className = "link";
  more.dataset.more = "";
  more.textContent = "+ button";
  more.addEventListener("click", () => adds.click());
  after.after(more);
}

function type(frame, el) {
  const it = field(el);
  if (!it || el.querySelector("[data-typing]")) return;
  const lines = el.dataset.place === "text";
  const area = frame.contentDocument.createElement(el.dataset.place === "button" ? "input" : "textarea");
  Object.assign(area.dataset, { typing: "", fill: "text", do: lines ? "lines" : "text", at: it.at });
  area.defaultValue = it.value;
  area.value = store.texts.get(it.at)?.value ?? it.value;
  if (!lines) area.rows = 1;
  area.setAttribute("aria-label", it.name);
  Object.assign(area.style, look, el.dataset.place === "button" ? { width: "auto", minWidth: "8ch" } : {});
  el.style.opacity = "";
  el.replaceChildren(area);
  area.focus();
  besideFrame(area, frame);
  area.addEventListener("input", () => store.typed(it.at, area.value, store.revision));
  area.addEventListener("keydown", (event) => {
    if (event.isComposing) return;
    if (event.key === "Escape") {
      area.value = area.defaultValue;
      store.giveUp(it.at);
    }
    if (event.key === "Escape" || (event.key === "Enter" && !lines)) {
      event.preventDefault();
      area.blur();
      room.focus({ preventScroll: true });
    }
    if (event.altKey && event.key.toLowerCase() === "i") {
      event.preventDefault();
      toMenu();
    }
  });
  area.addEventListener("blur", () => {
    commit(area);
    setTimeout(() => {
      const back = document.activeElement === frame && frame.contentDocument.activeElement === area;
      if (back || document.activeElement?.matches(".fillmenu") || !area.isConnected) return; // something is being filled in
      const shown = area.value.trim();
      besideFrame(null);
      el.replaceChildren(shown || it.name);
      el.style.opacity = shown ? "" : "0.55";
    });
  });
}

// All endings as a sheet: a cell is a field of an outcome, and a pasted block fills several. The last row makes new ones.
const cellAct = (at, rows, how) => {
  const [outcome, field] = at.split("/sheet/");
  return act("outcomes.fill", outcome.endsWith("/-") ? "/outcomes" : outcome, { field, rows }, how);
};
const cell = {
  send: (at, value, how) => cellAct(at, [[value ?? ""]], how),
  resets: (at) => at.startsWith("/outcomes/-/"),
};
behaviour("outcome.cell", { ...cell, read: (text) => ({ value: text.replace(/\s*\n\s*/g, " ").trim() }) });
behaviour("outcome.lines", { ...cell, read: (text) => ({ value: text.trim() }), lines: true });
room.addEventListener("paste", (event) => {
  const field = /** @type {any} */ (event.target).closest("[data-do^='outcome.']");
  const text = event.clipboardData.getData("text/plain");
  if (!field || !/[\t\n]/.test(text.trim())) return;
  if (field.dataset.do === "outcome.lines" && !text.includes("\t") && field.value) return; // lines into the text that is there
  event.preventDefault();
  store.giveUp(field.dataset.at);
  cellAct(field.dataset.at, blockOf(text), { base: store.revision });
});

// A block pasted onto the grid of products ticks and unticks its cells from there on.
room.addEventListener("paste", (event) => {
  const cell = /** @type {any} */ (event.target).closest("[data-do='member:product.tick']");
  if (!cell) return;
  event.preventDefault();
  act("product.paste", cell.dataset.at, { from: cell.value, rows: blockOf(event.clipboardData.getData("text/plain")) });
});

// The colour chooser writes into the field beside it.
room.addEventListener("change", (event) => {
  const field = event.target.dataset.colour && document.getElementById(event.target.dataset.colour);
  if (!field) return;
  field.value = event.target.value;
  commit(field);
});

// A table is sent whole through the window's queue, with the rows of the stored one that its rows were: the server merges it with what
// others changed meanwhile, cell by cell.
const table = () => /** @type {any} */ (room.querySelector("[data-table]"));
const state = (text) => (table().querySelector("[data-tablestate]").textContent = text);
const rowsOf = () => [...table().querySelectorAll("tbody tr")];
const cellsIn = (tr) => [...tr.querySelectorAll("[data-cellof]")];
/** The stored table that this window knows: its number, what it held, and which of its rows a row of the page was. */
let known = null;
const origins = new WeakMap();

const contents = () => ({
  columns: [...table().querySelectorAll("[data-column]")].map((el) => el.value),
  rows: rowsOf().map((tr) => cellsIn(tr).map((el) => el.value)),
});

// learn notes the table as the page shows it when it comes.
function learn() {
  if (!table() || known) return;
  known = { number: Number(table().dataset.number), ...contents() };
  if (known.number) rowsOf().forEach((tr, i) => origins.set(tr, i));
}
onDraw(learn);

// saveTable sends the table; what it was before is kept, to be taken back.
async function saveTable(step = true) {
  const { table: name } = table().dataset;
  const now = contents();
  const before = { columns: known.columns, rows: known.rows };
  const sent = rowsOf();
  state("Saving…");
  const answer = await change("tables/" + name, {
    table: { base: known.number, ...now, origins: sent.map((tr) => origins.get(tr) ?? -1) },
  });
  if (!table() || table().dataset.table !== name) return;
  if (answer.kind !== "stored") return state("Not saved");
  if (step)
    did(
      `Change to table ${name}`,
      () => fillTable(before),
      () => fillTable(now),
    );
  state("Saved");
  known = { number: answer.number, columns: answer.columns, rows: answer.rows };
  table().dataset.number = answer.number;
  for (const base of room.querySelectorAll('input[name="base"]')) base.value = answer.number;
  settle(answer.rows, now, sent);
}

// settle shows what others changed, but for cells in which something else is typed by now.
function settle(rows, now, sent) {
  const keys = new Map(rows.map((row, i) => [row[0], i]));
  sent.forEach((tr, i) => {
    const n = keys.get(now.rows[i][0]);
    origins.set(tr, n ?? -1);
    keys.delete(now.rows[i][0]);
    if (n === undefined) return;
    cellsIn(tr).forEach(
      (el, k) => el.value === now.rows[i][k] && el !== document.activeElement && (el.value = rows[n][k] ?? ""),
    );
  });
  for (const [key, n] of keys) {
    if (rowsOf().some((tr) => cellsIn(tr)[0]?.value === key)) continue;
    const tr = addRow();
    origins.set(tr, n);
    cellsIn(tr).forEach((el, k) => (el.value = rows[n][k] ?? ""));
  }
}

// fillTable makes the table hold what it held once, and stores that.
function fillTable({ columns, rows }) {
  const t = table();
  if (!t) return undefined;
  const heads = t.querySelectorAll("[data-column]");
  for (let i = heads.length; i < columns.length; i++) addColumn();
  for (let i = columns.length; i < heads.length; i++)
    for (const tr of t.querySelectorAll("tr")) tr.cells[columns.length]?.remove();
  t.querySelectorAll("[data-column]").forEach((el, i) => (el.value = columns[i]));
  const lines = rowsOf();
  for (let i = rows.length; i < lines.length; i++) lines[i].remove();
  for (let i = lines.length; i < rows.length; i++) addRow();
  rowsOf().forEach((tr, i) => cellsIn(tr).forEach((el, k) => (el.value = rows[i][k] ?? "")));
  return saveTable(false);
}

function addColumn() {
  const head = table().querySelector("thead tr");
  const th = document.createElement("th");
  th.scope = "col";
  th.innerHTML = `<input data-column aria-label="Name of the new column" value="column${head.querySelectorAll("[data-column]").length + 1}">`;
  head.lastElementChild.before(th);
  for (const tr of rowsOf()) {
    const td = document.createElement("td");
    td.innerHTML = '<input data-cellof aria-label="Cell of the new column">';
    tr.lastElementChild.before(td);
  }
  return th.querySelector("input");
}

// A table that is deleted is gone from the page immediately; the notice and Ctrl+Z bring it back whole.
behaviour("table.drop", {
  async press() {
    const name = table().dataset.table;
    const drop = () => change(`tables/${name}/delete`, {});
    const back = async () => {
      const answer = await change(`tables/${name}/undelete`, {});
      if (answer.kind === "stored") await show("?table=" + encodeURIComponent(name));
    };
    const answer = await drop();
    if (answer.kind !== "stored") return;
    await show("?");
    did(`The deletion of the table ${name}`, back, async () => (await drop(), show("?")));
    say(answer.said, { label: "Undo", act: () => history("undo") });
  },
});

// show draws another part of the room without leaving the page: what can be undone stays known.
async function show(address) {
  const response = await fetch(address).catch(() => null);
  if (!response?.ok) return void leaveTo(address);
  const page = new DOMParser().parseFromString(await response.text(), "text/html");
  window.history.pushState(null, "", address);
  known = null;
  drawParts({ room: page.getElementById("room").innerHTML });
  return undefined;
}
window.addEventListener("popstate", () => location.reload());

// A file takes the place of the table; what is wrong with it is said here, and the corrected file can be chosen at once.
async function replaceBy(input) {
  state("Reading the file …");
  const response = await fetch(input.form.action, {
    method: "POST",
    headers: { Accept: "application/json" },
    body: new FormData(input.form),
  }).catch(() => null);
  input.value = "";
  if (response?.ok) return location.reload();
  const answer = await response?.json().catch(() => null);
  state("Unchanged");
  say(answer?.message || "You’re offline. Check your connection and choose the file again.");
}

function addRow(after) {
  const columns = table().querySelectorAll("[data-column]").length;
  const tr = document.createElement("tr");
  const heads = [...table().querySelectorAll("[data-column]")].map((el) => el.value);
  for (let i = 0; i < columns; i++) {
    const td = tr.insertCell();
    const pictures = table().dataset.table === "catalogue" && heads[i] === "picture";
    if (pictures) {
      td.className = "picturecell";
      td.dataset.picture = "";
      td.innerHTML =
        '<button type="button" class="thumb" data-choosepicture aria-label="Choose the picture of this row">▦</button>';
    }
    const input = document.createElement("input");
    input.dataset.cellof = "";
    input.setAttribute("aria-label", "Cell in the new row");
    if (pictures) input.dataset.picturecell = "";
    td.append(input);
  }
  tr.insertCell().innerHTML = '<button type="button" class="plain" data-droprow aria-label="Delete row">✕</button>';
  after ? after.after(tr) : table().querySelector("tbody").append(tr);
  return tr;
}

// showPicture shows the picture that a cell of the catalogue names.
function showPicture(input) {
  const button = input.parentNode.querySelector("[data-choosepicture]");
  const image = new Image();
  image.alt = "";
  image.src = input.value;
  if (input.value) button.replaceChildren(image);
}

// fillKeys names the lines as the answers of a question, those that no line is named as yet; a blank line is used first.
function fillKeys(words) {
  const firsts = () => [...table().querySelectorAll("tbody tr")].map((tr) => tr.querySelector("[data-cellof]"));
  const same = (a, b) => a.trim().toLowerCase() === b.trim().toLowerCase();
  let focus = null;
  for (const word of words) {
    if (firsts().some((el) => same(el.value, word))) continue;
    const blank = firsts().find((el) =>
      [...el.closest("tr").querySelectorAll("[data-cellof]")].every((cell) => !cell.value),
    );
    const cell = blank || addRow().querySelector("[data-cellof]");
    cell.value = word;
    focus ||= cell.closest("tr").querySelectorAll("[data-cellof]")[1];
  }
  if (!focus) return say("Every answer already has a row.");
  saveTable();
  focus.focus();
}

room.addEventListener("input", (event) => event.target.matches("[data-cellof], [data-column]") && state("Typing…"));
room.addEventListener("change", (event) => {
  if (event.target.dataset.fillkeys !== undefined && event.target.value) {
    fillKeys(JSON.parse(event.target.value));
    event.target.value = "";
  }
  if (event.target.matches("[data-picturecell]")) showPicture(event.target);
  if (event.target.matches("[data-cellof], [data-column]")) saveTable();
  if (event.target.dataset.send !== undefined) replaceBy(event.target);
});
room.addEventListener("click", (event) => {
  if (event.target.closest("[data-addrow]")) addRow().querySelector("input").focus();
  if (event.target.closest("[data-addcolumn]")) {
    addColumn().select();
    saveTable();
  }
  const drop = event.target.closest("[data-droprow]");
  if (drop) {
    drop.closest("tr").remove();
    saveTable();
  }
});
room.addEventListener("keydown", (event) => {
  const cell = event.target.closest("[data-cellof]");
  if (!cell || !["Enter", "ArrowDown", "ArrowUp"].includes(event.key)) return;
  const tr = cell.closest("tr");
  const at = [...tr.querySelectorAll("[data-cellof]")].indexOf(cell);
  let to = event.key === "ArrowUp" ? tr.previousElementSibling : tr.nextElementSibling;
  if (!to && event.key === "Enter") to = addRow(tr);
  if (!to) return;
  event.preventDefault();
  to.querySelectorAll("[data-cellof]")[at].focus();
});
room.addEventListener("paste", (event) => {
  const cell = event.target.closest("[data-cellof]");
  const text = event.clipboardData.getData("text/plain");
  if (!cell || !/[\t\n]/.test(text.trim())) return;
  event.preventDefault();
  let tr = cell.closest("tr");
  const at = [...tr.querySelectorAll("[data-cellof]")].indexOf(cell);
  for (const row of text.replace(/\r\n?/g, "\n").replace(/\n$/, "").split("\n")) {
    row.split("\t").forEach((word, i) => {
      const to = tr.querySelectorAll("[data-cellof]")[at + i];
      if (to) to.value = word;
    });
    tr = tr.nextElementSibling || addRow(tr);
  }
  saveTable();
});

Alpine.start();
