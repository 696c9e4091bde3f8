// Runs before the modules of a page have come: buttons that were pressed meanwhile are pressed again when something listens, a name that
// waits to be typed over is selected, and a link is followed only when what was typed before it can be kept. A link that is pressed
// twice is followed in any case.
(() => {
  const pressed = [];
  const differs = (el) =>
    el.options
      ? [...el.options].some((o) => o.selected !== o.defaultSelected)
      : el.checked !== el.defaultChecked || el.value !== el.defaultValue;
  const changed = () => [...document.querySelectorAll("[data-do]:is(input, textarea, select)")].some(differs);
  const note = (event) => {
    const button = event.target.closest?.("button[data-do]");
    if (button && !pressed.includes(button)) pressed.push(button);
    const link = event.target.closest?.("a[href]:not([target])");
    if (
      !link ||
      pressed.includes(link) ||
      event.ctrlKey ||
      event.metaKey ||
      event.shiftKey ||
      !(pressed.length || changed())
    )
      return;
    event.preventDefault();
    pressed.push(link);
  };
  const select = (el) => el?.matches?.("input[data-over]") && el.value === el.defaultValue && el.select();
  const focused = ({ target }) => select(target);
  document.addEventListener("click", note, true);
  document.addEventListener("focusin", focused);
  select(document.activeElement);
  window.pressedEarly = () => {
    document.removeEventListener("click", note, true);
    document.removeEventListener("focusin", focused);
    return pressed;
  };
})();
