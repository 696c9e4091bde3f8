// A window of the workbench. docs/frontend.md says how its parts hang together; this one starts them, and is what rooms import.
import Alpine from "./vendor/alpine.js";
import { count, sayThere } from "./bar.js";
import { early, late, keepTyped } from "./behaviours.js";
import { onDraw } from "./draw.js";
import { begin, onStored, sendKept, trouble } from "./edits.js";
import { goTo, setMessages } from "./frame.js";
import { signs, switchSigns } from "./keys.js";
import { grow, menu } from "./parts.js";
import "./fields.js";
import "./mend.js";
import "./refused.js";
export { assume, onColumns } from "./bar.js";
export { behaviour, commit, name } from "./behaviours.js";
export { Beside } from "./beside.js";
export { awaitDrawing, beforeDraw, drawnAt, onDraw, refuse } from "./draw.js";
export { act, change, did, edit, history, leaveTo, rewrite, settled, shared } from "./edits.js";
export { goTo, id, random, say, store } from "./frame.js";
export { addLine, create, moved } from "./newline.js";
export { waitFor } from "./waiting.js";

window.addEventListener("beforeunload", (event) => {
  keepTyped();
  if (trouble()) event.preventDefault();
});
window.addEventListener("pagehide", keepTyped);

Alpine.data("menu", menu);
Alpine.data("bench", () => ({
  message: "",
  label: "",
  act: null,
  link: "",
  letters: signs(),
  init() {
    setMessages(this);
    const at = new URLSearchParams(location.search).get("at");
    if (at) requestAnimationFrame(() => goTo(at, true));
  },
  show({ text, label = "", act = null, link = "" }) {
    Object.assign(this, { message: text, label, act, link });
  },
  settle() {
    if (this.act) this.dismiss(); // another edit: its button would act on that one
  },
  press() {
    const { act } = this;
    this.dismiss();
    act();
  },
  dismiss() {
    Object.assign(this, { message: "", label: "", act: null });
  },
  switchKeys() {
    this.letters = !this.letters;
    switchSigns(this.letters);
  },
}));

// A page begins in its room: keys act there, and the first Tab goes on to what it holds.
if (document.activeElement === document.body) document.getElementById("room").focus({ preventScroll: true });

onDraw(grow);
onDraw((root) => root.matches?.("[data-block]") && sayThere(document));
onStored(count);
sendKept();
early();
document.addEventListener("DOMContentLoaded", late, { once: true }); // all modules have run
begin();
count();
export { Alpine };
