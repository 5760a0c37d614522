// Where units, streams and names of the map stand.
import assert from "node:assert/strict";
import { test } from "node:test";
import { elk, page } from "./page.js";

page('<div class="map-canvas"></div>');
globalThis.ELK = elk();
const labels = await import("../../src/gulch/web/static/gulch/map/labels.js");
const rows = await import("../../src/gulch/web/static/gulch/map/rows.js");
const { extended } = await import("../../src/gulch/web/static/gulch/map/growing.js");
const { place, widths, forget } = await import("../../src/gulch/web/static/gulch/map/layout.js");
const { picture } = await import("../../src/gulch/web/static/gulch/map/drawing.js");
const { symbolOf, SYMBOLS } = await import("../../src/gulch/web/static/gulch/map/symbols.js");

const stream = (id, from, to, more = {}) => ({
  id,
  from,
  to,
  port: "",
  share: 0.5,
  text: "10 kmol/h",
  mass_text: "1 t/h",
  state_text: "",
  molar: 10,
  mass: 1,
  ...more,
});
const unit = (id, ports = {}) => ({ id, kind: "mixer", symbol: "mixer", headline: "", state: "good", ports });
const chain = (n) => ({
  units: Array.from({ length: n }, (_, i) => unit(`U${i}`)),
  streams: [
    stream("feed", null, "U0"),
    ...Array.from({ length: n - 1 }, (_, i) => stream(`S${i}`, `U${i}`, `U${i + 1}`)),
    stream("out", `U${n - 1}`, null),
  ],
  loops: [],
  select: "",
  stale: false,
});
const overlap = (a, b) => a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;

test("a name is cut so that it fits, and left out where three letters do not", () => {
  assert.equal(labels.cut("reactor", 10, 400, 1000), "reactor");
  const short = labels.cut("a rather long name", 10, 400, 50);
  assert.match(short, /^.{3,}…$/);
  assert.ok(labels.textWidth(short, 10) <= 50);
  assert.equal(labels.cut("reactor", 10, 400, 15), "");
});

test("names stand neither on one another nor beyond the window, beside streams where that can be", () => {
  const taken = new labels.Taken({ left: 0, right: 100 });
  taken.addStream([{ x: 0, y: 50 }, { x: 100, y: 50 }], 10); // biome-ignore format: a pair
  const on = { x: 10, y: 45, width: 20, height: 10 };
  const over = { x: 10, y: 20, width: 20, height: 10 };
  assert.deepEqual(taken.place([on, over]), over);
  assert.deepEqual(taken.place([on]), on); // on a stream it can still be read
  assert.equal(taken.place([on]), null);
  assert.equal(taken.place([{ x: 95, y: 0, width: 20, height: 10 }]), null);
});

test("a name is looked a place for along level stretches first, long before short", () => {
  const points = [{ x: 0, y: 0 }, { x: 10, y: 0 }, { x: 10, y: 20 }, { x: 60, y: 20 }]; // biome-ignore format: a path
  assert.deepEqual(labels.stretches(points).map((s) => [s.flat, s.length]), [[true, 50], [true, 10], [false, 20]]); // biome-ignore format: rows
  const [first] = labels.besides(points, 4, 20, 10, 41);
  assert.deepEqual(first, { x: 25, y: 4, width: 20, height: 10 });
});

test("a name touches its stream, or a line ties it to it", () => {
  const points = [{ x: 0, y: 100 }, { x: 80, y: 100 }]; // biome-ignore format: a pair
  const all = labels.besides(points, 6, 20, 10, 41);
  for (const box of all) {
    const gap = Math.max(97 - (box.y + box.height), box.y - 103);
    const tie = labels.hair(box);
    assert.equal(Boolean(tie), gap > 12);
    if (tie) assert.ok(tie[1].y === 100 && tie[1].x >= 0 && tie[1].x <= 80 && Math.abs(tie[0].x - (box.x + 10)) < 1e-9);
  }
  assert.ok(all.some((box) => labels.hair(box)));
});

test("streams are as wide as the roots of their flows, and one of unknown flow is thin", () => {
  const map = {
    ...chain(2),
    streams: [stream("a", null, "U0", { molar: 100 }), stream("b", "U0", "U1", { molar: 25 }), stream("c", "U1", null, { molar: null })],
  };
  assert.deepEqual(widths(map, "molar"), { a: 26, b: 13, c: 3 });
});

test("a loop stays together in one row, and streams to another row are led round the end", async () => {
  const map = chain(6);
  map.streams.push(stream("back", "U2", "U0"));
  const room = { width: 700, height: 500 };
  const { placed } = await place(map, widths(map, "molar"), "molar", room);
  const ways = rows.ways(map, placed, room);
  assert.ok(ways.length > 0);
  for (const way of ways) assert.ok(way.some((ids) => ["U0", "U1", "U2"].every((id) => ids.includes(id))));
  forget();
});

test("units stand apart, every stream is drawn, and figures move nothing", async () => {
  forget();
  const map = chain(9);
  const w = widths(map, "molar");
  const first = await place(map, w, "molar", { width: 800, height: 500 });
  const boxes = Object.values(first.placed.nodes).filter((n) => n.id.startsWith("U"));
  assert.equal(boxes.length, 9);
  for (const [i, a] of boxes.entries()) for (const b of boxes.slice(i + 1)) assert.ok(!overlap(a, b), `${a.id} on ${b.id}`);
  for (const s of map.streams) assert.ok(first.placed.edges[s.id].points.length >= 2, s.id);
  const again = { ...map, streams: map.streams.map((s) => ({ ...s, molar: 99 })) };
  const second = await place(again, widths(again, "molar"), "molar", { width: 800, height: 500 });
  assert.equal(second.fresh, false);
  assert.equal(second.placed, first.placed);
});

test("a row keeps what it had, takes what is new beside it, and gives up where a loop would be parted", () => {
  const map = chain(4);
  assert.deepEqual(rows.still(map, [["U0", "U1"], ["U2"]]), [["U0", "U1"], ["U2", "U3"]]); // biome-ignore format: rows
  map.streams.push(stream("back", "U3", "U0"));
  assert.equal(rows.still(map, [["U0", "U1"], ["U2", "U3"]]), null); // biome-ignore format: rows
  const of = rows.part(map, ["U0", "U1"]);
  assert.deepEqual(of.streams.map((s) => [s.id, s.from, s.to, Boolean(s.wraps)]), [["feed", null, "U0", false], ["S0", "U0", "U1", false], ["S1", "U1", null, true], ["back", null, "U0", true]]); // biome-ignore format: rows
});

test("a unit put at the end of a row leaves the rest where it is; one that has no room does not fit", () => {
  const before = chain(1);
  const laid = {
    map: before,
    nodes: { U0: { id: "U0", x: 0, y: 20, width: 150, height: 74 } },
    edges: { feed: { points: [{ x: -80, y: 57 }, { x: 0, y: 57 }] }, out: { points: [{ x: 150, y: 57 }, { x: 230, y: 57 }] } }, // biome-ignore format: paths
    width: 230,
    height: 94,
  };
  const after = { ...chain(2), streams: [before.streams[0], { ...before.streams[1], to: "U1" }, stream("S9", "U1", null)] };
  const found = extended(laid, after, { width: 150, height: 74 }, 34);
  assert.deepEqual(found.nodes.U0, laid.nodes.U0);
  assert.equal(found.nodes.U1.x, 230 - 34 + 56);
  assert.deepEqual(found.edges.out.points.at(-1), { x: found.nodes.U1.x, y: 57 });
  const blocked = {
    ...laid,
    nodes: { ...laid.nodes, X: { id: "X", x: 300, y: 0, width: 150, height: 74 } },
    map: { ...before, units: [...before.units, unit("X")] },
  };
  assert.equal(extended(blocked, { ...after, units: [...after.units, unit("X")] }, { width: 150, height: 74 }, 34), null);
});

test("the drawing names what it shows as plain text, whatever it is called", async () => {
  forget();
  const map = chain(2);
  map.streams[0].id = 'a<b>&"c';
  map.select = "U1";
  const w = widths(map, "molar");
  const { placed } = await place(map, w, "molar", { width: 800, height: 500 });
  const svg = picture(map, placed, w, { shows: "molar", says: "flow", k: 1.15, bounds: null });
  assert.equal(svg.querySelectorAll("b").length, 0);
  assert.equal(svg.querySelector(".stream-g").dataset.id, 'a<b>&"c');
  assert.deepEqual(
    [...svg.querySelectorAll(".unit-g")].map((g) => g.classList.contains("here")),
    [false, true],
  );
  assert.deepEqual(
    [...svg.querySelectorAll(".plus")].map((g) => g.dataset.id),
    ["+out"],
  );
  assert.match(svg.getAttribute("aria-label"), /^a<b>&"c: feed to U0, 10 kmol\/h; S0: U0 to U1/);
});

test("a kind without a drawing of its own is drawn as a reactor", () => {
  assert.equal(symbolOf("mixer"), SYMBOLS.mixer);
  assert.ok(!Object.values(SYMBOLS).includes(symbolOf("gibbs-reactor")));
});
