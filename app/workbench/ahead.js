// What is typed while a new line is on its way goes to that line.

// ahead holds the keys, and is in one of these states.
const IDLE = "idle"; // nothing is on its way
const GATHERING = "gathering"; // lines are, and keys are kept for the last of them
const LEFT = "left"; // they are, but whoever types has pointed elsewhere
const ahead = { state: IDLE, waits: 0, keys: [] };

// expect tells that one more line is on its way.
export function expect() {
  if (ahead.state === IDLE) ahead.state = GATHERING;
  ahead.waits += 1;
}

// forget tells that none will come.
export function forget() {
  Object.assign(ahead, { state: IDLE, waits: 0, keys: [] });
}

// arrived types into the line that has come what was typed for it; the focus is there already.
export function arrived() {
  if (ahead.state === IDLE || (ahead.waits -= 1)) return;
  const { keys } = ahead;
  forget();
  while (keys.length) {
    const el = document.activeElement;
    if (!el?.matches("input, textarea")) return;
    const key = keys.shift();
    if (key.length === 1) document.execCommand("insertText", false, key); // as if it were typed: it counts as a change
    else if (key === "Tab") el.blur();
    else el.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
    if (ahead.state !== IDLE) return void ahead.keys.push(...keys.splice(0)); // Enter has asked for the next line
  }
}

document.addEventListener(
  "keydown",
  (event) => {
    if (ahead.state !== GATHERING || event.ctrlKey || event.metaKey || event.altKey || event.isComposing) return;
    if (event.key.length > 1 && !["Enter", "Tab", "Backspace"].includes(event.key)) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (event.key === "Backspace" && ahead.keys.at(-1)?.length === 1) ahead.keys.pop();
    else ahead.keys.push(event.key);
  },
  true,
);

// Who points elsewhere types elsewhere.
document.addEventListener("pointerdown", () => ahead.state === GATHERING && (ahead.state = LEFT), true);
