// Walking the map: arrows go to the nearest thing in that direction.
import { all, hear } from "../dom.js";
import { reach, whole, zoom } from "./view.js";

hear("keydown", (event, target) => {
  const canvas = document.querySelector(".map-canvas:not([data-still])");
  if (!canvas?.contains(target) || event.ctrlKey || event.altKey || event.metaKey) return;
  if (event.key === "+" || event.key === "=") return zoom(0.8);
  if (event.key === "-") return zoom(1.25);
  if (event.key === "0") return whole();
  const things = all("[data-id]", canvas);
  const here = target.closest("[data-id]");
  if (event.key === "Enter" || event.key === " ") {
    if (here) {
      event.preventDefault();
      here.dispatchEvent(new MouseEvent("click", { bubbles: true }));
    }
    return;
  }
  const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
  if (!way) return;
  event.preventDefault();
  if (!here) {
    if (things[0]) {
      things[0].focus();
      reach(things[0]);
    }
    return;
  }
  /** @param {Element} node */
  const middle = (node) => {
    if (node.classList.contains("stream-g")) {
      const path = /** @type {SVGPathElement} */ (node.querySelector(".channel"));
      const point = path.getPointAtLength(path.getTotalLength() / 2);
      const m = path.getScreenCTM();
      return { x: point.x * m.a + m.e, y: point.y * m.d + m.f };
    }
    const b = node.getBoundingClientRect();
    return { x: b.x + b.width / 2, y: b.y + b.height / 2 };
  };
  const from = middle(here);
  let best = null;
  for (const node of things) {
    if (node === here) continue;
    const to = middle(node);
    const dx = to.x - from.x;
    const dy = to.y - from.y;
    const along = dx * way[0] + dy * way[1];
    const across = Math.abs(dx * way[1] + dy * way[0]);
    if (along < 4) continue;
    const cost = along + 2.2 * across;
    if (!best || cost < best.cost) best = { node, cost };
  }
  if (best) {
    best.node.focus();
    reach(best.node);
  }
});
