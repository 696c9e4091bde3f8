import { test } from "node:test";
import assert from "node:assert/strict";
import { Steps } from "./steps.js";

test("undo takes back what was done last, in the document or beside it", async () => {
  const said = [];
  const steps = new Steps((text) => said.push(text));
  const log = [];
  const beside = (name) => steps.did(name, () => log.push("-" + name), () => log.push("+" + name));
  // server stands for the edits that the server takes back.
  const undo = (step) => steps.take(step) || (steps.moved(step), log.push((step === "undo" ? "-" : "+") + "edit"));
  steps.edited();
  beside("table");
  steps.edited();
  for (const step of ["undo", "undo", "redo", "undo", "undo", "redo", "redo", "redo"]) await undo(step);
  assert.deepEqual(log, ["-edit", "-table", "+table", "-table", "-edit", "+edit", "+table", "+edit"]);
  assert.equal(said[0], "table undone.");
  beside("share");
  assert.equal(steps.can("undo"), true);
  assert.equal(steps.can("redo"), false);
  await undo("undo");
  assert.equal(steps.can("redo"), true);
  steps.edited();
  assert.equal(steps.can("redo"), false, "what is done now ends what could be made again");
});

test("edits of before this window are the server's", () => {
  const steps = new Steps(() => {});
  assert.equal(steps.take("undo"), null);
  steps.moved("undo");
  assert.equal(steps.take("redo"), null);
});
