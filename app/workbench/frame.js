// What the parts of a window of the workbench share: the quiz and room that it shows, the revision that it shows them at, the
// line of messages, and the way to a place of the document.
export const bench = document.querySelector(".bench");
export const id = bench.dataset.quiz;
export const room = bench.dataset.room;

// shown is what the page shows: the revision of the draft, and how often the sheet has been drawn anew.
export const shown = { revision: Number(bench.dataset.revision), drawings: 0 };
export const shownRevision = () => shown.revision;

// On a narrow window the rooms scroll: the one that is shown is in sight.
const rooms = document.getElementById("rooms");
const here = rooms?.querySelector("[aria-current]");
if (here) rooms.scrollLeft = here.offsetLeft - (rooms.clientWidth - here.offsetWidth) / 2;

let messages = null; // the Alpine component that shows them
export const setMessages = (component) => (messages = component);

export function say(text, again = false, link = "") {
  messages?.say(text, again, link);
}

// offer says what is wrong, with a button that does what would be right.
export function offer(text, label, act) {
  messages?.propose(text, label, act);
}

// tell says what another window has changed.
export function tell(since) {
  if (since?.length) say("Changed in another window: " + since.join("; ") + ".");
}

export const random = () => [...crypto.getRandomValues(new Uint8Array(12))].map((b) => b.toString(36).padStart(2, "0")).join("");

// goTo shows the place of a JSON Pointer: the element itself, or the nearest one around it.
export function goTo(pointer, light = false, focus = true) {
  for (let at = pointer; at; at = at.slice(0, at.lastIndexOf("/"))) {
    const el = document.querySelector(`[data-path="${CSS.escape(at)}"], [data-at="${CSS.escape(at)}"]`);
    if (!el) continue;
    const details = el.closest("details");
    if (details) details.open = true;
    el.scrollIntoView({ block: "center" });
    if (focus) el.focus({ preventScroll: true });
    if (light) {
      const box = el.closest("tr, .line, .sheet") || el;
      box.classList.add("lit");
      setTimeout(() => box.classList.remove("lit"), 2500);
    }
    return true;
  }
  return false;
}
