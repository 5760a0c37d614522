// log K over 1/T: the temperature stands on a second scale above.
import { css, rule, SMALL, shade, smallAxis } from "./frame.js";

/** @typedef {{x: number[], T: number[], k: number[], low: number[], high: number[], gibbs: number[] | null, unit: string, at: number,
 *   ticks: [number, string][], valid: [number, number], believed: [number, number] | null}} Found */

/** @param {Found} found @returns {import("./frame.js").Plot} */
export function constant(found) {
  const ends = [Math.min(...found.x), Math.max(...found.x)];
  const places = found.ticks.map((t) => t[0]);
  const above = {
    overlaying: "x",
    side: "top",
    range: ends,
    tickvals: places,
    ticktext: found.ticks.map((t) => t[1]),
    showgrid: false,
    tickangle: 0,
  };
  return {
    // an empty trace carries the upper scale
    traces: [
      ...curves(found),
      { x: places, y: places.map(() => /** @type {null} */ (null)), xaxis: "x2", hoverinfo: "skip", showlegend: false },
    ],
    layout: {
      margin: { l: 44, r: 8, t: 34, b: 62 },
      shapes: [rule("x", found.at, { color: css("--clay"), dash: "dot", width: 1.5 }), ...ranges(found, ends)],
      legend: { orientation: "h", y: -0.3, x: 0, font: { size: 11 } },
      xaxis: smallAxis("1000 K / T", { range: ends }),
      xaxis2: { ...above, title: { text: found.unit, standoff: 2, font: SMALL }, tickfont: { size: 11 } },
      yaxis: smallAxis("log₁₀ K"),
    },
  };
}

/** @param {Found} found @returns {object[]} */
function curves({ x, T, k, low, high, gibbs, unit }) {
  const traces = [];
  const side = { x, mode: "lines", line: { width: 0, color: css("--ochre") }, hoverinfo: "skip" };
  if (low.length) {
    traces.push({ ...side, y: low, showlegend: false });
    traces.push({ ...side, y: high, fill: "tonexty", fillcolor: `${css("--ochre")}44`, name: "sources" });
  }
  if (gibbs) traces.push({ ...side, y: gibbs, line: { color: css("--ochre"), dash: "dash", width: 1.5 }, name: "Gibbs energies" });
  const hovertemplate = `%{customdata:.4g} ${unit}: log K %{y:.4f}<extra></extra>`;
  if (k.length)
    traces.push({ x, y: k, customdata: T, mode: "lines", line: { color: css("--creek"), width: 2.2 }, name: "K in use", hovertemplate });
  return traces;
}

/** Where data do not reach is grey, where they are believed is green. @param {Found} found @param {number[]} ends */
function ranges({ valid, believed }, ends) {
  const shapes = [];
  if (valid[0] > ends[0]) shapes.push(shade(ends[0], valid[0], "--mut", 0.15));
  if (valid[1] < ends[1]) shapes.push(shade(valid[1], ends[1], "--mut", 0.15));
  if (believed) shapes.push(shade(Math.max(ends[0], believed[0]), Math.min(ends[1], believed[1]), "--juniper", 0.14));
  return shapes;
}
