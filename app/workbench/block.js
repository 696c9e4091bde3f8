// blockOf reads a block of cells as spreadsheets copy it: tabs between cells, lines between rows, quotes around cells that have
// lines of their own.
/** @param {string} text @returns {string[][]} */
export function blockOf(text) {
  const rows = [[]];
  const one = /(?:"((?:[^"]|"")*)"(?=[\t\n]|$)|([^\t\n]*))(\t|\n|$)/y;
  text = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  while (one.lastIndex <= text.length) {
    const [, quoted, plain, end] = one.exec(text);
    rows.at(-1).push(quoted === undefined ? plain : quoted.replaceAll('""', '"'));
    if (end === "\n") rows.push([]);
    else if (end === "") break;
  }
  return rows;
}
