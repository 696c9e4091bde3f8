// Further languages: choosing one opens its texts, and a column of a spreadsheet can be pasted.
import { behaviour, edit, id, store } from "./workbench.js";

const room = document.getElementById("room");

behaviour("language", {
  async choose(el) {
    const chosen = el.selectedOptions[0];
    if (!chosen.dataset.patch) return;
    await edit(JSON.parse(chosen.dataset.patch));
    location.assign(`/quizzes/${id}/script?${new URLSearchParams({ view: "languages", in: chosen.value })}`);
  },
});

// cellsOf reads a column as spreadsheets copy it: lines, quoted where a cell has lines of its own.
export function cellsOf(text) {
  const cells = [];
  const one = /(?:"((?:[^"]|"")*)"|([^\t\n]*))(?:\t[^\n]*)?(?:\n|$)/y;
  text = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  while (one.lastIndex < text.length) {
    const found = one.exec(text);
    if (!found) return text.split("\n");
    cells.push(found[1] !== undefined ? found[1].replaceAll('""', '"') : found[2]);
  }
  return cells;
}

room.addEventListener("paste", (event) => {
  const first = /** @type {any} */ (event.target).closest('[data-do="translation"]');
  const text = event.clipboardData.getData("text/plain");
  if (!first || !text.includes("\n")) return;
  if (first.selectionStart !== first.selectionEnd && first.selectionEnd - first.selectionStart < first.value.length)
    return;
  if (first.value && first.selectionStart === first.selectionEnd) return; // lines into the words that are there
  const cells = cellsOf(text);
  const fields = [...first.closest("table").querySelectorAll('[data-do="translation"]')];
  const from = fields.indexOf(first);
  if (cells.length < 2) return;
  event.preventDefault();
  const ops = [];
  cells.slice(0, fields.length - from).forEach((cell, n) => {
    const { at, of } = fields[from + n].dataset;
    if (!cell.trim()) return;
    store.giveUp(at);
    ops.push({ op: "add", path: at, value: { text: cell, ...(of && { of }) } });
  });
  if (ops.length) edit(ops, { focus: first.dataset.at });
});
