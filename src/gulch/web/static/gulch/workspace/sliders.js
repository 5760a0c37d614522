// Sliders: solve while moving, save when let go. Only the newest position is sent.
import { all, hear, hearFirst } from "../dom.js";
import { post } from "./page.js";

/** @type {Promise<void> | null} */
let moving = null;
/** @type {HTMLInputElement | null} */
let waiting = null;
/** @type {HTMLInputElement | null} */
let held = null; // the slider that is being moved: from its first step until it is let go

// A value that was typed beside a slider moves it: until the answer is there, its place is an old one and no step is taken from it.
const ahead = (/** @type {HTMLInputElement | null} */ slider) => slider?.dataset.waits === "yes";
hear("change", (_, target) => {
  const slider = target.matches?.(".knob input.value") && target.closest(".knob").querySelector(".slider");
  if (slider) slider.dataset.waits = "yes";
});
hear("htmx:afterRequest", () => {
  for (const slider of all(".slider[data-waits]")) delete slider.dataset.waits;
});
/** @param {Event} event @param {Control} target */
const waits = (event, target) => ahead(target.closest?.(".slider")) && event.preventDefault();
hearFirst("keydown", (event, target) => event.key !== "Tab" && waits(event, target));
hearFirst("pointerdown", waits);

// A slider that nobody moves stands where its knob does, be the focus on it or not: a swap leaves the place of one with the focus.
/** @type {WeakMap<Element, string>} */
const places = new WeakMap();
/** @param {Element} slider @param {Element} fresh */
export function placed(slider, fresh) {
  places.set(slider, fresh.getAttribute("value"));
}
export function followed() {
  for (const slider of all(".slider")) {
    if (slider === held) continue;
    slider.setAttribute("value", places.get(slider) ?? slider.getAttribute("value"));
    slider.value = slider.getAttribute("value");
  }
}

hear("input", (_, target) => {
  const slider = target.closest(".slider");
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
hear("change", async (_, target) => {
  const slider = target.closest(".slider");
  if (!slider) return;
  waiting = null;
  const position = slider.value;
  held = null;
  if (moving) await moving;
  post(slider.dataset.turn, { id: slider.dataset.knob, position });
});
