// Runs before the modules of a page have come: buttons that were pressed meanwhile are pressed again when something listens.
(() => {
  const pressed = [];
  const note = ({ target }) => {
    const button = target.closest?.("button[data-do]");
    if (button && !pressed.includes(button)) pressed.push(button);
  };
  document.addEventListener("click", note, true);
  window.pressedEarly = () => {
    document.removeEventListener("click", note, true);
    return pressed;
  };
})();
