// Dividers between map, table and inspector, and the map alone on the screen; both are remembered in this browser.
const SHARES = { "--map-share": [18, 82, 50], "--inspector": [220, 560, 330] }; // least, most, to begin with
const root = document.documentElement;
const kept = (name) => Number(localStorage.getItem("gulch" + name)) || SHARES[name][2];

function set(name, value, remember = true) {
  const [least, most] = SHARES[name], now = Math.min(Math.max(value, least), most);
  root.style.setProperty(name, name === "--inspector" ? `${now}px` : String(now));
  if (remember) localStorage.setItem("gulch" + name, String(now));
  for (const bar of document.querySelectorAll(`[data-pane="${name}"]`)) bar.setAttribute("aria-valuenow", String(Math.round(now)));
}
const resized = () => window.dispatchEvent(new Event("resize"));
for (const name of Object.keys(SHARES)) set(name, kept(name), false);

let drag = null;
document.addEventListener("pointerdown", (event) => {
  const bar = event.target.closest && event.target.closest("[data-pane]");
  if (!bar) return;
  event.preventDefault();
  bar.setPointerCapture(event.pointerId);
  const main = bar.parentElement.getBoundingClientRect();
  drag = { name: bar.dataset.pane, x: event.clientX, y: event.clientY, from: kept(bar.dataset.pane), height: main.height };
});
document.addEventListener("pointermove", (event) => {
  if (!drag) return;
  set(drag.name, drag.name === "--inspector" ? drag.from - (event.clientX - drag.x) : drag.from + (100 * (event.clientY - drag.y)) / drag.height);
});
document.addEventListener("pointerup", () => {
  if (drag) resized();
  drag = null;
});
document.addEventListener("keydown", (event) => {
  const bar = event.target.closest && event.target.closest("[data-pane]");
  const step = { ArrowUp: -5, ArrowLeft: -5, ArrowDown: 5, ArrowRight: 5 }[event.key];
  if (!bar || !step) return;
  event.preventDefault();
  set(bar.dataset.pane, kept(bar.dataset.pane) + (bar.dataset.pane === "--inspector" ? -4 * step : step));
  resized();
});
document.addEventListener("dblclick", (event) => {
  const bar = event.target.closest && event.target.closest("[data-pane]");
  if (!bar) return;
  set(bar.dataset.pane, SHARES[bar.dataset.pane][2]);
  resized();
});

function alone(on) {
  root.classList.toggle("map-alone", on);
  const button = document.getElementById("map-alone");
  if (button) button.setAttribute("aria-pressed", String(on));
  resized();
}
document.addEventListener("click", (event) => {
  if (event.target.id === "map-alone") alone(!root.classList.contains("map-alone"));
});
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && root.classList.contains("map-alone") && !document.querySelector("dialog[open]")) alone(false);
});
