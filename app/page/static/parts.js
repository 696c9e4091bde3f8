// Small parts that several rooms use.

// menu is a button with a list that opens below it. It closes after a choice.
export const menu = () => ({
  shown: false,
  init() {
    this.$root.addEventListener("click", (event) => {
      const chosen = event.target.closest("button, a");
      if (chosen && !chosen.hasAttribute("x-bind:aria-expanded") && !chosen.hasAttribute("aria-pressed")) this.close();
    });
  },
  toggle() {
    this.shown = !this.shown;
  },
  close() {
    this.shown = false;
  },
});

// grow gives every element with data-grow its share of a bar; the strict style policy allows it only from scripts.
export function grow(root) {
  for (const el of root.querySelectorAll("[data-grow]")) el.style.flexGrow = el.dataset.grow;
  for (const el of root.querySelectorAll("[data-wide]")) el.style.width = el.dataset.wide + "%";
}

// copy puts text on the clipboard and says so on the button for a moment.
export async function copy(button, text) {
  const before = button.textContent;
  try {
    await navigator.clipboard.writeText(text);
    button.textContent = "Copied";
  } catch {
    button.textContent = "Select the text and copy it";
  }
  setTimeout(() => (button.textContent = before), 1600);
}
