// Where units and streams stand: laid out by ELK in a worker, anew only when the structure changes.
import { extended } from "./growing.js";
import { textWidth } from "./labels.js";
import { part, scaleOf, stacked, still, ways } from "./rows.js";

const PLATE = { width: 150, height: 74 };
const STUB = 46; // how far feeds and products are drawn beyond their end, so that names fit
const INWARD = 12; // by how much less at ends that lead nowhere
const KEPT = 80; // rows that are remembered
/** @type {{layout: (graph: object) => Promise<any>} | null} */
let elk = null;
let layoutKey = "";
/** @type {Whole | null} */
let placed = null;
let serial = 0;
/** How a row is laid out, by its structure. @type {Map<string, Promise<Row>>} */
const laid = new Map();

/** Widths: area-like, the largest stream 26 px. @param {ProcessMap} map @param {Shows} shows @returns {Record<string, number>} */
export function widths(map, shows) {
  const flows = map.streams.map((s) => s[shows] || 0);
  const top = Math.max(...flows, 1e-30);
  return Object.fromEntries(map.streams.map((s, i) => [s.id, s[shows] === null ? 3 : Math.max(2.5, 26 * Math.sqrt(flows[i] / top))]));
}

/** Units on a return path are drawn from right to left. @param {ProcessMap} map */
function returning(map) {
  const order = Object.fromEntries(map.units.map((u, i) => [u.id, i]));
  const back = new Set();
  /** @param {string} id */
  const into = (id) => map.streams.filter((s) => s.from && s.to === id);
  /** @param {string} id */
  const outOf = (id) => map.streams.filter((s) => s.from === id && s.to);
  for (const u of map.units.slice().reverse()) {
    const out = outOf(u.id);
    const inn = into(u.id);
    const allOut = map.streams.filter((s) => s.from === u.id);
    if (inn.length === 1 && allOut.length === 1 && out.length === 1 && (order[out[0].to] < order[u.id] || back.has(out[0].to)))
      back.add(u.id);
  }
  return { back, order };
}

/** Room between units for the names of most streams. @param {ProcessMap} map */
function between(map) {
  const widths = map.streams
    .filter((s) => s.from && s.to)
    .map((s) => textWidth(s.id, 15.5, 600))
    .sort((a, b) => a - b);
  return Math.min(Math.max(44, (widths[Math.floor(0.6 * widths.length)] || 0) - 34), 76);
}

/** @param {ProcessMap} map @param {Record<string, number>} w @param {Set<string>} turned */
function graph(map, w, turned) {
  const { back, order } = returning(map);
  const children = [];
  const edges = [];
  /** @param {string} id @param {string} side */
  const port = (id, side) => ({ id, width: 1, height: 1, layoutOptions: { "elk.port.side": side } });
  const fixed = { "elk.portConstraints": "FIXED_SIDE", "elk.spacing.portPort": "16" };
  for (const s of map.streams) {
    const first = s.wraps ? { ...fixed, "elk.layered.layering.layerConstraint": "FIRST_SEPARATE" } : fixed;
    if (!s.from) children.push({ id: `in:${s.id}`, width: STUB, height: 8, ports: [port(`in:${s.id}:o`, "EAST")], layoutOptions: first });
  }
  /** the model order decides what runs backwards: units of a return path stand after the unit they return to
   * @param {string} id @returns {string} */
  const arrives = (id) => (back.has(id) ? arrives(map.streams.find((s) => s.from === id).to) : id);
  /** @param {MapUnit} u */
  const rank = (u) => (back.has(u.id) ? order[arrives(u.id)] + 0.5 - 0.001 * order[u.id] : order[u.id]);
  for (const u of map.units.slice().sort((a, b) => rank(a) - rank(b))) {
    /** @type {ReturnType<typeof port>[]} */
    const ports = [];
    for (const s of map.streams.filter((x) => x.to === u.id)) {
      const isReturn = s.from && (order[s.from] >= order[u.id] || back.has(s.from)) && !back.has(u.id);
      ports.push(port(`${s.id}:t`, isReturn ? "SOUTH" : back.has(u.id) ? "EAST" : "WEST"));
    }
    for (const s of map.streams.filter((x) => x.from === u.id)) {
      const draws = u.ports[s.port];
      const goesBack = s.to && (order[s.to] <= order[u.id] || back.has(s.to)) && !back.has(u.id);
      const side = back.has(u.id) ? "WEST" : draws === "top" ? "NORTH" : draws === "bottom" || goesBack ? "SOUTH" : "EAST";
      ports.push(port(`${s.id}:f`, side));
    }
    const sides = ["WEST", "EAST"].map((side) => ports.filter((p) => p.layoutOptions["elk.port.side"] === side).length);
    children.push({ id: u.id, width: PLATE.width, height: Math.max(PLATE.height, 30 * Math.max(...sides)), ports, layoutOptions: fixed });
  }
  for (const s of map.streams) {
    const end = s.to ? s.to : `out:${s.id}`;
    const last = s.wraps ? { ...fixed, "elk.layered.layering.layerConstraint": "LAST_SEPARATE" } : fixed;
    if (!s.to) children.push({ id: end, width: STUB, height: 8, ports: [port(`${end}:i`, "WEST")], layoutOptions: last });
    // A return path with units on it is laid out from left to right and drawn the other way round,
    // so that its units stand below the units they return past.
    const from = s.from ? `${s.id}:f` : `in:${s.id}:o`;
    const to = s.to ? `${s.id}:t` : `${end}:i`;
    const reversed = back.has(s.from) || back.has(s.to);
    if (reversed) turned.add(s.id);
    edges.push({
      id: s.id,
      sources: [reversed ? to : from],
      targets: [reversed ? from : to],
      layoutOptions: { "elk.edge.thickness": String(w[s.id]) },
    });
  }
  return {
    id: "root",
    children,
    edges,
    layoutOptions: {
      "elk.algorithm": "layered",
      "elk.direction": "RIGHT",
      "elk.edgeRouting": "ORTHOGONAL",
      "elk.layered.spacing.nodeNodeBetweenLayers": String(between(map)),
      "elk.spacing.nodeNode": "46",
      "elk.spacing.edgeNode": "26",
      "elk.layered.spacing.edgeNodeBetweenLayers": "24",
      "elk.spacing.edgeEdge": "22",
      "elk.layered.feedbackEdges": "true",
      "elk.layered.nodePlacement.strategy": "NETWORK_SIMPLEX",
      "elk.layered.considerModelOrder.strategy": "NODES_AND_EDGES",
      "elk.layered.cycleBreaking.strategy": "MODEL_ORDER",
    },
  };
}

/** @param {ProcessMap} map */
const structure = (map) => [map.streams.map((s) => [s.id, s.from, s.port, s.to, s.wraps]), map.units.map((u) => u.id)];

/** One row of a map laid out: {nodes, edges: {id: {points}}, width, height, map}; as before where its structure is as before.
 * before: the row as it was, whose units stay where they are if one more has room at its end.
 * @param {ProcessMap} map @param {Record<string, number>} w @param {Shows} shows @param {Row} [before] */
const row = (map, w, shows, before) => remembered(map, shows, async () => (before && longer(before, map)) || fresh(map, w));
/** @param {Row} before @param {ProcessMap} map */
const longer = (before, map) => extended(before, map, PLATE, STUB - INWARD);

/** @param {ProcessMap} map @param {Shows} shows @param {() => Promise<Row>} make @returns {Promise<Row>} */
function remembered(map, shows, make) {
  const key = JSON.stringify([structure(map), shows, map.streams.every((s) => s[shows] === null)]);
  const known = laid.get(key) || make();
  known.catch(() => laid.delete(key));
  laid.delete(key);
  laid.set(key, known);
  if (laid.size > KEPT) laid.delete(laid.keys().next().value);
  return known;
}
/** @param {ProcessMap} map @param {Record<string, number>} w @returns {Promise<Row>} */
async function fresh(map, w) {
  const turned = new Set();
  const result = await elk.layout(graph(map, w, turned));
  for (const e of result.edges) lead(e, map, turned);
  /** @template {{id?: string}} T @param {T[]} list @returns {Record<string, T>} */
  const byId = (list) => Object.fromEntries(list.map((x) => [x.id, x]));
  return { nodes: byId(result.children), edges: byId(result.edges), width: result.width, height: result.height, map };
}

/** {nodes, edges, width, height} of a map, and whether they are new; null where another layout has overtaken this one.
 * room: {width, height} of the window [px]
 * @param {ProcessMap} map @param {Record<string, number>} w @param {Shows} shows @param {Size} room */
export async function place(map, w, shows, room) {
  const mine = ++serial;
  // Figures move nothing: the layout changes only with the structure, which way of width, and the shape of the window.
  const shape = Math.round(4 * Math.log(room.width / room.height));
  const key = JSON.stringify([structure(map), shows, map.streams.every((s) => s[shows] === null), shape]);
  if (key === layoutKey && placed) return { placed, fresh: false };
  if (!elk) elk = new ELK({ workerUrl: document.body.dataset.elkWorker });
  /** @param {string[][]} rows @param {Row[]} before @returns {Promise<Whole>} */
  const written = async (rows, before = []) => {
    const parts = await Promise.all(rows.map((units, i) => row(part(map, units), w, shows, before[i])));
    return { ...stacked(map, parts, rows), rows, parts };
  };
  // a unit more goes into the row that it hangs on: at its end, else only that row is laid out anew
  const before = placed?.shape === shape ? placed : null;
  const rows = before?.rows && still(map, before.rows);
  /** @type {Whole | null} */
  let found = null;
  if (rows) found = await written(rows, rows.length === before.rows.length ? before.parts : []);
  else if (before?.map) found = await alone(map, before, shows, room);
  if (!found || scaleOf(found, room) > 1.12 * scaleOf(placed, room)) found = await searched(map, w, shows, room, written);
  if (mine !== serial) return null;
  placed = { ...found, shape };
  layoutKey = key;
  return { placed, fresh: true };
}

/** A map in one row with a unit more at its end, while all of it can be read; else null.
 * @param {ProcessMap} map @param {Whole} before @param {Shows} shows @param {Size} room */
async function alone(map, before, shows, room) {
  const found = longer(before, map);
  return found && scaleOf(found, room) <= 1.3 ? remembered(map, shows, async () => found) : null;
}

/** The map in one row, or in the rows that let it be seen largest.
 * @param {ProcessMap} map @param {Record<string, number>} w @param {Shows} shows @param {Size} room
 * @param {(rows: string[][]) => Promise<Whole>} written @returns {Promise<Whole>} */
async function searched(map, w, shows, room, written) {
  /** @type {Whole} */
  let found = await row(map, w, shows);
  if (scaleOf(found, room) > 1.3)
    for (const rows of ways(map, found, room).slice(0, 3)) {
      const other = await written(rows);
      if (scaleOf(other, room) < 0.92 * scaleOf(found, room)) found = other;
    }
  return found;
}

export function forget() {
  serial++;
  layoutKey = "";
}

/** The points of a stream, in its own direction; ends that lead nowhere are drawn out.
 * @param {Run} e @param {ProcessMap} map @param {Set<string>} turned */
function lead(e, map, turned) {
  const section = (e.sections || [])[0];
  if (!section) return;
  e.points = [section.startPoint, ...(section.bendPoints || []), section.endPoint];
  if (turned.has(e.id)) e.points.reverse();
  const stream = map.streams.find((x) => x.id === e.id);
  const last = e.points.length - 1;
  if (stream.wraps) return;
  if (!stream.from) e.points[0] = { x: e.points[0].x - STUB, y: e.points[0].y };
  if (!stream.to) e.points[last] = { x: e.points[last].x + STUB - INWARD, y: e.points[last].y };
}
