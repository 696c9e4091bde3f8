// The tools of an answer: a grip to drag it by, its branch, a twin of it, its end. One set stands in the line under the pointer
// and one in the line that has the focus. A set in every line would be most of what a long script is made of.
import { edit, settled } from "/assets/workbench.js";

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
  const keyboard = event.detail === 0;
  const [, question, n] = /^(.*)\/choices\/(\d+)$/.exec(tool.closest("tr").dataset.base);
  await settled();
  const body = room.querySelector(`tbody.question[data-at="${question}"]`);
  const lines = body?.querySelectorAll("tr.answer").length || 0;
  const at = (i) => `${question}/choices/${i}`;
  const next = Number(n) + 1;
  if (tool.dataset.line === "drop") edit([{ op: "remove", path: at(n) }], { whole: true, focus: keyboard && lines > 1 ? at(Math.min(n, lines - 2)) + "/label" : null });
  else edit([{ op: "copy", from: at(n), path: at(next) }, { op: "add", path: at(next) + "/id", value: body.dataset.fresh }], { whole: true, focus: keyboard ? at(next) + "/label" : null });
});
