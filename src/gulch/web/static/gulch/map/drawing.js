// The map as SVG. Width shows flow, shade shows a species' share. The farther away, the less is written, and never smaller than 11 px.
import { besides, cut, hair, stretches, Taken, textWidth } from "./labels.js";
import { symbolOf } from "./symbols.js";

const STATES = { good: "solved", bad: "not solved", doubt: "has a warning", idle: "not solved yet" };
const SIGNS = {
  good: "M0 -5 A5 5 0 1 1 -.01 -5 Z",
  bad: "M-4 -4 L4 4 M4 -4 L-4 4",
  doubt: "M0 -5 L5.5 5 H-5.5 Z",
  idle: "M0 -4.2 A4.2 4.2 0 1 1 -.01 -4.2 Z",
};

/** @typedef {{lines: string[], plates: string[], labels: string[], tops: string[]}} Layers what lies on what, the lowest first */
/** @typedef {ReturnType<typeof details>} Sizes */

/** @type {Record<string, string>} */
const SPECIAL = { "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" };
/** @param {string} text */
const plain = (text) => (/[&<>"]/.test(text) ? String(text).replace(/[&<>"]/g, (c) => SPECIAL[c]) : text);

/** An element as text: a browser reads a thousand of them sooner than it makes them one by one. inside: its text is plain already.
 * @param {string} name @param {Record<string, string | number>} attributes */
function el(name, attributes, inside = "") {
  let out = `<${name}`;
  for (const k in attributes) out += ` ${k}="${plain(String(attributes[k]))}"`;
  return `${out}>${inside}</${name}>`;
}

/** @param {Point[]} points @param {number} radius */
function rounded(points, radius) {
  let d = `M${points[0].x},${points[0].y}`;
  for (let i = 1; i < points.length - 1; i++) {
    const [a, b, c] = [points[i - 1], points[i], points[i + 1]];
    /** @param {Point} p @param {Point} q @param {number} r */
    const toward = (p, q, r) => {
      const l = Math.hypot(q.x - p.x, q.y - p.y) || 1;
      const t = Math.min(r, l / 2) / l;
      return { x: p.x + (q.x - p.x) * t, y: p.y + (q.y - p.y) * t };
    };
    const s = toward(b, a, radius);
    const e = toward(b, c, radius);
    d += ` L${s.x},${s.y} Q${b.x},${b.y} ${e.x},${e.y}`;
  }
  const last = points[points.length - 1];
  return `${d} L${last.x},${last.y}`;
}

/** The unit of measurement stands once, in the bar above the map. @param {string} text */
const bare = (text) => text.replace(/ [^ ]+$/, "");

/** @param {ProcessMap} map */
function describe(map) {
  return map.streams.map((s) => `${s.id}: ${s.from || "feed"} to ${s.to || "product"}${s.text ? `, ${s.text}` : ""}`).join("; ");
}

/** What is written, and how large, where one pixel shows k units of length. @param {number} k */
function details(k) {
  return {
    k,
    name: Math.max(17, 12.2 * k),
    kind: Math.max(13.5, 11.9 * k),
    head: Math.max(15.5, 12 * k),
    stream: Math.max(15.5, 12.2 * k),
    flow: Math.max(14.5, 11.9 * k),
    kinds: k <= 1.3,
    heads: k <= 2.1,
    flows: k <= 2.7,
  };
}

/** The SVG of a map whose parts are placed; w: widths of streams; shows: molar or mass; says: what stands at streams.
 * @param {ProcessMap} map @param {Laid} placed @param {Record<string, number>} w
 * @param {{shows: Shows, says: Says, k: number, bounds: Bounds | null}} how */
export function picture(map, placed, w, { shows, says, k, bounds }) {
  /** @type {Layers} */
  const layers = { lines: [], plates: [], labels: [], tops: [] };
  const size = details(k);
  const taken = new Taken(bounds);
  for (const n of map.units.map((u) => placed.nodes[u.id]).filter(Boolean)) // far away a name is higher than its plate
    taken.add({ ...n, height: Math.max(n.height, 14 + 1.2 * size.name) });
  const drawn = map.streams.filter((s) => placed.edges[s.id] && placed.edges[s.id].points);
  for (const s of drawn) taken.addStream(placed.edges[s.id].points, w[s.id]);
  const upmost = drawn.filter((s) => s.id !== map.select).concat(drawn.filter((s) => s.id === map.select));
  for (const s of upmost) channel(s, map, placed.edges[s.id].points, w[s.id], layers, taken, size);
  for (const u of map.units) unit(u, map, placed, layers.plates, size);
  for (const loop of map.loops) chip(loop, map, placed, w, layers.tops, taken, size);
  /** @param {MapStream} s */
  const worth = (s) => (s.id === map.select ? 3 : s.from && s.to ? (s[shows] || 0) * 1e-12 : 2);
  for (const s of drawn.slice().sort((a, b) => worth(b) - worth(a))) {
    const words = { flow: bare(shows === "mass" ? s.mass_text : s.text), state: s.state_text, name: "" }[says] || "";
    name(s, placed.edges[s.id].points, w[s.id], size.flows ? words : "", layers.labels, taken, size);
  }
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("role", "group");
  svg.setAttribute("aria-label", describe(map));
  svg.innerHTML = el(
    "g",
    { class: map.stale ? "stale-map" : "" },
    Object.values(layers)
      .map((l) => el("g", {}, l.join("")))
      .join(""),
  );
  return svg;
}

/** @param {MapStream} s @param {ProcessMap} map @param {Point[]} points @param {number} width @param {Layers} layers
 * @param {Taken} taken @param {Sizes} size */
function channel(s, map, points, width, { lines, tops }, taken, size) {
  const d = rounded(points, Math.max(10, width * 0.6));
  const inside = [
    el("title", {}, plain([s.id, s.text, s.state_text].filter(Boolean).join(" · "))),
    el("path", { d, class: "halo", "stroke-width": Math.max(width + 8, 9 * size.k) }),
    el("path", { d, class: "channel-bed", "stroke-width": width }),
    el("path", { d, class: "channel", "stroke-width": width, "stroke-opacity": s.share === null ? 0.35 : 0.22 + 0.78 * s.share }),
    width > 6 ? el("path", { d, class: "current" }) : "",
  ];
  lines.push(
    el(
      "g",
      {
        class: `stream-g${map.select === s.id ? " here" : ""}`,
        tabindex: "0",
        role: "button",
        "data-id": s.id,
        "aria-label": `stream ${s.id}${s.text ? `, ${s.text}` : ""}${s.state_text ? `, ${s.state_text}` : ""}`,
      },
      inside.join(""),
    ),
  );
  if (!s.to) {
    const end = points[points.length - 1];
    const r = Math.max(11, 7.8 * size.k);
    const x = end.x + r + 1;
    const box = { x: end.x, y: end.y - r, width: 2 * r + 2, height: 2 * r };
    const cross = el("text", { x, y: end.y + 0.36 * 1.55 * r, "text-anchor": "middle", "font-size": 1.55 * r }, "+");
    // far away, where another end is too near, a dot: the sign is written from nearer
    const dot = el("circle", { cx: end.x + r / 3 + 1, cy: end.y, r: r / 3 });
    tops.push(
      el(
        "g",
        {
          class: "plus",
          tabindex: "0",
          role: "button",
          "data-id": `+${s.id}`,
          "aria-label": `+ append a unit to ${s.id}`,
        },
        taken.free(box) ? el("circle", { cx: x, cy: end.y, r }) + cross : dot,
      ),
    );
    taken.add(box);
  }
}

/** A stream's name, with its flow or state under it; where both find no place the name alone, where it finds none nothing.
 * @param {MapStream} s @param {Point[]} points @param {number} width @param {string} words @param {string[]} labels
 * @param {Taken} taken @param {Sizes} size */
function name(s, points, width, words, labels, taken, size) {
  /** Each with its class, size and weight. @type {[string, string, number, number][]} */
  const texts = [[cut(s.id, size.stream, 600, 240), "sn", size.stream, 600]];
  if (s.inlet) texts[0][0] += ` → ${s.inlet}`;
  if (words) texts.push([words, "sf", size.flow, 400]);
  for (let n = texts.length; n > 0; n--) {
    const rows = texts.slice(0, n);
    const wide = Math.max(...rows.map((t) => textWidth(t[0], t[2], t[3]))) + 4;
    const high = rows.reduce((sum, t) => sum + 1.12 * t[2], 0);
    const box = taken.place(ends(s, points, width, wide, high).concat(besides(points, width, wide, high, 41)));
    if (!box) continue;
    const tie = hair(box);
    if (tie) labels.push(el("path", { d: `M${tie[0].x} ${tie[0].y}L${tie[1].x} ${tie[1].y}`, class: "hair" }));
    let y = box.y;
    for (const t of rows) {
      y += 1.12 * t[2];
      const at = { x: box.x + box.width / 2, y: y - 0.24 * t[2], class: t[1], "font-size": t[2], "text-anchor": "middle" };
      labels.push(el("text", at, plain(t[0])));
    }
    return;
  }
}

/** Boxes for the name of a feed or product: over its free end, or under it.
 * @param {MapStream} s @param {Point[]} points @param {number} thick @param {number} width @param {number} height @returns {Box[]} */
function ends(s, points, thick, width, height) {
  if (s.from && s.to) return [];
  const end = s.from ? points[points.length - 1] : points[0];
  const out = [];
  const x = s.from ? end.x - width - 2 : end.x;
  for (const y of [end.y - thick / 2 - 4 - height, end.y + thick / 2 + 4]) out.push({ x, y, width, height });
  for (const y of [end.y - 41 - height, end.y + 41]) out.push({ x, y, width, height, to: { x: x + width / 2, y: end.y } });
  return out;
}

/** @param {MapUnit} u @param {ProcessMap} map @param {Laid} placed @param {string[]} plates @param {Sizes} size */
function unit(u, map, placed, plates, size) {
  const n = placed.nodes[u.id];
  if (!n) return;
  const inside = [
    el("title", {}, plain([u.id, u.kind, u.headline, STATES[u.state]].filter(Boolean).join(" · "))),
    el("rect", { class: "plate", width: n.width, height: n.height, rx: 7 }),
    el("path", { class: "lip", d: `M1.5,9 v${n.height - 18}` }),
  ];
  const shorter = u.headline ? [u.headline, u.headline.replace(/ [^ ]+$/, "")] : []; // a conversion without the species it is of
  const head = (size.heads && shorter.find((t) => t && textWidth(t, size.head, 600) <= n.width - 20)) || "";
  /** Each with its class and size. @type {[string, string, number][]} */
  const rows = [[cut(u.id, size.name, 700, n.width - 36), "nm", size.name]];
  if (size.kinds) rows.push([cut(u.kind, size.kind, 400, n.width - 9), "kd", size.kind]);
  if (head) rows.push([head, "vl", size.head]);
  const step = size.kinds ? 20 : 1.3 * size.head;
  const top = size.kinds ? 22 : Math.max(22, 8 + 0.85 * size.name);
  // one text, its parts with spaces between them, as it is read aloud
  const written = rows.map(
    ([text, kind, high], i) => `${text ? el("tspan", { x: 12, y: top + i * step, class: kind, "font-size": high }, plain(text)) : ""} `,
  );
  if (rows.some((r) => r[0])) inside.push(el("text", {}, written.join("")));
  const scale = Math.min(Math.max(1, 0.62 * size.k), 2);
  inside.push(el("path", { class: `st ${u.state}`, d: SIGNS[u.state], transform: `translate(${n.width - 15},15) scale(${scale})` }));
  const side = Math.min(Math.max(24, 13 * size.k), 32);
  const room = n.width - 20 - (head ? textWidth(head, size.head, 600) : 0);
  const corner = `translate(${n.width - side - 8},${n.height - side - 6}) scale(${side / 24})`;
  if (room > side + 6 && (size.kinds || !head)) inside.push(el("path", { class: "symbol", d: symbolOf(u.symbol), transform: corner }));
  const said = [
    rows.map((r) => r[0]).join(" "),
    rows[0][0] === u.id ? "" : u.id,
    size.kinds ? "" : u.kind,
    STATES[u.state],
    head === u.headline ? "" : u.headline,
  ]
    .filter(Boolean)
    .join(", ");
  plates.push(
    el(
      "g",
      {
        class: `unit-g${map.select === u.id ? " here" : ""}`,
        tabindex: "0",
        role: "button",
        "data-id": u.id,
        transform: `translate(${n.x},${n.y})`,
        "aria-label": said,
      },
      inside.join(""),
    ),
  );
}

/** @param {MapLoop} loop @param {ProcessMap} map @param {Laid} placed @param {Record<string, number>} w
 * @param {string[]} tops @param {Taken} taken
 * @param {Sizes} size */
function chip(loop, map, placed, w, tops, taken, size) {
  const high = Math.max(14, 12 * size.k);
  const words = `Loop ${loop.letter} · ${loop.label}${loop.why ? ` · ${loop.why}` : ""}`;
  const text = (loop.settled ? "" : "✕ ") + (size.k > 2.1 && !loop.why ? `Loop ${loop.letter}` : words);
  const width = textWidth(text, high, 400) + 22;
  const height = 1.8 * high;
  const inside = map.streams.filter(
    (s) => placed.edges[s.id] && placed.edges[s.id].points && loop.units.includes(s.from) && loop.units.includes(s.to),
  );
  const all = inside.flatMap((s) =>
    stretches(placed.edges[s.id].points)
      .filter((t) => t.flat)
      .map((t) => ({ ...t, thick: w[s.id] })),
  );
  if (!all.length) return;
  /** under the lowest level stretch that is long enough, else under others, else below everything @param {{length: number}} t */
  const fits = (t) => Number(t.length > 0.6 * width);
  all.sort((a, b) => fits(b) - fits(a) || (fits(a) ? b.a.y - a.a.y || b.length - a.length : b.length - a.length));
  const boxes = all.flatMap((t) =>
    [t.a.y + t.thick / 2 + 7, t.a.y - t.thick / 2 - 7 - height].map((y) => ({ x: (t.a.x + t.b.x - width) / 2, y, width, height })),
  );
  for (let i = 1; i < 40; i++) boxes.push({ ...boxes[0], y: boxes[0].y + i * 0.6 * height });
  const box = taken.place(boxes) || boxes[0];
  const label = { x: box.x + width / 2, y: box.y + height / 2 + 0.35 * high, "text-anchor": "middle", "font-size": high };
  tops.push(
    el(
      "g",
      {
        class: `loop-chip${loop.settled ? "" : " bad"}`,
        tabindex: "0",
        role: "button",
        "data-id": "loop",
        "aria-label": text + (text.endsWith(words) ? "" : `, ${words}`) + (loop.settled ? ", settled" : ", did not settle"),
      },
      el("rect", { x: box.x, y: box.y, width, height, rx: height / 2 }) + el("text", label, plain(text)),
    ),
  );
}
