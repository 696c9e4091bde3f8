// The tools of an answer: a grip to drag it by, its branch, a twin of it, its end. One set stands in the line under the pointer
// and one in the line that has the focus. A set in every line would be most of what a long script is made of.
import { act, beforeDraw, behaviour, drawnAt, onDraw } from "./workbench.js";

const room = document.getElementById("room");
const template = () => /** @type {HTMLTemplateElement} */ (document.getElementById("linetools"));
const made = () => /** @type {any[]} */ ([.../** @type {any} */ (template()?.content.cloneNode(true)?.children || [])]);
let [under, focused] = [made(), made()];

function stand(set, tr) {
  const [grip, rest] = set;
  if (!grip || grip.closest("tr") === (tr || null)) return;
  grip.remove();
  rest.remove();
  if (!tr) return;
  rest.querySelector("[data-then]").hidden = tr.querySelector(".goes[data-key]") || !("picks" in tr.parentNode.dataset);
  const holder = tr.querySelector("td > div");
  holder.prepend(grip);
  holder.append(rest);
}

// A line that the server has drawn: one that this window sketched has no room for tools yet.
const lineOf = (el) => el?.closest?.("tr.answer[data-order]:has(> .w)");

room.addEventListener("pointerover", (event) => {
  const tr = lineOf(event.target);
  if (event.buttons || document.querySelector(".ghost")) return; // a line is being dragged, or a block chosen
  stand(under, tr && tr !== focused[0]?.closest("tr") ? tr : null);
});
// While lines are drawn no tools stand in them. One that has the focus gets it back in its line.
let held = null;
beforeDraw(() => {
  const active = document.activeElement;
  const tool = focused[1]?.contains(active) && active;
  const tr = tool && lineOf(tool);
  held = tr && { tool, at: tr.dataset.at };
  stand(under, null);
  stand(focused, null);
});
onDraw(() => {
  if (!held) return stand(focused, lineOf(document.activeElement));
  const { tool, at } = held;
  held = null;
  const tr = room.querySelector(`tr.answer[data-at="${CSS.escape(at)}"]`);
  stand(focused, tr);
  if (tr) tool.focus({ preventScroll: true });
});

room.addEventListener("pointerleave", (event) => event.buttons || stand(under, null));

room.addEventListener("focusin", (event) => {
  const tr = lineOf(event.target);
  if (under[1]?.contains(event.target))
    [under, focused] = [focused, under]; // the tools under the pointer are being used
  else if (tr && tr === under[0]?.closest("tr")) stand(under, null);
  stand(focused, tr);
});
room.addEventListener(
  "focusout",
  (event) => lineOf(event.relatedTarget) || focused.some((el) => el.matches(":hover")) || stand(focused, null),
);

// A tool is about the line that it stands in.
const going = new Set();
behaviour("line.tool", {
  async press(tool, event) {
    const { at } = lineOf(tool).dataset;
    if (going.has(at)) return;
    if (tool.value === "drop") going.add(at);
    const keyboard = event.detail === 0;
    await act(tool.value, at, null, { base: drawnAt(tool), ...(keyboard ? {} : { still: true }) });
    going.delete(at);
  },
});
