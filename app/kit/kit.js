// The kit puts a quiz on any page: <script src="BASE/kit.js" data-quiz="SLUG" async></script>. It needs two directives of the page's
// content security policy, script-src BASE and frame-src BASE, and nothing else. Until the quiz is known to be open and its page is
// there, the page is not touched. Nothing is animated; nothing is global; no cookie is set.
(() => {
  const tag = document.currentScript;
  const { quiz, over, read, edge, phones, again, source, words, at, state } = tag.dataset;
  if (!quiz) return console.error("kit.js: data-quiz is missing.");
  const base = new URL(tag.src).origin;
  const way = edge !== undefined ? "edge" : over !== undefined || read !== undefined ? "over" : "page";
  const address = `${base}${at || "/q/" + encodeURIComponent(quiz)}?kit=${way}${source ? "&utm_source=" + encodeURIComponent(source) : ""}`;
  const inline = over === undefined && read === undefined && edge === undefined;

  // Whoever has closed it, or come to an end, is left in peace: for good, or for so many days.
  const key = "omphalos:" + quiz;
  const remember = () => {
    try {
      localStorage.setItem(key, Date.now());
    } catch {
      // where nothing can be remembered, it comes again
    }
  };
  const seen = () => {
    try {
      const then = Number(localStorage.getItem(key));
      return then > 0 && (again === undefined || Date.now() - then < again * 864e5);
    } catch {
      return false;
    }
  };
  const tell = (name, detail) =>
    document.dispatchEvent(new CustomEvent("omphalos:" + name, { detail: { quiz, ...detail } }));

  // The quiz's own colours: of the bar and its words, of the sheet and what is written on it.
  let [strong, onStrong, ground, ink] = ["#22262b", "#fff", "#fff", "#22262b"];

  const make = (name, style, more) => {
    const el = document.createElement(name);
    el.style.cssText = style; // by the object model, which policies allow
    return Object.assign(el, more);
  };

  // A frame with the quiz; there is called once its page is there.
  function frame(there, close) {
    const el = make("iframe", "display:block;width:100%;height:0;border:0;background:transparent", {
      title: tag.title || "Quiz",
    });
    let [begun, shown] = [false, false];
    addEventListener("message", ({ source: from, origin, data }) => {
      if (!from || from !== el.contentWindow || origin !== base || data?.type !== "omphalos") return;
      if (data.kind === "size") {
        el.style.height = Math.min(20000, Math.max(160, Number(data.height) || 0)) + "px";
        if (!shown) there();
        shown = true;
      } else if (data.kind === "answer" && !begun) {
        begun = true;
        tell("begin");
      } else if (data.kind === "escape") close?.();
      else if (data.kind === "end") {
        const { outcome, event, lead, to, delay } = data;
        remember();
        tell("end", { outcome, event: event || "", lead: lead || "" });
        if (/^https?:\/\//.test(to)) setTimeout(() => location.assign(to), (Number(delay) || 0) * 1000);
      }
    });
    el.src = address;
    return el;
  }

  function onPage() {
    const box = make("div", "position:absolute;visibility:hidden;width:100%;height:0;overflow:hidden");
    box.append(frame(() => (box.style.cssText = "")));
    if (tag.closest("body")) tag.after(box);
    else document.body.append(box);
  }

  let open = false;
  function overPage() {
    if (open) return;
    open = true;
    const wall = make(
      "dialog",
      "position:fixed;inset:0;width:100vw;height:100vh;max-width:none;max-height:none;margin:0;padding:0;border:0;background:rgba(20,22,26,.6);overflow:auto",
    );
    const box = make(
      "div",
      `position:relative;width:min(680px,calc(100vw - 32px));margin:5vh auto;background:${ground};border-radius:3px`,
    );
    const close = () => wall.close();
    const button = make(
      "button",
      `position:absolute;z-index:1;top:6px;right:6px;width:44px;height:44px;border:0;background:transparent;color:${ink};font:24px/1 sans-serif;cursor:pointer`,
      { type: "button", textContent: "×" },
    );
    button.setAttribute("aria-label", "Close");
    wall.setAttribute("aria-label", tag.title || "Quiz");
    button.onclick = close;
    wall.onclick = (event) => event.target === wall && close();
    wall.onclose = () => {
      remember();
      wall.remove();
      open = false;
    };
    box.append(
      button,
      frame(() => wall.showModal(), close),
    );
    wall.append(box);
    document.body.append(wall);
  }

  function bar(name) {
    const el = make(
      "div",
      `position:fixed;left:0;right:0;${edge === "top" ? "top" : "bottom"}:0;z-index:2147483000;display:flex;gap:12px;align-items:center;justify-content:center;padding:8px 56px 8px 16px;background:${strong};color:${onStrong};font:16px/1.4 sans-serif`,
    );
    el.setAttribute("role", "region");
    el.setAttribute("aria-label", tag.title || "Quiz");
    const go = make(
      "button",
      "border:1px solid;border-radius:3px;background:transparent;color:inherit;font:inherit;padding:8px 16px;min-height:44px;cursor:pointer",
      {
        type: "button",
        textContent: words || name || "Quiz",
      },
    );
    const no = make(
      "button",
      "position:absolute;right:6px;width:44px;height:44px;border:0;background:transparent;color:inherit;font:24px/1 sans-serif;cursor:pointer",
      {
        type: "button",
        textContent: "×",
      },
    );
    no.setAttribute("aria-label", "Close");
    go.onclick = overPage;
    no.onclick = () => {
      remember();
      el.remove();
    };
    el.append(go, no);
    document.body.append(el);
    document.addEventListener("omphalos:end", ({ detail }) => detail.quiz === quiz && el.remove());
  }

  function wait() {
    let timer = 0;
    const come = () => {
      clearTimeout(timer);
      removeEventListener("scroll", far);
      if (!seen()) overPage();
    };
    const far = () => scrollY + innerHeight >= (document.documentElement.scrollHeight * read) / 100 && come();
    if (over !== undefined) timer = setTimeout(come, (Number(over) || 0) * 1000);
    if (read !== undefined) {
      addEventListener("scroll", far, { passive: true });
      far();
    }
  }

  function start({ open: isOpen, name, colours }) {
    if (!isOpen) return;
    if (colours) [strong, onStrong, ground, ink] = colours;
    if (inline) return onPage();
    if (edge !== undefined) bar(name);
    if (over !== undefined || read !== undefined) wait();
  }

  if (!inline && (seen() || (innerWidth < 600 && phones !== "yes"))) return;
  const ready = () => import(state || `${base}/kit/${encodeURIComponent(quiz)}`).then(start, () => {}); // out of reach: the page stays as it is
  if (document.body) ready();
  else addEventListener("DOMContentLoaded", ready);
})();
