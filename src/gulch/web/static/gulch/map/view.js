// What of the map is seen: fit, zoom, pan.
let view = null, size = null; // of what is laid out

// From now on a map of this size is looked at, as a whole.
export function look(placed) {
  size = placed;
  view = null;
}

// Whether a map has been looked at: one laid out while the user was leaving has not.
export const looked = () => size !== null;

export function whole() {
  view = null;
  if (current()) fit(current());
}

export function fit(svg) {
  const canvas = document.getElementById("map-canvas");
  if (!view) {
    const pad = { left: 14, right: 22, top: 84, bottom: 50 };
    const box = canvas.getBoundingClientRect();
    const width = size.width + pad.left + pad.right, height = size.height + pad.top + pad.bottom;
    // small processes stay small
    const scale = Math.max(width / Math.max(box.width, 1), height / Math.max(box.height, 1), 1.15);
    const fullWidth = box.width * scale, fullHeight = box.height * scale;
    view = { x: -pad.left - (fullWidth - width) / 2, y: -pad.top - (fullHeight - height) / 2, w: fullWidth, h: fullHeight };
  }
  svg.setAttribute("viewBox", `${view.x} ${view.y} ${view.w} ${view.h}`);
}
export const current = () => document.querySelector("#map-canvas svg");
export function zoom(factor, cx, cy) {
  if (!view || !current()) return;
  cx = cx ?? view.x + view.w / 2; cy = cy ?? view.y + view.h / 2;
  const w = Math.min(Math.max(view.w * factor, 120), 20000), f = w / view.w;
  view = { x: cx - (cx - view.x) * f, y: cy - (cy - view.y) * f, w, h: view.h * f };
  fit(current());
}
document.addEventListener("click", (event) => {
  if (event.target.id === "zoom-in") zoom(0.8);
  if (event.target.id === "zoom-out") zoom(1.25);
  if (event.target.id === "zoom-fit") whole();
});
document.addEventListener("wheel", (event) => {
  const svg = event.target.closest && event.target.closest("#map-canvas svg");
  if (!svg) return;
  event.preventDefault();
  const box = svg.getBoundingClientRect();
  zoom(event.deltaY > 0 ? 1.12 : 0.89, view.x + ((event.clientX - box.left) / box.width) * view.w, view.y + ((event.clientY - box.top) / box.height) * view.h);
}, { passive: false });
let drag = null;
document.addEventListener("pointerdown", (event) => {
  const svg = event.target.closest && event.target.closest("#map-canvas svg");
  if (!svg || event.target.closest(".unit-g,.stream-g,.plus,.loop-chip")) return;
  drag = { x: event.clientX, y: event.clientY, view: { ...view } };
});
document.addEventListener("pointermove", (event) => {
  if (!drag || !current()) return;
  const scale = view.w / current().getBoundingClientRect().width;
  view = { ...drag.view, x: drag.view.x - (event.clientX - drag.x) * scale, y: drag.view.y - (event.clientY - drag.y) * scale };
  fit(current());
});
document.addEventListener("pointerup", () => (drag = null));
addEventListener("resize", whole);
