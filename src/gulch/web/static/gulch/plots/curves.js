// Curves inside a unit: a tank's heat balance over temperature, profiles along a tube.
import { bare, css, farDash, ink, SMALL, smallAxis, titled } from "./frame.js";

/**
 * @typedef {{x: number[], x_unit: string, axis: string, made: number[], removed: number[], states: {x: number, runs: boolean,
 * stable: boolean}[]}} Heat
 * @typedef {{id: string, axes: import("./frame.js").Quantity[], series: {label: string, y: number[], axis: number}[]}} Group
 * @typedef {{x: number[], x_label: string, x_unit: string, groups: Group[], peaks: {x: number, y: number, label: string}[]}} Profile
 */

/** A value between the points of a curve. @param {number[]} x @param {number[]} y @param {number} at */
export function between(x, y, at) {
  const found = x.findIndex((v) => v >= at);
  const i = Math.min(Math.max(found, 1), x.length - 1);
  const w = (at - x[i - 1]) / (x[i] - x[i - 1]);
  return (1 - w) * y[i - 1] + w * y[i];
}

/** Heat made and removed in a tank, and where they are equal. @param {Heat} found @returns {import("./frame.js").Plot} */
export function heat({ x, x_unit, axis, made, removed, states }) {
  /** @param {number[]} y @param {string} name @param {string} colour @param {string} dash */
  const line = (y, name, colour, dash) => ({
    x,
    y,
    name,
    mode: "lines",
    line: { color: css(colour), width: 2.2, dash },
    hovertemplate: `%{x:.4g} ${x_unit}: %{y:.4g} ${axis}<extra>${name}</extra>`,
  });
  const steady = {
    x: states.map((s) => s.x),
    y: states.map((s) => between(x, removed, s.x)),
    mode: "markers+text",
    name: "steady states",
    text: states.map((s) => (s.runs ? "runs" : "")),
    textposition: "top left",
    marker: { size: 11, color: states.map((s) => css(s.stable ? "--juniper" : "--card")), line: { color: css("--juniper"), width: 2 } },
    hovertemplate: `%{x:.5g} ${x_unit}<extra>steady</extra>`,
  };
  return {
    traces: [line(made, "heat made", "--clay", "solid"), line(removed, "heat removed", "--creek", "dash"), steady],
    layout: {
      margin: { l: 58, r: 12, t: 6, b: 38 },
      legend: { orientation: "h", y: 1.14, x: 0, font: SMALL },
      xaxis: smallAxis(`temperature [${x_unit}]`),
      yaxis: smallAxis(`heat [${axis}]`),
    },
  };
}

/** What runs along a tube, one group of curves at a time. @param {Profile} found @returns {import("./frame.js").Plot} */
export function profile(found, group = found.groups[0]) {
  const [left, right] = group.axes;
  const series = group.series.map((s, i) => ({
    x: found.x,
    y: s.y,
    name: s.label,
    mode: "lines",
    yaxis: s.axis ? "y2" : "y",
    line: { color: ink(i), dash: farDash(i), width: 2 },
    hovertemplate: `%{x:.4g} ${found.x_unit}: %{y:.5g} ${group.axes[s.axis].unit}<extra>${bare(s.label)}</extra>`,
  }));
  return {
    traces: group.id === "composition" && found.peaks.length ? [...series, peaks(found)] : series,
    layout: {
      margin: { l: 58, r: right ? 60 : 12, t: 6, b: 38 },
      legend: { orientation: "v", x: right ? 1.12 : 1.01, y: 1, font: SMALL },
      xaxis: smallAxis(titled({ label: found.x_label, unit: found.x_unit })),
      yaxis: smallAxis(titled(left)),
      ...(right && { yaxis2: smallAxis(titled(right), { overlaying: "y", side: "right", showgrid: false }) }),
    },
  };
}

/** @param {Profile} found */
const peaks = (found) => ({
  x: found.peaks.map((p) => p.x),
  y: found.peaks.map((p) => p.y),
  text: found.peaks.map((p) => p.label),
  mode: "markers+text",
  textposition: "top center",
  marker: { symbol: "triangle-down", size: 11, color: css("--ochre") },
  showlegend: false,
  hoverinfo: "text",
});
