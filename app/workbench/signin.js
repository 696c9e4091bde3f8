// Who is signed out signs in over the page, and goes on.
const dialog = /** @type {any} */ (document.getElementById("signin"));
let done = null; // what goes on then
export function signIn(then) {
  done = then;
  if (!dialog.open) dialog.showModal();
}

dialog.querySelector("form").addEventListener("submit", async (event) => {
  event.preventDefault();
  event.stopPropagation();
  const form = event.target;
  const response = await fetch("/sign-in", {
    method: "POST",
    headers: { Accept: "application/json" },
    body: new URLSearchParams(/** @type {any} */ (new FormData(form))),
  }).catch(() => null);
  const why = form.querySelector("[role=alert]");
  if (response?.status === 204) {
    why.textContent = "";
    form.reset();
    dialog.close();
    done?.();
    return;
  }
  why.textContent =
    (await response?.json().catch(() => null))?.message || "You’re offline. Check your connection and try again.";
});
