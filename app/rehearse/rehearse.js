// The Rehearse room: one walk in two frames, with what counts beside it. The place of the walk is a token; whichever frame goes on,
// the other one follows, and what stands beside is asked for anew.
import { Alpine, edit, id, onDraw, say } from "./workbench.js";
import { copy } from "./parts.js";
import { stage } from "./stage.js";

const root = document.getElementById("rehearse");
const frames = () => [...document.querySelectorAll("iframe[data-stage]")];
let token = root?.dataset.token;

const address = (w) => `${root.dataset.home}?w=${encodeURIComponent(w)}`;
const placeOf = (frame) =>
  new URL(frame.contentWindow.location.href).searchParams.get("w") ||
  frame.contentDocument.querySelector('input[name="w"]')?.value;

// follow takes a place: frames that are elsewhere go there.
function follow(w, from = null) {
  token = w;
  for (const frame of frames()) if (frame !== from) frame.contentWindow.location.replace(address(w));
  beside();
}

// The check that is shown, until another place is chosen: what is walked then can take its place.
let check = "";

let asking = null;
async function beside() {
  asking?.abort();
  const mine = (asking = new AbortController());
  const answer = await ask("side", { w: token, check }, mine.signal);
  if (!answer || mine.signal.aborted) return;
  if (answer.message) return say(answer.message);
  document.getElementById("side").innerHTML = answer.side;
  const fields = document.querySelector("[data-pretend]").elements;
  for (const [name, value] of Object.entries(answer.pretended))
    if (fields[name] !== document.activeElement) fields[name].value = value;
}

async function ask(what, query, signal) {
  const response = await fetch(`/quizzes/${id}/rehearse/${what}?${new URLSearchParams(query)}`, {
    signal,
    headers: { Accept: "application/json" },
  }).catch(() => null);
  return response ? response.json().catch(() => null) : null;
}

// go asks for another place and takes both frames there.
async function go(query) {
  const answer = await ask("go", { w: token, ...query });
  if (!answer) return say("Can’t reach the server. Try again in a moment.");
  if (answer.message) say(answer.message);
  if (!query.pretend && !query.keep) check = query.check || "";
  if (answer.token && answer.token !== token) follow(answer.token);
}

function listen(frame) {
  frame.addEventListener("load", () => {
    if (frame.contentWindow.location.href === "about:blank") return;
    const w = placeOf(frame);
    if (w && w !== token) follow(w, frame);
    const page = frame.contentDocument;
    for (const kind of ["pointerover", "focusin"]) page.addEventListener(kind, whatIf);
    page.addEventListener("pointerleave", () => whatIf({ target: page.body }));
  });
}

// What the answer under the pointer would do, asked for once for each.
const known = new Map();
let pointed = null;
async function whatIf({ target }) {
  const input = target.closest?.("label")?.querySelector("input[type=radio], input[type=checkbox]");
  const key = input ? [token, input.name, input.value].join("\n") : null;
  if (key === pointed) return;
  pointed = key;
  if (!key) return tellWhatIf("Hover over an answer to see its effect.");
  if (!known.has(key)) known.set(key, ask("what", { w: token, field: input.name, value: input.value }));
  const answer = await known.get(key);
  if (pointed === key && answer?.says) tellWhatIf(answer.says);
}
function tellWhatIf(text) {
  const line = document.getElementById("whatif");
  if (line) line.textContent = text;
}

if (root) {
  for (const frame of frames()) {
    listen(frame);
    frame.src = address(token);
    stage(frame);
  }
  beside();
}

const queryOf = (text) => Object.fromEntries(new URLSearchParams(text));
const room = document.getElementById("room");

room.addEventListener("click", async (event) => {
  const made = event.target.closest("[data-copylink]");
  if (made) return copy(made, room.querySelector("[data-link]").href);
  const button = event.target.closest("[data-go], [data-propose]");
  if (!button) return;
  if (button.dataset.go) return go(queryOf(button.dataset.go));
  button.disabled = true;
  const answer = await ask("propose", { of: button.dataset.propose });
  button.disabled = false;
  if (answer?.patch) edit(answer.patch);
  else say(answer?.message || "Can’t reach the server. Try again in a moment.");
});

room.addEventListener("change", (event) => {
  const el = event.target;
  if (el.dataset.goto !== undefined && el.value) {
    go({ ...queryOf(el.value), ...(el.dataset.goto === "keep" ? { keep: "1" } : {}) });
    el.value = "";
  }
  if (el.closest("[data-pretend]")) go({ pretend: "1", [el.name]: el.value });
});

room.addEventListener("submit", async (event) => {
  const form = event.target;
  if (form.matches("[data-pretend]")) return event.preventDefault();
  if (form.dataset.keep === undefined) return;
  event.preventDefault();
  const kept = JSON.parse(form.dataset.keep);
  kept.name = form.elements.name.value.trim();
  kept.expect = {};
  for (const box of form.querySelectorAll("input[type=checkbox]:checked"))
    kept.expect[box.name] = JSON.parse(box.dataset.value);
  if (!Object.keys(kept.expect).length) return say("Tick at least one expected result.");
  const patch = keeping(kept, event.submitter?.dataset.instead);
  if (patch && (await edit(patch))) {
    say(`Check “${kept.name}” saved. It runs after every edit.`);
    document.getElementById("checks").scrollIntoView({ block: "nearest" });
  }
});

// keeping is the patch that keeps a check: as another one, or in the place of one that is there.
function keeping(kept, instead) {
  if (!instead) return [{ op: "add", path: "/checks/-", value: kept }];
  const line = document.querySelector(`#checks [data-go="check=${CSS.escape(instead)}"]`)?.closest("[data-at]");
  if (!line) return void say("This check no longer exists. Save it as a new check.");
  const path = line.dataset.at;
  return [{ op: "replace", path, value: { ...kept, id: instead } }];
}

// Which edit broke a check is looked up once it is seen to fail.
const broke = new Map();
onDraw((drawn) => {
  for (const line of drawn.querySelectorAll?.("[data-since]") || []) {
    const check = line.dataset.since;
    if (!broke.has(check)) broke.set(check, ask("since/" + check, {}));
    broke.get(check).then((answer) => answer?.says && (line.textContent = answer.says));
  }
  for (const line of document.querySelectorAll("#checks .keptline.holds"))
    broke.delete(line.querySelector("[data-go]")?.dataset.go.slice("check=".length));
});

const made = room.querySelector("[data-link]");
if (made) made.textContent = made.href;

// An edit is seen at the next step; what counts beside it is asked for anew.
let first = true;
onDraw((drawn) => {
  if (first || drawn.id !== "checks" || !root) return void (first = false);
  known.clear();
  beside();
});

Alpine.start();
