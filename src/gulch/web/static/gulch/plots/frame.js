// What all plots share: colours, axes, legends, the marks of what stands now and of the best.
import { $ } from "../dom.js";

/**
 * @typedef {{label: string, unit: string}} Quantity
 * @typedef {{traces: object[], layout: object, chosen?: (point: Pointed) => object | null | undefined}} Plot
 *   chosen: what a click on a point carries back to the process
 * @typedef {{x: number, y: number, curveNumber: number, pointIndex: number}} Pointed
 */

/** @type {(name: string) => string} */
let read = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** The page's colour of a name. @param {string} name */
export const css = (name) => read(name);

/** Draw with the colours that a reader gives: a report stays light. @param {(name: string) => string} reader @param {() => void} draw */
export function colouredBy(reader, draw) {
  const before = read;
  read = reader;
  try {
    draw();
  } finally {
    read = before;
  }
}

const INKS = ["--creek", "--clay", "--dusk", "--juniper", "--ochre", "--mut"];
const DASHES = ["solid", "dash", "dot", "dashdot", "longdash", "longdashdot"];
const MARKS = ["circle", "square", "diamond", "triangle-up", "cross", "x"];

/** The i-th of a row of things told apart by colour, dash and mark. @param {number} i */
export const ink = (i) => css(INKS[i % INKS.length]);
/** @param {number} i */
export const dash = (i) => DASHES[i % DASHES.length];
/** Dashes of a long row: beyond the last colour each begins with another. @param {number} i */
export const farDash = (i) => dash(i + Math.floor(i / INKS.length));
/** @param {number} i */
export const symbol = (i) => MARKS[i % MARKS.length];

/** @param {Quantity} quantity */
export const titled = ({ label, unit }) => [label, unit && `[${unit}]`].filter(Boolean).join(" ");
/** A text without what the plot library takes for marks. @param {string} text */
export const bare = (text) => text.replace(/[<>&]/g, "");
/** What is shown of a number that may be missing. @param {number | null | undefined} value @param {string} unit */
export const said = (value, unit) => (value == null ? "–" : `${value.toPrecision(5)} ${unit}`);
/** The name of the n-th axis as traces say it. @param {number} n */
export const yAxis = (n) => (n ? `y${n + 1}` : "y");

export const SMALL = { size: 12 };
export const TITLE = { size: 13 };
export const ABOVE = { orientation: "h" }; // a legend over the plot, which `legend.js` draws

/** @param {string} text @param {object} more */
export const axis = (text, more = {}) => ({
  gridcolor: css("--line"),
  linecolor: css("--line"),
  zeroline: false,
  automargin: true,
  title: { text, font: TITLE, standoff: 6 },
  ...more,
});
/** An axis whose title is small. @param {string} text @param {object} more */
export const smallAxis = (text, more = {}) => axis(text, { title: { text, font: SMALL, standoff: 4 }, ...more });

/** A line across the plot: at a value of x or of y. @param {"x" | "y"} of @param {number} at @param {object} line @param {object} more */
export function rule(of, at, line, more = {}) {
  const [along, across] = of === "x" ? ["y", "x"] : ["x", "y"];
  return {
    type: "line",
    [`${along}ref`]: "paper",
    [`${along}0`]: 0,
    [`${along}1`]: 1,
    [`${across}0`]: at,
    [`${across}1`]: at,
    line,
    ...more,
  };
}
/** A shade over a range of x. @param {number} x0 @param {number} x1 @param {string} colour @param {number} opacity */
export const shade = (x0, x1, colour, opacity) => ({
  type: "rect",
  yref: "paper",
  x0,
  x1,
  y0: 0,
  y1: 1,
  fillcolor: css(colour),
  opacity,
  line: { width: 0 },
  layer: "below",
});

/** A mark of its own. @param {number} x @param {number} y @param {string} name @param {object} more */
export const spot = (x, y, name, more) => ({ x: [x], y: [y], mode: "markers", name, hovertemplate: `${name}<extra></extra>`, ...more });
export const nowMark = () => ({ symbol: "circle-open", size: 13, color: css("--text"), line: { width: 3 } });
/** @param {number} size */
export const bestMark = (size = 18) => ({ symbol: "star", size, color: css("--clay"), line: { color: css("--card"), width: 1 } });

/** Shades between two colours of the page, for a scale of values. @param {string} from @param {string} to */
export function scale(from, to) {
  /** @param {string} colour */
  const parts = (colour) => [1, 3, 5].map((k) => parseInt(css(colour).slice(k, k + 2), 16));
  const [a, b] = [parts(from), parts(to)];
  return [0, 0.25, 0.5, 0.75, 1].map((w) => [w, `rgb(${a.map((v, k) => Math.round((1 - w) * v + w * b[k])).join(",")})`]);
}

/** A list to choose from, where the page has it: filled, shown or hidden, and told of.
 * @param {string} id @param {{label: string, value: number}[]} choices @param {number} chosen
 * @param {(value: number) => void} take @param {boolean} shown */
export function choices(id, choices, chosen, take, shown = true) {
  const select = /** @type {HTMLSelectElement | null} */ ($(id));
  if (!select) return;
  select.closest("p").hidden = !shown;
  select.replaceChildren(...choices.map((c) => new Option(c.label, String(c.value), false, c.value === chosen)));
  select.onchange = () => take(Number(select.value));
}

/** What a node tells of its plot to those who do not see it: the node outlives its page. @param {HTMLElement} node @param {string} words */
export const label = (node, words) => node.setAttribute("aria-label", words);
