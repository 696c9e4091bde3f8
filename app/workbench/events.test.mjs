// Unit tests of the connection that tells of others' edits.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import test from "node:test";

const source = readFileSync(new URL("events.js", import.meta.url), "utf8");
const { CLOSED, Events, FAILED, OPEN, OPENING } = await import("data:text/javascript," + encodeURIComponent(source));

class FakeSource {
  static CLOSED = 2;
  static made = [];
  readyState = 1;
  constructor(address) {
    this.address = address;
    FakeSource.made.push(this);
  }
  close() {
    this.readyState = FakeSource.CLOSED;
  }
  fail(finally_) {
    if (finally_) this.readyState = FakeSource.CLOSED;
    this.onerror();
  }
}

function events() {
  FakeSource.made = [];
  const heard = [];
  const told = (revision, again) => heard.push([revision, again]);
  return { heard, it: new Events({ address: "/events", told, changed() {}, Source: FakeSource }) };
}

test("a window that is hidden closes it, and opens another when it is seen again", () => {
  const { it, heard } = events();
  it.open();
  it.open();
  assert.equal(FakeSource.made.length, 1);
  assert.equal(it.state, OPENING);
  it.close();
  assert.equal(it.state, CLOSED);
  assert.equal(FakeSource.made[0].readyState, FakeSource.CLOSED);
  it.open();
  FakeSource.made[1].onmessage({ data: "7" });
  FakeSource.made[0].onmessage({ data: "6" }); // late, from the one that was closed
  assert.deepEqual(heard, [[7, false]]);
  assert.equal(it.state, OPEN);
});

test("after a failure it says so once, and opens again where the browser has given up", () => {
  const { it, heard } = events();
  it.open();
  FakeSource.made[0].fail(false);
  assert.equal(it.state, FAILED);
  it.open(); // the browser is trying
  assert.equal(FakeSource.made.length, 1);
  FakeSource.made[0].fail(true);
  it.open();
  assert.equal(FakeSource.made.length, 2);
  assert.equal(it.state, FAILED, "until it is there");
  FakeSource.made[1].onmessage({ data: "3" });
  FakeSource.made[1].onmessage({ data: "4" });
  assert.deepEqual(heard, [[3, true], [4, false]]);
});
