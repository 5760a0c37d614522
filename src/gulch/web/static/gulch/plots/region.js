// What can be had at all: the region, the ways of a tube and of a tank, the best, and where the process stands.
import { css, SMALL, smallAxis, titled } from "./frame.js";

/** @typedef {[number, number]} Point */
/** @typedef {{x: import("./frame.js").Quantity, y: import("./frame.js").Quantity, outline: Point[], tube: Point[], tank: Point[],
 *   less: {name: string, outline: Point[]}[], best: Point, fresh: Point, now: Point | null, now_of: string}} Found */

/** @param {Found} found @returns {import("./frame.js").Plot} */
export function region(found) {
  const traces = [
    line(found, found.outline, "can be had", {
      fill: "toself",
      fillcolor: `${css("--creek")}22`,
      line: { color: css("--creek"), width: 1.4 },
    }),
    ...found.less.map(({ name, outline }, k) =>
      line(found, outline, name, {
        fill: "toself",
        fillcolor: `${css("--creek")}22`,
        line: { color: css("--creek"), width: 1, dash: ["dot", "dash", "dashdot"][k % 3] },
      }),
    ),
    line(found, found.tube, "a tube alone", { line: { color: css("--clay"), width: 2 } }),
    line(found, found.tank, "a tank alone", { line: { color: css("--dusk"), width: 2, dash: "dash" } }),
    spot(found, found.fresh, "feed", "square", "--ink"),
    spot(found, found.best, "the most", "star", "--clay"),
  ];
  if (found.now) traces.push(spot(found, found.now, `${found.now_of} now`, "circle-open", "--ink"));
  return {
    traces,
    layout: {
      margin: { l: 62, r: 12, t: 30, b: 46 },
      legend: { orientation: "h", y: 1.12, x: 0, font: SMALL },
      xaxis: smallAxis(titled(found.x), { rangemode: "tozero" }),
      yaxis: smallAxis(titled(found.y), { rangemode: "tozero" }),
    },
  };
}

/** @param {Found} found @param {Point[]} points @param {string} name @param {object} more */
const line = (found, points, name, more) => ({
  x: points.map((p) => p[0]),
  y: points.map((p) => p[1]),
  mode: "lines",
  name,
  hovertemplate: `${found.x.label} %{x:.4g} ${found.x.unit}<br>${found.y.label} %{y:.4g} ${found.y.unit}<extra>${name}</extra>`,
  ...more,
});

/** @param {Found} found @param {Point} at @param {string} name @param {string} symbol @param {string} colour */
const spot = (found, at, name, symbol, colour) => ({
  ...line(found, [at], name, {}),
  mode: "markers",
  marker: { symbol, size: symbol === "star" ? 15 : 10, color: css(colour), line: { color: css("--card"), width: 1 } },
});
