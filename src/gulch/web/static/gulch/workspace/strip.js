// Knobs and gauges in an order of the user's own: dragged by their names, or moved by Shift and the arrow keys.
import { $, all, announce, hear } from "../dom.js";
import { post } from "./page.js";

/** @type {Record<string, number>} */
const STEPS = { ArrowLeft: -1, ArrowRight: 1 };
/** @param {Control} node @returns {HTMLElement | null} */
const card = (node) => node.closest?.("#strip [data-card]");
/** @param {HTMLElement} one */
const alike = (one) => all(`#strip .readings:not(.put-away) > [data-card="${one.dataset.card}"]`);

/** @param {HTMLElement} one @param {number} to */
async function move(one, to) {
  if (to < 0 || to >= alike(one).length || to === alike(one).indexOf(one)) return;
  const { id } = one;
  const { card: kind, id: name } = one.dataset;
  await post($("strip").dataset.move, { kind, id: name, to });
  const again = $(id);
  (again?.matches("a") ? again : again?.querySelector("a"))?.focus();
}

hear("keydown", (event, target) => {
  const way = STEPS[event.key];
  const one = card(target);
  if (!way || !event.shiftKey || event.ctrlKey || event.altKey || !one || target.matches("input")) return;
  event.preventDefault();
  move(one, alike(one).indexOf(one) + way);
});

/** @type {HTMLElement | null} */
let dragged = null;
hear("dragstart", (event, target) => {
  dragged = card(target);
  if (dragged) event.dataTransfer.effectAllowed = "move";
});
hear("dragover", (event, target) => {
  const over = card(target);
  if (dragged && over && over.dataset.card === dragged.dataset.card) event.preventDefault();
});
hear("drop", (event, target) => {
  const over = card(target);
  if (!dragged || !over || over.dataset.card !== dragged.dataset.card) return;
  event.preventDefault();
  move(dragged, alike(dragged).indexOf(over));
});
hear("dragend", () => {
  dragged = null;
});

// One row of cards: those that do not fit, and those put away, are behind a count, out of reach of the keys until it is opened.
const OPEN = "all-cards"; // on the body, which no answer takes the place of
function counted() {
  const button = $("more-cards");
  if (!button) return;
  const open = document.body.classList.contains(OPEN);
  button.hidden = true;
  let beyond = fitted(open);
  button.hidden = beyond + Number(button.dataset.hidden) === 0;
  if (!button.hidden && !open) beyond = fitted(open); // it takes room itself
  button.textContent = open ? "fewer" : `+${beyond + Number(button.dataset.hidden)}`;
  button.title = open ? "one row again" : "the other knobs and gauges";
  button.ariaExpanded = String(open);
}
/** How many cards stand below the first row; they cannot be reached meanwhile. @param {boolean} open */
function fitted(open) {
  let beyond = 0;
  for (const cards of all("#strip .readings:not(.put-away)")) {
    for (const one of cards.children) {
      const below = !open && one.offsetTop > cards.children[0].offsetTop + 2;
      one.inert = below;
      if (below) beyond += 1;
    }
  }
  return beyond;
}
hear("click", (_, target) => {
  if (!target.closest("#more-cards")) return;
  document.body.classList.toggle(OPEN);
  counted();
  announce("gulch:resized");
});
hear("gulch:drawn", counted);
addEventListener("resize", counted);
document.fonts?.ready.then(counted);
