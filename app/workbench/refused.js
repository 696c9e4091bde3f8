// A form that is refused comes back as it was typed, with the reason in it; secrets are typed again.
const room = document.getElementById("room");
const keptForm = "form:" + location.pathname;
room.addEventListener("submit", (event) => {
  const form = /** @type {HTMLFormElement} */ (event.target);
  if (form.method !== "post") return;
  const secret = new Set([...form.querySelectorAll("input[type=password]")].map((el) => /** @type {any} */ (el).name));
  const values = [...new FormData(form)].filter(([name, value]) => typeof value === "string" && !secret.has(name));
  try {
    sessionStorage.setItem(keptForm, JSON.stringify({ action: form.getAttribute("action"), values }));
  } catch {
    sessionStorage.removeItem(keptForm); // more than a browser keeps: a list that was pasted
  }
});

function bringBack() {
  const why = room.querySelector("[data-refused]");
  const kept = JSON.parse(sessionStorage.getItem(keptForm) || "null");
  sessionStorage.removeItem(keptForm);
  const form =
    why &&
    kept &&
    /** @type {any} */ ([...room.querySelectorAll("form")].find((f) => f.getAttribute("action") === kept.action));
  if (!form) return;
  const values = new Map();
  for (const [name, value] of kept.values) values.set(name, [...(values.get(name) || []), value]);
  for (const el of form.elements) {
    if (!el.name || el.type === "hidden" || el.type === "password" || el.type === "submit" || el.type === "file")
      continue;
    const list = values.get(el.name) || [];
    if (el.type === "checkbox" || el.type === "radio") el.checked = list.includes(el.value);
    else if (list.length) el.value = list.shift();
  }
  form.prepend(why);
  form.querySelector("input[type=password]:not([hidden])")?.focus();
  why.scrollIntoView({ block: "center" });
}
bringBack();
