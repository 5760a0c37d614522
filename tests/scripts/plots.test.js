// What each kind of plot draws of its data.
import assert from "node:assert/strict";
import { test } from "node:test";
import { constant } from "../../src/gulch/web/static/gulch/plots/constant.js";
import { broken, contours, FAILS, nearest } from "../../src/gulch/web/static/gulch/plots/contours.js";
import { profile } from "../../src/gulch/web/static/gulch/plots/curves.js";
import { colouredBy, farDash, scale } from "../../src/gulch/web/static/gulch/plots/frame.js";
import { KINDS } from "../../src/gulch/web/static/gulch/plots/kinds.js";
import { draw, entries, height, rows } from "../../src/gulch/web/static/gulch/plots/legend.js";
import { lines } from "../../src/gulch/web/static/gulch/plots/lines.js";
import { pair } from "../../src/gulch/web/static/gulch/plots/pair.js";
import { power, residuals } from "../../src/gulch/web/static/gulch/plots/residuals.js";
import { sections } from "../../src/gulch/web/static/gulch/plots/sections.js";
import { sizing } from "../../src/gulch/web/static/gulch/plots/sizing.js";
import { solves } from "../../src/gulch/web/static/gulch/plots/solves.js";
import { swings } from "../../src/gulch/web/static/gulch/plots/swings.js";
import { coarse, coarsen } from "../../src/gulch/web/static/gulch/plots/ticks.js";
import { near, trade } from "../../src/gulch/web/static/gulch/plots/trade.js";
import { page } from "./page.js";

const COLOURS = { "--card": "#ffffff", "--creek": "#204060" };
/** The plot in colours that are their own names. */
function drawn(plot, ...given) {
  let found = null;
  colouredBy(
    (name) => COLOURS[name] ?? name,
    () => {
      found = plot(...given);
    },
  );
  return found;
}
const named = (plot, name) => plot.traces.filter((t) => t.name === name);

const series = (more) => ({
  label: "purity",
  y: [1, 2, 3],
  axis: 0,
  between: [],
  band: null,
  at_least: null,
  at_most: null,
  branches: [],
  folds: [],
  ...more,
});
const scan = (more = {}) => ({
  x: [10, 20, 30],
  x_label: "reactor temperature",
  x_unit: "°C",
  x_log: false,
  axes: [{ label: "share", unit: "%" }],
  series: [series()],
  remarks: ["", "", ""],
  windows: [],
  limited: false,
  best: null,
  points: [{ T: "10 °C" }, { T: "20 °C" }, { T: "30 °C" }],
  others: [],
  ...more,
});

test("a scan's lines go through what was solved between its points, in order", () => {
  const plot = drawn(lines, scan({ series: [series({ between: [[15, 9]] })] }));
  const [points, line, extra] = plot.traces;
  assert.deepEqual(points.mode, "markers");
  assert.deepEqual([line.x, line.y], [[10, 15, 20, 30], [1, 9, 2, 3]]); // biome-ignore format: two rows
  assert.deepEqual([extra.x, extra.y], [[15], [9]]);
});

test("branches of steady states are the lines of a scan, dotted where they do not last, and folds are named on them", () => {
  const branches = [
    { stable: true, x: [10, 25], y: [1, 2] },
    { stable: false, x: [25, 12], y: [2, 3] },
  ];
  const plot = drawn(lines, scan({ series: [series({ branches, folds: [[25, 2, "ignites"]] }), series({ label: "yield" })] }));
  const [points, , lasting, other, fold] = plot.traces;
  assert.equal(points.mode, "markers");
  assert.deepEqual([lasting, other].map((t) => [t.mode, t.line.dash, t.x.length]), [["lines", "solid", 2], ["lines", "dot", 2]]); // biome-ignore format: two rows
  assert.match(other.hovertemplate, /does not last/);
  assert.deepEqual([fold.text, fold.mode, fold.textposition], [["ignites"], "markers+text", ["middle left"]]);
  assert.equal(plot.chosen({ curveNumber: 3, pointIndex: 0 }), null);
});

test("a click on a scan's point gives the point, one on anything else gives none", () => {
  const plot = drawn(lines, scan({ best: { x: 20, y: 2, axis: 0 } }));
  assert.deepEqual(plot.chosen({ curveNumber: 0, pointIndex: 2 }), { T: "30 °C" });
  assert.equal(plot.chosen({ curveNumber: 1, pointIndex: 0 }), null);
  assert.equal(named(plot, "best").length, 1);
});

test("each limit of a scan is a line on its own axis, windows are shaded only where there are limits", () => {
  const limited = series({ axis: 1, at_least: 5, at_most: 7 });
  const axes = [{ label: "share", unit: "%" }, { label: "flow", unit: "kmol/h" }]; // biome-ignore format: a pair
  const found = scan({ axes, series: [series(), limited], windows: [[12, 18]], limited: true });
  const { shapes, yaxis2 } = drawn(lines, found).layout;
  assert.deepEqual(shapes.map((s) => [s.type, s.yref, s.y0, s.x0]), [["rect", "paper", 0, 12], ["line", "y2", 5, 0], ["line", "y2", 7, 0]]); // biome-ignore format: rows
  assert.equal(yaxis2.title.text, "flow [kmol/h]");
  assert.equal(drawn(lines, { ...found, limited: false }).layout.shapes.length, 2);
});

test("values stand on log axes when asked, a band between its two edges, other runs once in the legend", () => {
  const others = [0, 1].map((k) => ({ x: [10], y: [1], run: "run 1", number: 1, like: 0, label: `gauge ${k}` }));
  const plot = drawn(lines, scan({ series: [series({ band: [[0, 1, 2], [2, 3, 4]] })], others }), true); // biome-ignore format: a pair
  assert.equal(plot.layout.yaxis.type, "log");
  assert.equal(plot.layout.xaxis.type, "linear");
  assert.deepEqual(
    plot.traces.filter((t) => t.fill).map((t) => t.y),
    [[2, 3, 4]],
  );
  assert.deepEqual(
    named(plot, "run 1").map((t) => t.showlegend),
    [true, false],
  );
});

test("a remark makes its point larger and is told", () => {
  const [points] = drawn(lines, scan({ remarks: ["", "beyond the data", ""] })).traces;
  assert.deepEqual(points.marker.size, [7, 10, 7]);
  assert.deepEqual(points.customdata, ["", "<br>▲ beyond the data", ""]);
});

const gauge = (more) => ({ label: "purity", unit: "%", z: [[1, 2], [3, 4]], at_least: null, at_most: null, ...more }); // biome-ignore format: a table
const table = (more = {}) => ({
  axes: [
    { label: "T", unit: "°C", address: "R1.temperature", log: false, typed: ["10 °C", "20 °C"] },
    { label: "P", unit: "bar", address: "feed.pressure", log: true, typed: ["1 bar", "10 bar"] },
  ],
  x: [10, 20],
  y: [1, 10],
  gauges: [gauge()],
  shows: 0,
  state: [[["good", ""], ["doubt", "near the edge"]], [["failed", "no way out"], ["good", ""]]], // biome-ignore format: a table
  out: [[false, false], [false, false]], // biome-ignore format: a table
  edges: [],
  now: null,
  best: null,
  ...more,
});

test("a map's points that are doubtful or not solved stand where they are, with what is said of them", () => {
  const plot = drawn(contours, table());
  const of = (name) => named(plot, name).map((t) => [t.x, t.y, t.text]);
  assert.deepEqual(of("doubtful"), [[[20], [1], ["near the edge"]]]);
  assert.deepEqual(of("not solved"), [[[10], [10], ["no way out"]]]);
  assert.equal(of("best").length, 0);
  assert.match(plot.traces[0].text[0][1], /^T 20\.00 °C<br>P 1\.000 bar<br>purity 2\.0000 %<br>near the edge$/);
});

test("a click on a map gives both knobs as they were typed, at the nearest point", () => {
  const plot = drawn(contours, table());
  assert.deepEqual(plot.chosen({ x: 19, y: 2 }), { "R1.temperature": "20 °C", "feed.pressure": "1 bar" });
  assert.equal(nearest([0, 10, 20], 14), 1);
  assert.deepEqual(plot.layout.yaxis.range, [0, 1]); // a log axis counts in powers of ten
});

test("the first limit that fails is told, and colours where it does", () => {
  const found = table({ gauges: [gauge({ at_least: 2.5 }), gauge({ label: "cost", z: [[9, 1], [1, null]], at_most: 5 })] }); // biome-ignore format: a table
  assert.deepEqual(
    [broken(found, 0, 0), broken(found, 1, 0), broken(found, 0, 1), broken(found, 1, 1)],
    ["purity too low", "purity too low", null, null],
  );
  const cells = drawn(contours, found, FAILS).traces.find((t) => t.type === "heatmap");
  assert.deepEqual(cells.z, [[0, 0], [null, null]]); // biome-ignore format: a table
  assert.deepEqual(
    named(drawn(contours, found, 0), "cost ≤ 5 %").map((t) => t.contours.start),
    [5],
  );
  assert.equal(
    drawn(contours, table(), FAILS).traces.some((t) => t.type === "heatmap"),
    false,
  );
});

test("a veil lies beyond each limit and ends on its line", () => {
  assert.equal(named(drawn(contours, table()), "beyond purity").length, 0);
  const [low, high] = named(drawn(contours, table({ gauges: [gauge({ at_least: 2.5, at_most: 3.5 })] })), "beyond purity");
  // the veil is the upper shade of both: the lower one lies under the whole map
  assert.deepEqual([low.contours.start, high.contours.start], [-2.5, 3.5]);
  assert.deepEqual([low.z, high.z], [[[-1, -2], [-3, -4]], [[1, 2], [3, 4]]]); // biome-ignore format: a table
  const [clear, veil] = ["--paper00", "--papera6"];
  for (const { colorscale } of [low, high]) assert.deepEqual([colorscale[0][1], colorscale[3][1]], [clear, veil]);
  const kept = { gauges: [gauge({ at_least: 0.5, at_most: 9 })] }; // a level that nothing crosses would fill the whole map
  assert.equal(named(drawn(contours, table(kept)), "beyond purity").length, 0);
  const [all] = named(drawn(contours, table({ gauges: [gauge({ at_least: 7 })] })), "beyond purity");
  assert.ok(all.colorscale.every(([, colour]) => colour === veil));
});

test("a legend is laid in rows, and an entry hides all that belongs to it", () => {
  page();
  const found = entries([
    { name: "purity", legendgroup: "purity" },
    { name: "flow" },
    { legendgroup: "purity", showlegend: false },
    { name: "shades", type: "contour" },
    { name: "purity ≥ 50 %", type: "contour", showlegend: true },
  ]);
  assert.deepEqual(found.map((e) => [e.name, e.at]), [["purity", [0, 2]], ["flow", [1]], ["purity ≥ 50 %", [4]]]); // biome-ignore format: a table
  const wide = found.reduce((sum, e) => sum + e.width, 0);
  assert.equal(rows(found, wide + 1).length, 1);
  assert.deepEqual(rows(found, wide - 1).map((r) => r.length), [2, 1]); // biome-ignore format: a table
  assert.deepEqual(rows(found, 1).map((r) => r.length), [1, 1, 1]); // biome-ignore format: a table
  assert.ok(height(rows(found, 1)) > height(rows(found, wide + 1)));
});

test("a legend is drawn over its plot, and pressed", () => {
  const plot = page('<div id="p"><svg class="main-svg"></svg></div>').getElementById("p");
  const found = entries([{ name: "purity", mode: "lines+markers", line: { dash: "dot" }, marker: { symbol: "square" } }, { name: "flow" }]);
  const pressed = [];
  for (let twice = 0; twice < 2; twice++) draw(plot, rows(found, 900), (e) => pressed.push(e.name), new Set(["flow"]));
  const drawn = [...plot.querySelectorAll(".plot-legend > g")];
  assert.deepEqual(drawn.map((g) => [g.querySelector("text").textContent, g.getAttribute("opacity")]), [["purity", "1"], ["flow", "0.35"]]); // biome-ignore format: a table
  drawn[1].dispatchEvent(new MouseEvent("click"));
  assert.deepEqual(pressed, ["flow"]);
});

test("the lines along both knobs run through the place that is pointed at", () => {
  const [across, up] = drawn(sections, table({ gauges: [gauge({ at_least: 2 })] }), 19, 9, 0);
  assert.deepEqual([across[0], across[1].traces[0].x, across[1].traces[0].y], ["section-x", [10, 20], [3, 4]]);
  assert.deepEqual([up[0], up[1].traces[0].x, up[1].traces[0].y], ["section-y", [1, 10], [2, 4]]);
  assert.deepEqual(up[1].layout.shapes.map((s) => [s.x0, s.y0]), [[0, 2], [10, 0]]); // biome-ignore format: rows
  assert.equal(up[1].layout.title.text, "purity [%] at T 20.00 °C");
});

const search = {
  axes: [{ label: "T", unit: "K", at: [300, 400], range: [300, 500], now: 350, best: 400 }],
  aim: { label: "yield", unit: "%", at: [1, null], now: 0.5, best: 2 },
  states: ["inside", "failed"],
  words: ["", "no way out"],
  points: ["a", "b"],
};
test("the solves of a search are marked by what came of them, and a click carries one", () => {
  const plot = drawn(solves, search);
  assert.deepEqual(
    plot.traces.map((t) => t.name),
    ["did not solve", "inside all limits", "now", "best"],
  );
  assert.equal(plot.traces[0].text[0], "T 400.00 K<br>yield –<br>no way out");
  assert.deepEqual(
    [0, 1].map((curveNumber) => plot.chosen({ curveNumber, pointIndex: 0 })),
    ["b", "a"],
  );
  assert.equal(plot.chosen({ curveNumber: 3, pointIndex: 0 }), null);
  assert.deepEqual(plot.layout.xaxis.range, [294, 506]);
});

test("a trade-off shows the present point only near its curve", () => {
  const curve = [[1, 2], [10, 20]]; // biome-ignore format: a pair
  assert.deepEqual([near([2.5, 12], curve), near([2.7, 12], curve), near([1.5, 3.9], curve)], [true, false, false]);
  const found = { axes: [{ label: "a", unit: "" }, { label: "b", unit: "kg" }], x: [1, 2], y: [10, 20], words: ["", ""], holds: ["", ""], rough: [false, true], knee: 1, now: [2.7, 12], points: ["p", "q"] }; // biome-ignore format: data
  const plot = drawn(trade, found);
  assert.deepEqual(
    plot.traces.map((t) => t.name),
    ["best for both", "bends most"],
  );
  assert.equal(plot.chosen({ curveNumber: 1, pointIndex: 0 }), "q");
  assert.equal(plot.layout.yaxis.title.text, "b [kg]");
});

test("swings stand with the largest on top, and an end that did not solve has no bar", () => {
  const end = (y, at) => ({ y, at, doubt: false, typed: { at } });
  const found = { label: "yield", unit: "%", now: 5, limits: [4], bars: [{ label: "T", ends: [end(2, "1"), end(9, "2")] }, { label: "P", ends: [end(null, "3"), end(6, "4")] }] }; // biome-ignore format: data
  const plot = drawn(swings, found);
  assert.deepEqual(plot.traces.map((t) => [t.y, t.x]), [[["P", "T"], [null, -3]], [["P", "T"], [1, 4]]]); // biome-ignore format: rows
  assert.deepEqual(plot.chosen({ pointIndex: 1, curveNumber: 1 }), { at: "2" });
  assert.deepEqual(
    plot.layout.shapes.map((s) => s.x0),
    [5, 4],
  );
});

test("a constant's shades: grey where data do not reach, green where it is believed", () => {
  const found = { x: [1, 3], T: [1000, 333], k: [2, 1], low: [1, 0], high: [3, 2], gibbs: null, unit: "K", at: 2, ticks: [[1, "1000"]], valid: [1.5, 3], believed: [0.5, 2] }; // biome-ignore format: data
  const plot = drawn(constant, found);
  assert.deepEqual(plot.layout.shapes.map((s) => [s.x0, s.x1]), [[2, 2], [1, 1.5], [1, 2]]); // biome-ignore format: rows
  assert.deepEqual(
    plot.traces.map((t) => t.name ?? null),
    [null, "sources", "K in use", null],
  );
});

test("a pair's diagram has both phases, and what fits where something was fitted", () => {
  const curve = { x: [0, 1], y: [0, 1], v: [350, 370] };
  const none = { x: [], y: [], v: [] };
  const bare = drawn(pair, { curve, fit: null, points: none, azeotropes: [], species: "ethanol", label: "T [K]" });
  assert.deepEqual(
    bare.traces.map((t) => t.name),
    ["liquid x", "vapour y"],
  );
  const all = drawn(pair, { curve, fit: curve, points: curve, azeotropes: [[0.9, 351]], species: "ethanol", label: "T [K]" });
  assert.deepEqual(
    all.traces.slice(2).map((t) => t.name),
    ["x, fitted", "y, fitted", "x measured", "y measured", "azeotrope"],
  );
});

const flows = { id: "composition", axes: [{ label: "flow", unit: "mol/s" }], series: [{ label: "A", y: [1, 2], axis: 0 }] };
const along = { x: [0, 1], x_label: "length", x_unit: "m" };

test("what is marked inside a unit stands on its group alone: a peak, a stable and an unstable state", () => {
  const marks = ["peak", "stable", "unstable"].map((sign, k) => ({ x: k, y: 2 * k, text: sign, sign }));
  const plot = drawn(profile, { ...along, groups: [{ ...flows, marks }] });
  const [, told] = plot.traces;
  assert.deepEqual([told.x, told.y, told.text], [[0, 1, 2], [0, 2, 4], ["peak", "stable", "unstable"]]); // biome-ignore format: rows
  assert.deepEqual(told.marker.color, ["--ochre", "--juniper", "#ffffff"]);
  assert.equal(drawn(profile, { ...along, groups: [{ ...flows, marks: [] }] }).traces.length, 1);
});

test("a second axis stands at the right only where a group has one", () => {
  const state = { id: "state", axes: [...flows.axes, { label: "T", unit: "K" }], series: [{ label: "T", y: [1, 2], axis: 1 }], marks: [] };
  const found = { ...along, groups: [{ ...flows, marks: [] }, state] };
  const plot = drawn(profile, found, state);
  assert.equal(plot.traces[0].yaxis, "y2");
  assert.equal(plot.layout.yaxis2.title.text, "T [K]");
  assert.equal(drawn(profile, found).layout.yaxis2, undefined);
});

test("residuals: nothing below what can be told, the largest first, powers of ten in plain signs", () => {
  const plot = drawn(residuals, { history: [1, 0], first: 3, tolerance: 1e-9, series: [{ name: "<b>", y: [1e-18, 2] }] });
  assert.deepEqual(plot.traces.map((t) => [t.name, t.x, t.y]), [["largest", [3, 4], [1, null]], ["<b>", [3, 4], [null, 2]]]); // biome-ignore format: rows
  assert.match(plot.traces[1].hovertemplate, /<extra>b<\/extra>/);
  assert.deepEqual([power(-12), power(4)], ["10⁻¹²", "10⁴"]);
});

test("the tanks in series stand side by side, each from where the one before leaves", () => {
  const found = { key: "A", unit: "m³", target: 90, tank_height: 5, steps: [{ x: 50, height: 2 }, { x: 90, height: 4 }], plug: [[0, 1]], tank: [[0, 1]] }; // biome-ignore format: data
  assert.deepEqual(drawn(sizing, found).layout.shapes.map((s) => [s.x0, s.x1, s.y1]), [[0, 90, 5], [0, 50, 2], [50, 90, 4]]); // biome-ignore format: rows
});

test("what is told apart stays so beyond the last colour; a scale runs from one colour to the other", () => {
  assert.notEqual(farDash(0), farDash(6));
  assert.deepEqual(drawn(scale, "--card", "--creek").at(-1), [1, "rgb(32,64,96)"]);
  assert.deepEqual(drawn(scale, "--card", "--creek")[0], [0, "rgb(255,255,255)"]);
});

test("every kind of plot has a drawing", () => {
  const kinds = Object.entries(KINDS);
  assert.ok(kinds.length >= 10);
  for (const [name, kind] of kinds) assert.equal(typeof kind.plot, "function", name);
});

test("values that differ by less than the last digit shown are drawn flat, with ticks of that digit", () => {
  assert.equal(coarse([61.58, 63.2]), null);
  const found = coarse([61.586000012, 61.586000019]);
  assert.ok(Math.abs(found.dtick - 0.01) < 1e-12 && found.range[0] < 61.57 && found.range[1] > 61.61);
  assert.equal(coarse([0, 0]), null);
  assert.equal(coarse([]), null);
  const flat = drawn(lines, scan({ axes: [{ label: "share", unit: "%" }], series: [series({ y: [50.0000001, 50.0000002, null] })] }));
  coarsen(flat.traces, flat.layout);
  assert.equal(flat.layout.yaxis.dtick, 0.01);
  const limited = drawn(lines, scan({ series: [series({ y: [50.0000001, 50.0000002, 50], at_least: 40 })] }));
  coarsen(limited.traces, limited.layout);
  assert.equal(limited.layout.yaxis.range, undefined); // its limit is in view, far enough
  const usual = drawn(lines, scan());
  coarsen(usual.traces, usual.layout);
  assert.equal(usual.layout.yaxis.dtick, undefined);
});

test("a map of one shade has no levels between its figures", () => {
  const level = { type: "contour", ncontours: 12, z: [[1.00000001, 1.00000002, null]], colorbar: {} };
  const steps = { type: "contour", ncontours: 12, z: [[1.0, 1.0071]], colorbar: {} };
  coarsen([level, steps], {});
  assert.equal(level.contours.size, 0.001);
  assert.ok(level.zmin < 0.998 && level.zmax > 1.002);
  assert.deepEqual([steps.contours.size, steps.zmin], [0.001, 1.0]);
  const wide = { type: "contour", ncontours: 12, z: [[1, 2]], colorbar: {} };
  coarsen([wide], {});
  assert.equal(wide.contours, undefined);
});
