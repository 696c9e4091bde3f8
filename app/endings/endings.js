// The Endings room: a new outcome is shown as soon as it is there; tables are edited as a sheet and stored at once.
import { Alpine, commit, did, edit, id, leaveTo, onDraw, say } from "/assets/workbench.js";
import "/assets/others.js";
import { preview } from "/assets/preview.js";
import { besideFrame, toMenu } from "/assets/fields.js";
import { pictures } from "/assets/pictures.js";

const room = document.getElementById("room");
pictures(room);

let added = null;
let leaving = false;
room.addEventListener("click", (event) => {
  const button = event.target.closest("[data-newoutcome]");
  if (button) added = Number(button.dataset.newoutcome);
});
onDraw((root) => {
  const links = [...root.querySelectorAll("a.pick[href^='?outcome']")];
  if (added !== null && links[added]) {
    added = null;
    leaving = true;
    sessionStorage.setItem("endings:new", "1");
    leaveTo(links.at(-1).href);
    return;
  }
  const name = root.querySelector("#o-name");
  if (name && !leaving && sessionStorage.getItem("endings:new")) {
    sessionStorage.removeItem("endings:new");
    name.focus();
    name.select();
  }
});

// The ending is edited where it is seen: a heading, a text, the words of a button become a field in their own place, with what was typed
// before anything was filled in. The page runs no scripts of its own: what happens in it is this window's doing.
let again = null; // the place that the focus goes on to when the page has come anew
const typed = () => JSON.parse(room.querySelector("[data-typed]")?.dataset.typed || "null");
const place = (frame, which) => frame.contentDocument.querySelectorAll("[data-place]")[which];
const look = {
  font: "inherit", color: "inherit", letterSpacing: "inherit", textAlign: "inherit", width: "100%", display: "block", border: "0", padding: "0",
  background: "transparent", resize: "none", fieldSizing: "content", outline: "2px solid #8e1f3b", outlineOffset: "4px", borderRadius: "2px",
};

let typingIn = null; // the frame in which something is being typed: it is not replaced
preview(room, {
  busy: () => typingIn,
  ready(frame) {
    typeInto(frame);
    if (again) place(frame, again)?.focus();
    again = null;
  },
});
function typeInto(frame) {
  const doc = frame.contentDocument;
  if (!doc?.body || doc.body.dataset.ready || !typed()) return;
  doc.body.dataset.ready = "yes";
  const places = [...doc.querySelectorAll("[data-place]")];
  places.forEach((el, which) => {
    el.tabIndex = 0;
    el.setAttribute("role", "textbox");
    el.style.cursor = "text";
    const number = places.slice(0, which).filter((other) => other.dataset.place === "button").length;
    const name = { heading: "Heading", text: "Text, in Markdown", button: `Words of button ${number + 1}` }[el.dataset.place];
    el.setAttribute("aria-label", name);
    if (!el.textContent.trim()) {
      el.textContent = name;
      el.style.opacity = "0.55";
    }
    el.addEventListener("focus", () => type(frame, el, which, number, name));
    el.addEventListener("click", (event) => {
      event.preventDefault();
      type(frame, el, which, number, name);
    });
  });
  const adds = room.querySelector("[data-addbutton]");
  const after = places.at(-1);
  if (!adds || !after) return;
  const more = doc.createElement("button");
  more.type = "button";
  more.className = "link";
  more.textContent = "+ button";
  more.addEventListener("click", () => room.querySelector("[data-addbutton]").click());
  after.after(more);
}

function type(frame, el, which, number, name) {
  if (el.querySelector("[data-typing]")) return;
  const { path, heading, text, buttons } = typed();
  const kind = el.dataset.place;
  const before = { heading, text, button: buttons[number] }[kind] || "";
  const at = { heading: path + "/heading", text: path + "/text", button: `${path}/ending/buttons/${number}/label` }[kind];
  const shown = [...el.childNodes];
  const area = frame.contentDocument.createElement(kind === "button" ? "input" : "textarea");
  area.dataset.typing = "";
  area.dataset.fill = "text";
  area.value = before;
  area.rows = 1;
  area.setAttribute("aria-label", name);
  Object.assign(area.style, look, kind === "button" ? { width: "auto", minWidth: "8ch" } : {});
  el.style.opacity = "";
  el.replaceChildren(area);
  area.focus();
  typingIn = frame;
  besideFrame(area, frame);
  let given = false; // up
  area.addEventListener("keydown", (event) => {
    if (event.key === "Escape") given = true;
    if (event.key === "Escape" || (event.key === "Enter" && kind !== "text")) {
      event.preventDefault();
      area.blur();
    }
    if (event.altKey && event.key.toLowerCase() === "i") {
      event.preventDefault();
      toMenu();
    }
  });
  area.addEventListener("blur", () =>
    setTimeout(() => {
      const back = document.activeElement === frame && frame.contentDocument.activeElement === area;
      if (back || document.activeElement?.matches(".fillmenu")) return; // something is being filled in
      typingIn = null;
      besideFrame(null);
      const value = area.value.trim();
      el.replaceChildren(...shown);
      if (given || value === before) return;
      const next = frame.contentDocument.activeElement;
      again = next?.dataset?.place ? [...frame.contentDocument.querySelectorAll("[data-place]")].indexOf(next) : null;
      edit([value || kind === "button" ? { op: "add", path: at, value } : { op: "remove", path: at }], { whole: true });
    }),
  );
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
function store(step = true) {
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
  return store(false);
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
  store();
  focus.focus();
}

room.addEventListener("change", (event) => {
  if (event.target.dataset.fillkeys !== undefined && event.target.value) {
    fillKeys(JSON.parse(event.target.value));
    event.target.value = "";
  }
  if (event.target.matches("[data-cellof], [data-column]")) store();
  if (event.target.dataset.send !== undefined) replaceBy(event.target);
});
room.addEventListener("click", (event) => {
  if (event.target.closest("[data-addrow]")) addRow().querySelector("input").focus();
  if (event.target.closest("[data-addcolumn]")) {
    addColumn().select();
    store();
  }
  const drop = event.target.closest("[data-droprow]");
  if (drop) {
    drop.closest("tr").remove();
    store();
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
  store();
});

Alpine.start();
