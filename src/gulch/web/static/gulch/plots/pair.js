// A pair's boiling diagram: bubble and dew line, measured points, what would fit them.
import { css, smallAxis } from "./frame.js";

/** @typedef {{x: number[], y: number[], v: number[]}} Curve */
/** @typedef {{curve: Curve, fit: Curve | null, points: Curve, azeotropes: [number, number][], species: string, label: string}} Found */

/** @param {Found} found @returns {import("./frame.js").Plot} */
export function pair(found) {
  const { curve, fit, points, azeotropes } = found;
  const traces = [line(curve, "x", "liquid x", "solid"), line(curve, "y", "vapour y", "solid")];
  if (fit) traces.push(line(fit, "x", "x, fitted", "dot"), line(fit, "y", "y, fitted", "dot"));
  if (points.x.length) traces.push(dots(points, "x", "x measured", "circle"), dots(points, "y", "y measured", "square"));
  if (azeotropes.length) {
    const [x, y] = [azeotropes.map((a) => a[0]), azeotropes.map((a) => a[1])];
    traces.push(of(x, y, "azeotrope", { mode: "markers", marker: { color: css("--text"), size: 9, symbol: "diamond-open" } }));
  }
  return {
    traces,
    layout: {
      margin: { l: 52, r: 10, t: 8, b: 84 },
      legend: { orientation: "h", y: -0.28, x: 0, font: { size: 11 } },
      xaxis: smallAxis(`x, y of ${found.species}`, { range: [0, 1] }),
      yaxis: smallAxis(found.label),
    },
  };
}

const INK = { x: "--creek", y: "--clay" };
/** @param {number[]} x @param {number[]} y @param {string} name @param {object} more @returns {object} */
const of = (x, y, name, more) => ({ x, y, name, hovertemplate: `%{x:.4f}, %{y:.5g}<extra>${name}</extra>`, ...more });
/** @param {Curve} from @param {"x" | "y"} phase @param {string} name @param {string} dash */
const line = (from, phase, name, dash) =>
  of(from[phase], from.v, name, { mode: "lines", line: { color: css(INK[phase]), width: 2.2, dash } });
/** @param {Curve} from @param {"x" | "y"} phase @param {string} name @param {string} symbol */
const dots = (from, phase, name, symbol) =>
  of(from[phase], from.v, name, { mode: "markers", marker: { color: css(INK[phase]), size: 7, symbol } });
