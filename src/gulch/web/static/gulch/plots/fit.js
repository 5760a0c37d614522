// Pictures of a fit: curves through readings, measured against computed, residuals, Arrhenius lines, and what hangs together.
import { bare, css, dash, ink, rule, smallAxis, symbol } from "./frame.js";

const TIGHT = { l: 46, r: 8, t: 6, b: 36 };
const NONE = { showlegend: false };

/** @typedef {{name: string, x: number[], y: number[], rows: number[], curve: [number[], number[]]}} Run */

/** @param {{runs: Run[], x: string, y: string, log: boolean}} found @returns {import("./frame.js").Plot} */
export function through(found) {
  const traces = found.runs.flatMap((run, i) => [
    { x: run.curve[0], y: run.curve[1], mode: "lines", line: { color: ink(i), dash: dash(i), width: 2 }, hoverinfo: "skip" },
    points(run.x, run.y, run.rows, i, bare(run.name)),
  ]);
  const scale = found.log ? { type: "log" } : { rangemode: "tozero" };
  return { traces, layout: { margin: TIGHT, ...NONE, xaxis: smallAxis(found.x), yaxis: smallAxis(found.y, scale) } };
}

/** @param {number[]} x @param {number[]} y @param {number[]} rows @param {number} i @param {string} name */
const points = (x, y, rows, i, name) => ({
  x,
  y,
  mode: "markers",
  marker: { color: ink(i), symbol: symbol(i), size: 6 },
  customdata: rows,
  hovertemplate: `row %{customdata}: %{x:.5g}, %{y:.5g}<extra>${name}</extra>`,
});

/** Points by run. @param {number[]} x @param {{y: number[], runs: number[], rows: number[]}} found */
function byRun(x, found) {
  return [...new Set(found.runs)].map((run) => {
    const at = found.runs.flatMap((r, k) => (r === run ? [k] : []));
    /** @param {number[]} values */
    const of = (values) => at.map((k) => values[k]);
    return points(of(x), of(found.y), of(found.rows), run, `run ${run + 1}`);
  });
}

/** @param {{x: number[], y: number[], runs: number[], rows: number[], title: string, log: boolean}} found
 * @returns {import("./frame.js").Plot} */
export function parity(found) {
  const ends = [Math.min(...found.x, ...found.y), Math.max(...found.x, ...found.y)];
  const line = { x: ends, y: ends, mode: "lines", line: { color: css("--mut"), dash: "dash", width: 1 }, hoverinfo: "skip" };
  const scale = found.log ? { type: "log" } : {};
  return {
    traces: [line, ...byRun(found.x, found)],
    layout: { margin: TIGHT, ...NONE, xaxis: smallAxis(`computed ${found.title}`, scale), yaxis: smallAxis("measured", scale) },
  };
}

/** @typedef {{over: {label: string, x: number[]}[], y: number[], runs: number[], rows: number[]}} Off */

/** @param {Off} found @param {{over: number}} choice @returns {import("./frame.js").Plot} */
export function off(found, choice) {
  const over = found.over[choice?.over ?? 0] ?? found.over[0];
  const faint = { color: css("--line"), dash: "dot", width: 1 };
  return {
    traces: byRun(over.x, found),
    layout: {
      margin: TIGHT,
      ...NONE,
      shapes: [rule("y", 0, { color: css("--mut"), width: 1 }), rule("y", 2, faint), rule("y", -2, faint)],
      xaxis: smallAxis(over.label),
      yaxis: smallAxis("standard deviations"),
    },
  };
}

/** What residuals are drawn over. @param {HTMLElement} node @param {Off} found @param {() => void} again */
export function over(node, found, again) {
  const chosen = Math.min(Number(node.dataset.over ?? 0), found.over.length - 1);
  const list = found.over.map((o, value) => ({ label: o.label.replace(/ \[.*/, ""), value }));
  const select = /** @type {HTMLSelectElement | null} */ (document.getElementById("off-over"));
  if (select) {
    select.replaceChildren(...list.map((c) => new Option(c.label, String(c.value), false, c.value === chosen)));
    select.onchange = () => {
      node.dataset.over = select.value;
      again();
    };
  }
  return { over: chosen };
}

/** @typedef {{name: string, x: number[], y: number[], low: number[], high: number[], own: [number[], number[], number[]],
 *   T: string[]}} Line */

/** @param {{lines: Line[]}} found @returns {import("./frame.js").Plot} */
export function arrhenius(found) {
  const traces = found.lines.flatMap((line, i) => [
    { x: line.x, y: line.low, mode: "lines", line: { width: 0 }, hoverinfo: "skip" },
    { x: line.x, y: line.high, mode: "lines", line: { width: 0 }, fill: "tonexty", fillcolor: `${ink(i)}33`, hoverinfo: "skip" },
    { x: line.x, y: line.y, mode: "lines", line: { color: ink(i), dash: dash(i), width: 2 }, hoverinfo: "skip" },
    {
      x: line.own[0],
      y: line.own[1],
      error_y: { type: "data", array: line.own[2].map((s) => 2 * s), thickness: 1, width: 3, color: ink(i) },
      mode: "markers",
      marker: { color: css("--text"), size: 7, symbol: symbol(i) },
      customdata: line.T,
      hovertemplate: `%{customdata}: %{y:.4g}<extra>${bare(line.name)}</extra>`,
    },
  ]);
  const title = found.lines.length > 1 ? "ln k" : found.lines[0].name;
  return { traces, layout: { margin: TIGHT, ...NONE, xaxis: smallAxis("1000 K / T"), yaxis: smallAxis(title) } };
}

/** @param {{ring: [number[], number[]], at: [number, number], titles: [string, string]}} found
 * @returns {import("./frame.js").Plot} */
export function ellipse(found) {
  return {
    traces: [
      {
        x: found.ring[0],
        y: found.ring[1],
        mode: "lines",
        fill: "toself",
        fillcolor: `${css("--juniper")}22`,
        line: { color: css("--juniper"), width: 2 },
        hoverinfo: "skip",
      },
      {
        x: [found.at[0]],
        y: [found.at[1]],
        mode: "markers",
        marker: { color: css("--juniper"), size: 8 },
        hovertemplate: "%{x:.5g}, %{y:.5g}<extra></extra>",
      },
    ],
    layout: { margin: { ...TIGHT, l: 58 }, ...NONE, xaxis: smallAxis(found.titles[0]), yaxis: smallAxis(found.titles[1]) },
  };
}
