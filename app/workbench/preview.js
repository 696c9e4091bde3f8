// A page as others get it, in a frame beside what it is made of. It is fetched again after every count and morphed into the page
// that is shown: nothing blinks, and a field in it that is being typed into stays.
import { assume, onColumns } from "./bar.js";
import { onDraw } from "./draw.js";
import { store } from "./frame.js";
import { Idiomorph } from "./vendor/idiomorph.js";

/**
 * preview keeps the frames of a room. ready is told of each page that has come or changed.
 * @param {HTMLElement} room
 * @param {{ready?: (frame: HTMLIFrameElement) => void}} [options]
 */
export function preview(room, { ready = () => {} } = {}) {
  const frames = () => /** @type {HTMLIFrameElement[]} */ ([...room.querySelectorAll("iframe[data-preview]")]);
  const typing = (el) => el.querySelector?.("[data-typing]");
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

  let asking = null;
  async function refresh() {
    const [frame] = frames();
    const page = frame?.contentDocument;
    if (!page?.body) return;
    asking?.abort();
    const { signal } = (asking = new AbortController());
    const address = new URL(frame.src);
    address.searchParams.set("assume", assume()); // the count that the bar has made serves it too
    const response = await fetch(address, { signal }).catch(() => null);
    const text = response?.ok && (await response.text().catch(() => ""));
    if (!text || signal.aborted || !frame.isConnected || frame.contentDocument !== page) return;
    // Parsed by the policy of that page, not of this one, and without its style sheets: theirs is the number of another page.
    const styles = [];
    const plain = text.replace(/<style[^>]*>([^<]*)<\/style>/g, (_, style) => (styles.push(style), ""));
    const next = new frame.contentWindow.DOMParser().parseFromString(plain, "text/html");
    [...page.querySelectorAll("style")].forEach(
      (el, i) => styles[i] !== undefined && el.textContent !== styles[i] && (el.textContent = styles[i]),
    );
    for (const { name, value } of next.documentElement.attributes) page.documentElement.setAttribute(name, value);
    page.body.className = next.body.className;
    Idiomorph.morph(page.body, next.body.childNodes, {
      morphStyle: "innerHTML",
      callbacks: {
        beforeNodeMorphed: (el) => !(el.hasAttribute?.("data-place") && typing(el)),
        beforeNodeRemoved: (el) => !typing(el) && !(el instanceof Element && el.matches("[data-typing]")),
      },
    });
    come(frame);
  }

  onDraw((root) => {
    for (const frame of root.querySelectorAll("iframe[data-preview]")) {
      frame.addEventListener("load", () => come(frame));
      come(frame);
    }
  });
  room.addEventListener("click", (event) => {
    const button = /** @type {HTMLElement} */ (/** @type {Element} */ (event.target).closest("[data-wide]"));
    if (!button) return;
    for (const b of room.querySelectorAll("[data-wide]")) b.setAttribute("aria-pressed", String(b === button));
    room.querySelector(".shown").classList.toggle("phone", button.dataset.wide === "phone");
    for (const frame of frames()) fit(frame);
  });
  const whatIsShown = () => `${store.revision} ${assume()}`;
  let previewed = whatIsShown(); // the page came with a preview of this
  onColumns(() => {
    if (previewed === whatIsShown()) return;
    previewed = whatIsShown();
    refresh();
  });
}
