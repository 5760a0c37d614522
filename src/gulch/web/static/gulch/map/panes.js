// Dividers between map, table and inspector, and the map alone on the screen; both are remembered in this browser.
import { $, all, hear } from "../dom.js";

/** @type {Record<string, [number, number, number]>} */
const SHARES = { "--map-share": [18, 82, 50], "--inspector": [220, 560, 330] }; // least, most, to begin with
/** @type {Record<string, number>} */
const STEPS = { ArrowUp: -5, ArrowLeft: -5, ArrowDown: 5, ArrowRight: 5 };
const root = document.documentElement;
/** @param {string} name */
const kept = (name) => Number(localStorage.getItem(`gulch${name}`)) || SHARES[name][2];

/** @param {string} name @param {number} value @param {boolean} remember */
function set(name, value, remember = true) {
  const [least, most] = SHARES[name];
  const now = Math.min(Math.max(value, least), most);
  root.style.setProperty(name, name === "--inspector" ? `${now}px` : String(now));
  if (remember) localStorage.setItem(`gulch${name}`, String(now));
  for (const bar of all(`[data-pane="${name}"]`)) bar.setAttribute("aria-valuenow", String(Math.round(now)));
}
const resized = () => window.dispatchEvent(new Event("resize"));
for (const name of Object.keys(SHARES)) set(name, kept(name), false);

/** @type {Point & {name: string, from: number, height: number} | null} */
let drag = null;
hear("pointerdown", (event, target) => {
  const bar = target.closest?.("[data-pane]");
  if (!bar) return;
  event.preventDefault();
  bar.setPointerCapture(event.pointerId);
  const main = bar.parentElement.getBoundingClientRect();
  drag = { name: bar.dataset.pane, x: event.clientX, y: event.clientY, from: kept(bar.dataset.pane), height: main.height };
});
hear("pointermove", (event) => {
  if (!drag) return;
  set(
    drag.name,
    drag.name === "--inspector" ? drag.from - (event.clientX - drag.x) : drag.from + (100 * (event.clientY - drag.y)) / drag.height,
  );
});
hear("pointerup", () => {
  if (drag) resized();
  drag = null;
});
hear("keydown", (event, target) => {
  const bar = target.closest?.("[data-pane]");
  const step = STEPS[event.key];
  if (!bar || !step) return;
  event.preventDefault();
  set(bar.dataset.pane, kept(bar.dataset.pane) + (bar.dataset.pane === "--inspector" ? -4 * step : step));
  resized();
});
hear("dblclick", (_, target) => {
  const bar = target.closest?.("[data-pane]");
  if (!bar) return;
  set(bar.dataset.pane, SHARES[bar.dataset.pane][2]);
  resized();
});

/** @param {boolean} on */
function alone(on) {
  root.classList.toggle("map-alone", on);
  const button = $("map-alone");
  if (button) button.setAttribute("aria-pressed", String(on));
  resized();
}
hear("click", (_, target) => {
  if (target.id === "map-alone") alone(!root.classList.contains("map-alone"));
});
hear("keydown", (event) => {
  if (event.key === "Escape" && root.classList.contains("map-alone") && !document.querySelector("dialog[open]")) alone(false);
});
