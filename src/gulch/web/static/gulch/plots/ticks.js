// Axes and shades no finer than the figures are: what differs by less than the last digit shown is drawn flat.

const DIGITS = 4; // of the figures on the pages
const FEWEST = 5; // steps between ticks on an axis, that are whole units of the last digit

/** The unit of the last digit that is shown of the largest of some values; 0 where there is none. @param {number[]} values */
export function quantum(values) {
  const largest = values.reduce((most, v) => Math.max(most, Math.abs(v)), 0);
  return largest > 0 && Number.isFinite(largest) ? 10 ** (Math.floor(Math.log10(largest)) - DIGITS + 1) : 0;
}

/** Range and ticks for values that differ by a few units of the last digit; null where they differ by more.
 * @param {number[]} values @returns {{range: [number, number], dtick: number} | null} */
export function coarse(values) {
  const q = quantum(values);
  const [low, high] = values.reduce(([a, b], v) => [Math.min(a, v), Math.max(b, v)], [Infinity, -Infinity]);
  if (!q || high - low >= FEWEST * q) return null;
  const middle = Math.round((low + high) / 2 / q) * q;
  const half = ((FEWEST + 1) / 2) * q;
  return { range: [middle - half, middle + half], dtick: q };
}

/** @typedef {{type?: string, y?: unknown[], z?: unknown[][], yaxis?: string, contours?: object, [more: string]: any}} Trace */
/** @param {unknown[]} values @returns {number[]} */
const numbers = (values) => /** @type {number[]} */ (values.filter((v) => typeof v === "number" && Number.isFinite(v)));

/** Makes the y axes of a plot, and the shades of its maps, no finer than the figures are. @param {Trace[]} traces @param {any} layout */
export function coarsen(traces, layout) {
  /** @type {Map<string, number[]>} */
  const by = new Map();
  for (const trace of traces) {
    if (Array.isArray(trace.z)) shades(trace);
    else if (Array.isArray(trace.y)) {
      const axis = `yaxis${(trace.yaxis ?? "y").slice(1)}`;
      by.set(axis, [...(by.get(axis) ?? []), ...numbers(trace.y)]);
    }
  }
  const ruled = (/** @type {string} */ axis) =>
    numbers((layout.shapes ?? []).flatMap((/** @type {any} */ s) => (s.yref === axis.replace("axis", "") ? [s.y0, s.y1] : [])));
  for (const [name, values] of by) {
    const axis = layout[name];
    if (!axis || axis.range || axis.type === "log" || axis.type === "category") continue;
    Object.assign(axis, coarse([...values, ...ruled(name)]));
  }
}

/** @param {Trace} trace */
function shades(trace) {
  if (trace.type !== "contour" || trace.showscale === false || !trace.ncontours) return;
  const values = numbers(trace.z.flat());
  const q = quantum(values);
  const [low, high] = values.reduce(([a, b], v) => [Math.min(a, v), Math.max(b, v)], [Infinity, -Infinity]);
  if (!q || high - low >= trace.ncontours * q) return;
  const found = coarse(values);
  const [zmin, zmax] = found ? found.range : [low, high];
  Object.assign(trace, { zmin, zmax, contours: { start: Math.ceil(zmin / q) * q, end: zmax, size: q } });
  if (found) trace.colorbar = { ...trace.colorbar, dtick: q };
}
