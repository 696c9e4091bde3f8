// Unit tests of what a window keeps of texts that the server has not confirmed, and a property: whatever order typing, drawing and
// answers come in, the last words of every field are kept until the server has them.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import test from "node:test";

const source = readFileSync(new URL("store.js", import.meta.url), "utf8");
const { REFUSED, SENT, Store, TYPING } = await import("data:text/javascript," + encodeURIComponent(source));

test("a text is kept until the server has it", () => {
  const store = new Store(3);
  const text = store.typed("/name", "a", 3);
  store.typed("/name", "ab", 9);
  assert.deepEqual({ ...text }, { value: "ab", base: 3, place: "/name", state: TYPING });
  store.sending("/name");
  assert.equal(text.state, SENT);
  store.ended(text, "ab", true);
  assert.equal(store.texts.size, 0);
});

test("what was typed while it was on its way goes on from what is stored", () => {
  const store = new Store(3);
  const text = store.typed("/verdicts/=a/name", "a");
  store.sending("/verdicts/=a/name");
  store.typed("/verdicts/=a/name", "abc");
  store.revision = 4;
  store.renamed((at) => at.replace("=a", "=b"));
  store.ended(text, "a", true);
  const now = store.texts.get("/verdicts/=b/name");
  assert.deepEqual([now.value, now.base, now.place], ["abc", 4, "/verdicts/=b/name"]);
});

test("what is refused stays where it was typed", () => {
  const store = new Store(1);
  const text = store.typed("/url", "no address");
  store.sending("/url");
  store.ended(text, "no address", false);
  assert.equal(store.texts.get("/url").state, REFUSED);
  assert.equal(store.texts.get("/url").value, "no address");
});

// A generator of the size of a line (mulberry32), so that a failing seed can be run again.
function random(seed) {
  return () => {
    seed = (seed + 0x6d2b79f5) | 0;
    let t = Math.imul(seed ^ (seed >>> 15), 1 | seed);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

test("property: no words are lost", () => {
  for (let seed = 1; seed <= 300; seed++) {
    const next = random(seed);
    const store = new Store(1);
    const server = new Map();
    const last = new Map(); // what was typed last, by the name that the place has on the server
    const flight = [];
    let names = new Map(["a", "b", "c"].map((n) => [n, "/list/=" + n]));
    const send = (key) => {
      const at = names.get(key);
      const text = store.texts.get(at);
      if (!text || text.value === text.sent) return;
      store.sending(at);
      flight.push({ key, text, value: text.value });
    };
    for (let step = 0; step < 40; step++) {
      const key = ["a", "b", "c"][Math.floor(next() * 3)];
      const what = next();
      if (what < 0.45) {
        const words = `${seed}.${step}`;
        store.typed(names.get(key), words);
        last.set(key, words);
      } else if (what < 0.65) send(key);
      else if (what < 0.85 && flight.length) {
        const { key: of, text, value } = flight.shift();
        server.set(of, value);
        store.revision += 1;
        const renamed = new Map(names);
        renamed.set(of, names.get(of) + "\u2019"); // its print changes with it
        store.renamed((at) => (at === names.get(of) ? renamed.get(of) : at));
        names = renamed;
        store.ended(text, value, true);
      }
      for (const [of, words] of last) {
        const kept = store.texts.get(names.get(of));
        assert.equal(kept ? kept.value : server.get(of), words, `seed ${seed}, step ${step}`);
      }
    }
  }
});
