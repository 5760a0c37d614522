// The inverse-rate diagram: the plug flow's area under its curve, the tanks' rectangles.
import { css, SMALL, smallAxis } from "./frame.js";

/** @typedef {{key: string, unit: string, target: number, tank_height: number, steps: {x: number, height: number}[], plug:
 * [number, number][],
 *   tank: [number, number][]}} Found */

/** @param {Found} found @returns {import("./frame.js").Plot} */
export function sizing(found) {
  const under = { fill: "tozeroy", fillcolor: `${css("--creek")}33`, line: { color: css("--creek"), width: 2.4 } };
  const steps = found.steps.map((step, i) => box(i ? found.steps[i - 1].x : 0, step.x, step.height, "--ochre", "dot"));
  return {
    traces: [
      curve(found, found.plug, "along plug flow", "plug flow", under),
      curve(found, found.tank, "in a tank", "tank", { line: { color: css("--clay"), width: 2, dash: "dash" } }),
    ],
    layout: {
      margin: { l: 62, r: 12, t: 8, b: 46 },
      shapes: [box(0, found.target, found.tank_height, "--dusk", "solid"), ...steps],
      legend: { orientation: "h", y: 1.1, x: 0, font: SMALL },
      xaxis: smallAxis(`conversion of ${found.key} [%]`, { range: [0, found.target * 1.04] }),
      yaxis: smallAxis(`feed of ${found.key} over its rate [${found.unit}]`, { rangemode: "tozero" }),
    },
  };
}

/** @param {Found} found @param {[number, number][]} points @param {string} name @param {string} short @param {object} more */
const curve = (found, points, name, short, more) => ({
  x: points.map((p) => p[0]),
  y: points.map((p) => p[1]),
  mode: "lines",
  name,
  hovertemplate: `X %{x:.3g} %: %{y:.4g} ${found.unit}<extra>${short}</extra>`,
  ...more,
});

/** @param {number} x0 @param {number} x1 @param {number} y1 @param {string} colour @param {string} dash */
const box = (x0, x1, y1, colour, dash) => ({
  type: "rect",
  x0,
  x1,
  y0: 0,
  y1,
  line: { color: css(colour), width: 1.5, dash },
  fillcolor: css(colour),
  opacity: dash === "dot" ? 0.12 : 0.1,
  layer: "below",
});
