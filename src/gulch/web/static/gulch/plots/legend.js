// The legend over a plot: in rows as wide as the plot, whatever there is of it; a click on an entry hides what it stands for.
import { all, part } from "../dom.js";
import { textWidth } from "../map/labels.js";
import { css } from "./frame.js";

/**
 * @typedef {{name?: string, showlegend?: boolean, legendgroup?: string, mode?: string, type?: string, visible?: boolean | string,
 *   line?: {color?: string, dash?: string, width?: number}, contours?: object,
 *   marker?: {symbol?: string, color?: unknown, line?: {color?: unknown, width?: unknown}}}} Trace
 * @typedef {{name: string, at: number[], trace: Trace, width: number}} Entry
 */

const SIZE = 11.5; // px, of its text
const ROW = 18;
const SIGN = 30; // px, for the line or mark
const APART = 14;
/** @type {Record<string, string>} */
const DASHED = { dash: "8 5", dot: "2 3", dashdot: "8 4 2 4", longdash: "13 5", longdashdot: "13 4 2 4" };
/** Marks of 10 px around 0, 0. @type {Record<string, string>} */
const MARKS = {
  circle: "M-4,0a4,4 0 1,0 8,0a4,4 0 1,0 -8,0Z",
  square: "M-4,-4H4V4H-4Z",
  diamond: "M0,-5L5,0L0,5L-5,0Z",
  "triangle-up": "M0,-5L5,4H-5Z",
  cross: "M-1.5,-5H1.5V-1.5H5V1.5H1.5V5H-1.5V1.5H-5V-1.5H-1.5Z",
  x: "M-4,-4L4,4M-4,4L4,-4",
  "x-thin": "M-4,-4L4,4M-4,4L4,-4",
  "line-ne": "M-4,4L4,-4",
  star: "M0,-7L1.7,-2.3L6.7,-2.2L2.7,0.9L4.1,5.7L0,2.8L-4.1,5.7L-2.7,0.9L-6.7,-2.2L-1.7,-2.3Z",
};

/** What stands in the legend: a trace with a name, and those that are hidden with it. @param {Trace[]} traces @returns {Entry[]} */
export function entries(traces) {
  return traces.flatMap((trace, i) => {
    const { name, showlegend, legendgroup } = trace;
    const told = showlegend ?? trace.type !== "contour";
    if (!told || !name) return [];
    const at = legendgroup ? traces.flatMap((t, k) => (t.legendgroup === legendgroup ? [k] : [])) : [i];
    return [{ name, at, trace, width: SIGN + textWidth(name, SIZE, 400) + APART }];
  });
}

/** Entries in rows of a width. @param {Entry[]} found @param {number} width @returns {Entry[][]} */
export function rows(found, width) {
  /** @type {Entry[][]} */
  const out = [];
  let left = 0;
  for (const entry of found) {
    if (!out.length || entry.width > left) {
      out.push([]);
      left = width;
    }
    out[out.length - 1].push(entry);
    left -= entry.width;
  }
  return out;
}

/** The height of a legend. @param {Entry[][]} laid */
export const height = (laid) => ROW * laid.length + 6;

/** @param {unknown} colour a colour, or one for each point */
const one = (colour) => (typeof colour === "string" ? colour : css("--creek"));
/** @param {string} name @param {Record<string, string | number>} values */
function drawn(name, values) {
  const node = part(name);
  for (const [key, value] of Object.entries(values)) node.setAttribute(key, String(value));
  return node;
}

/** The sign of an entry. @param {Trace} trace */
function sign(trace) {
  const group = drawn("g", { transform: `translate(12,${ROW / 2})` });
  const { mode = "lines", line = {}, marker = {} } = trace;
  if ((mode.includes("lines") || trace.legendgroup) && trace.type !== "bar") {
    const style = { stroke: one(line.color), "stroke-width": line.width ?? 2, "stroke-dasharray": DASHED[line.dash] ?? "none" };
    group.append(drawn("path", { d: "M-12,0H12", fill: "none", ...style }));
  }
  if (mode.includes("markers") || trace.type === "bar") {
    const symbol = trace.type === "bar" ? "square" : (marker.symbol ?? "circle");
    const open = symbol.endsWith("-open");
    const d = MARKS[symbol.replace(/-open$/, "")] ?? MARKS.circle;
    const bare = open || /^(x|x-thin|line-ne)$/.test(symbol);
    const colour = one(marker.color);
    group.append(drawn("path", { d, fill: bare ? "none" : colour, stroke: colour, "stroke-width": bare ? 1.6 : 0 }));
  }
  return group;
}

/** Draw the legend into a plot. @param {HTMLElement} plot @param {Entry[][]} laid @param {(entry: Entry) => void} pressed
 * @param {Set<string>} hidden names of what is hidden */
export function draw(plot, laid, pressed, hidden) {
  for (const old of all(".plot-legend", plot)) old.remove();
  const sheet = all("svg.main-svg", plot).at(-1);
  if (!sheet) return;
  const group = drawn("g", { class: "plot-legend" });
  laid.forEach((row, r) => {
    let x = 2;
    for (const entry of row) {
      const node = drawn("g", { transform: `translate(${x},${ROW * r})`, opacity: hidden.has(entry.name) ? 0.35 : 1, role: "button" });
      const text = drawn("text", {
        x: SIGN,
        y: ROW / 2 + 4,
        "font-size": SIZE,
        fill: css("--text"),
        "font-family": '"Source Sans", sans-serif',
      });
      text.textContent = entry.name;
      const title = part("title");
      title.textContent = hidden.has(entry.name) ? "show it again" : "hide it";
      const target = drawn("rect", { width: entry.width - 4, height: ROW, fill: "transparent", "pointer-events": "all" });
      node.append(title, sign(entry.trace), text, target);
      node.addEventListener("click", () => pressed(entry));
      group.append(node);
      x += entry.width;
    }
  });
  sheet.append(group);
}
