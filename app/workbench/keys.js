// The keys of the workbench.
import { shares } from "./bar.js";
import { behaviourOf, commit, giveBack } from "./behaviours.js";
import { history, leaveTo } from "./edits.js";
import { bench, say, store } from "./frame.js";
import { goOn, shift } from "./newline.js";

// Keys that are letters or signs act only where a list has the focus or nothing has, and can be switched off (WCAG 2.2, 2.1.4).
const keysOff = "keys:off";
export const signs = () => localStorage.getItem(keysOff) === null;
const noField = (el) => el === document.body || el.closest("#room, #rooms, #reach");

const isText = (el) => el instanceof HTMLTextAreaElement || (el instanceof HTMLInputElement && el.type !== "checkbox");

/** Each entry says when it takes a key, and what it does then. */
const keys = [
  {
    // the browser takes back what is being typed; what has been stored is ours
    when: (event, el, command) =>
      command && !event.altKey && /^[zy]$/i.test(event.key) && !(isText(el) && unstored(el)),
    act: (event) => history(event.shiftKey || event.key.toLowerCase() === "y" ? "redo" : "undo"),
  },
  {
    when: (event, el) =>
      event.altKey && /^Arrow(Up|Down)$/.test(event.key) && el.tagName !== "SELECT" && el.closest("[data-order]"),
    act: (event, el) => shift(el, event.key === "ArrowUp" ? -1 : 1),
  },
  {
    when: (event, el) => event.key === "?" && signs() && !el.matches("input, textarea, select") && noField(el),
    act: showKeys,
  },
  {
    when: (event) => event.altKey && /^[1-9]$/.test(event.key) && document.querySelectorAll("#rooms a")[event.key - 1],
    act(event, el) {
      el.blur(); // what is typed there is kept
      leaveTo(/** @type {HTMLAnchorElement} */ (document.querySelectorAll("#rooms a")[event.key - 1]).href);
    },
  },
  {
    when: (event) => event.altKey && event.key === "r",
    act: () => /** @type {HTMLElement} */ (document.querySelector("#reach button, #reach select"))?.focus(),
  },
  {
    when: (event) => event.key === "Escape" && !document.getElementById("assumed").hidden,
    act() {
      shares(false);
      /** @type {HTMLElement} */ (document.querySelector("#reach [data-shares]"))?.focus();
    },
  },
  {
    when: (event, el) => event.key === "Escape" && behaviourOf(el)?.read,
    act: (event, el) => giveBack(el) && say("What you typed here is undone."),
  },
  {
    when: (event, el) =>
      event.key === "Enter" && !event.shiftKey && !event.isComposing && behaviourOf(el)?.read && !behaviourOf(el).lines,
    act(event, el) {
      commit(el);
      goOn(el);
    },
  },
];

function unstored(el) {
  const text = store.texts.get(el.dataset.at);
  return text ? text.value !== text.sent : !el.dataset.do && el.value !== el.defaultValue;
}

document.addEventListener("keydown", (event) => {
  const el = /** @type {any} */ (event.target);
  const key = keys.find((one) => one.when(event, el, event.ctrlKey || event.metaKey));
  if (!key) return;
  event.preventDefault();
  key.act(event, el);
});

function showKeys() {
  /** @type {HTMLDialogElement} */ (document.getElementById("keys")).showModal();
}

// The guide is searched while its name is typed; what an earlier letter found never comes over what a later one did.
let asked = 0;
document.getElementById("guide-q")?.addEventListener("input", async (event) => {
  const query = /** @type {HTMLInputElement} */ (event.target).value.trim();
  const number = ++asked;
  await new Promise((done) => setTimeout(done, 120));
  if (number !== asked) return;
  const response = query && (await fetch("/guide?part=1&q=" + encodeURIComponent(query)).catch(() => null));
  const html = response && response.ok && !response.redirected ? await response.text() : "";
  if (number !== asked) return;
  document.getElementById("guide-found").innerHTML = html;
  document.getElementById("guide-here").hidden = html !== "";
  for (const link of document.querySelectorAll("#guide-found a"))
    /** @type {HTMLAnchorElement} */ (link).target = "_blank";
});

export function switchSigns(on) {
  if (on) localStorage.removeItem(keysOff);
  else localStorage.setItem(keysOff, "yes");
}

bench.addEventListener("click", (event) => {
  if (/** @type {Element} */ (event.target).closest("[data-keys]")) showKeys();
});
