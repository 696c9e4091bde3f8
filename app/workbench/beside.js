// Advice on the draft that takes longer than its count: it is asked for after each count, beside it, and given up for a
// newer draft.
import { assume } from "./bar.js";
import { fillIn } from "./draw.js";
import { id } from "./frame.js";

export class Beside {
  // what is the address within the quiz; doing says what is waited for; filled is called when an answer is shown.
  /** @param {string} what @param {string} doing @param {(box: any) => void} filled */
  constructor(what, doing, filled = () => {}) {
    this.what = what;
    this.doing = doing;
    this.filled = filled;
    this.asked = null; // what is on its way
    this.shownFor = ""; // the reach bar that the advice belongs to
  }

  clear(box) {
    this.asked?.abort();
    this.shownFor = "";
    fillIn(box, "");
  }

  async ask(box) {
    const bar = document.getElementById("reach").textContent;
    if (bar === this.shownFor) return;
    this.shownFor = bar;
    this.asked?.abort();
    const { signal } = (this.asked = new AbortController());
    if (!box.firstElementChild) this.tell(box, this.doing + " …");
    const answer = await this.fetched(signal);
    if (signal.aborted) return;
    if (answer.trouble) {
      this.shownFor = ""; // asked again with the next count
      return this.tell(box, answer.trouble);
    }
    fillIn(box, answer.html);
    this.filled(box);
  }

  async fetched(signal) {
    try {
      const query = new URLSearchParams({ assume: assume() });
      const response = await fetch(`/quizzes/${id}/${this.what}?${query}`, {
        signal,
        headers: { Accept: "application/json, text/html" },
      });
      if (response.ok) return { html: await response.text() }; // none where there is nothing to advise on
      return { trouble: (await response.json()).message };
    } catch {
      return { trouble: "You’re offline. This will update after your next edit." };
    }
  }

  tell(box, text) {
    const line = document.createElement("p");
    line.className = "quiet small";
    line.textContent = text;
    fillIn(box, line.outerHTML);
  }
}
