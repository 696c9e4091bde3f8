// Unit tests of the edit queue, for node's own runner: node --test app/workbench/
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import test from "node:test";

// Browsers take the script for a module by how it is loaded; older versions of node by its name, which it does not have.
const source = readFileSync(new URL("queue.js", import.meta.url), "utf8");
const { EditQueue, Unreachable } = await import("data:text/javascript," + encodeURIComponent(source));

// A server that makes each edit once, and whose replies can be lost.
function server() {
  const made = [];
  return {
    made,
    take(edit) {
      if (!made.includes(edit.id)) made.push(edit.id);
      return { kind: "stored", revision: made.length };
    },
  };
}

const noPause = async () => {};

test("edits are sent in order, one at a time", async () => {
  const s = server();
  let inFlight = 0;
  const queue = new EditQueue({
    async send(edit) {
      assert.equal(++inFlight, 1);
      await new Promise((done) => setTimeout(done, 3));
      inFlight -= 1;
      return s.take(edit);
    },
  });
  const ended = [];
  await Promise.all([1, 2, 3, 4].map((id) => queue.push({ id }).then(() => ended.push(id))));
  assert.deepEqual(s.made, [1, 2, 3, 4]);
  assert.deepEqual(ended, [1, 2, 3, 4]);
  assert.equal(queue.waiting, 0);
});

test("a lost reply, a proxy's page and a busy server are met by sending the same edit again", async () => {
  const s = server();
  const fates = ["lost", "html", "busy", "trouble", "fine", "unsent", "fine"];
  const troubles = [];
  const queue = new EditQueue({
    pause: noPause,
    changed: () => troubles.push(queue?.trouble),
    async send(edit) {
      const fate = fates.shift();
      if (fate === "lost") {
        s.take(edit);
        throw new Unreachable("you’re offline");
      }
      if (fate === "unsent") throw new Unreachable("you’re offline");
      if (fate === "html") throw new Unreachable("the server answers 502");
      if (fate === "busy" || fate === "trouble") return { kind: fate, message: "wait" };
      return s.take(edit);
    },
  });
  const answers = await Promise.all([queue.push({ id: "a" }), queue.push({ id: "b" })]);
  assert.deepEqual(s.made, ["a", "b"]);
  assert.deepEqual(answers.map((a) => a.kind), ["stored", "stored"]);
  assert.ok(troubles.includes("the server answers 502"));
  assert.equal(queue.trouble, "");
});

test("signed out is no end: the edit waits until somebody has signed in", async () => {
  let signedIn = false;
  const queue = new EditQueue({
    pause: (_, waker) => new Promise(waker),
    async send() {
      return signedIn ? { kind: "stored" } : { kind: "signed-out", message: "Sign in." };
    },
  });
  const ended = queue.push({ id: 1 });
  await new Promise((done) => setTimeout(done, 2));
  assert.equal(queue.list[0].state, "waiting");
  assert.equal(queue.trouble, "Sign in.");
  signedIn = true;
  queue.wake();
  assert.equal((await ended).kind, "stored");
});

test("a refused edit ends, and those behind it go on", async () => {
  const queue = new EditQueue({ send: async (edit) => ({ kind: edit.id === 1 ? "refused" : "stored" }) });
  const [one, two] = await Promise.all([queue.push({ id: 1 }), queue.push({ id: 2 })]);
  assert.equal(one.kind, "refused");
  assert.equal(two.kind, "stored");
});

test("what has not ended is kept, without what cannot be written down", async () => {
  let kept = [];
  let go;
  const queue = new EditQueue({
    keep: (list) => (kept = JSON.parse(JSON.stringify(list))),
    send: () => new Promise((done) => (go = () => done({ kind: "stored" }))),
  });
  const ended = queue.push({ id: "x", patch: [] });
  assert.deepEqual(kept, [{ id: "x", patch: [] }]);
  await Promise.resolve();
  go();
  await ended;
  assert.deepEqual(kept, []);
});

test("settled waits for what is in the queue now", async () => {
  const done = [];
  const queue = new EditQueue({ send: async (edit) => (done.push(edit.id), { kind: "stored" }) });
  await queue.settled();
  queue.push({ id: 1 });
  queue.push({ id: 2 });
  await queue.settled();
  assert.deepEqual(done, [1, 2]);
});

const ids = { "/questions": ["area", "light"], "/questions/0/choices": ["small", "large"], "/questions/1/choices": ["sun"] };

test("an edit that the window can put right goes first again, before what counts on it", async () => {
  const sent = [];
  const queue = new EditQueue({
    async send(edit) {
      sent.push(edit.name);
      return edit.name === "taken" ? { kind: "refused", code: "taken_id" } : { kind: "stored" };
    },
  });
  const again = (answer) => (answer.code === "taken_id" ? { id: 3, name: "free" } : null);
  const answers = await Promise.all([queue.push({ id: 1, name: "taken", again }), queue.push({ id: 2, name: "typed into it" })]);
  assert.deepEqual(sent, ["taken", "free", "typed into it"]);
  assert.deepEqual(answers.map((a) => a.kind), ["stored", "stored"]);
});

test("what waits can be rewritten, what is on its way cannot", async () => {
  const sent = [];
  let go;
  const queue = new EditQueue({ send: (edit) => (sent.push(edit.at), new Promise((done) => (go = () => done({ kind: "stored" })))) });
  queue.push({ at: "/a" });
  queue.push({ at: "/a" });
  await Promise.resolve();
  queue.change((edit) => (edit.at = "/b"));
  go();
  await new Promise((done) => setTimeout(done));
  assert.deepEqual(sent, ["/a", "/b"]);
});
