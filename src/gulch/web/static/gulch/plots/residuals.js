// How a loop settles: the change of each pass, by species and at its largest.
import { axis, bare, css, farDash, ink, rule } from "./frame.js";

// Powers of ten in plain characters: raised ones would need inline styles, which the content policy forbids.
const DECADES = Array.from({ length: 13 }, (_, i) => 2 * i - 18);
/** @param {number} k */
export const power = (k) => `10${String(k).replace(/./g, (c) => "⁰¹²³⁴⁵⁶⁷⁸⁹"[Number(c)] || "⁻")}`;
/** @param {number[]} values */
const above = (values) => values.map((v) => (v > 1e-17 ? v : null));

/** @param {{history: number[], first: number, tolerance: number, series: {name: string, y: number[]}[]}} found
 * @returns {import("./frame.js").Plot} */
export function residuals(found) {
  const x = found.history.map((_, i) => i + found.first);
  const largest = {
    x,
    y: above(found.history),
    mode: "lines+markers",
    line: { color: css("--dusk"), width: 2.4 },
    marker: { size: 5 },
    hovertemplate: "pass %{x}: %{y:.2e}<extra>largest</extra>",
    name: "largest",
  };
  const each = found.series.map((s, i) => ({
    x,
    y: above(s.y),
    mode: "lines",
    name: s.name,
    line: { color: ink(i), dash: farDash(i), width: 1.4 },
    hovertemplate: `pass %{x}: %{y:.2e}<extra>${bare(s.name)}</extra>`,
  }));
  return {
    traces: [largest, ...each],
    layout: {
      margin: { l: 58, r: 12, t: 8, b: 38 },
      legend: { orientation: "v", x: 1.01, y: 1, font: { size: 11.5 } },
      xaxis: axis("pass", { dtick: x.length > 20 ? undefined : Math.ceil(x.length / 10) }),
      yaxis: axis("change on what is fed", { type: "log", tickvals: DECADES.map((k) => 10 ** k), ticktext: DECADES.map(power) }),
      shapes: [rule("y", found.tolerance, { color: css("--juniper"), dash: "dot" })],
    },
  };
}
