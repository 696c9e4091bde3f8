// A stage shows a page at the size of a device, scaled to fit: a frame with data-stage="WIDTHxHEIGHT" in a box.
const sizes = new ResizeObserver((entries) => {
  for (const { target } of entries) fit(target);
});

function fit(box) {
  const frame = box.querySelector("iframe[data-stage]");
  const [width, height] = frame.dataset.stage.split("x").map(Number);
  const scale = Math.min(1, box.clientWidth / width);
  frame.style.width = width + "px";
  frame.style.height = height + "px";
  frame.style.transform = `scale(${scale})`;
  box.style.height = Math.round(height * scale) + "px";
}

export function stage(frame) {
  sizes.observe(frame.parentElement);
}
