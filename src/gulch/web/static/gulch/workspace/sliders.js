import { post } from "./page.js";

// Sliders: solve while moving, save when let go. Only the newest position is sent.
let moving = null, waiting = null;
document.addEventListener("input", (event) => {
  const slider = event.target.closest(".slider");
  if (!slider) return;
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
  if (moving) await moving;
  post(slider.dataset.turn, { id: slider.dataset.knob, position });
});
