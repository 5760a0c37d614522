// Knobs and gauges in an order of the user's own: dragged by their names, or moved by Shift and the arrow keys.
import { post } from "./page.js";

const card = (node) => node.closest && node.closest("#strip > [data-card]");
const alike = (one) => [...document.querySelectorAll(`#strip > [data-card="${one.dataset.card}"]`)];

async function move(one, to) {
  if (to < 0 || to >= alike(one).length || to === alike(one).indexOf(one)) return;
  const { id } = one, { card: kind, id: name } = one.dataset;
  await post(document.getElementById("strip").dataset.move, { kind, id: name, to });
  const again = document.getElementById(id);
  (again?.matches("a") ? again : again?.querySelector("a"))?.focus();
}

document.addEventListener("keydown", (event) => {
  const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key], one = card(event.target);
  if (!way || !event.shiftKey || event.ctrlKey || event.altKey || !one || event.target.matches("input")) return;
  event.preventDefault();
  move(one, alike(one).indexOf(one) + way);
});

let dragged = null;
document.addEventListener("dragstart", (event) => {
  dragged = card(event.target);
  if (dragged) event.dataTransfer.effectAllowed = "move";
});
document.addEventListener("dragover", (event) => {
  const over = card(event.target);
  if (dragged && over && over.dataset.card === dragged.dataset.card) event.preventDefault();
});
document.addEventListener("drop", (event) => {
  const over = card(event.target);
  if (!dragged || !over || over.dataset.card !== dragged.dataset.card) return;
  event.preventDefault();
  move(dragged, alike(dragged).indexOf(over));
});
document.addEventListener("dragend", () => (dragged = null));
