// The Messages room: a new message is shown as soon as it is there, a mail is seen as it arrives, and can be tried.
import { leaveTo, onDraw, say } from "/assets/workbench.js";
import "/assets/others.js";
import { preview } from "/assets/preview.js";

const room = document.getElementById("room");
preview(room);

let added = null;
room.addEventListener("click", (event) => {
  const button = event.target.closest("[data-newmessage]");
  if (button) added = Number(button.dataset.newmessage);
});
onDraw((root) => {
  const links = [...root.querySelectorAll("a.pick[href^='?m=']")];
  if (added === null || !links[added]) return;
  added = null;
  leaveTo(links.at(-1).href);
});

// Whose mail is shown changes as it is chosen; without scripts a button does it.
room.addEventListener("change", (event) => {
  const form = event.target.closest("[data-whose]");
  if (form) form.requestSubmit();
});

room.addEventListener("click", async (event) => {
  const button = event.target.closest("[data-try]");
  if (!button) return;
  const said = room.querySelector("[data-trysaid]");
  said.textContent = "sending …";
  const body = new URLSearchParams({ of: room.querySelector("#of").value });
  const response = await fetch(button.dataset.try, { method: "POST", headers: { Accept: "application/json" }, body }).catch(() => null);
  const answer = await response?.json().catch(() => null);
  said.textContent = "";
  if (!answer?.message) return say("There is no connection. Try again in a moment.");
  said.textContent = answer.message;
});
