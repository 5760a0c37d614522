// The map of the process, drawn anew whenever the page has new figures.
import { all, data, focused, hear } from "./dom.js";
import { picture } from "./map/drawing.js";
import { forget, place, widths } from "./map/layout.js";
import { bounds, canvas, current, fit, look, looked, onScale, ready, room, scale, still } from "./map/view.js";
import "./map/keys.js";
import "./map/panes.js";
import { at, open } from "./workspace/page.js";

const WRITTEN = 1.08; // by how much the scale may change before the map is written anew
/** As on the last map that was looked at. @template {string} T @param {string} name @param {T[]} choices */
const kept = (name, choices) => choices.find((c) => c === localStorage.getItem(`gulch-map-${name}`)) ?? choices[0];
/** @type {Shows} */
let shows = kept("shows", ["molar", "mass"]);
/** @type {Says} */
let says = kept("says", ["flow", "state", "name"]);
/** @template {string} T @param {string} name @param {string} value */
function keep(name, value) {
  localStorage.setItem(`gulch-map-${name}`, value);
  return /** @type {T} */ (value);
}
/** The picture that stands. @type {{map: ProcessMap, w: Record<string, number>, placed: Laid, on: Element, k?: number} | null} */
let drawn = null;

async function draw() {
  const on = canvas();
  const map = on && data("map-data");
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
  const here = on.contains(focused()) ? focused().dataset.id : null;
  drawn.k = scale();
  const svg = picture(drawn.map, drawn.placed, drawn.w, { shows, says, k: drawn.k, bounds: bounds() });
  if (still()) for (const node of all("[tabindex]", svg)) for (const name of ["tabindex", "role"]) node.removeAttribute(name);
  on.replaceChildren(svg);
  fit(svg);
  if (here) svg.querySelector(`[data-id="${CSS.escape(here)}"]`)?.focus();
}

// A click on a thing of the map opens it; on the + at a stream's end what can be appended there.
hear("click", async (_, target) => {
  const thing = target.closest?.(".map-canvas [data-id]");
  if (!thing) return;
  if (thing.matches(".loop-chip")) return void open(at("loops"));
  const { id } = thing.dataset;
  const toAppend = thing.matches(".plus");
  await open(at("process", toAppend ? id.slice(1) : id));
  if (toAppend) document.querySelector("#append .kind")?.focus();
});

onScale(() => {
  const k = scale();
  if (drawn && (k > WRITTEN * drawn.k || k < drawn.k / WRITTEN)) write();
  else if (current()) fit(current());
});

hear("change", (_, target) => {
  if (target.id === "width-shows") {
    shows = keep("shows", target.value);
    draw();
  }
  if (target.id === "streams-say") {
    says = keep("says", target.value);
    write();
  }
});
hear("gulch:drawn", () => {
  for (const select of all("#width-shows")) select.value = shows;
  for (const select of all("#streams-say")) select.value = says;
  draw();
});
hear("gulch:resized", draw);
