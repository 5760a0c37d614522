// Where names stand: none on another, none on a unit. What finds no place is left out; the ledger and the inspector have it all.
/** @type {CanvasRenderingContext2D | null} */
let brush = null;
let family = "";
/** @type {Map<string, number>} */
const known = new Map();

/** @param {string} text @param {number} size @param {number} weight @returns {number} */
export function textWidth(text, size, weight = 400) {
  const key = `${weight} ${text}`;
  if (!known.has(key)) {
    brush ||= document.createElement("canvas").getContext("2d");
    family ||= getComputedStyle(document.body).fontFamily; // once: asking has the page's styles worked out
    brush.font = `${weight} 100px ${family}`;
    known.set(key, brush.measureText(text).width / 100);
  }
  return known.get(key) * size * 1.03;
}
if (globalThis.document?.fonts) document.fonts.ready.then(() => known.clear());

/** Text cut so that it fits a width, with an ellipsis; nothing where three letters do not fit.
 * @param {string} text @param {number} size @param {number} weight @param {number} width */
export function cut(text, size, weight, width) {
  if (textWidth(text, size, weight) <= width) return text;
  for (let n = Math.min(text.length - 1, 40); n >= 3; n--) {
    const short = `${text.slice(0, n)}…`;
    if (textWidth(short, size, weight) <= width) return short;
  }
  return "";
}

export class Taken {
  /** @param {Bounds | null} bounds between which names have to stand */
  constructor(bounds) {
    this.bounds = bounds;
    /** @type {Box[]} */
    this.boxes = [];
    /** @type {Box[]} */
    this.soft = []; // streams: text on them can be read, but better stands beside
  }

  /** @param {Box} box */
  add(box) {
    this.boxes.push(box);
  }

  /** Takes each level or upright stretch of a stream. @param {Point[]} points @param {number} width */
  addStream(points, width) {
    for (let i = 1; i < points.length; i++) {
      const a = points[i - 1];
      const b = points[i];
      const r = width / 2;
      this.soft.push({
        x: Math.min(a.x, b.x) - r,
        y: Math.min(a.y, b.y) - r,
        width: Math.abs(a.x - b.x) + width,
        height: Math.abs(a.y - b.y) + width,
      });
    }
  }

  /** @param {Box} box @param {Box[]} also */
  free(box, also = []) {
    if (this.bounds && (box.x < this.bounds.left || box.x + box.width > this.bounds.right)) return false;
    const meets = (/** @type {Box} */ o) =>
      box.x < o.x + o.width && o.x < box.x + box.width && box.y < o.y + o.height && o.y < box.y + box.height;
    return !this.boxes.some(meets) && !also.some(meets);
  }

  /** The first of some boxes that is free, of streams too where that can be; it is taken then. @param {Box[]} boxes */
  place(boxes) {
    const found = boxes.find((b) => this.free(b, this.soft)) || boxes.find((b) => this.free(b));
    if (found) this.add(found);
    return found || null;
  }
}

/** Stretches of a stream from the one that a name is looked for first: level before upright, long before short. @param {Point[]} points */
export function stretches(points) {
  const out = [];
  for (let i = 1; i < points.length; i++) {
    const a = points[i - 1];
    const b = points[i];
    const flat = Math.abs(a.y - b.y) < 0.5;
    out.push({ a, b, flat, length: Math.hypot(b.x - a.x, b.y - a.y), worth: Math.hypot(b.x - a.x, b.y - a.y) * (flat ? 1 : 0.45) });
  }
  return out.sort((p, q) => q.worth - p.worth);
}

const TOUCHES = 12; // a name nearer to its stream than this needs no line to it

/** Boxes for a text of some size along a stream drawn as wide as thick, the best first; those at a distance say to where they are tied.
 * @param {Point[]} points @param {number} thick @param {number} width @param {number} height @param {number} over @returns {Box[]} */
export function besides(points, thick, width, height, over) {
  const near = [];
  const far = [];
  for (const s of stretches(points)) {
    const mx = (s.a.x + s.b.x) / 2;
    const my = (s.a.y + s.b.y) / 2;
    const r = thick / 2;
    if (s.flat) {
      const slack = Math.max((s.length - width) / 2, 0);
      for (const dx of [0, -slack / 2, slack / 2, -slack, slack])
        for (const y of [my - r - 4 - height, my + r + 4]) near.push({ x: mx - width / 2 + dx, y, width, height });
      for (const y of [my - over - height, my + over])
        for (const dx of [0, -slack, slack]) far.push({ x: mx - width / 2 + dx, y, width, height, to: { x: mx + dx, y: my } });
    } else {
      const slack = Math.max((s.length - height) / 2, 0);
      for (const dy of [0, -slack / 2, slack / 2, -slack, slack])
        for (const x of [mx + r + 5, mx - r - 5 - width]) near.push({ x, y: my - height / 2 + dy, width, height });
    }
  }
  return [...near, ...far];
}

/** The line that ties a name to its stream: from the edge of its box to the stream; null where it touches it.
 * @param {Box} box @returns {[Point, Point] | null} */
export function hair(box) {
  if (!box.to) return null;
  const { x, y } = box.to;
  const from = { x, y: y > box.y + box.height ? box.y + box.height - 1 : box.y + 2 };
  return Math.abs(from.y - y) > TOUCHES ? [from, { x, y }] : null;
}
