// Choosing a picture: a panel that opens below the place that takes it, with what was used before, a sample library to
// search, and upload.
import { edit, say } from "./workbench.js";

let place = null; // the element that the panel belongs to

const panel = () => document.getElementById("picturepanel");

async function search(text) {
  const response = await fetch("/pictures?" + new URLSearchParams({ q: text })).catch(() => null);
  const shelf = panel()?.querySelector("[data-shelf]");
  if (!shelf) return;
  if (!response?.ok) return say("Couldn’t load the pictures. Try again in a moment.");
  shelf.innerHTML = await response.text();
}

function open(holder) {
  const again = place === holder && panel();
  panel()?.remove();
  place = null;
  if (again) return;
  place = holder;
  const box = document.createElement("div");
  box.id = "picturepanel";
  box.className = "picturepanel";
  box.innerHTML = `<div class="flex flex-wrap gap-3 items-center mb-2"><label class="sr" for="picture-search">Search pictures</label><input class="field grow" type="search" id="picture-search" placeholder="Search pictures, for example plant or office"><label class="button"><input type="file" class="sr" accept="image/jpeg,image/png,image/gif,image/webp" data-upload>Upload …</label><button type="button" class="plain" data-closepictures aria-label="Close">✕</button></div><p class="small quiet" role="status" data-progress></p><div data-shelf></div>`;
  document.body.append(box); // over everything: nothing of the room covers it or cuts it off
  stand(box, holder);
  box.querySelector("input").focus();
  search("");
}

// stand puts the panel below the place that takes the picture, within the window.
function stand(box, holder) {
  const at = holder.getBoundingClientRect();
  const width = Math.min(560, innerWidth - 24);
  const height = Math.min(420, innerHeight - 24);
  const below = at.bottom + 6 + height <= innerHeight;
  Object.assign(box.style, {
    position: "fixed",
    width: width + "px",
    maxHeight: height + "px",
    overflow: "auto",
    zIndex: "60",
    left: Math.max(12, Math.min(at.left, innerWidth - width - 12)) + "px",
    top: Math.max(12, below ? at.bottom + 6 : at.top - height - 6) + "px",
  });
}

function take(image, alt, credit) {
  const cell = place.querySelector("[data-picturecell]");
  if (cell) {
    // of a table: its own script stores it
    panel().remove();
    place = null;
    cell.value = image;
    cell.dispatchEvent(new Event("change", { bubbles: true }));
    return void cell.focus();
  }
  const { picture: path, altAt, creditAt } = place.dataset;
  const ops = [{ op: "add", path, value: image }];
  if (alt && altAt) ops.push({ op: "add", path: altAt, value: alt });
  if (credit && creditAt) ops.push({ op: "add", path: creditAt, value: credit });
  panel().remove();
  place = null;
  edit(ops, { focus: alt ? undefined : altAt });
}

async function upload(file) {
  const progress = panel().querySelector("[data-progress]");
  progress.textContent = `Uploading ${file.name} …`;
  const form = new FormData();
  form.append("picture", file);
  const response = await fetch("/pictures", {
    method: "POST",
    body: form,
    headers: { Accept: "application/json" },
  }).catch(() => null);
  const answer = await response?.json().catch(() => null);
  if (!answer) return void (progress.textContent = "You’re offline. Check your connection and try again.");
  if (!response.ok) return void (progress.textContent = answer.message);
  take(answer.image, answer.alt, answer.credit);
}

// pictures makes every place of a room that takes a picture work.
export function pictures(room) {
  for (const root of [room, document.body]) listen(root, root === room);
}

function listen(root, isRoom) {
  root.addEventListener("click", (event) => {
    if (!isRoom && !event.target.closest("#picturepanel")) return;
    if (isRoom && event.target.closest("#picturepanel")) return;
    const holder = event.target.closest("[data-picture]");
    if (event.target.closest("[data-choosepicture]") && holder) open(holder);
    const pick = event.target.closest("[data-pick]");
    if (pick && place) take(pick.dataset.pick, pick.dataset.alt, pick.dataset.credit);
    if (event.target.closest("[data-closepictures]")) {
      const back = place?.querySelector("[data-choosepicture]");
      panel().remove();
      place = null;
      back?.focus();
    }
  });
  let wait;
  if (isRoom) {
    root.addEventListener("dragover", (event) => event.target.closest("[data-picture]") && event.preventDefault());
    for (const type of ["drop", "paste"])
      root.addEventListener(type, (event) => {
        const holder = event.target.closest("[data-picture]");
        const file = [...((event.dataTransfer || event.clipboardData)?.files || [])].find((one) =>
          one.type.startsWith("image/"),
        );
        if (!holder || !file) return;
        event.preventDefault();
        if (place !== holder || !panel()) open(holder);
        upload(file);
      });
    return;
  }
  root.addEventListener("input", (event) => {
    if (event.target.id !== "picture-search") return;
    clearTimeout(wait);
    wait = setTimeout(search, 120, event.target.value);
  });
  root.addEventListener("change", (event) => {
    if (event.target.dataset.upload !== undefined && event.target.files[0]) upload(event.target.files[0]);
  });
  root.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && event.target.closest("#picturepanel"))
      panel().querySelector("[data-closepictures]").click();
  });
}
