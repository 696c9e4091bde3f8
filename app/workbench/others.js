// Things of other quizzes that can be taken over: a list that opens below its button.
import { id, say } from "./frame.js";

const room = document.getElementById("room");

async function others(of) {
  const holder = document.getElementById("others");
  const button = room.querySelector("[data-others]");
  const close = holder.childElementCount > 0;
  button.setAttribute("aria-expanded", String(!close));
  if (close) return holder.replaceChildren();
  const response = await fetch(`/quizzes/${id}/others?of=${of}`).catch(() => null);
  if (!response?.ok) return say("Couldn’t load your other quizzes. Try again in a moment.");
  holder.innerHTML = await response.text();
  holder.querySelector("summary, button")?.focus();
}

room.addEventListener("click", (event) => {
  const button = event.target.closest("[data-others]");
  if (button) others(button.dataset.others);
});
