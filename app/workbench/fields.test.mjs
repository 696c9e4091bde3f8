import { test } from "node:test";
import assert from "node:assert/strict";
import { readFile } from "node:fs/promises";

// The function alone: the rest of the file needs a page.
const source = await readFile(new URL("./fields.js", import.meta.url), "utf8");
const from = source.indexOf("export function insertion");
const text = source.slice(from, source.indexOf("\n}\n", from) + 3);
const { insertion } = await import("data:text/javascript," + encodeURIComponent(text));

test("a field is handed over as a parameter at the end of an address, by its name in braces elsewhere", () => {
  const put = (kind, before, after, name, param) => {
    const { text, from, to } = insertion(kind, before, after, name, param);
    return [text, text.slice(from, to)];
  };
  assert.deepEqual(put("text", "Hello ", "!", "who"), ["{who}", ""]);
  assert.deepEqual(put("address", "https://a.example/", "", "contact.email", "email"), ["?email={contact.email}", "email"]);
  assert.deepEqual(put("address", "https://a.example/?x=1", "", "scale.fit", "fit"), ["&fit={scale.fit}", "fit"]);
  assert.deepEqual(put("address", "https://a.example/?", "", "q-7", "how_large"), ["how_large={q-7}", "how_large"]);
  assert.deepEqual(put("address", "https://a.example/", "/thanks", "area"), ["{area}", ""]);
  assert.deepEqual(put("address", "https://a.example/?size=", "", "q-7", "how_large"), ["{q-7}", ""], "the parameter has a name");
  assert.deepEqual(put("text", "Hello {?", "}, you{/}", "who"), ["who", ""], "the braces are there");
  assert.deepEqual(put("text", "Hello {?", "", "who"), ["who}", ""]);
});
