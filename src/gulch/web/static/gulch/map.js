// The map of the process, drawn anew whenever the page has new figures.
import { picture } from "./map/drawing.js";
import { forget, place, widths } from "./map/layout.js";
import { bounds, canvas, current, fit, look, looked, onScale, ready, room, scale, still } from "./map/view.js";
import "./map/keys.js";
import "./map/panes.js";

const WRITTEN = 1.08; // by how much the scale may change before the map is written anew
const kept = (name, choices) => choices.find((c) => c === localStorage.getItem("gulch-map-" + name)) ?? choices[0];
let shows = kept("shows", ["molar", "mass"]), says = kept("says", ["flow", "state", "name"]); // as on the last map that was looked at
function keep(name, value) {
  localStorage.setItem("gulch-map-" + name, value);
  return value;
}
let drawn = null; // {map, w, placed, k, on} of the picture that stands

async function draw() {
  const on = canvas();
  const map = on && window.gulch.data("map-data");
  if (!map) return;
  if (!map.streams.length && !map.units.length) {
    on.replaceChildren();
    forget();
    return;
  }
  const w = widths(map, shows);
  const found = await place(map, w, shows, room());
  if (!found || !on.isConnected) return; // overtaken, or the user left the map meanwhile
  if (found.fresh || !looked() || drawn?.on !== on) look(found.placed);
  drawn = { map, w, placed: found.placed, on };
  write();
}

function write() {
  const on = canvas();
  if (!on || drawn?.on !== on) return;
  ready();
  const focused = on.contains(document.activeElement) ? document.activeElement.dataset.id : null;
  drawn.k = scale();
  const svg = picture(drawn.map, drawn.placed, drawn.w, { shows, says, k: drawn.k, bounds: bounds() });
  if (still()) for (const node of svg.querySelectorAll("[tabindex]")) for (const name of ["tabindex", "role"]) node.removeAttribute(name);
  on.replaceChildren(svg);
  fit(svg);
  const again = focused && svg.querySelector(`[data-id="${CSS.escape(focused)}"]`);
  if (again) again.focus();
}

// A click on a thing of the map opens it; on the + at a stream's end what can be appended there.
const there = (stage) => document.getElementById("workspace").dataset.base.replace(/process\/$/, stage + "/");
document.addEventListener("click", async (event) => {
  const thing = event.target.closest?.(".map-canvas [data-id]");
  if (!thing) return;
  if (thing.matches(".loop-chip")) return void window.gulch.open(there("loops"));
  const { id } = thing.dataset, toAppend = thing.matches(".plus");
  await window.gulch.open(there("process") + "?select=" + encodeURIComponent(toAppend ? id.slice(1) : id));
  if (toAppend) document.querySelector("#append .kind")?.focus();
});

onScale(() => {
  const k = scale();
  if (drawn && (k > WRITTEN * drawn.k || k < drawn.k / WRITTEN)) write();
  else if (current()) fit(current());
});

document.addEventListener("change", (event) => {
  if (event.target.id === "width-shows") { shows = keep("shows", event.target.value); draw(); }
  if (event.target.id === "streams-say") { says = keep("says", event.target.value); write(); }
});
document.addEventListener("gulch:drawn", () => {
  for (const [id, value] of [["width-shows", shows], ["streams-say", says]]) {
    const select = document.getElementById(id);
    if (select) select.value = value;
  }
  draw();
});
document.addEventListener("gulch:resized", draw);
