// The Endings room: a new outcome is shown as soon as it is there; tables are edited as a sheet and stored at once.
import { Alpine, assume, commit, id, leaveTo, onColumns, onDraw, say, shownRevision } from "/assets/workbench.js";
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

// The preview is the page itself, in a frame. It is fetched anew after every count, and takes the place of the one before
// when it is there, so that nothing blinks.
const frames = () => [...room.querySelectorAll("iframe[data-preview]")];
function fit(frame) {
  frame.style.height = "200px"; // a page is at least as high as its window
  const height = frame.contentDocument?.documentElement?.scrollHeight;
  if (height) frame.style.height = Math.max(200, Math.min(height, 2400)) + "px";
}
function refresh() {
  const [shown, ...others] = frames();
  if (!shown) return;
  for (const el of others) el.remove();
  const next = shown.cloneNode();
  const address = new URL(shown.src);
  address.searchParams.set("assume", assume()); // the count that the bar has made serves it too
  next.src = address;
  next.style.cssText = "position: absolute; visibility: hidden; width: " + shown.clientWidth + "px";
  next.addEventListener("load", () => {
    next.style.cssText = "";
    fit(next);
    shown.remove();
  });
  shown.after(next);
}
onDraw((root) => {
  for (const frame of root.querySelectorAll("iframe[data-preview]")) {
    frame.addEventListener("load", () => fit(frame));
    fit(frame);
  }
});
const whatIsShown = () => `${shownRevision()} ${assume()}`;
let previewed = whatIsShown(); // the page came with a preview of this
onColumns(() => {
  if (previewed === whatIsShown()) return;
  previewed = whatIsShown();
  refresh();
});

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

function store() {
  state("saving…");
  line = line.then(async () => {
    const t = table();
    const columns = [...t.querySelectorAll("[data-column]")].map((el) => el.value);
    const rows = [...t.querySelectorAll("tbody tr")].map((tr) => [...tr.querySelectorAll("[data-cellof]")].map((el) => el.value));
    const response = await fetch(`/quizzes/${id}/tables/${t.dataset.table}`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ base: Number(t.dataset.number), columns, rows }),
    }).catch(() => null);
    if (!response) return state("no connection, not stored: change a cell to try again");
    const answer = await response.json();
    if (!response.ok) {
      state("not stored");
      return say(answer.message);
    }
    t.dataset.number = answer.number;
    for (const base of room.querySelectorAll('input[name="base"]')) base.value = answer.number;
    state("stored");
  });
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
  if (event.target.dataset.send !== undefined) event.target.form.requestSubmit();
});
room.addEventListener("click", (event) => {
  if (event.target.closest("[data-addrow]")) addRow().querySelector("input").focus();
  if (event.target.closest("[data-addcolumn]")) {
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
    th.querySelector("input").select();
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
