// A long process is written in rows, as text is: loops stay together, and what goes on in a later row is led round the end.
const GAP = 84; // between rows, where names stand over streams
const LANE = 26; // for each stream that is led to another row
export const BAR = 40; // px that the bar above a map takes
const AROUND = 60; // of a row above and below its units

/** Units that reach each other, as sets. @param {ProcessMap} map @returns {string[][]} */
function together(map) {
  const out = Object.fromEntries(map.units.map((u) => [u.id, /** @type {string[]} */ ([])]));
  for (const s of map.streams) if (s.from && s.to && out[s.from] && out[s.to]) out[s.from].push(s.to);
  /** @type {Record<string, Set<string>>} */
  const reached = {};
  for (const u of map.units) {
    const seen = new Set();
    const todo = [...out[u.id]];
    while (todo.length) {
      const id = todo.pop();
      if (!seen.has(id)) {
        seen.add(id);
        todo.push(...out[id]);
      }
    }
    reached[u.id] = seen;
  }
  const sets = [];
  const done = new Set();
  for (const u of map.units) {
    if (done.has(u.id)) continue;
    const set = [u.id, ...map.units.map((v) => v.id).filter((v) => v !== u.id && reached[u.id].has(v) && reached[v].has(u.id))];
    for (const id of set) done.add(id);
    sets.push(set);
  }
  return sets;
}

/** How many units of length one pixel shows where a map of this size fills a window; small processes stay small.
 * @param {Size} size @param {Size} room */
export const scaleOf = (size, room) => Math.max((size.width + 36) / room.width, (size.height + 84) / Math.max(room.height - BAR, 60), 1.15);

/** Ways of writing a map in rows, the likeliest first: each a list of lists of ids of units.
 * laid: the map in one row; room: {width, height} of the window [px].
 * @param {ProcessMap} map @param {Laid} laid @param {Size} room @returns {string[][][]} */
export function ways(map, laid, room) {
  /** @param {string[]} ids */
  const extent = (ids) => {
    const nodes = ids.map((id) => laid.nodes[id]);
    return {
      ids,
      left: Math.min(...nodes.map((n) => n.x)),
      right: Math.max(...nodes.map((n) => n.x + n.width)),
      top: Math.min(...nodes.map((n) => n.y)),
      bottom: Math.max(...nodes.map((n) => n.y + n.height)),
    };
  };
  const blocks = together(map)
    .map(extent)
    .sort((a, b) => a.left - b.left || a.top - b.top);
  const found = new Map();
  for (let n = 2; n <= Math.min(blocks.length, 12); n++) {
    for (const slack of [1.02, 1.12, 1.25]) {
      const widest = (laid.width / n) * slack;
      const rows = [];
      for (const b of blocks) {
        const last = rows[rows.length - 1];
        if (last && b.right - last.left <= widest) {
          last.ids.push(...b.ids);
          last.right = Math.max(last.right, b.right);
          last.bottom = Math.max(last.bottom, b.bottom);
          last.top = Math.min(last.top, b.top);
        } else rows.push({ ...b, ids: [...b.ids] });
      }
      if (rows.length < 2) continue;
      const width = Math.max(...rows.map((r) => r.right - r.left)) + 200;
      const height = rows.reduce((sum, r) => sum + r.bottom - r.top + AROUND, 0) + (rows.length - 1) * GAP;
      const ids = rows.map((r) => r.ids);
      found.set(JSON.stringify(ids), { ids, k: scaleOf({ width, height }, room) });
    }
  }
  return [...found.values()].sort((a, b) => a.k - b.k).map((f) => f.ids);
}

/** Rows as they are with what is new and without what is gone; null where that would part a loop, or where too much is new.
 * @param {ProcessMap} map @param {string[][]} rows @returns {string[][] | null} */
export function still(map, rows) {
  /** @type {Record<string, number>} */
  const at = {};
  const here = new Set(map.units.map((u) => u.id));
  for (const [i, ids] of rows.entries()) for (const id of ids) at[id] = i;
  const fresh = map.units.filter((u) => at[u.id] === undefined).map((u) => u.id);
  if (fresh.length > 3) return null;
  for (const id of fresh) {
    const beside = map.streams
      .flatMap((s) => (s.to === id ? [s.from] : s.from === id ? [s.to] : []))
      .find((other) => at[other] !== undefined);
    if (beside === undefined) return null;
    at[id] = at[beside];
  }
  const kept = rows.map((_, i) => map.units.map((u) => u.id).filter((id) => at[id] === i && here.has(id))).filter((ids) => ids.length);
  return together(map).every((set) => new Set(set.map((id) => at[id])).size === 1) ? kept : null;
}

/** The map of some units; a stream to or from another row ends here.
 * @param {ProcessMap} map @param {string[]} units @returns {ProcessMap} */
export function part(map, units) {
  const here = new Set(units);
  const streams = [];
  for (const s of map.streams) {
    const from = s.from && here.has(s.from);
    const to = s.to && here.has(s.to);
    if ((from && to) || (from && !s.to) || (to && !s.from)) streams.push(s);
    else if (from) streams.push({ ...s, to: null, wraps: true });
    else if (to) streams.push({ ...s, from: null, wraps: true });
  }
  return { ...map, units: map.units.filter((u) => here.has(u.id)), streams };
}

/** Rows under one another, and the streams between them led round. laid: the rows; rows: the units of each.
 * @param {ProcessMap} map @param {Laid[]} laid @param {string[][]} rows @returns {Laid} */
export function stacked(map, laid, rows) {
  /** @type {Record<string, number>} */
  const at = {};
  for (const [i, ids] of rows.entries()) for (const id of ids) at[id] = i;
  const crossing = map.streams.filter((s) => s.from && s.to && at[s.from] !== at[s.to]);
  const left = 34 + LANE * crossing.length;
  const right = Math.max(...laid.map((r) => r.width));
  /** @type {number[]} */
  const shift = [];
  let y = 0;
  laid.forEach((r, i) => {
    // streams that come in from above run over their row
    y += i ? GAP + LANE * crossing.filter((s) => at[s.to] === i).length : 0;
    shift.push(y);
    y += r.height;
  });
  /** @param {Point[]} points @param {number} i */
  const move = (points, i) => points.map((p) => ({ x: p.x + left, y: p.y + shift[i] }));
  /** @type {Record<string, Placed>} */
  const nodes = {};
  /** @type {Record<string, Run>} */
  const edges = {};
  laid.forEach((r, i) => {
    for (const [id, n] of Object.entries(r.nodes)) nodes[id] = { ...n, x: n.x + left, y: n.y + shift[i] };
    for (const [id, e] of Object.entries(r.edges))
      if (!crossing.some((s) => s.id === id)) edges[id] = { ...e, points: e.points && move(e.points, i) };
  });
  const over = laid.map(() => 0);
  crossing.forEach((s, lane) => {
    const a = move(laid[at[s.from]].edges[s.id].points, at[s.from]);
    const b = move(laid[at[s.to]].edges[s.id].points, at[s.to]);
    const end = a[a.length - 1];
    const start = b[0];
    const i = at[s.to];
    const x1 = left + right + 30 + LANE * lane;
    const x0 = left - 24 - LANE * lane;
    const level = shift[i] - 40 - LANE * over[i]++;
    edges[s.id] = {
      points: [...a.slice(0, -1), { x: x1, y: end.y }, { x: x1, y: level }, { x: x0, y: level }, { x: x0, y: start.y }, ...b.slice(1)],
    };
  });
  return { nodes, edges, width: left + right + 30 + LANE * crossing.length, height: y };
}
