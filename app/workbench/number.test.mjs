import { test } from "node:test";
import assert from "node:assert/strict";
import { commaIsDecimal, percent, readNumber } from "./number.js";

test("numbers are read as the language means them, or refused with both readings", () => {
  for (const [text, comma, want] of [
    ["", false, 0], ["3", false, 3], [" −2.5 ", false, -2.5], [".25", true, 0.25], ["+4", true, 4], ["1,5", true, 1.5], ["[2.5]", false, 2.5],
    ["[2,5]", true, 2.5],
  ])
    assert.deepEqual(readNumber(text, comma), { n: want }, text);
  assert.match(readNumber("1,5", false).why, /1\.5 or 15/);
  assert.match(readNumber("[2,5]", false).why, /2\.5 or 25/);
  for (const text of ["x", "1.23456", "1,23456", "1.5.2", "1e3", "9999999999", "1 2"]) assert.ok(readNumber(text, true).why, text);
});

test("what a comma is, by language", () => {
  assert.equal(commaIsDecimal("en"), false);
  assert.equal(commaIsDecimal("de"), true);
});

// The same cases as those of page.Percent.
test("shares are written as the server writes them", () => {
  for (const [share, want] of [
    [0, "0%"], [1e-13, "0%"], [0.0004, "<0.1%"], [0.05, "5%"], [0.198, "19.8%"], [0.9996, ">99.9%"], [1, "100%"],
  ])
    assert.equal(percent(share), want);
});
