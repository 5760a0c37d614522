// Knobs and gauges in an order of the user's own: dragged by their names, or moved by Shift and the arrow keys.
import { $, all, hear } from "../dom.js";
import { post } from "./page.js";

/** @type {Record<string, number>} */
const STEPS = { ArrowLeft: -1, ArrowRight: 1 };
/** @param {Control} node @returns {HTMLElement | null} */
const card = (node) => node.closest?.("#strip > [data-card]");
/** @param {HTMLElement} one */
const alike = (one) => all(`#strip > [data-card="${one.dataset.card}"]`);

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
