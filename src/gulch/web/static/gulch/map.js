// The map of the process, drawn anew whenever the page has new figures.
import { picture } from "./map/drawing.js";
import { forget, place, widths } from "./map/layout.js";
import { bounds, fit, look, looked, onScale, ready, scale } from "./map/view.js";
import "./map/keys.js";
import "./map/panes.js";

const WRITTEN = 1.08; // by how much the scale may change before the map is written anew
let shows = "molar", says = "flow";
let drawn = null; // {map, w, placed, k} of the picture that stands

async function draw() {
  const canvas = document.getElementById("map-canvas");
  const map = canvas && window.gulch.data("map-data");
  if (!map) return;
  if (!map.streams.length && !map.units.length) {
    canvas.replaceChildren();
    forget();
    return;
  }
  const w = widths(map, shows), box = canvas.getBoundingClientRect();
  const found = await place(map, w, shows, { width: Math.max(box.width, 1), height: Math.max(box.height, 1) });
  if (!found || !canvas.isConnected) return; // overtaken, or the user left the map meanwhile
  if (found.fresh || !looked()) look(found.placed);
  drawn = { map, w, placed: found.placed };
  write();
}

function write() {
  const canvas = document.getElementById("map-canvas");
  if (!canvas || !drawn) return;
  ready();
  const focused = canvas.contains(document.activeElement) ? document.activeElement.dataset.id : null;
  drawn.k = scale();
  const svg = picture(drawn.map, drawn.placed, drawn.w, { shows, says, k: drawn.k, bounds: bounds() });
  canvas.replaceChildren(svg);
  fit(svg);
  const again = focused && svg.querySelector(`[data-id="${CSS.escape(focused)}"]`);
  if (again) again.focus();
}

onScale(() => {
  const k = scale();
  if (drawn && (k > WRITTEN * drawn.k || k < drawn.k / WRITTEN)) write();
  else if (document.querySelector("#map-canvas svg")) fit(document.querySelector("#map-canvas svg"));
});

document.addEventListener("change", (event) => {
  if (event.target.id === "width-shows") { shows = event.target.value; draw(); }
  if (event.target.id === "streams-say") { says = event.target.value; write(); }
});
document.addEventListener("gulch:drawn", () => {
  for (const [id, value] of [["width-shows", shows], ["streams-say", says]]) {
    const select = document.getElementById(id);
    if (select) select.value = value;
  }
  draw();
});
document.addEventListener("gulch:resized", draw);
