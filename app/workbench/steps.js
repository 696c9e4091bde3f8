// What a window has done, in order: edits of the document, which the server takes back, and steps beside it, which the window takes back
// itself. Undo takes back what was done last, wherever that was.

const EDIT = "edit";

export class Steps {
  #say;
  #done = []; // EDIT, or a step: its name, and how it is taken back and made again
  #undone = [];

  constructor(say) {
    this.#say = say;
  }

  edited() {
    this.#done.push(EDIT);
    this.#undone = [];
  }

  did(name, back, forth) {
    this.#done.push({ name, back, forth });
    this.#undone = [];
  }

  // can reports whether a step beside the document could be next: then the button is not dead.
  can(step) {
    const top = (step === "undo" ? this.#done : this.#undone).at(-1);
    return Boolean(top) && top !== EDIT;
  }

  // take takes back, or makes again, a step beside the document if that is what was done last; else it returns nothing, and the server is
  // to be asked.
  take(step) {
    if (!this.can(step)) return null;
    const [from, to] = step === "undo" ? [this.#done, this.#undone] : [this.#undone, this.#done];
    const top = from.pop();
    to.push(top);
    return Promise.resolve(step === "undo" ? top.back() : top.forth()).then(() =>
      this.#say(`${top.name} ${step === "undo" ? "undone" : "redone"}.`),
    );
  }

  // moved tells that the server has taken an edit back, or made it again.
  moved(step) {
    const [from, to] = step === "undo" ? [this.#done, this.#undone] : [this.#undone, this.#done];
    if (from.at(-1) === EDIT) from.pop();
    to.push(EDIT);
  }
}
