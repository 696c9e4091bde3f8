import assert from "node:assert/strict";
import test from "node:test";
import { readFileSync } from "node:fs";

const source = readFileSync(new URL("block.js", import.meta.url), "utf8");
const { blockOf } = await import("data:text/javascript," + encodeURIComponent(source));

test("blocks of cells are read as spreadsheets copy them", () => {
  for (const [text, want] of [
    ["a\tb\nc\td\n", [["a", "b"], ["c", "d"]]],
    ['a\t"two\nlines"\nc', [["a", "two\nlines"], ["c"]]],
    ['"say ""so"""', [['say "so"']]],
    ['5" wide\tx', [['5" wide', "x"]]],
    ["a\t\tb", [["a", "", "b"]]],
    ["", [[""]]],
    ["a\r\nb", [["a"], ["b"]]],
  ])
    assert.deepEqual(blockOf(text), want, JSON.stringify(text));
});
