// What of the map is seen: fit, zoom, pan.
import { announce, hear } from "../dom.js";
import { BAR, scaleOf } from "./rows.js";

/** What is seen. @type {{x: number, y: number, w: number, h: number} | null} */
let view = null;
/** Of what is laid out. @type {Size | null} */
let size = null;
/** Told when the scale has changed. @type {(() => void) | null} */
let changed = null;

export const canvas = () => document.querySelector(".map-canvas");
export const still = () => canvas()?.dataset.still !== undefined; // on paper: nobody walks it, and it is seen whole
const walkable = (/** @type {Control} */ target) => target.closest?.(".map-canvas:not([data-still]) svg");
/** @param {() => void} tell */
export function onScale(tell) {
  changed = tell;
}

/** The canvas as it was last seen. @type {Size & {on: Element} | null} */
let box = null;
/** The canvas that is watched. @type {Element | null} */
let watched = null;
const watching = new ResizeObserver(() => {
  const before = box;
  if (before?.on !== watched || canvas() !== watched) return; // the user left it
  box = null;
  const now = room();
  if (Math.abs(now.width - before.width) > 0.5 || Math.abs(now.height - before.height) > 0.5) announce("gulch:resized");
});

// {width, height} of the canvas [px], remembered: asking for it after a swap would have the whole page laid out twice.
export function room() {
  const on = canvas();
  if (box?.on !== on) {
    const { width, height } = on.getBoundingClientRect();
    box = { on, width: Math.max(width, 1), height: Math.max(height, 1) };
    if (watched !== on) {
      watching.disconnect();
      watching.observe(on);
      watched = on;
    }
  }
  return box;
}

// Units of length in one pixel.
export const scale = () => (view ? view.w / room().width : 1.15);

/** From now on a map of this size is looked at, as a whole. @param {Size} placed */
export function look(placed) {
  size = placed;
  view = null;
}

// Whether a map has been looked at: one laid out while the user was leaving has not.
export const looked = () => size !== null;

export function whole() {
  view = null;
  if (!size || !canvas()) return;
  home();
  if (changed) changed();
}

/** The view that shows the whole map: what would be too small to read is written from nearer. */
function home() {
  const k = scaleOf(size, room());
  const w = box.width * k;
  const h = box.height * k;
  const pad = { left: 14, right: 22, top: BAR * k + 34, bottom: 50 };
  const width = size.width + pad.left + pad.right;
  const height = size.height + pad.top + pad.bottom;
  view = { x: -pad.left - Math.max((w - width) / 2, 0), y: -pad.top - Math.max((h - height) / 2, 0), w, h };
}

/** @param {Element} svg */
export function fit(svg) {
  if (!view) home();
  svg.setAttribute("viewBox", `${view.x} ${view.y} ${view.w} ${view.h}`);
}

// What is seen of a map that fits its window: names have to stand in it; null where the map goes on beyond.
export const bounds = () => (view && size && view.w >= size.width ? { left: view.x, right: view.x + view.w } : null);

// The view is made before the map is drawn: what is written hangs on it.
export function ready() {
  if (!view) home();
}
export const current = () => document.querySelector(".map-canvas svg");
/** @param {number} factor @param {number} [cx] @param {number} [cy] */
export function zoom(factor, cx, cy) {
  if (!view || !current()) return;
  cx = cx ?? view.x + view.w / 2;
  cy = cy ?? view.y + view.h / 2;
  const w = Math.min(Math.max(view.w * factor, 120), 20000);
  const f = w / view.w;
  view = { x: cx - (cx - view.x) * f, y: cy - (cy - view.y) * f, w, h: view.h * f };
  fit(current());
  if (changed) changed();
}

/** Bring a thing of the map into view, as when it is walked to. @param {Element} node */
export function reach(node) {
  const svg = current();
  if (!view || !svg) return;
  const canvas = svg.getBoundingClientRect();
  const b = node.getBoundingClientRect();
  const k = scale();
  if (b.width > canvas.width || b.height > canvas.height) return;
  const dx = Math.min(b.left - canvas.left - 12, 0) + Math.max(b.right - canvas.right + 12, 0);
  const dy = Math.min(b.top - canvas.top - 44, 0) + Math.max(b.bottom - canvas.bottom + 12, 0);
  if (!dx && !dy) return;
  view = { ...view, x: view.x + dx * k, y: view.y + dy * k };
  fit(svg);
}
hear("click", (_, target) => {
  if (target.id === "zoom-in") zoom(0.8);
  if (target.id === "zoom-out") zoom(1.25);
  if (target.id === "zoom-fit") whole();
});
hear(
  "wheel",
  (event, target) => {
    const svg = walkable(target);
    if (!svg) return;
    event.preventDefault();
    const box = svg.getBoundingClientRect();
    zoom(
      event.deltaY > 0 ? 1.12 : 0.89,
      view.x + ((event.clientX - box.left) / box.width) * view.w,
      view.y + ((event.clientY - box.top) / box.height) * view.h,
    );
  },
  { passive: false },
);
/** @type {Point & {view: NonNullable<typeof view>} | null} */
let drag = null;
hear("pointerdown", (event, target) => {
  const svg = walkable(target);
  if (!svg || target.closest(".unit-g,.stream-g,.plus,.loop-chip")) return;
  drag = { x: event.clientX, y: event.clientY, view: { ...view } };
});
hear("pointermove", (event) => {
  if (!drag || !current()) return;
  const scale = view.w / current().getBoundingClientRect().width;
  view = { ...drag.view, x: drag.view.x - (event.clientX - drag.x) * scale, y: drag.view.y - (event.clientY - drag.y) * scale };
  fit(current());
});
hear("pointerup", () => {
  drag = null;
});
addEventListener("resize", () => {
  view = box = null;
  announce("gulch:resized");
});
