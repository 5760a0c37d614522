// The curve of best points for two aims.
import { ABOVE, axis, bare, css, label, nowMark, spot, titled } from "./frame.js";

/** @typedef {import("./frame.js").Quantity} Quantity */
/** @typedef {{axes: [Quantity, Quantity], x: number[], y: number[], words: string[], holds: string[], rough: boolean[], knee:
 * number | null,
 *   now: [number, number] | null, points: object[]}} Found */

/** @param {HTMLElement} node @param {Found} found */
export const offer = (node, found) => label(node, `Trade-off of ${found.axes[0].label} and ${found.axes[1].label}`);

/** @param {Found} found @returns {import("./frame.js").Plot} */
export function trade(found) {
  const [one, other] = found.axes;
  const curve = {
    x: found.x,
    y: found.y,
    text: found.words.map((w, i) => `${w}<br>held by ${found.holds[i]}`),
    mode: "lines+markers",
    name: "best for both",
    line: { color: css("--creek"), width: 2.2 },
    marker: { size: 9, color: found.rough.map((r) => css(r ? "--card" : "--creek")), line: { color: css("--creek"), width: 1.6 } },
    hovertemplate: `${bare(one.label)} %{x:.5g} ${one.unit}<br>${bare(other.label)} %{y:.5g} ${other.unit}<br>%{text}<extra></extra>`,
  };
  const bend = { symbol: "diamond", size: 15, color: css("--clay"), line: { color: css("--card"), width: 1 } };
  const spots = [];
  if (found.knee !== null) spots.push(spot(found.x[found.knee], found.y[found.knee], "bends most", { marker: bend }));
  if (found.now && near(found.now, [found.x, found.y])) spots.push(spot(found.now[0], found.now[1], "now", { marker: nowMark() }));
  return {
    traces: [curve, ...spots],
    layout: { margin: { l: 66, r: 16, t: 40, b: 50 }, legend: ABOVE, xaxis: axis(titled(one)), yaxis: axis(titled(other)) },
    chosen: (p) => (p.curveNumber === 0 ? found.points[p.pointIndex] : found.points[found.knee] || null),
  };
}

/** Whether a point is so near to the curve that showing it does not make the curve small. @param {number[]} point
 * @param {number[][]} curve */
export function near(point, curve) {
  return curve.every((values, i) => {
    const [low, high] = [Math.min(...values), Math.max(...values)];
    const room = 0.6 * (high - low || Math.abs(high) || 1);
    return point[i] >= low - room && point[i] <= high + room;
  });
}
