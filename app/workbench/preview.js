// A page as others get it, in a frame beside what it is made of. It is fetched anew after every count, and takes the place of the one before
// when it is there, so that nothing blinks.
import { assume, onColumns, onDraw, shownRevision } from "/assets/workbench.js";

// preview keeps the frames of a room. busy says that something is being typed in one, which then stays; ready is told of each that has come.
export function preview(room, { busy = () => false, ready = () => {} } = {}) {
  const frames = () => [...room.querySelectorAll("iframe[data-preview]")];
  function fit(frame) {
    frame.style.height = "200px"; // a page is at least as high as its window
    const height = frame.contentDocument?.documentElement?.scrollHeight;
    if (height) frame.style.height = Math.max(200, Math.min(height, 2400)) + "px";
  }
  function come(frame) {
    ready(frame);
    fit(frame);
    frame.contentDocument?.fonts?.ready.then(() => frame.isConnected && fit(frame)); // lines are as long as their letters
  }
  function refresh() {
    const [shown, ...others] = frames();
    if (!shown || busy()) return;
    for (const el of others) el.remove();
    const next = shown.cloneNode();
    const address = new URL(shown.src);
    address.searchParams.set("assume", assume()); // the count that the bar has made serves it too
    next.src = address;
    next.style.cssText = "position: absolute; visibility: hidden; width: " + shown.clientWidth + "px";
    next.addEventListener("load", () => {
      next.style.cssText = "";
      shown.remove();
      come(next);
    });
    shown.after(next);
  }
  onDraw((root) => {
    for (const frame of root.querySelectorAll("iframe[data-preview]")) {
      frame.addEventListener("load", () => come(frame));
      come(frame);
    }
  });
  room.addEventListener("click", (event) => {
    const button = event.target.closest("[data-wide]");
    if (!button) return;
    for (const b of room.querySelectorAll("[data-wide]")) b.setAttribute("aria-pressed", String(b === button));
    room.querySelector(".shown").classList.toggle("phone", button.dataset.wide === "phone");
    for (const frame of frames()) fit(frame);
  });
  const whatIsShown = () => `${shownRevision()} ${assume()}`;
  let previewed = whatIsShown(); // the page came with a preview of this
  onColumns(() => {
    if (previewed === whatIsShown()) return;
    previewed = whatIsShown();
    refresh();
  });
}
