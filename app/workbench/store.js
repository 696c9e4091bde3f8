// What a window knows that its page does not show: the revision that it has, and every text that the server has not
// confirmed. It knows nothing of the page.

/** States of a text. */
export const TYPING = "typing"; // it is being typed, or waits for its field to be left
export const SENT = "sent"; // it is on its way
export const REFUSED = "refused"; // the server has not taken it: it stays where it was typed

/**
 * A text that the server has not confirmed.
 * @typedef {object} Text
 * @property {string} value what is typed
 * @property {number} base the revision that the field was drawn at when typing began
 * @property {string} place the reference that the text was begun at
 * @property {string} state
 * @property {string} [sent] what was sent last
 */

export class Store {
  /** @param {number} revision */
  constructor(revision) {
    this.revision = revision;
    /** @type {Map<string, Text>} by the place as the page names it now */
    this.texts = new Map();
    /** @type {Set<{at: string}>} places that somebody waits for */
    this.followed = new Set();
  }

  /**
   * follow keeps the name of a place current while drawings name things otherwise.
   * @param {string} at
   */
  follow(at) {
    const goal = { at };
    this.followed.add(goal);
    return goal;
  }

  /**
   * typed notes what stands in a field. base is the revision that the field was drawn at.
   * @param {string} at
   * @param {string} value
   * @param {number} base
   */
  typed(at, value, base = this.revision) {
    const text = this.texts.get(at) || { value, base, place: at, state: TYPING };
    text.value = value;
    text.state = TYPING;
    this.texts.set(at, text);
    return text;
  }

  /** @param {string} at */
  sending(at) {
    const text = this.texts.get(at);
    if (!text) return;
    text.state = SENT;
    text.sent = text.value;
  }

  /**
   * ended tells what became of a text that was sent. What was typed since stays.
   * @param {Text} text
   * @param {string} value what was sent
   * @param {boolean} stored
   */
  ended(text, value, stored) {
    for (const [at, one] of this.texts) {
      if (one !== text) continue;
      if (stored && one.value === value) this.texts.delete(at);
      else if (!stored && one.value === value) one.state = REFUSED;
      if (!stored) continue;
      if (one.sent === value) one.sent = undefined;
      Object.assign(one, { base: this.revision, place: at }); // typing goes on from what is stored
    }
  }

  /**
   * arrived tells that the server has a value that was refused before.
   * @param {string} at
   * @param {any} value
   */
  arrived(at, value) {
    if (this.texts.get(at)?.value === value) this.texts.delete(at);
  }

  /** @param {string} at */
  giveUp(at) {
    this.texts.delete(at);
  }

  /**
   * renamed follows places that a drawing names otherwise.
   * @param {(at: string) => string} next
   */
  renamed(next) {
    this.texts = new Map([...this.texts].map(([at, text]) => [next(at), text]));
    for (const goal of this.followed) goal.at = next(goal.at);
  }

  /** Whether any text has not been sent. */
  get unsent() {
    return [...this.texts.values()].some((text) => text.state === TYPING && text.sent !== text.value);
  }
}
