// The queue of edits: in order, one in flight. Each ends as stored or refused; until then it waits, and says why. A reply that was
// lost is asked for again under the same id, so that no edit is made twice, and nothing is given up but by the server's own word.

// Unreachable is the error of a request that our server did not answer: there is no connection, or something between answered in
// its place. The edit is as good as before.
export class Unreachable extends Error {}

// States of an edit.
export const WAITING = "waiting";
export const SENDING = "sending";
export const STORED = "stored";
export const REFUSED = "refused";

// How long to wait before an edit is sent again, in milliseconds: twice as long each time, up to the most.
const FIRST_WAIT = 500;
const MOST_WAIT = 8000;

export class EditQueue {
  // send(edit) resolves to the server's answer {kind, …}, or rejects with Unreachable. changed() is called after every change of the
  // queue, keep(list) is given what has not ended yet. pause(ms) resolves after so long, or earlier when wake() has been called.
  constructor({ send, changed = () => {}, keep = () => {}, pause = pauseFor }) {
    Object.assign(this, { send, changed, keep, pause });
    this.list = [];
    this.trouble = ""; // why the first edit waits; "" when it does not
    this.running = null;
    this.wakeUp = null;
  }

  // push puts an edit at the end and resolves, when it has ended, to the server's answer.
  push(edit) {
    return new Promise((ended) => {
      this.list.push({ ...edit, state: WAITING, ended });
      this.tell();
      this.running ??= this.run();
    });
  }

  get waiting() {
    return this.list.length;
  }

  // settled resolves when everything that is in the queue now has ended.
  settled() {
    const last = this.list.at(-1);
    if (!last) return Promise.resolve();
    return new Promise((done) => {
      const before = last.ended;
      last.ended = (answer) => {
        before(answer);
        done();
      };
    });
  }

  // wake sends what waits at once.
  wake() {
    this.wakeUp?.();
  }

  tell() {
    this.keep(this.list.map(({ state, ended, ...edit }) => edit));
    this.changed();
  }

  async run() {
    while (this.list.length) {
      const edit = this.list[0];
      const answer = await this.bring(edit);
      edit.state = answer.kind === "stored" ? STORED : REFUSED;
      this.list.shift();
      this.tell();
      edit.ended(answer);
      await Promise.resolve(); // whoever waited for it comes first
    }
    this.running = null;
  }

  // bring sends an edit until the server has taken it or refused it.
  async bring(edit) {
    for (let wait = FIRST_WAIT; ; wait = Math.min(2 * wait, MOST_WAIT)) {
      edit.state = SENDING;
      this.changed();
      try {
        const answer = await this.send(edit);
        if (answer.kind !== "busy" && answer.kind !== "trouble" && answer.kind !== "signed-out") {
          this.trouble = "";
          return answer;
        }
        this.trouble = answer.message;
      } catch (error) {
        if (!(error instanceof Unreachable)) throw error;
        this.trouble = error.message;
      }
      edit.state = WAITING;
      this.changed();
      await this.pause(wait, (wakeUp) => (this.wakeUp = wakeUp));
      this.wakeUp = null;
    }
  }
}

function pauseFor(ms, waker) {
  return new Promise((done) => {
    const timer = setTimeout(done, ms);
    waker(() => {
      clearTimeout(timer);
      done();
    });
  });
}

// linesOf lists the lines that a JSON Pointer goes through: the place of each list, and the number in it.
export function linesOf(path) {
  const parts = path.split("/");
  const out = [];
  for (let i = 2; i < parts.length; i++) if (/^\d+$/.test(parts[i])) out.push([parts.slice(0, i).join("/"), Number(parts[i])]);
  return out;
}

// withTests puts before a patch what it counts on: the ids of the lines that it names by their number. ids are those of the lists that
// the window showed when the edit was made. Lines of a list that the patch itself has moved are counted from there: they are left out.
export function withTests(patch, ids) {
  const tests = new Map();
  const moved = new Set();
  for (const op of patch) {
    if (op.op === "test") continue;
    for (const place of [op.from, op.path].filter(Boolean)) {
      const lines = linesOf(place);
      const into = place === op.path && op.op !== "remove" && op.op !== "replace";
      for (const [n, [list, at]] of lines.entries()) {
        const itself = n === lines.length - 1 && place === `${list}/${at}`;
        if (itself && into) continue; // a line that comes in there
        const id = ids[list]?.[at];
        if (id !== undefined && !moved.has(list)) tests.set(`${list}/${at}/id`, id);
      }
    }
    for (const place of [op.from, op.path].filter(Boolean)) {
      const list = place.slice(0, place.lastIndexOf("/"));
      if (/^(\d+|-)$/.test(place.slice(list.length + 1)) && op.op !== "replace") moved.add(list);
    }
  }
  return [...[...tests].map(([path, value]) => ({ op: "test", path, value })), ...patch];
}

// stable names a place by the ids of its lines instead of their numbers: it stays the same when lines move.
export function stable(path, ids) {
  const parts = path.split("/");
  const named = [...parts];
  for (let i = 2; i < parts.length; i++) {
    if (!/^\d+$/.test(parts[i])) continue;
    const id = ids[parts.slice(0, i).join("/")]?.[Number(parts[i])];
    if (id !== undefined) named[i] = "=" + id;
  }
  return named.join("/");
}
