// Curves inside a unit: what runs along a tube, over a tank's temperature, over time; one group of them at a time.
import { ABOVE, bare, css, farDash, ink, SMALL, smallAxis, titled } from "./frame.js";

/**
 * @typedef {{x: number, y: number, text: string, sign: "peak" | "stable" | "unstable"}} Mark
 * @typedef {{label: string, y: (number | null)[], axis: number}} Series
 * @typedef {{id: string, axes: import("./frame.js").Quantity[], series: Series[], marks: Mark[], log?: boolean,
 *   x?: (number | null)[], x_label?: string, x_unit?: string}} Group
 * @typedef {{x: number[], x_label: string, x_unit: string, x_log?: boolean, groups: Group[]}} Profile
 */

const LOG = { type: "log", tickformat: "~g", nticks: 6 };
const FEW = 3; // series, whose names fit above the plot

/** @param {Profile} found @returns {import("./frame.js").Plot} */
export function profile(found, group = found.groups[0]) {
  const [left, right] = group.axes;
  const few = group.series.length <= FEW;
  const over = { x: found.x, label: found.x_label, unit: found.x_unit };
  if (group.x) Object.assign(over, { x: group.x, label: group.x_label, unit: group.x_unit });
  const series = group.series.map((s, i) => ({
    x: over.x,
    y: s.y,
    name: s.label,
    mode: "lines",
    yaxis: s.axis ? "y2" : "y",
    line: { color: ink(i), dash: farDash(i), width: 2 },
    hovertemplate: `${bare(over.label)} %{x:.4g} ${over.unit}<br>${bare(s.label)} %{y:.5g} ${group.axes[s.axis].unit}<extra></extra>`,
  }));
  return {
    traces: group.marks.length ? [...series, marked(group.marks, over.unit)] : series,
    layout: {
      margin: { l: 58, r: right ? 60 : 12, t: few ? 28 : 6, b: 38 },
      legend: few ? ABOVE : { orientation: "v", x: right ? 1.12 : 1.01, y: 1, font: SMALL },
      xaxis: smallAxis(titled({ label: over.label, unit: over.unit }), found.x_log ? LOG : {}),
      yaxis: smallAxis(titled(left), group.log ? LOG : {}),
      ...(right && { yaxis2: smallAxis(titled(right), { overlaying: "y", side: "right", showgrid: false }) }),
    },
  };
}

const SIGNS = {
  peak: { symbol: "triangle-down", fill: "--ochre", line: "--ochre" },
  stable: { symbol: "circle", fill: "--juniper", line: "--juniper" },
  unstable: { symbol: "circle", fill: "--card", line: "--juniper" },
};

/** @param {Mark[]} marks @param {string} unit */
function marked(marks, unit) {
  const signs = marks.map((m) => SIGNS[m.sign]);
  return {
    x: marks.map((m) => m.x),
    y: marks.map((m) => m.y),
    text: marks.map((m) => m.text),
    mode: "markers+text",
    textposition: marks.map((m) => (m.sign === "peak" ? "top center" : "top left")),
    marker: {
      symbol: signs.map((s) => s.symbol),
      size: 11,
      color: signs.map((s) => css(s.fill)),
      line: { color: signs.map((s) => css(s.line)), width: 2 },
    },
    showlegend: false,
    hovertemplate: `%{x:.5g} ${unit} %{text}<extra></extra>`,
  };
}
