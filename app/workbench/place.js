// References, as the page sees them: places in which an element is named by its id (@ID), or by a print of what it holds
// (=PRINT) where it has none. A print changes with what is in the element; here is told which one of a drawing is which of
// the drawing before.

/** @param {string} at */
const prints = (at) => at.split("/").some((segment) => segment.startsWith("="));

/**
 * lists sorts places by the lists that they go through: the prints of each list, in the order of the page.
 * @param {Iterable<string>} places
 */
function lists(places) {
  /** @type {Map<string, string[]>} */
  const out = new Map();
  for (const at of places) {
    if (!prints(at)) continue;
    const segments = at.split("/");
    segments.forEach((segment, i) => {
      if (!segment.startsWith("=")) return;
      const list = segments.slice(0, i).join("/");
      const known = out.get(list) || [];
      if (!known.includes(segment)) known.push(segment);
      out.set(list, known);
    });
  }
  return out;
}

/**
 * same pairs the elements of a list before and after: equal ones first, then the others in their order.
 * @param {string[]} before
 * @param {string[]} after
 */
function same(before, after) {
  const pairs = new Map();
  for (const print of before) if (after.includes(print)) pairs.set(print, print);
  const left = before.filter((print) => !pairs.has(print));
  const free = after.filter((print) => !before.includes(print));
  if (left.length === free.length) left.forEach((print, i) => pairs.set(print, free[i]));
  return pairs;
}

/**
 * following makes a function that turns a place of one drawing into that of the next.
 * @param {Iterable<string>} before the places of the one
 * @param {Iterable<string>} after the places of the other
 * @returns {(at: string) => string}
 */
export function following(before, after) {
  const old = lists(before);
  const next = lists(after);
  return (at) => {
    if (!prints(at)) return at;
    const was = at.split("/");
    const now = [...was];
    was.forEach((segment, i) => {
      if (!segment.startsWith("=")) return;
      const list = was.slice(0, i).join("/");
      const there = now.slice(0, i).join("/");
      const pairs = same(old.get(list) || [], next.get(there) || []);
      now[i] = pairs.get(segment) || segment;
    });
    return now.join("/");
  };
}

/**
 * idIn is the id that a place ends with: "small" of "/questions/@area/choices/@small".
 * @param {string} at
 */
export const idIn = (at) => at.slice(at.lastIndexOf("/") + 1).replace(/^@/, "");

/**
 * listOf is the list that an element stands in.
 * @param {string} at
 */
export const listOf = (at) => at.slice(0, at.lastIndexOf("/"));

/**
 * beside is the place behind or before an element, for one that is moved or made there.
 * @param {string} at
 * @param {boolean} behind
 */
export const beside = (at, behind) => `${listOf(at)}/${behind ? ">" : "<"}${at.slice(at.lastIndexOf("/") + 1)}`;

/**
 * fresh makes an id that is not taken: the prefix and a number; where others edit too, with two letters behind, so that two
 * windows do not make the same one.
 * @param {string} prefix
 * @param {Iterable<string>} taken
 * @param {boolean} shared
 */
export function fresh(prefix, taken, shared = false) {
  const known = new Set(taken);
  let n = 1;
  while (known.has(prefix + n)) n += 1;
  const letters = "bcdfghjkmnpqrstvwxz";
  const tail = shared
    ? [...crypto.getRandomValues(new Uint8Array(2))].map((b) => letters[b % letters.length]).join("")
    : "";
  return prefix + n + tail;
}
