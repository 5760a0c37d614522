import { post } from "./page.js";

// Sliders: solve while moving, save when let go. Only the newest position is sent.
let moving = null, waiting = null;
let held = null; // the slider that is being moved: from its first step until it is let go

// A value that was typed beside a slider moves it: until the answer is there, its place is an old one and no step is taken from it.
const ahead = (slider) => slider?.dataset.waits === "yes";
document.addEventListener("change", (event) => {
  const slider = event.target.matches?.(".knob input.value") && event.target.closest(".knob").querySelector(".slider");
  if (slider) slider.dataset.waits = "yes";
});
document.addEventListener("htmx:afterRequest", () => {
  for (const slider of document.querySelectorAll(".slider[data-waits]")) delete slider.dataset.waits;
});
for (const kind of ["keydown", "pointerdown"]) document.addEventListener(kind, (event) => {
  if (event.key !== "Tab" && ahead(event.target.closest?.(".slider"))) event.preventDefault();
}, true);

// A slider that nobody moves stands where its knob does, be the focus on it or not: a swap leaves the place of one with the focus.
const places = new WeakMap();
export function placed(slider, fresh) {
  places.set(slider, fresh.getAttribute("value"));
}
export function followed() {
  for (const slider of document.querySelectorAll(".slider")) {
    if (slider === held) continue;
    slider.setAttribute("value", places.get(slider) ?? slider.getAttribute("value"));
    slider.value = slider.getAttribute("value");
  }
}

document.addEventListener("input", (event) => {
  const slider = event.target.closest(".slider");
  if (!slider) return;
  held = slider;
  waiting = slider;
  if (!moving) attempt();
});
function attempt() {
  const slider = waiting;
  waiting = null;
  moving = post(slider.dataset.try, { id: slider.dataset.knob, position: slider.value }).finally(() => {
    moving = null;
    if (waiting) attempt();
  });
}
document.addEventListener("change", async (event) => {
  const slider = event.target.closest(".slider");
  if (!slider) return;
  waiting = null;
  const position = slider.value;
  held = null;
  if (moving) await moving;
  post(slider.dataset.turn, { id: slider.dataset.knob, position });
});
