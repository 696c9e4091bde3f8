// The Endings room: an ending is edited in its own page, all of them as a sheet; tables are edited as a sheet and stored at once.
import { act, Alpine, behaviour, commit, did, id, leaveTo, onDraw, random, say, store } from "./workbench.js";
import "./others.js";
import { besideFrame, toMenu } from "./fields.js";
import { pictures } from "./pictures.js";
import { preview } from "./preview.js";

const room = document.getElementById("room");
pictures(room);

// A new outcome is named before it is made: what is typed goes nowhere else, however slow the line.
behaviour("outcome.add", {
  press(button) {
    const input = document.createElement("input");
    input.className = "field w-full mt-2";
    input.placeholder = "Name of the new outcome";
    input.setAttribute("aria-label", "Name of the new outcome");
    input.dataset.waiting = "";
    button.hidden = true;
    button.after(input);
    input.focus();
    let done = false;
    const end = async (keep) => {
      if (done) return;
      done = true;
      const name = input.value.trim();
      const held = document.activeElement === input;
      if (!keep || !name) {
        input.remove();
        button.hidden = false;
        if (held) button.focus();
        return;
      }
      input.readOnly = true;
      const outcome = "o" + random().slice(0, 5);
      const stored = await act("outcome.new", "", { name, id: outcome });
      input.remove();
      button.hidden = false;
      if (stored) leaveTo("?outcome=" + outcome);
    };
    input.addEventListener("blur", () => end(true));
    input.addEventListener("keydown", (event) => {
      if (event.isComposing || (event.key !== "Enter" && event.key !== "Escape")) return;
      event.preventDefault();
      event.stopPropagation();
      end(event.key === "Enter");
    });
  },
});

// The ending is edited where it is seen: a heading, a text, the words of a button become a field in their own place, with what was typed
// before anything was filled in. The page runs no scripts of its own: what happens in it is this window's doing. What is typed is kept in
// the window's store as in any other field, and sent when the field is left.
const typed = () => JSON.parse(/** @type {any} */ (room.querySelector("[data-typed]"))?.dataset.typed || "null");
const look = {
  font: "inherit", color: "inherit", letterSpacing: "inherit", textAlign: "inherit", width: "100%", display: "block", border: "0", padding: "0",
  background: "transparent", resize: "none", fieldSizing: "content", outline: "2px solid #8e1f3b", outlineOffset: "4px", borderRadius: "2px",
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
  return button && { at: button.at + "/label", value: button.label, name: `Words of button ${n + 1}` };
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

// The colour chooser writes into the field beside it.
room.addEventListener("change", (event) => {
  const field = event.target.dataset.colour && document.getElementById(event.target.dataset.colour);
  if (!field) return;
  field.value = event.target.value;
  commit(field);
});

// A table: every change of a cell stores the whole of it.
const table = () => room.querySelector("[data-table]");
const state = (text) => (table().querySelector("[data-tablestate]").textContent = text);
let line = Promise.resolve();

const contents = () => {
  const t = table();
  return {
    columns: [...t.querySelectorAll("[data-column]")].map((el) => el.value),
    rows: [...t.querySelectorAll("tbody tr")].map((tr) => [...tr.querySelectorAll("[data-cellof]")].map((el) => el.value)),
  };
};
let storedTable = null; // what the table held when it was stored last
onDraw(() => {
  if (table() && !storedTable) storedTable = contents();
});

// store sends the whole table; what it was before is kept, to be taken back.
function saveTable(step = true) {
  state("saving…");
  line = line.then(async () => {
    const t = table();
    const now = contents();
    const response = await fetch(`/quizzes/${id}/tables/${t.dataset.table}`, {
      method: "POST",
      headers: { "Content-Type": "application/json", Accept: "application/json" },
      body: JSON.stringify({ base: Number(t.dataset.number), ...now }),
    }).catch(() => null);
    const answer = await response?.json().catch(() => null);
    if (!answer) return state("no connection, not stored: change a cell to try again");
    if (!response.ok) {
      state("not stored");
      return say(answer.message);
    }
    t.dataset.number = answer.number;
    for (const base of room.querySelectorAll('input[name="base"]')) base.value = answer.number;
    state("stored");
    const before = storedTable;
    storedTable = now;
    if (step) did(`A change of the table ${t.dataset.table}`, () => fillTable(before), () => fillTable(now));
  });
  return line;
}

// fillTable makes the table hold what it held once, and stores that.
function fillTable({ columns, rows }) {
  const t = table();
  const heads = t.querySelectorAll("[data-column]");
  for (let i = heads.length; i < columns.length; i++) addColumn();
  for (let i = columns.length; i < heads.length; i++) for (const tr of t.querySelectorAll("tr")) tr.cells[columns.length]?.remove();
  t.querySelectorAll("[data-column]").forEach((el, i) => (el.value = columns[i]));
  const lines = t.querySelectorAll("tbody tr");
  for (let i = rows.length; i < lines.length; i++) lines[i].remove();
  for (let i = lines.length; i < rows.length; i++) addRow();
  t.querySelectorAll("tbody tr").forEach((tr, i) => tr.querySelectorAll("[data-cellof]").forEach((el, k) => (el.value = rows[i][k] ?? "")));
  return saveTable(false);
}

function addColumn() {
  const head = table().querySelector("thead tr");
  const th = document.createElement("th");
  th.scope = "col";
  th.innerHTML = `<input data-column aria-label="Name of the new column" value="column${head.querySelectorAll("[data-column]").length + 1}">`;
  head.lastElementChild.before(th);
  for (const tr of table().querySelectorAll("tbody tr")) {
    const td = document.createElement("td");
    td.innerHTML = '<input data-cellof aria-label="Cell of the new column">';
    tr.lastElementChild.before(td);
  }
  return th.querySelector("input");
}

// A file takes the place of the table; what is wrong with it is said here, and the corrected file can be chosen at once.
async function replaceBy(input) {
  state("reading the file …");
  const response = await fetch(input.form.action, { method: "POST", headers: { Accept: "application/json" }, body: new FormData(input.form) }).catch(() => null);
  input.value = "";
  if (response?.ok) return location.reload();
  const answer = await response?.json().catch(() => null);
  state("as it was");
  say(answer?.message || "There is no connection. Choose the file again in a moment.");
}

function addRow(after) {
  const columns = table().querySelectorAll("[data-column]").length;
  const tr = document.createElement("tr");
  for (let i = 0; i < columns; i++) {
    const td = tr.insertCell();
    const input = document.createElement("input");
    input.dataset.cellof = "";
    input.setAttribute("aria-label", "Cell of a new line");
    td.append(input);
  }
  tr.insertCell().innerHTML = '<button type="button" class="plain" data-droprow aria-label="Delete this line">✕</button>';
  after ? after.after(tr) : table().querySelector("tbody").append(tr);
  return tr;
}

// fillKeys names the lines as the answers of a question, those that no line is named as yet; a blank line is used first.
function fillKeys(words) {
  const firsts = () => [...table().querySelectorAll("tbody tr")].map((tr) => tr.querySelector("[data-cellof]"));
  const same = (a, b) => a.trim().toLowerCase() === b.trim().toLowerCase();
  let focus = null;
  for (const word of words) {
    if (firsts().some((el) => same(el.value, word))) continue;
    const blank = firsts().find((el) => [...el.closest("tr").querySelectorAll("[data-cellof]")].every((cell) => !cell.value));
    const cell = blank || addRow().querySelector("[data-cellof]");
    cell.value = word;
    focus ||= cell.closest("tr").querySelectorAll("[data-cellof]")[1];
  }
  if (!focus) return say("Every answer has its line already.");
  saveTable();
  focus.focus();
}

room.addEventListener("change", (event) => {
  if (event.target.dataset.fillkeys !== undefined && event.target.value) {
    fillKeys(JSON.parse(event.target.value));
    event.target.value = "";
  }
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
