// The Messages room: a new message is shown as soon as it is there, a mail is seen as it arrives, and can be tried.
import { Alpine, behaviour, edit, leaveTo, say, shared } from "./workbench.js";
import { fresh } from "./place.js";
import "./others.js";
import { preview } from "./preview.js";

const room = document.getElementById("room");
preview(room);

// A new message has its id from this window: its page can be asked for before it is there.
behaviour("message.new", {
  press(button) {
    const message = JSON.parse(button.value);
    const ids = [...room.querySelectorAll("a.pick[href^='?m=']")].map((link) =>
      new URL(link.href).searchParams.get("m"),
    );
    message.id = fresh("m", ids, shared());
    edit([{ op: "add", path: "/messages/-", value: message }]).then((stored) => stored && leaveTo("?m=" + message.id));
  },
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
  said.textContent = "Sending …";
  const body = new URLSearchParams({ of: room.querySelector("#of").value });
  const response = await fetch(button.dataset.try, {
    method: "POST",
    headers: { Accept: "application/json" },
    body,
  }).catch(() => null);
  const answer = await response?.json().catch(() => null);
  said.textContent = "";
  if (!answer?.message) return say("You’re offline. Check your connection and try again.");
  said.textContent = answer.message;
});

Alpine.start();
