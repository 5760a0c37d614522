// The solves of a search over two knobs, or over one and the aim.
import { ABOVE, axis, bestMark, choices, css, label, nowMark, said, scale, spot, TITLE, titled } from "./frame.js";

/**
 * @typedef {import("./frame.js").Quantity & {at: (number | null)[], now?: number | null, best?: number | null, range?: [number,
 * number]}} Column
 * @typedef {{axes: Column[], aim: Column, states: string[], words: string[], points: object[]}} Found
 */

const over = { x: 0, y: 1 }; // which columns: kept for the session only

/** The lists of columns; which ones are shown. @param {HTMLElement} node @param {Found} found @param {() => void} again */
export function offer(node, found, again) {
  label(node, `Solves of the search for ${found.aim.label}`);
  const several = found.axes.length > 1;
  const columns = [...found.axes, found.aim];
  if (!several) Object.assign(over, { x: 0, y: 1 });
  over.x = Math.min(over.x, found.axes.length - 1);
  over.y = Math.min(over.y, columns.length - 1);
  for (const [name, count] of /** @type {["x" | "y", number][]} */ (Object.entries({ x: found.axes.length, y: columns.length }))) {
    const offered = columns.slice(0, count).map((c, value) => ({ label: c.label, value }));
    const take = (/** @type {number} */ value) => {
      over[name] = value;
      again();
    };
    choices(`solves-${name}`, offered, over[name], take, several);
  }
  return { ...over };
}

/** @param {Found} found @returns {import("./frame.js").Plot} */
export function solves(found, { x: across, y: up } = { x: 0, y: 1 }) {
  const columns = [...found.axes, found.aim];
  const [x, y] = [columns[across], columns[up]];
  const text = found.states.map((_, i) =>
    [
      ...found.axes.map((a) => `${a.label} ${said(a.at[i], a.unit)}`),
      `${found.aim.label} ${said(found.aim.at[i], found.aim.unit)}`,
      found.words[i],
    ].join("<br>"),
  );
  const marks = marked(found).filter((m) => m.which.length);
  const spots = Object.entries({ now: { ...nowMark(), size: 14 }, best: bestMark() }).flatMap(([key, marker]) => {
    const name = /** @type {"now" | "best"} */ (key);
    return x[name] == null || y[name] == null ? [] : [spot(x[name], y[name], name, { marker })];
  });
  const drawn = marks.map(({ which, name, marker }) => ({
    x: which.map((i) => x.at[i]),
    y: which.map((i) => y.at[i]),
    text: which.map((i) => text[i]),
    mode: "markers",
    name,
    marker,
    hovertemplate: "%{text}<extra></extra>",
  }));
  return {
    traces: [...drawn, ...spots],
    layout: { margin: { l: 60, r: 10, t: 46, b: 50 }, legend: ABOVE, xaxis: ranged(x), yaxis: ranged(y) },
    chosen: (p) => (marks[p.curveNumber] ? found.points[marks[p.curveNumber].which[p.pointIndex]] : null),
  };
}

/** The solves by what came of them. @param {Found} found */
function marked(found) {
  /** @param {string} state */
  const of = (state) => found.states.flatMap((s, i) => (s === state ? [i] : []));
  const inside = of("inside");
  const good = {
    size: 9,
    color: inside.map((i) => found.aim.at[i]),
    colorscale: scale("--line", "--creek"),
    line: { color: css("--creek"), width: 1 },
    colorbar: { title: { text: titled(found.aim), side: "right", font: TITLE }, thickness: 12, outlinewidth: 0 },
  };
  return [
    { which: of("failed"), name: "did not solve", marker: { symbol: "x-thin-open", size: 8, line: { width: 1.5 }, color: css("--bad") } },
    { which: of("doubt"), name: "doubtful", marker: { symbol: "line-ne-open", size: 9, line: { width: 1.5 }, color: css("--ochre") } },
    { which: of("out"), name: "beyond a limit", marker: { symbol: "circle-open", size: 7, color: css("--mut") } },
    { which: inside, name: "inside all limits", marker: good },
  ];
}

/** An axis with a little room at both ends of its range. @param {Column} a */
function ranged(a) {
  if (!a.range) return axis(titled(a));
  const [low, high] = a.range;
  const room = 0.03 * (high - low);
  return axis(titled(a), { range: [low - room, high + room] });
}
