// Lines along both knobs of a map through the place one points at.
import { FAILS, nearest } from "./contours.js";
import { bare, css, rule, SMALL, smallAxis, titled } from "./frame.js";

/** The two plots beside a map: [id of its node, plot]. @param {import("./contours.js").Found} found @param {number} x @param {number} y
 * @param {number} gauge @returns {[string, import("./frame.js").Plot][]} */
export function sections(found, x, y, gauge) {
  const g = found.gauges[gauge === FAILS ? found.shows : gauge];
  const [across, up] = found.axes;
  const i = nearest(found.x, x);
  const j = nearest(found.y, y);
  const column = g.z.map((row) => row[i]);
  return [
    ["section-x", section(g, across, found.x, g.z[j], found.x[i], up, found.y[j])],
    ["section-y", section(g, up, found.y, column, found.y[j], across, found.x[i])],
  ];
}

/** Where they run before somebody points: through the best, or now. @param {import("./contours.js").Found} found */
export const through = (found) => found.best || found.now || [found.x[0], found.y[0]];

/** @typedef {import("./contours.js").Axis} Axis */
/** @param {import("./contours.js").Gauge} g @param {Axis} along @param {number[]} x @param {(number | null)[]} y @param {number} here
 * @param {Axis} other @param {number} held */
function section(g, along, x, y, here, other, held) {
  const limits = [g.at_least, g.at_most].filter((v) => v !== null);
  const drawn = { x, y, mode: "lines+markers", line: { color: css("--creek"), width: 2 }, marker: { size: 5 } };
  return {
    traces: [
      { ...drawn, hovertemplate: `${bare(along.label)} %{x:.5g} ${along.unit}<br>${bare(g.label)} %{y:.5g} ${g.unit}<extra></extra>` },
    ],
    layout: {
      margin: { l: 44, r: 8, t: 24, b: 38 },
      title: { text: `${titled(g)} at ${other.label} ${held.toPrecision(4)} ${other.unit}`, font: SMALL, x: 0, y: 0.97 },
      xaxis: smallAxis(titled(along), { type: along.log ? "log" : "linear" }),
      yaxis: smallAxis(""),
      shapes: [
        ...limits.map((v) => rule("y", v, { color: css("--ochre"), dash: "dot", width: 1.4 })),
        rule("x", here, { color: css("--mut"), dash: "dot", width: 1.2 }),
      ],
    },
  };
}
