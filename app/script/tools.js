// The tools of an answer: a grip to drag it by, its branch, a twin of it, its end. One set stands in the line under the pointer
// and one in the line that has the focus. A set in every line would be most of what a long script is made of.
import { beforeDraw, edit, onDraw, settled } from "/assets/workbench.js";

const room = document.getElementById("room");
const made = () => [...(document.getElementById("linetools")?.content.cloneNode(true).children || [])];
let [under, focused] = [made(), made()];

function stand(set, tr) {
  const [grip, rest] = set;
  if (!grip || grip.closest("tr") === (tr || null)) return;
  grip.remove();
  rest.remove();
  if (!tr) return;
  const { kindof } = tr.parentNode.dataset;
  rest.querySelector("[data-then]").hidden = tr.querySelector(".goes[data-key]") || (kindof !== "single" && kindof !== "multiple");
  const holder = tr.querySelector("td > div");
  holder.prepend(grip);
  holder.append(rest);
}

const lineOf = (el) => el?.closest?.("tr.answer[data-choice]");

room.addEventListener("pointerover", (event) => {
  const tr = lineOf(event.target);
  if (event.buttons || document.querySelector(".ghost")) return; // a line is being dragged, or a block chosen
  stand(under, tr && tr !== focused[0]?.closest("tr") ? tr : null);
});
// While lines are drawn no tools stand in them. One that has the focus gets it back in its line.
let held = null;
beforeDraw(() => {
  const tool = focused[1]?.contains(document.activeElement) && document.activeElement;
  const tr = tool && lineOf(tool);
  held = tr && { tool, question: tr.parentNode.dataset.id, choice: tr.dataset.choice };
  stand(under, null);
  stand(focused, null);
});
onDraw(() => {
  if (!held) return stand(focused, lineOf(document.activeElement));
  const { tool, question, choice } = held;
  held = null;
  stand(focused, room.querySelector(`tbody.question[data-id="${CSS.escape(question)}"] tr.answer[data-choice="${CSS.escape(choice)}"]`));
  tool.focus({ preventScroll: true });
});

room.addEventListener("pointerleave", (event) => event.buttons || stand(under, null));

room.addEventListener("focusin", (event) => {
  const tr = lineOf(event.target);
  if (under[1]?.contains(event.target)) [under, focused] = [focused, under]; // the tools under the pointer are being used
  else if (tr && tr === under[0]?.closest("tr")) stand(under, null);
  stand(focused, tr);
});
room.addEventListener("focusout", (event) => lineOf(event.relatedTarget) || focused.some((el) => el.matches(":hover")) || stand(focused, null));

room.addEventListener("click", async (event) => {
  const tool = event.target.closest("[data-line]");
  if (!tool) return;
  const drop = tool.dataset.line === "drop";
  if (drop && event.detail > 1) return; // a double click ends one line, not the next one too
  const keyboard = event.detail === 0;
  const [question, choice] = [tool.closest("tbody").dataset.id, tool.closest("tr").dataset.choice];
  await settled(); // what is on its way may move the line, or end it
  const body = room.querySelector(`tbody.question[data-id="${CSS.escape(question)}"]`);
  const lines = [...(body?.querySelectorAll("tr.answer") || [])];
  const n = lines.findIndex((tr) => tr.dataset.choice === choice);
  if (n < 0) return;
  const at = (i) => `${body.dataset.at}/choices/${i}`;
  if (drop) edit([{ op: "remove", path: at(n) }], { whole: true, focus: keyboard && lines.length > 1 ? at(Math.min(n, lines.length - 2)) + "/label" : null });
  else edit([{ op: "copy", from: at(n), path: at(n + 1) }, { op: "add", path: at(n + 1) + "/id", value: body.dataset.fresh }], { whole: true, focus: keyboard ? at(n + 1) + "/label" : null });
});
