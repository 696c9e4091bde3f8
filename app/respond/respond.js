// Respondents' pages work without this; with it a single choice goes on by itself, number keys choose, long lists are searched,
// and questions appear as answers bring them up.
const form = document.querySelector("form[data-ask]");

function exclusive(input) {
  if (input.type !== "checkbox" || !input.checked) return;
  for (const other of form.querySelectorAll(`input[type="checkbox"][name="${CSS.escape(input.name)}"]`))
    if (other !== input && ("alone" in input.dataset || "alone" in other.dataset)) other.checked = false;
}

// A choice with a fill-in shows it; the others hide it.
function fillIns() {
  for (const line of form.querySelectorAll(".other")) {
    const choice = line.previousElementSibling;
    const box = choice?.querySelector?.("input");
    if (box) line.hidden = !box.checked;
  }
}

// A ranking is a menu for each place. Here it becomes a list: pressing an answer gives it the next place, pressing it
// again takes it away, and two buttons move it. The menus stay what is sent.
function ranking(list) {
  const menus = [...list.querySelectorAll("select")];
  const answers = [...menus[0].options]
    .slice(1)
    .map((o) => ({ id: o.value, label: o.text, picture: o.dataset.picture }));
  const rows = document.createElement("ul");
  rows.className = "ranked";
  const button = (text, name, press) => {
    const made = Object.assign(document.createElement("button"), {
      type: "button",
      className: "move",
      textContent: text,
    });
    made.setAttribute("aria-label", name);
    made.addEventListener("click", press);
    return made;
  };
  let order = menus.map((menu) => menu.value).filter(Boolean);
  const set = (next, focus) => {
    order = next;
    menus.forEach((menu, i) => (menu.value = order[i] || ""));
    draw();
    rows.querySelector(`[data-id="${CSS.escape(focus)}"] .choice`)?.focus();
    menus[0].dispatchEvent(new Event("change", { bubbles: true }));
  };
  const swap = (at, by) => {
    const next = [...order];
    [next[at], next[at + by]] = [next[at + by], next[at]];
    set(next, order[at]);
  };
  const row = (answer) => {
    const at = order.indexOf(answer.id);
    const full = at < 0 && order.length === menus.length;
    const made = document.createElement("li");
    made.dataset.id = answer.id;
    const choice = Object.assign(document.createElement("button"), {
      type: "button",
      className: "choice",
      disabled: full,
    });
    choice.setAttribute("aria-pressed", String(at >= 0));
    const place = Object.assign(document.createElement("b"), {
      className: "place",
      textContent: at < 0 ? "" : String(at + 1),
    });
    const label = Object.assign(document.createElement("span"), { textContent: answer.label });
    choice.append(place);
    if (answer.picture) choice.append(Object.assign(document.createElement("img"), { src: answer.picture, alt: "" }));
    choice.append(label);
    choice.addEventListener("click", () =>
      set(at < 0 ? [...order, answer.id] : order.filter((id) => id !== answer.id), answer.id),
    );
    made.append(choice);
    if (at > 0) made.append(button("↑", list.dataset.up.replace("{1}", answer.label), () => swap(at, -1)));
    if (at >= 0 && at < order.length - 1)
      made.append(button("↓", list.dataset.down.replace("{1}", answer.label), () => swap(at, 1)));
    return made;
  };
  const draw = () => {
    const ranked = order.map((id) => answers.find((a) => a.id === id));
    rows.replaceChildren(...[...ranked, ...answers.filter((a) => !order.includes(a.id))].map(row));
  };
  draw();
  list.hidden = true;
  const hint = Object.assign(document.createElement("p"), { className: "help", textContent: list.dataset.hint });
  list.after(hint, rows);
}

let asking = null;
async function look() {
  asking?.abort();
  asking = new AbortController();
  const data = new FormData(form);
  data.set(".look", "yes");
  // A newer answer ends this request, be it before the head or amid the body.
  const text = await fetch(form.action, { method: "POST", body: data, signal: asking.signal })
    .then((response) => (response.ok ? response.text() : null))
    .catch(() => null);
  if (text === null) return;
  const fresh = new DOMParser().parseFromString(text, "text/html");
  const next = fresh.getElementById("questions");
  const now = document.getElementById("questions");
  if (!next || !now) return;
  const had = new Map([...now.children].map((el) => [el.dataset.q, el]));
  const order = [...next.children].map((el) => had.get(el.dataset.q) || el);
  for (const el of [...now.children]) if (!order.includes(el)) el.remove();
  order.forEach((el, i) => now.children[i] !== el && now.insertBefore(el, now.children[i] || null));
  for (const name of ["w", ".shown"]) {
    const field = fresh.querySelector(`form[data-ask] input[name="${name}"]`);
    if (field) form.querySelector(`input[name="${name}"]`).value = field.value;
  }
  rankings();
  fillIns();
}

const rankings = () => form.querySelectorAll("[data-ranking]:not([hidden])").forEach(ranking);

if (form) {
  let pointer = false;
  form.addEventListener("pointerdown", () => (pointer = true));
  form.addEventListener("change", (event) => {
    const input = event.target;
    exclusive(input);
    fillIns();
    if ("again" in form.dataset) return look();
    if (
      "advance" in form.dataset &&
      input.type === "radio" &&
      pointer &&
      !input.closest("label").nextElementSibling?.matches(".other")
    )
      form.requestSubmit();
  });
  document.addEventListener("keydown", (event) => {
    if (
      event.ctrlKey ||
      event.metaKey ||
      event.altKey ||
      event.target.matches('input:not([type="radio"]):not([type="checkbox"]), textarea, select')
    )
      return;
    const question = event.target.closest?.(".question"); // keys act where a question has the focus (WCAG 2.2, 2.1.4)
    const input = question?.querySelector(`[data-key="${CSS.escape(event.key)}"]`);
    if (!input || !/^\d$/.test(event.key)) return;
    event.preventDefault();
    input.focus();
    pointer = true; // a number key chooses like a pointer does
    input.click();
  });
  // A long list is searched by typing; the list itself stays what is sent.
  for (const finder of form.querySelectorAll("[data-finds]")) {
    const list = document.getElementById(finder.dataset.finds);
    const all = [...list.options].slice(1);
    finder.hidden = false;
    finder.addEventListener("input", () => {
      const words = finder.value.toLowerCase().trim();
      const found = all.filter((o) => o.text.toLowerCase().includes(words));
      found.sort((a, b) => b.text.toLowerCase().startsWith(words) - a.text.toLowerCase().startsWith(words));
      const chosen = list.value;
      list.replaceChildren(list.options[0], ...found);
      list.value = found.some((o) => o.value === chosen) ? chosen : words && found.length ? found[0].value : "";
    });
  }
  rankings();
  fillIns();
  // The question has the focus from the beginning, so that its keys act and it is read out; a frame takes no focus from its page.
  const group = form.querySelectorAll(".question").length === 1 && form.querySelector("fieldset");
  if (group && parent === window && document.activeElement === document.body) {
    group.tabIndex = -1;
    group.focus({ preventScroll: true });
  }
  form.querySelector(".why") &&
    form.querySelector(".why").closest(".question")?.querySelector("input, select, textarea")?.focus();
}

for (const button of document.querySelectorAll("[data-print]")) {
  button.hidden = false;
  button.addEventListener("click", () => print());
}
for (const button of document.querySelectorAll("[data-copy]")) {
  button.hidden = false;
  button.addEventListener("click", async () => {
    const address = new URL(button.dataset.copy, location.href).href;
    try {
      await navigator.clipboard.writeText(address);
      button.textContent = button.dataset.copied;
    } catch {
      location.assign(address); // then it can be taken from the address line
    }
  });
}

// A page within another one tells it how high it is, that somebody has begun, and what an ending hands over. It is told to
// whoever shows the page; answers are never in it.
const tell = (kind, more = {}) => parent !== window && parent.postMessage({ type: "omphalos", kind, ...more }, "*");
if (parent !== window && !document.querySelector("[data-closed]")) {
  const size = () =>
    tell("size", { height: Math.ceil(document.querySelector("main").getBoundingClientRect().bottom + scrollY + 24) });
  new ResizeObserver(size).observe(document.querySelector("main"));
  size();
  document.addEventListener("keydown", (event) => event.key === "Escape" && tell("escape"));
  form?.addEventListener("submit", () => {
    const given = [...new FormData(form)].some(
      ([name, value]) => value && name !== "w" && name !== "homepage" && !name.startsWith("."),
    );
    if (given) tell("answer");
  });
}
const handed = document.querySelector("[data-event]");
const handover = document.querySelector("[data-handover]"); // the page around leads on, when the notice has been read
if (handed) {
  const ended = { ...JSON.parse(handed.dataset.event) };
  if (handover) Object.assign(ended, { to: handover.href, delay: Number(handover.dataset.handover) });
  tell("end", ended);
}

// A redirect with a notice replaces its page, so that Back does not lead into it again.
const leave = document.querySelector("[data-leave]");
if (leave) setTimeout(() => location.replace(leave.href), Number(leave.dataset.leave) * 1000);
