// A unit put at an open end of a row is drawn at once: the rest of the row stays where it is.
const GAP = 56; // from the stream's old end to the unit, so that the stream's name fits
const RISE = 46; // of a stream that leaves at the top or at the bottom
const APART = 76; // between the ends of streams that leave side by side
const CLEAR = 16; // that has to be free around what is new
const WIRED = /** @type {const} */ (["from", "port", "to", "wraps"]); // where a stream comes from and goes to

/** The one unit that a part of a map has more than before, with the stream that it was put at; null where more changed.
 * @param {ProcessMap} before @param {ProcessMap} map */
function grown(before, map) {
  const had = new Map(before.streams.map((s) => [s.id, s]));
  const units = new Set(before.units.map((u) => u.id));
  const fresh = map.units.filter((u) => !units.has(u.id));
  if (fresh.length !== 1 || map.units.length !== before.units.length + 1) return null;
  const [unit] = fresh;
  const out = map.streams.filter((s) => s.from === unit.id);
  const into = map.streams.filter((s) => s.to === unit.id);
  if (into.length !== 1 || out.some((s) => s.to || s.wraps || had.has(s.id))) return null;
  const was = had.get(into[0].id);
  if (!was || was.to || was.wraps || was.from !== into[0].from) return null;
  /** @param {MapStream} s */
  const same = (s) => s === into[0] || s.from === unit.id || WIRED.every((k) => had.get(s.id)?.[k] === s[k]);
  return map.streams.length === before.streams.length + out.length && map.streams.every(same) ? { unit, at: was, out } : null;
}

/** @param {MapUnit} unit @param {MapStream} s */
/** @param {MapUnit} unit @param {MapStream} s */
const sideOf = (unit, s) => unit.ports[s.port] || "side";

/** Where the streams that leave the unit run, {id: points}; those at the top and at the bottom go round a corner.
 * @param {MapUnit} unit @param {Box} node @param {MapStream[]} out @param {number} stub */
function leaving(unit, node, out, stub) {
  /** @type {Record<string, Point[]>} */
  const edges = {};
  for (const way of ["side", "top", "bottom"]) {
    const mine = out.filter((s) => sideOf(unit, s) === way);
    mine.forEach((s, i) => {
      const share = (i + 1) / (mine.length + 1);
      const end = node.x + node.width + GAP + stub;
      const x = node.x + node.width * share;
      const away = RISE + APART * (mine.length - 1 - i); // the left one goes farthest, so that none cross
      const level = way === "top" ? node.y - away : node.y + node.height + away;
      const y = node.y + node.height * share;
      const right = node.x + node.width;
      const apart = node.y + node.height / 2 + APART * (i - (mine.length - 1) / 2);
      const bent = [
        { x: right + GAP / 2, y },
        { x: right + GAP / 2, y: apart },
        { x: end, y: apart },
      ];
      edges[s.id] =
        way === "side"
          ? [{ x: right, y }, ...(mine.length > 1 ? bent : [{ x: end, y }])]
          : [
              { x, y: way === "top" ? node.y : node.y + node.height },
              { x, y: level },
              { x: end, y: level },
            ];
    });
  }
  return edges;
}

/** @param {Box} box @param {number} by */
const around = (box, by) => ({ left: box.x - by, right: box.x + box.width + by, top: box.y - by, bottom: box.y + box.height + by });
/** @param {Edges} a @param {Edges} b */
const meet = (a, b) => a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;
/** @param {Point[]} points @param {number} thick */
function lines(points, thick) {
  return points.slice(1).map((b, i) => {
    const a = points[i];
    return around({ x: Math.min(a.x, b.x), y: Math.min(a.y, b.y), width: Math.abs(a.x - b.x), height: Math.abs(a.y - b.y) }, thick);
  });
}

/** What the + at a stream's end takes, seen from afar. @param {Point[]} points */
const plus = (points) => around({ ...points.at(-1), width: 52, height: 0 }, 26);

/** A row as it was laid out, {nodes, edges, width, height, map}, with one unit more; null where it has to be laid out anew.
 * map: what it is to show; plate: {width, height} of a unit; stub: how far ends are drawn out.
 * @param {Row} laid @param {ProcessMap} map @param {Size} plate @param {number} stub @returns {Row | null} */
export function extended(laid, map, plate, stub) {
  const before = laid.map;
  const found = grown(before, map);
  const points = found && laid.edges[found.at.id]?.points;
  if (!points) return null;
  const { unit, at, out } = found;
  const end = points.at(-1);
  const last = points.at(-2);
  if (end.x - last.x < stub || Math.abs(end.y - last.y) > 0.5) return null; // it does not end to the right
  const height = Math.max(plate.height, 30 * out.filter((s) => sideOf(unit, s) === "side").length);
  const node = { id: unit.id, x: end.x - stub + GAP, y: end.y - height / 2, width: plate.width, height };
  const into = [...points.slice(0, -1), { x: node.x, y: end.y }];
  const fresh = leaving(unit, node, out, stub);
  const free = [around(node, CLEAR), ...Object.values(fresh).flatMap((p) => [...lines(p, CLEAR), plus(p)])];
  const { [`out:${at.id}`]: _, ...nodes } = laid.nodes;
  const others = Object.values(nodes)
    .filter((n) => before.units.some((u) => u.id === n.id))
    .map((n) => around(n, 0));
  const streams = before.streams
    .filter((s) => s.id !== at.id && laid.edges[s.id]?.points)
    .flatMap((s) => {
      const run = laid.edges[s.id].points;
      return s.to || s.wraps ? lines(run, 2) : [...lines(run, 2), plus(run)];
    });
  if ([...others, ...streams].some((o) => free.some((f) => meet(f, o)))) return null;
  const boxes = [around(node, 12), ...Object.values(fresh).flatMap((p) => lines(p, 12))];
  const rise = Math.max(0, -Math.min(...boxes.map((b) => b.top)));
  /** @template {Point} T @param {T} p */
  const lower = (p) => ({ ...p, y: p.y + rise });
  const edges = Object.fromEntries(Object.entries(laid.edges).map(([id, e]) => [id, { ...e, points: e.points?.map(lower) }]));
  edges[at.id] = { ...laid.edges[at.id], points: into.map(lower) };
  for (const [id, p] of Object.entries(fresh)) edges[id] = { id, points: p.map(lower) };
  return {
    map,
    nodes: Object.fromEntries([...Object.values(nodes), node].map((n) => [n.id, lower(n)])),
    edges,
    width: Math.max(laid.width, ...boxes.map((b) => b.right)),
    height: Math.max(laid.height, ...boxes.map((b) => b.bottom)) + rise,
  };
}
