// Mend: the smallest changes with which all checks hold. One that is chosen is shown on the reach bar before it is taken.
import { assume, edit, fillIn, id, onDraw } from "/assets/workbench.js";

const box = () => document.getElementById("mend");
let asked = null;
let shownFor = ""; // the findings that the panel was drawn for

// preview lets the bar show shares that are not those of the draft; none puts it back.
function preview(shares) {
  const bar = document.getElementById("reach");
  bar.classList.toggle("previewing", Boolean(shares));
  for (const segment of bar.querySelectorAll("[data-segment]")) {
    const text = segment.querySelector(".s");
    segment.dataset.said ??= text.textContent;
    const share = shares?.[segment.dataset.key.replace("segment:", "")];
    segment.style.flexGrow = share ?? segment.dataset.grow;
    text.textContent = share === undefined ? segment.dataset.said : (100 * share).toFixed(1) + "%";
  }
}

const grow = (root) => root.querySelectorAll(".strip [data-grow]").forEach((el) => (el.style.flexGrow = el.dataset.grow));

async function ask() {
  const bar = document.getElementById("reach");
  const failing = [...bar.querySelectorAll(".finding.error")].some((el) => el.textContent.includes("no longer holds"));
  if (!failing) {
    asked?.abort();
    shownFor = "";
    return fillIn(box(), "");
  }
  if (bar.textContent === shownFor) return;
  shownFor = bar.textContent;
  asked?.abort();
  const mine = (asked = new AbortController());
  if (!box().firstElementChild) box().innerHTML = '<p class="quiet small">looking for the smallest changes …</p>';
  try {
    const response = await fetch(`/quizzes/${id}/mend?${new URLSearchParams({ assume: assume() })}`, { signal: mine.signal });
    const html = response.status === 200 ? await response.text() : "";
    if (mine.signal.aborted) return;
    fillIn(box(), html);
    grow(box());
  } catch {
    // given up for a newer draft, or not reached: it is asked again with the next count
  }
}

onDraw((root) => {
  if (root.id === "reach" || root === document) ask();
});

box().addEventListener("click", (event) => {
  const one = event.target.closest("[data-repair]");
  const take = box().querySelector("[data-takerepair]");
  if (one) {
    const again = one.getAttribute("aria-pressed") === "true";
    for (const el of box().querySelectorAll("[data-repair]")) el.setAttribute("aria-pressed", el === one && !again);
    preview(again ? null : JSON.parse(one.dataset.preview));
    take.hidden = again;
    one.after(take);
    return;
  }
  if (!event.target.closest("[data-takerepair]")) return;
  const chosen = box().querySelector('[data-repair][aria-pressed="true"]');
  if (!chosen) return;
  preview(null);
  edit(JSON.parse(chosen.dataset.repair), { whole: true });
});
