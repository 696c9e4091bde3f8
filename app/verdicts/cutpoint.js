// A cut point is dragged along its line, or moved by the arrow keys; it never passes its neighbours.
const digits = (by) => (String(by).split(".")[1] || "").length;

function within(handle, value) {
  const by = Number(handle.dataset.by);
  const least = handle.dataset.least === undefined ? -Infinity : Number(handle.dataset.least) + by;
  const most = handle.dataset.most === undefined ? Infinity : Number(handle.dataset.most) - by;
  return Number(Math.max(least, Math.min(most, value)).toFixed(digits(by)));
}

const valueOf = (handle) => Number(handle.getAttribute("aria-valuenow"));

// pointed is where on its drawing a pointer is, in the units of the drawing.
export function pointed(handle, event) {
  const svg = handle.ownerSVGElement;
  const box = svg.getBoundingClientRect();
  const ratio = svg.viewBox.baseVal.width / box.width;
  return { x: (event.clientX - box.left) * ratio, y: (event.clientY - box.top) * ratio };
}

// write puts the value of a cut point into its handle.
export function write(handle, value) {
  handle.setAttribute("aria-valuenow", value);
  handle.setAttribute("aria-valuetext", "from " + value);
  handle.querySelector("text").textContent = value;
}

// movable lets the cut points of a selector be moved: at is the value under a pointer, put draws another value, store
// makes it the quiz's.
export function movable(room, selector, { at, put, store }) {
  room.addEventListener("pointerdown", (event) => {
    const handle = event.target.closest?.(selector);
    if (!handle || event.button !== 0) return;
    event.preventDefault();
    handle.focus();
    const before = valueOf(handle);
    const by = Number(handle.dataset.by);
    let value = before;
    const move = (e) => {
      value = within(handle, before + Math.round((at(handle, e) - before) / by) * by);
      put(handle, value);
    };
    const end = (e) => {
      for (const [name, f] of Object.entries(listening)) removeEventListener(name, f);
      if (value === before) return;
      if (e.type === "pointerup") store(handle, value);
      else put(handle, before); // the drag was taken away, by a gesture of the browser for one
    };
    const listening = { pointermove: move, pointerup: end, pointercancel: end };
    for (const [name, f] of Object.entries(listening)) addEventListener(name, f);
  });

  room.addEventListener("keydown", (event) => {
    const handle = event.target.closest?.(selector);
    const sign = handle && { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
    if (!sign) return;
    event.preventDefault();
    const before = valueOf(handle);
    const value = within(handle, before + sign * Number(handle.dataset.by) * (event.shiftKey ? 10 : 1));
    if (value === before) return;
    put(handle, value);
    store(handle, value);
  });
}

// answered shows advice, with a button that uses it.
export function answered(out, answer, use) {
  out.textContent = (answer.message || answer.text) + " ";
  if (!answer.patch) return;
  const button = document.createElement("button");
  button.type = "button";
  button.className = "button";
  Object.assign(button.dataset, { do: "apply", patch: answer.patch });
  button.textContent = use;
  out.append(button);
}
