// Mend: the smallest changes with which all checks hold, wherever a check is shown that does not. One that is pressed is
// shown on the bar before it is applied.
import { Beside } from "./beside.js";
import { onDraw } from "./draw.js";
import { edit } from "./edits.js";
import { percent } from "./number.js";
import { grow } from "./parts.js";

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

const asking = new WeakMap(); // by the box that is filled

function ask(box) {
  if (!asking.has(box)) asking.set(box, new Beside("mend", "Looking for the smallest fix…", grow));
  const failing = document.querySelector('#reach .finding.error[data-where^="/checks/"]');
  if (failing) asking.get(box).ask(box);
  else asking.get(box).clear(box);
}

onDraw((root) => {
  if (root.id !== "reach" && root !== document) return;
  for (const box of document.querySelectorAll("[data-mend]"))
    if (box.checkVisibility() || box.firstElementChild) ask(box);
});

document.addEventListener("click", (event) => {
  const target = /** @type {Element} */ (event.target);
  if (target.closest("[data-findings]"))
    requestAnimationFrame(() => document.querySelectorAll("#reach [data-mend]").forEach(ask));
  const box = target.closest("[data-mend]");
  const one = box && /** @type {HTMLElement} */ (target.closest("[data-repair]"));
  if (!one) return;
  if (target.closest("[data-takerepair]")) {
    preview(null);
    edit(JSON.parse(one.dataset.repair));
    return;
  }
  const shown = one.querySelector("[aria-pressed]");
  if (!target.closest("[aria-pressed]")) return;
  const again = shown.getAttribute("aria-pressed") === "true";
  for (const el of box.querySelectorAll("[aria-pressed]"))
    el.setAttribute("aria-pressed", String(el === shown && !again));
  preview(again ? null : JSON.parse(one.dataset.preview));
});
