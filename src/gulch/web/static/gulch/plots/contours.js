// Gauges over two knobs of a scan: contours of one, limits of all, and where which limit fails.
import { ABOVE, axis, bestMark, choices, css, dash, ink, label, nowMark, said, scale, TITLE, titled } from "./frame.js";

/**
 * @typedef {import("./frame.js").Quantity & {address: string, log: boolean, typed: string[]}} Axis
 * @typedef {import("./frame.js").Quantity & {z: (number | null)[][], at_least: number | null, at_most: number | null}} Gauge
 * @typedef {{axes: [Axis, Axis], x: number[], y: number[], gauges: Gauge[], shows: number, state: [string, string][][], out: boolean[][],
 *   edges: [number, number][], now: [number, number] | null, best: [number, number] | null}} Found
 */

/** Of a trace that only stands in the legend. @type {null[]} */
const NOWHERE = [null];

export const FAILS = -1; // in the place of a gauge: which limit fails
const shown = { of: "", gauge: 0 }; // which gauge is on the map of which scan: kept for the session only

/** The list of gauges; which one is shown. @param {HTMLElement} node @param {Found} found @param {() => void} again */
export function offer(node, found, again) {
  if (shown.of !== node.dataset.scan || !(shown.gauge < found.gauges.length))
    Object.assign(shown, { of: node.dataset.scan, gauge: found.shows });
  label(node, `Gauges over ${found.axes.map((a) => a.label).join(" and ")}`);
  const all = [...found.gauges.map((g, value) => ({ label: g.label, value })), { label: "which limit fails", value: FAILS }];
  choices("map-shows", all, shown.gauge, (gauge) => {
    shown.gauge = gauge;
    again();
  });
  return shown.gauge;
}

/** @param {Found} found @param {number} gauge @returns {import("./frame.js").Plot} */
export function contours(found, gauge = found.shows) {
  const text = told(found);
  const traces = [
    ...(gauge === FAILS ? failing(found, text) : levels(found, gauge, text)),
    ...found.gauges.flatMap((g, i) => limits(found, g, i)),
  ];
  if (found.edges.length) traces.push(edges(found));
  /** @param {[number, number, string?][]} points @param {string} name @param {object} marker */
  const marked = (points, name, marker) => {
    if (points.length) traces.push(marks(points, name, marker));
  };
  marked(standing(found, "doubt"), "doubtful", { symbol: "line-ne-open", size: 11, color: css("--ochre"), line: { width: 1.6 } });
  marked(standing(found, "failed"), "not solved", { symbol: "x-thin-open", size: 9, color: css("--bad"), line: { width: 1.6 } });
  if (found.now) marked([found.now], "now", nowMark());
  if (found.best) marked([found.best], "best", bestMark());
  const [across, up] = found.axes;
  return {
    traces,
    layout: { margin: { l: 60, r: 10, t: 74, b: 50 }, legend: ABOVE, xaxis: ranged(across, found.x), yaxis: ranged(up, found.y) },
    chosen: (p) => ({ [across.address]: across.typed[nearest(found.x, p.x)], [up.address]: up.typed[nearest(found.y, p.y)] }),
  };
}

/** The place in a row of values that is nearest. @param {number[]} values @param {number} v */
export const nearest = (values, v) => values.reduce((best, x, k) => (Math.abs(x - v) < Math.abs(values[best] - v) ? k : best), 0);

/** What a point tells: its place, all gauges, what went wrong. @param {Found} found */
function told(found) {
  const [across, up] = found.axes;
  return found.y.map((y, j) =>
    found.x.map((x, i) =>
      [
        `${across.label} ${x.toPrecision(4)} ${across.unit}`,
        `${up.label} ${y.toPrecision(4)} ${up.unit}`,
        ...found.gauges.map((g) => `${g.label} ${said(g.z[j][i], g.unit)}`),
        ...(found.state[j][i][1] ? [found.state[j][i][1].slice(0, 160)] : []),
      ].join("<br>"),
    ),
  );
}

/** @param {Found} found @param {number} gauge @param {string[][]} text @returns {object[]} */
function levels(found, gauge, text) {
  const g = found.gauges[gauge];
  const { x, y } = found;
  const shades = {
    type: "contour",
    x,
    y,
    z: g.z,
    text,
    hovertemplate: "%{text}<extra></extra>",
    connectgaps: false,
    colorscale: scale("--card", "--creek"),
    line: { color: css("--card"), width: 1 },
    ncontours: 12,
    colorbar: { title: { text: titled(g), side: "right", font: TITLE }, thickness: 14, outlinewidth: 0 },
    name: g.label,
  };
  return [shades, ...found.gauges.flatMap((g) => beyond(found, g))];
}

/** A veil over what is beyond a limit of a gauge: it ends on the limit's line. @param {Found} found @param {Gauge} g @returns {object[]} */
function beyond(found, g) {
  const [clear, veil] = [`${css("--paper")}00`, `${css("--paper")}a6`];
  const values = g.z.flat().filter((v) => v !== null);
  // what is too low is drawn as its negative: the lowest shade of a contour lies under everything, and could not be seen through
  const sides = /** @type {const} */ ([[g.at_least, -1], [g.at_most, 1]]); // biome-ignore format: a row a side
  return sides
    .filter(([limit, sign]) => limit !== null && values.some((v) => sign * v > sign * limit))
    .map(([limit, sign]) => {
      const under = values.every((v) => sign * v > sign * limit) ? veil : clear; // a level that nothing crosses: all of it one shade
      const level = sign * limit;
      return {
        type: "contour",
        x: found.x,
        y: found.y,
        z: g.z.map((row) => row.map((v) => (v === null ? null : sign * v))),
        hoverinfo: "skip",
        colorscale: [[0, under], [0.5, under], [0.5, veil], [1, veil]], // biome-ignore format: a scale
        zmin: level - 1,
        zmax: level + 1,
        contours: { start: level, end: level, size: 1, coloring: "fill" },
        line: { width: 0 },
        showscale: false,
        connectgaps: false,
        showlegend: false,
        name: `beyond ${g.label}`,
      };
    });
}

/** The first limit that a point breaks, in words, or null. @param {Found} found @param {number} i @param {number} j */
export function broken(found, i, j) {
  for (const g of found.gauges) {
    const v = g.z[j][i];
    if (v === null) continue;
    if (g.at_least !== null && v < g.at_least) return `${g.label} too low`;
    if (g.at_most !== null && v > g.at_most) return `${g.label} too high`;
  }
  return null;
}

/** Where which limit fails first: a colour each. @param {Found} found @param {string[][]} text @returns {object[]} */
function failing(found, text) {
  const { x, y } = found;
  const first = y.map((_, j) => x.map((_, i) => broken(found, i, j)));
  const names = [...new Set(first.flat().filter((name) => name !== null))];
  if (!names.length) return [];
  const legend = names.map((name, k) => ({
    x: NOWHERE,
    y: NOWHERE,
    mode: "markers",
    name,
    marker: { symbol: "square", size: 12, color: ink(k) },
  }));
  const cells = {
    type: "heatmap",
    x,
    y,
    z: first.map((row) => row.map((name) => (name === null ? null : names.indexOf(name)))),
    zmin: -0.5,
    zmax: names.length - 0.5,
    colorscale: names.flatMap((_, k) => [k, k + 1].map((end) => [end / names.length, ink(k)])),
    showscale: false,
    opacity: 0.75,
    xgap: 1,
    ygap: 1,
    text,
    hovertemplate: "%{text}<extra></extra>",
    hoverongaps: false,
    name: "which limit fails",
  };
  return [...legend, cells];
}

/** @param {Found} found @param {Gauge} g @param {number} i @returns {object[]} */
function limits(found, g, i) {
  const both = /** @type {const} */ ([[g.at_least, "≥"], [g.at_most, "≤"]]); // biome-ignore format: a pair a side
  return both
    .filter(([limit]) => limit !== null)
    .map(([limit, sign]) => ({
      type: "contour",
      x: found.x,
      y: found.y,
      z: g.z,
      hoverinfo: "skip",
      showscale: false,
      showlegend: true,
      connectgaps: false,
      name: `${g.label} ${sign} ${Number(limit.toPrecision(4))} ${g.unit}`,
      contours: { start: limit, end: limit, size: 1, coloring: "none" },
      line: { color: ink(i + 1), width: 2.4, dash: dash(i + 1) },
    }));
}

/** @param {Found} found */
const edges = (found) => ({
  x: found.edges.map((e) => e[0]),
  y: found.edges.map((e) => e[1]),
  mode: "markers",
  name: "solved edge",
  marker: { symbol: "circle", size: 5, color: css("--text") },
  hovertemplate: `edge of the window, solved: %{x:.5g} ${found.axes[0].unit}, %{y:.5g} ${found.axes[1].unit}<extra></extra>`,
});

/** Places of the points in a state, with what is said of each. @param {Found} found
 * @param {string} state @returns {[number, number, string][]} */
const standing = (found, state) =>
  found.state.flatMap((row, j) =>
    row.flatMap(([s, words], i) => (s === state ? [/** @type {[number, number, string]} */ ([found.x[i], found.y[j], words])] : [])),
  );

/** @param {[number, number, string?][]} points @param {string} name @param {object} marker */
const marks = (points, name, marker) => ({
  x: points.map((p) => p[0]),
  y: points.map((p) => p[1]),
  text: points.map((p) => p[2] || name),
  mode: "markers",
  name,
  marker,
  hovertemplate: "%{text}<extra></extra>",
});

/** @param {Axis} a @param {number[]} values */
function ranged(a, values) {
  const range = [values[0], values[values.length - 1]].map((v) => (a.log ? Math.log10(v) : v));
  return axis(titled(a), { type: a.log ? "log" : "linear", range, showgrid: false });
}
