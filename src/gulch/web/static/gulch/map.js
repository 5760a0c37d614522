// The map of the process, drawn anew whenever the page has new figures.
import { picture } from "./map/drawing.js";
import { forget, place, widths } from "./map/layout.js";
import { fit, look, looked } from "./map/view.js";
import "./map/keys.js";

let shows = "molar";

async function draw() {
  const canvas = document.getElementById("map-canvas");
  const map = canvas && window.gulch.data("map-data");
  if (!map) return;
  if (!map.streams.length && !map.units.length) {
    canvas.replaceChildren();
    forget();
    return;
  }
  const w = widths(map, shows);
  const found = await place(map, w, shows);
  if (!found || !canvas.isConnected) return; // overtaken, or the user left the map meanwhile
  if (found.fresh || !looked()) look(found.placed);
  const focused = canvas.contains(document.activeElement) ? document.activeElement.dataset.id : null;
  const svg = picture(map, found.placed, w, shows);
  canvas.replaceChildren(svg);
  fit(svg);
  const again = focused && svg.querySelector(`[data-id="${CSS.escape(focused)}"]`);
  if (again) again.focus();
}

document.addEventListener("change", (event) => {
  if (event.target.id === "width-shows") { shows = event.target.value; draw(); }
});
document.addEventListener("gulch:drawn", () => {
  const select = document.getElementById("width-shows");
  if (select) select.value = shows;
  draw();
});
