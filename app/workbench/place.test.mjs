// Unit tests of how places of one drawing are found in the next.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import test from "node:test";

const source = readFileSync(new URL("place.js", import.meta.url), "utf8");
const { beside, following, fresh, idIn, listOf } = await import("data:text/javascript," + encodeURIComponent(source));

test("an element that has changed is the one that is new, those that are equal stay what they are", () => {
  const next = following(["/verdicts/=a/when", "/verdicts/=b/when", "/verdicts/=c"], ["/verdicts/=a/when", "/verdicts/=x/when", "/verdicts/=c"]);
  assert.equal(next("/verdicts/=b/when/value"), "/verdicts/=x/when/value");
  assert.equal(next("/verdicts/=a"), "/verdicts/=a");
  assert.equal(next("/questions/@q/text"), "/questions/@q/text");
});

test("what is within an element that has changed is followed too", () => {
  const next = following(["/verdicts/=a/cuts/=1/from", "/verdicts/=a/cuts/=2/from"], ["/verdicts/=b/cuts/=1/from", "/verdicts/=b/cuts/=3/from"]);
  assert.equal(next("/verdicts/=a/cuts/=2/from"), "/verdicts/=b/cuts/=3/from");
});

test("where it cannot be said which is which, nothing is followed", () => {
  const next = following(["/verdicts/=a", "/verdicts/=b"], ["/verdicts/=x", "/verdicts/=y", "/verdicts/=z"]);
  assert.equal(next("/verdicts/=a"), "/verdicts/=a");
});

test("parts of a place", () => {
  assert.equal(idIn("/questions/@area/choices/@small"), "small");
  assert.equal(listOf("/questions/@area"), "/questions");
  assert.equal(beside("/questions/@area", true), "/questions/>@area");
  assert.equal(beside("/verdicts/=x.1", false), "/verdicts/<=x.1");
});

test("an id that is made is free, and where others edit too not one that they make", () => {
  assert.equal(fresh("a", ["a1", "a2", "small"]), "a3");
  assert.match(fresh("a", ["a1"], true), /^a2[a-z]{2}$/);
});
