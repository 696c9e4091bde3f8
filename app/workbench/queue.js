// The queue of edits: in order, one in flight. Each ends as stored or refused; until then it waits, and says why. A reply that was
// lost is asked for again under the same id, so that no edit is made twice, and nothing is given up but by the server's own word.

// Unreachable is the error of a request that our server did not answer: there is no connection, or something between answered in
// its place. The edit is as good as before.
export class Unreachable extends Error {}

// States of an edit.
const WAITING = "waiting";
const SENDING = "sending";
const STORED = "stored";
const REFUSED = "refused";

// How long to wait before an edit is sent again, in milliseconds: twice as long each time, up to the most.
const FIRST_WAIT = 500;
const MOST_WAIT = 8000;

export class EditQueue {
  // send(edit) resolves to the server's answer {kind, …}, or rejects with Unreachable. changed() is called after every change of the
  // queue, keep(list) is given what has not ended yet. pause(ms) resolves after so long, or earlier when wake() has been called.
  /**
   * @param {{send: (edit: any) => Promise<any>, changed?: () => void, keep?: (list: any[]) => void, pause?: (ms: number, waker: (wake: () => void) => void) => Promise<void>}} how
   */
  constructor({ send, changed = () => {}, keep = (_) => {}, pause = pauseFor }) {
    this.send = send;
    this.changed = changed;
    this.keep = keep;
    this.pause = pause;
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
    return new Promise((/** @type {(value?: any) => void} */ done) => {
      const before = last.ended;
      last.ended = (answer) => {
        before(answer);
        done();
      };
    });
  }

  // change lets f rewrite the edits that have not been sent yet.
  change(f) {
    for (const edit of this.list) if (edit.state === WAITING) f(edit);
    this.tell();
  }

  // wake sends what waits at once.
  wake() {
    this.wakeUp?.();
  }

  tell() {
    this.keep(this.list.map(({ state, ended, again, ...edit }) => edit));
    this.changed();
  }

  async run() {
    while (this.list.length) {
      const edit = this.list[0];
      const answer = await this.bring(edit);
      const again = answer.kind !== "stored" && edit.again?.(answer);
      if (again) {
        // refused for a reason that the window can do something about: it goes first again, before what counts on it
        Object.assign(edit, again);
        continue;
      }
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
  return new Promise((/** @type {(value?: any) => void} */ done) => {
    const timer = setTimeout(done, ms);
    waker(() => {
      clearTimeout(timer);
      done();
    });
  });
}
