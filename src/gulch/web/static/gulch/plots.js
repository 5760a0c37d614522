// The plots of a page, each from the block of data that it names.
import { $, all, data, hear } from "./dom.js";
import { ABOVE, colouredBy, css } from "./plots/frame.js";
import { KINDS } from "./plots/kinds.js";
import * as legend from "./plots/legend.js";
import { onTab, showsCurves, turned } from "./plots/tabs.js";
import { coarsen } from "./plots/ticks.js";
import { post } from "./workspace/page.js";

const SETTINGS = { displayModeBar: false, responsive: true };

/** @typedef {import("./plots/frame.js").Plot} Plot */

/** @param {HTMLElement} node */
function draw(node) {
  const found = data(node.dataset.block);
  const kind = found && KINDS[found.kind];
  if (!kind || (node.closest("#curves") && !showsCurves())) return;
  watching.observe(node);
  const choice = kind.offer?.(node, found, () => draw(node));
  const drawn = put(node, () => kind.plot(found, choice));
  if (!kind.beside) return;
  const beside = (/** @type {number} */ x, /** @type {number} */ y) =>
    coloured(node, () => {
      for (const [id, plot] of kind.beside(found, x, y, choice)) {
        const there = $(id);
        if (there) put(there, () => plot);
      }
    });
  drawn.then((plotted) => heard(plotted, "plotly_hover", ({ points: [p] }) => beside(p.x, p.y)));
  beside(...kind.begin(found));
}

/** With the colours that hold where a node stands: a report stays light. @param {HTMLElement} node @param {() => void} act */
function coloured(node, act) {
  const style = getComputedStyle(node);
  colouredBy((name) => style.getPropertyValue(name).trim(), act);
}

/** @param {HTMLElement} node @param {() => Plot} plot @returns {Promise<Plotted>} */
function put(node, plot) {
  let drawn = null;
  coloured(node, () => {
    const { traces, layout, chosen } = plot();
    coarsen(traces, layout);
    const above = /** @type {{legend?: object}} */ (layout).legend === ABOVE;
    const key = above ? keyed(node, traces, layout) : null;
    drawn = Plotly.react(node, traces, { ...sheet(), ...layout }, SETTINGS).then((/** @type {Plotted} */ plotted) => {
      if (chosen) carrying(plotted, chosen);
      if (key) {
        heard(plotted, "plotly_afterplot", key);
        key();
      }
      return plotted;
    });
  });
  return drawn;
}

/** Names of what is hidden by a click on the legend, by plot: for the session only. @type {Record<string, Set<string>>} */
const unseen = {};
/** Makes room for the legend of a plot, hides what is hidden, and returns what draws it.
 * @param {HTMLElement} node @param {import("./plots/legend.js").Trace[]} traces @param {any} layout */
function keyed(node, traces, layout) {
  unseen[node.id] ??= new Set();
  const hidden = unseen[node.id];
  const found = legend.entries(traces);
  for (const entry of found) for (const i of entry.at) traces[i].visible = !hidden.has(entry.name);
  layout.showlegend = false;
  layout.margin = { ...layout.margin, t: legend.height(legend.rows(found, node.clientWidth)) };
  const pressed = (/** @type {import("./plots/legend.js").Entry} */ entry) => {
    if (!hidden.delete(entry.name)) hidden.add(entry.name);
    Plotly.restyle(node, { visible: !hidden.has(entry.name) }, entry.at);
  };
  return () => coloured(node, () => legend.draw(node, legend.rows(found, node.clientWidth), pressed, hidden));
}

// A plot follows its place: a table that comes beside it, a pane that is drawn wider.
const watching = new ResizeObserver((changes) => {
  for (const { target } of changes) {
    const node = /** @type {HTMLElement & {_fullLayout?: {width: number, height: number}}} */ (target);
    const before = node._fullLayout;
    if (!node.isConnected) watching.unobserve(node);
    else if (before && node.offsetWidth && (before.width !== node.clientWidth || before.height !== node.clientHeight))
      Promise.resolve(Plotly.Plots.resize(node)).then(() => draw(node));
  }
});

const sheet = () => ({
  font: { family: '"Source Sans", sans-serif', size: 13, color: css("--text") },
  paper_bgcolor: "rgba(0,0,0,0)",
  plot_bgcolor: "rgba(0,0,0,0)",
  hovermode: "closest",
  hoverlabel: { bgcolor: css("--card"), bordercolor: css("--line"), align: "left", font: { size: 12.5, color: css("--text") } },
});

/** @typedef {HTMLElement & {on: (name: string, hear: (event: {points: import("./plots/frame.js").Pointed[]}) => void) => void,
 *   removeAllListeners?: (name: string) => void}} Plotted */

/** Heard once, however often the node is drawn. @param {Plotted} node @param {string} name @param {Parameters<Plotted["on"]>[1]} hear */
function heard(node, name, hear) {
  node.removeAllListeners?.(name);
  node.on(name, hear);
}

/** A click carries the point nearest to it back to the process. @param {Plotted} node @param {NonNullable<Plot["chosen"]>} chosen */
function carrying(node, chosen) {
  if (!node.dataset.carry) return;
  heard(node, "plotly_click", ({ points: [point] }) => {
    const there = chosen(point);
    if (there) post(node.dataset.carry, { point: JSON.stringify(there) });
  });
}

// The plot library clears the style of a colour scale's parts by an empty attribute, which the content policy refuses.
function withoutEmptyStyles() {
  const set = SVGElement.prototype.setAttribute;
  SVGElement.prototype.setAttribute = function (name, value) {
    if (name === "style" && value === "") this.removeAttribute("style");
    else set.call(this, name, value);
  };
}

// The plot library is large: it is loaded when the first plot is to be drawn.
/** @type {Promise<unknown> | null} */
let loading = null;
function library() {
  loading ??= new Promise((done, failed) => {
    withoutEmptyStyles();
    const script = document.createElement("script");
    script.src = document.body.dataset.plots;
    script.onload = done;
    script.onerror = failed;
    document.head.append(script);
  });
  return loading;
}

function drawAll() {
  turned($("curves-plot") !== null);
  for (const node of all(".plot[data-block]")) draw(node);
}
async function redraw() {
  if (!document.querySelector(".plot")) return turned(false);
  try {
    if (!window.Plotly) await library();
    drawAll();
  } catch (error) {
    if (window.Plotly) throw error;
    loading = null; // asked for again with the next page
  }
}
hear("gulch:drawn", redraw);
hear("gulch:theme", redraw);
onTab(redraw);
