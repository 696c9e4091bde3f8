// The tools of a question, and the kinds that it can become, are the same for every question: the page brings them once, and each
// question gets them when the window is idle, or immediately when the pointer or the focus comes to it. A long script is readable sooner.
import { onDraw } from "./workbench.js";

const room = document.getElementById("room");
const bodies = () => /** @type {any[]} */ ([...room.querySelectorAll("tbody.question")]);

/** @param {any} body */
function furnish(body) {
  const holder = body.querySelector("[data-tools]");
  const template = /** @type {HTMLTemplateElement} */ (document.getElementById("questiontools"));
  if (!holder || !template || holder.firstElementChild) return;
  const [kinds, tools] = /** @type {any} */ (template.content.cloneNode(true)).children;
  if (!tools?.firstElementChild) return; // someone who only reads
  const number = body.querySelector(".station").textContent;
  for (const button of tools.querySelectorAll("button")) {
    button.setAttribute("aria-label", button.getAttribute("aria-label").replace("question", "question " + number));
    if (button.dataset.do.startsWith("act:")) button.dataset.at = body.dataset.at;
  }
  const all = bodies();
  tools.querySelector("[data-do=up]").disabled = all[0] === body;
  tools.querySelector("[data-do=down]").disabled = all.at(-1) === body;
  holder.append(...tools.children);
  const menu = body.querySelector("select[id^=kind-]");
  const chosen = menu.value;
  for (const option of [...kinds.options]) if (option.value !== chosen) menu.append(option);
  const order = [...template.content.querySelectorAll("option")].map((option) => option.value);
  menu.append(...[...menu.options].sort((a, b) => order.indexOf(a.value) - order.indexOf(b.value)));
  menu.value = chosen;
}

for (const type of ["pointerover", "focusin"])
  room.addEventListener(type, (event) => {
    const body = event.target.closest?.("tbody.question");
    if (body) furnish(body);
  });

// What an answer is for stands in its field while it is empty.
room.addEventListener("input", (event) => {
  const { target } = event;
  if (target.matches?.('textarea[data-enter="answer"]') && !target.value && !target.placeholder)
    target.placeholder = "An answer";
});

// Some at a time, so that no one waits for it who types.
const idle = window.requestIdleCallback || ((f) => setTimeout(f, 50));
const each = 6;
function rest() {
  const left = bodies().filter((body) => body.querySelector("[data-tools]:empty"));
  for (const body of left.slice(0, each)) furnish(body);
  if (left.length > each) idle(rest);
}

// The languages that the quiz can be in come as codes; the browser knows their names.
function languages() {
  const menu = /** @type {any} */ (room.querySelector("select[data-languages]"));
  if (!menu || menu.options.length > 1) return;
  const names = new Intl.DisplayNames(["en"], { type: "language" });
  const chosen = menu.value;
  const options = menu.dataset.languages
    .split(",")
    .filter((code) => code !== chosen)
    .map((code) => new Option(names.of(code), code));
  menu.append(...options);
}

onDraw((root) => {
  if (root === document || root.id === "room" || root.dataset?.block === "wholequiz") idle(languages);
  if (root === document) idle(rest);
  else if (root.matches?.("tbody.question")) furnish(root);
  else if (root.id === "room") bodies().forEach(furnish);
});
