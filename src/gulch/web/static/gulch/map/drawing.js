// The map as SVG. Width shows flow, shade shows a species' share.
const NS = "http://www.w3.org/2000/svg";

function el(name, attributes, parent, text) {
  const node = document.createElementNS(NS, name);
  for (const [k, v] of Object.entries(attributes || {})) node.setAttribute(k, v);
  if (text !== undefined) node.textContent = text;
  if (parent) parent.append(node);
  return node;
}

function rounded(points, radius) {
  let d = `M${points[0].x},${points[0].y}`;
  for (let i = 1; i < points.length - 1; i++) {
    const [a, b, c] = [points[i - 1], points[i], points[i + 1]];
    const toward = (p, q, r) => { const l = Math.hypot(q.x - p.x, q.y - p.y) || 1, t = Math.min(r, l / 2) / l; return { x: p.x + (q.x - p.x) * t, y: p.y + (q.y - p.y) * t }; };
    const s = toward(b, a, radius), e = toward(b, c, radius);
    d += ` L${s.x},${s.y} Q${b.x},${b.y} ${e.x},${e.y}`;
  }
  const last = points[points.length - 1];
  return d + ` L${last.x},${last.y}`;
}

function longest(points) {
  let best = null;
  for (let i = 1; i < points.length; i++) {
    const a = points[i - 1], b = points[i], flat = a.y === b.y, length = Math.hypot(b.x - a.x, b.y - a.y) * (flat ? 1 : 0.45);
    if (!best || length > best.length) best = { a, b, length, flat };
  }
  return best;
}

// The unit stands once, in the bar above the map.
const bare = (text) => text.replace(/ [^ ]+$/, "");

const base = (stage) => document.getElementById("workspace").dataset.base.replace(/process\/$/, stage + "/");

function choose(id, toAppend) {
  window.gulch.open(base("process") + "?select=" + encodeURIComponent(id)).then(() => {
    if (toAppend) { const first = document.querySelector("#append .kind"); if (first) first.focus(); }
  });
}

function describe(map) {
  return map.streams.map((s) => `${s.id}: ${s.from || "feed"} to ${s.to || "product"}${s.text ? ", " + s.text : ""}`).join("; ");
}

// The SVG of a map whose parts are placed; w: widths of streams; shows: molar or mass.
export function picture(map, placed, w, shows) {
  const svg = el("svg", { role: "group", "aria-label": describe(map) });
  const world = el("g", { class: map.stale ? "stale-map" : "" }, svg);
  const [lines, plates, labels, tops] = [1, 2, 3, 4].map(() => el("g", {}, world));
  for (const s of map.streams) stream(s, map, placed, w, shows, { lines, labels, tops });
  for (const u of map.units) unit(u, map, placed, plates);
  for (const loop of map.loops) chip(loop, map, placed, w, tops);
  return svg;
}

function stream(s, map, placed, w, shows, { lines, labels, tops }) {
  const edge = placed.edges[s.id];
  if (!edge || !edge.points) return;
  const points = edge.points;
  const width = w[s.id], d = rounded(points, Math.max(10, width * 0.6));
  const g = el("g", { class: "stream-g" + (map.select === s.id ? " here" : ""), tabindex: "0", role: "button", "data-id": s.id, "aria-label": `stream ${s.id}${s.text ? ", " + s.text : ""}` }, lines);
  el("path", { d, class: "halo", "stroke-width": width + 8 }, g);
  el("path", { d, class: "channel-bed", "stroke-width": width }, g);
  el("path", { d, class: "channel", "stroke-width": width, "stroke-opacity": s.share === null ? 0.35 : 0.22 + 0.78 * s.share }, g);
  if (width > 6) el("path", { d, class: "current" }, g);
  g.addEventListener("click", () => choose(s.id));
  if (map.select === s.id) lines.append(g);
  const text = shows === "mass" ? s.mass_text : s.text;
  if (!s.from || !s.to) {
    const end = s.from ? points[points.length - 1] : points[0];
    const x = s.from ? end.x - 4 : end.x, anchor = s.from ? "end" : "start";
    el("text", { x, y: end.y - width / 2 - 20, class: "sn", "text-anchor": anchor }, labels, s.id);
    el("text", { x, y: end.y - width / 2 - 5, class: "sf", "text-anchor": anchor }, labels, bare(text));
  } else {
    const l = longest(points), mx = (l.a.x + l.b.x) / 2, my = (l.a.y + l.b.y) / 2;
    if (l.flat) {
      el("text", { x: mx, y: my - width / 2 - 20, class: "sn", "text-anchor": "middle" }, labels, s.id);
      el("text", { x: mx, y: my - width / 2 - 5, class: "sf", "text-anchor": "middle" }, labels, bare(text));
    } else {
      el("text", { x: mx + width / 2 + 5, y: my, class: "sn" }, labels, s.id);
    }
  }
  if (s.inlet) {
    const end = points[points.length - 1], before = points[points.length - 2];
    const level = end.y === before.y;
    el("text", { x: level ? end.x - 5 : end.x - width / 2 - 5, y: level ? end.y + width / 2 + 14 : end.y + 16, class: "sf side", "text-anchor": "end" }, labels, s.inlet);
  }
  if (!s.to) {
    const end = points[points.length - 1];
    const plus = el("g", { class: "plus", tabindex: "0", role: "button", "data-id": "+" + s.id, "aria-label": `append a unit to ${s.id}` }, tops);
    el("circle", { cx: end.x + 12, cy: end.y, r: 11 }, plus);
    el("text", { x: end.x + 12, y: end.y + 6, "text-anchor": "middle" }, plus, "+");
    plus.addEventListener("click", () => choose(s.id, true));
  }
}

function unit(u, map, placed, plates) {
  const n = placed.nodes[u.id];
  if (!n) return;
  const words = { good: "solved", bad: "not solved", doubt: "has a warning", idle: "not solved yet" }[u.state];
  const g = el("g", { class: "unit-g" + (map.select === u.id ? " here" : ""), tabindex: "0", role: "button", "data-id": u.id, "aria-label": `${u.kind} ${u.id}, ${words}${u.headline ? ", " + u.headline : ""}`, transform: `translate(${n.x},${n.y})` }, plates);
  el("rect", { class: "plate", width: n.width, height: n.height, rx: 7 }, g);
  el("path", { class: "lip", d: `M1.5,9 v${n.height - 18}` }, g);
  el("text", { x: 12, y: 22, class: "nm" }, g, u.id.length > 14 ? u.id.slice(0, 13) + "…" : u.id);
  el("text", { x: n.width - 10, y: 21, class: "st " + u.state, "text-anchor": "end" }, g, { good: "●", bad: "✕", doubt: "▲", idle: "○" }[u.state]);
  el("text", { x: 12, y: 41, class: "kd" }, g, u.kind);
  el("text", { x: 12, y: 62, class: "vl" }, g, u.headline);
  g.addEventListener("click", () => choose(u.id));
}

function chip(loop, map, placed, w, tops) {
  const text = "Loop " + loop.letter + " · " + loop.label + (loop.why ? " · " + loop.why : ""), width = 7.6 * text.length + 22;
  // under the lowest level stretch of the loop that is long enough, else under its longest
  let l = null, under = null;
  const better = (a, b) => {
    const fits = (x) => x.length > 0.6 * width;
    return fits(a) === fits(b) ? (fits(a) ? a.a.y > b.a.y + 1 || (a.a.y > b.a.y - 1 && a.length > b.length) : a.length > b.length) : fits(a);
  };
  for (const s of map.streams) {
    const edge = placed.edges[s.id];
    if (!edge || !edge.points || !loop.units.includes(s.from) || !loop.units.includes(s.to)) continue;
    const best = longest(edge.points);
    if (best.flat && (!l || better(best, l))) { l = best; under = s.id; }
  }
  if (!l) return;
  const x = (l.a.x + l.b.x) / 2 - width / 2, y = l.a.y + w[under] / 2 + 8;
  const g = el("g", { class: "loop-chip" + (loop.settled ? "" : " bad"), tabindex: "0", role: "button", "data-id": "loop", "aria-label": text + (loop.settled ? ", settled" : ", did not settle") }, tops);
  el("rect", { x, y, width, height: 25, rx: 12.5 }, g);
  el("text", { x: x + width / 2, y: y + 17, "text-anchor": "middle" }, g, (loop.settled ? "" : "✕ ") + text);
  g.addEventListener("click", () => window.gulch.open(base("loops")));
}
