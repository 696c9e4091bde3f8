// Mend: the smallest changes with which all checks hold. One that is chosen is shown on the bar before it is taken.
import { percent } from "./number.js";
import { grow } from "./parts.js";
import { Beside, edit, onDraw } from "./workbench.js";

const box = () => document.getElementById("mend");

// preview lets the bar show shares that are not those of the draft; none puts it back.
function preview(shares) {
  const bar = document.getElementById("reach");
  bar.classList.toggle("previewing", Boolean(shares));
  for (const segment of bar.querySelectorAll("[data-segment]")) {
    const text = segment.querySelector(".s");
    segment.dataset.said ??= text.textContent;
    const share = shares?.[segment.dataset.key.replace("segment:", "")];
    segment.style.flexGrow = share ?? segment.dataset.grow;
    text.textContent = share === undefined ? segment.dataset.said : percent(share);
  }
}

const mending = new Beside("mend", "looking for the smallest changes", grow);
onDraw((root) => {
  if (root.id !== "reach" && root !== document) return;
  const failing = document.querySelector('#reach .finding.error[data-where^="/checks/"]');
  if (failing) mending.ask(box());
  else mending.clear(box());
});

box().addEventListener("click", (event) => {
  const one = event.target.closest("[data-repair]");
  const take = box().querySelector("[data-takerepair]");
  if (one) {
    const again = one.getAttribute("aria-pressed") === "true";
    for (const el of box().querySelectorAll("[data-repair]")) el.setAttribute("aria-pressed", String(el === one && !again));
    preview(again ? null : JSON.parse(one.dataset.preview));
    take.hidden = again;
    one.after(take);
    return;
  }
  if (!event.target.closest("[data-takerepair]")) return;
  const chosen = box().querySelector('[data-repair][aria-pressed="true"]');
  if (!chosen) return;
  preview(null);
  edit(JSON.parse(chosen.dataset.repair));
});
