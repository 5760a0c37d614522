// What matters most: a bar from end to end of each knob's range, the present reading as a line.
import { ABOVE, axis, bare, css, label, rule, titled } from "./frame.js";

/** @typedef {{at: string, y: number | null, doubt: boolean, typed: object}} End */
/** @typedef {{label: string, unit: string, now: number, limits: number[], bars: {label: string, ends: [End, End]}[]}} Found */

/** @param {HTMLElement} node @param {Found} found */
export function offer(node, found) {
  label(node, `Swing of ${found.label} by knob, the largest first`);
  node.style.height = `${90 + 38 * found.bars.length}px`;
}

/** @param {Found} found @returns {import("./frame.js").Plot} */
export function swings(found) {
  const bars = [...found.bars].reverse();
  const sides = [["low end", "--creek"], ["high end", "--clay"]]; // biome-ignore format: a pair a side
  const traces = sides.map(([name, colour], k) => ({
    type: "bar",
    orientation: "h",
    name,
    y: bars.map((b) => b.label),
    base: found.now,
    offsetgroup: "one",
    width: 0.55,
    x: bars.map((b) => (b.ends[k].y === null ? null : b.ends[k].y - found.now)),
    marker: { color: css(colour), opacity: bars.map((b) => (b.ends[k].doubt ? 0.4 : 0.9)) },
    customdata: bars.map((b) => [b.ends[k].at, b.ends[k].y === null ? "–" : b.ends[k].y.toPrecision(5)]),
    hovertemplate: `%{y} at %{customdata[0]}: ${bare(found.label)} %{customdata[1]} ${found.unit}<extra></extra>`,
  }));
  return {
    traces,
    layout: {
      barmode: "overlay",
      margin: { l: 60, r: 20, t: 8, b: 46 },
      legend: ABOVE,
      xaxis: axis(titled(found)),
      yaxis: axis("", { showgrid: false }),
      shapes: [
        rule("x", found.now, { color: css("--text"), dash: "solid", width: 1.6 }),
        ...found.limits.map((x) => rule("x", x, { color: css("--ochre"), dash: "dot", width: 1.6 })),
      ],
    },
    chosen: (p) => bars[p.pointIndex].ends[p.curveNumber].typed,
  };
}
