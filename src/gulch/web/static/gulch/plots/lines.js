// Gauges over one knob of a scan.
import { $ } from "../dom.js";
import { ABOVE, axis, bare, bestMark, css, dash, ink, label, rule, SMALL, shade, symbol, titled, yAxis } from "./frame.js";

/**
 * @typedef {import("./frame.js").Quantity} Quantity
 * @typedef {{label: string, y: (number | null)[], axis: number, between: [number, number][], band: [number[], number[]] | null,
 *   at_least: number | null, at_most: number | null, branches: Branch[], folds: [number, number, string][]}} Series
 * @typedef {{stable: boolean, x: number[], y: (number | null)[]}} Branch a line of steady states, which last by themselves or not
 * @typedef {{x: number[], x_label: string, x_unit: string, x_log: boolean, axes: Quantity[], series: Series[], remarks: string[],
 *   windows: [number, number][], limited: boolean, best: {x: number, y: number, axis: number} | null, points: object[],
 *   others: {x: number[], y: number[], run: string, number: number, like: number, label: string}[]}} Found
 */

const scaled = { log: false }; // whether values stand on log axes: kept for the session only

/** The box for log axes; whether it is ticked. @param {HTMLElement} node @param {Found} found @param {() => void} again */
export function offer(node, found, again) {
  label(node, `Gauges over ${found.x_label}`);
  const box = /** @type {HTMLInputElement | null} */ ($("log-values"));
  if (box) {
    box.checked = scaled.log;
    box.onchange = () => {
      scaled.log = box.checked;
      again();
    };
  }
  return scaled.log;
}

/** @param {Found} found @param {boolean} log @returns {import("./frame.js").Plot} */
export function lines(found, log = false) {
  const points = found.series.map((s, i) => solved(found, s, i));
  const traces = [
    ...points,
    ...others(found),
    ...found.series.flatMap((s, i) => s.branches.map((b) => branch(found, s, i, b))),
    ...found.series.flatMap((s, i) => (s.folds.length ? [folds(found, s, i)] : [])),
    ...found.series.flatMap((s, i) => band(found, s, i)),
    ...found.series.flatMap((s, i) => (s.between.length && !s.branches.length ? [through(found, s, i)] : [])),
    ...found.series.flatMap((s, i) => (s.between.length ? [between(found, s, i)] : [])),
    ...(found.best ? [best(found)] : []),
  ];
  return {
    traces,
    layout: {
      ...axes(found, log ? "log" : "linear"),
      shapes: [...windows(found), ...limits(found)],
      legend: ABOVE,
    },
    chosen: (p) => (p.curveNumber < points.length ? found.points[p.pointIndex] : null),
  };
}

/** Where the pointer is, in words. @param {Found} found */
const along = (found) => `${bare(found.x_label)} %{x:.5g} ${found.x_unit}`;

/** @param {Found} found @param {Series} s @param {number} i */
function solved(found, s, i) {
  return {
    x: found.x,
    y: s.y,
    name: s.label,
    legendgroup: s.label,
    mode: s.between.length || s.branches.length ? "markers" : "lines+markers",
    yaxis: yAxis(s.axis),
    connectgaps: false,
    line: { color: ink(i), dash: dash(i), width: 2 },
    marker: {
      symbol: symbol(i),
      size: found.remarks.map((r) => (r ? 10 : 7)),
      color: ink(i),
      line: { color: css("--ochre"), width: found.remarks.map((r) => (r ? 3 : 0)) },
    },
    customdata: found.remarks.map((r) => (r ? `<br>▲ ${r}` : "")),
    hovertemplate: `${along(found)}<br>${bare(s.label)} %{y:.5g} ${found.axes[s.axis].unit}%{customdata}<extra></extra>`,
  };
}

/** The line goes through what was solved between the points as well. @param {Found} found @param {Series} s @param {number} i */
function through(found, s, i) {
  const all = [...found.x.map((x, k) => /** @type {const} */ ([x, s.y[k]])), ...s.between].sort((a, b) => a[0] - b[0]);
  return {
    x: all.map((p) => p[0]),
    y: all.map((p) => p[1]),
    mode: "lines",
    yaxis: yAxis(s.axis),
    connectgaps: false,
    hoverinfo: "skip",
    legendgroup: s.label,
    showlegend: false,
    line: { color: ink(i), dash: dash(i), width: 2 },
  };
}

/** A line of steady states, dotted where they do not last. @param {Found} found @param {Series} s @param {number} i @param {Branch} b */
const branch = (found, s, i, b) => ({
  x: b.x,
  y: b.y,
  mode: "lines",
  yaxis: yAxis(s.axis),
  connectgaps: false,
  legendgroup: s.label,
  showlegend: false,
  line: { color: ink(i), dash: b.stable ? dash(i) : "dot", width: b.stable ? 2 : 1.4 },
  hovertemplate:
    `${along(found)}<br>${bare(s.label)} %{y:.5g} ${found.axes[s.axis].unit}` + `${b.stable ? "" : ", does not last"}<extra></extra>`,
});

/** Where a line of steady states turns back, named on the first gauge. @param {Found} found @param {Series} s @param {number} i */
const folds = (found, s, i) => ({
  x: s.folds.map((f) => f[0]),
  y: s.folds.map((f) => f[1]),
  text: s.folds.map((f) => f[2]),
  mode: i ? "markers" : "markers+text",
  textposition: s.folds.map((f) => (f[0] > (found.x[0] + found.x[found.x.length - 1]) / 2 ? "middle left" : "middle right")),
  yaxis: yAxis(s.axis),
  legendgroup: s.label,
  showlegend: false,
  cliponaxis: false,
  marker: { symbol: "diamond-open", size: 11, color: ink(i), line: { width: 2 } },
  hovertemplate: `%{text}: ${along(found)}<br>${bare(s.label)} %{y:.6g} ${found.axes[s.axis].unit}<extra></extra>`,
});

/** @param {Found} found @param {Series} s @param {number} i */
const between = (found, s, i) => ({
  x: s.between.map((p) => p[0]),
  y: s.between.map((p) => p[1]),
  mode: "markers",
  yaxis: yAxis(s.axis),
  legendgroup: s.label,
  showlegend: false,
  marker: { symbol: "circle-open", size: 6, color: ink(i) },
  hovertemplate: `${along(found)}<br>${bare(s.label)} %{y:.6g} ${found.axes[s.axis].unit}, solved between<extra></extra>`,
});

/** Nine samples in ten lie in the shade. @param {Found} found @param {Series} s @param {number} i */
function band(found, s, i) {
  if (!s.band) return [];
  const common = {
    x: found.x,
    mode: "lines",
    yaxis: yAxis(s.axis),
    line: { width: 0 },
    hoverinfo: "skip",
    legendgroup: s.label,
    showlegend: false,
  };
  return [
    { ...common, y: s.band[0] },
    { ...common, y: s.band[1], fill: "tonexty", fillcolor: `${ink(i)}33` },
  ];
}

/** Other runs: one entry of the legend a run; its lines have the colours of their gauges. @param {Found} found */
function others(found) {
  return found.others.map((o) => ({
    x: o.x,
    y: o.y,
    name: o.run,
    legendgroup: `run ${o.run}`,
    showlegend: found.others.find((p) => p.number === o.number) === o,
    mode: "lines",
    yaxis: yAxis(found.series[o.like].axis),
    connectgaps: false,
    line: { color: ink(o.like), dash: dash(o.like + o.number), width: 1.4 },
    hovertemplate: `${along(found)}<br>${bare(o.label)} %{y:.5g}<extra></extra>`,
  }));
}

/** @param {Found} found */
const best = (found) => ({
  x: [found.best.x],
  y: [found.best.y],
  mode: "markers",
  name: "best",
  yaxis: yAxis(found.best.axis),
  marker: bestMark(16),
  hovertemplate: `best: ${along(found)}<br>%{y:.6g} ${found.axes[found.best.axis].unit}<extra></extra>`,
});

/** @param {Found} found */
const windows = (found) => (found.limited ? found.windows.map(([from, to]) => shade(from, to, "--juniper", 0.13)) : []);
/** @param {Found} found */
const limits = (found) =>
  found.series.flatMap((s, i) =>
    [s.at_least, s.at_most]
      .filter((limit) => limit !== null)
      .map((limit) => rule("y", limit, { color: ink(i), width: 1, dash: "dot" }, { yref: yAxis(s.axis) })),
  );

/** The axes: the first unit at the left, others at the right, side by side. @param {Found} found @param {string} type */
function axes(found, type) {
  const right = found.axes.slice(1);
  const along = axis(titled({ label: found.x_label, unit: found.x_unit }), {
    type: found.x_log ? "log" : "linear",
    domain: [0, 1 - 0.14 * Math.max(0, right.length - 1)],
  });
  /** @type {Record<string, object>} */
  const all = { margin: { l: 60, r: 30 + 46 * right.length, t: 64, b: 50 }, xaxis: along, yaxis: axis(titled(found.axes[0]), { type }) };
  right.forEach((a, i) => {
    all[`yaxis${i + 2}`] = axis(titled(a), {
      title: { text: titled(a), standoff: 2, font: SMALL },
      overlaying: "y",
      side: "right",
      showgrid: false,
      tickmode: "auto",
      type,
      anchor: i ? "free" : "x",
      position: i ? 1 - 0.14 * (right.length - 1 - i) : undefined,
    });
  });
  return all;
}
