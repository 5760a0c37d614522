// Images of the map and of the plots on the page, as files.
import { $, all, hear, part } from "../dom.js";
import { fault } from "./faults.js";

// What of a style is written into a drawing where it is not what stands above it anyway, and what that is to begin with.
const INITIAL = {
  fill: "rgb(0, 0, 0)",
  "fill-opacity": "1",
  stroke: "none",
  "stroke-width": "1px",
  "stroke-opacity": "1",
  "stroke-dasharray": "none",
  "stroke-linecap": "butt",
  "stroke-linejoin": "miter",
  "text-anchor": "start",
  "letter-spacing": "normal",
  "paint-order": "normal",
  visibility: "visible",
  "font-family": "",
  "font-size": "",
  "font-weight": "",
};
const NOT_HANDED_DOWN = { opacity: "1", display: "inline" };
const MARGIN = 12; // pixels around what is drawn
const SHARP = 2; // pixels of a PNG to one of the page's

hear("click", async (_, target) => {
  const wanted = target.closest("[data-image]");
  if (!wanted) return;
  $("fault").hidden = true;
  const [what, kind] = wanted.dataset.image.split(".");
  const name = ($("project-name")?.value || "gulch").replace(/[\\/:*?"<>|\p{Cc}]/gu, "_").slice(0, 80);
  try {
    await (what === "map" ? mapImage(kind, `${name} map.${kind}`) : plotImages(kind, name, wanted.dataset.of));
  } catch {
    fault("The image could not be made. Try the other format, or a smaller view.");
  }
});

/** @param {string} kind @param {string} name */
async function mapImage(kind, name) {
  const svg = document.querySelector(".map-canvas svg");
  if (!svg?.querySelector(".unit-g, .stream-g"))
    return fault(
      document.querySelector(".map-canvas")
        ? "The map is empty: there is nothing to draw yet. Add a feed first."
        : "The map is drawn on Process: open it there first.",
    );
  await keep([svg], mapBox(svg), kind, name);
}
/** @param {Element} svg @returns {Box} */
function mapBox(svg) {
  const boxes = [.../** @type {Iterable<any>} */ (svg.children)]
    .filter((n) => n.getBBox)
    .map((n) => n.getBBox())
    .filter((b) => b.width > 0);
  const x = Math.min(...boxes.map((b) => b.x)) - MARGIN;
  const y = Math.min(...boxes.map((b) => b.y)) - MARGIN;
  const right = Math.max(...boxes.map((b) => b.x + b.width)) + MARGIN;
  const bottom = Math.max(...boxes.map((b) => b.y + b.height)) + MARGIN;
  return { x, y, width: right - x, height: bottom - y };
}
/** @param {HTMLElement} plot @returns {Box} */
const plotBox = (plot) => ({ x: 0, y: 0, width: plot.offsetWidth, height: plot.offsetHeight });
/** @param {Element} plot @returns {Element[]} */
const layersOf = (plot) => all("svg.main-svg", plot);

/** The drawing in a map or plot of the page as SVG text, for the report that it stands in; null where there is none.
 * @param {HTMLElement} node */
export function drawingIn(node) {
  const map = node.classList.contains("map-canvas");
  const layers = map ? all("svg", node) : layersOf(node);
  if (!layers.length || !node.offsetWidth) return null;
  return new XMLSerializer().serializeToString(together(layers, map ? mapBox(layers[0]) : plotBox(node)));
}

/** One plot of the page by its id, or all of them. @param {string} kind @param {string} name @param {string} [of] */
async function plotImages(kind, name, of) {
  const there = of ? [$(of)] : all("#workspace .js-plotly-plot");
  const plots = there.filter((p) => p && p.offsetWidth > 0 && p.querySelector("svg.main-svg"));
  if (!plots.length) return fault("There is no plot on this page: open a scan, a loop or a reactor’s profile first.");
  for (const [i, plot] of plots.entries()) {
    await keep(layersOf(plot), plotBox(plot), kind, `${name} plot${plots.length > 1 ? ` ${i + 1}` : ""}.${kind}`);
  }
}

/** One file of drawings that lie on one another, with the styles and the typeface that the page gives them.
 * @param {Element[]} layers @param {Box} box @param {string} kind @param {string} name */
async function keep(layers, box, kind, name) {
  const whole = together(layers, box);
  const { x, y, width, height } = box;
  const ground = getComputedStyle(document.body).backgroundColor;
  whole.prepend(set(part("style"), {}), set(part("rect"), { x, y, width, height, fill: ground }));
  whole.firstChild.textContent = await typefaces();
  const file = new Blob([new XMLSerializer().serializeToString(whole)], { type: "image/svg+xml" });
  save(kind === "svg" ? file : await pixels(file, width, height), name);
}

/** @param {Element[]} layers @param {Box} box */
function together(layers, { x, y, width, height }) {
  const whole = set(part("svg"), { xmlns: "http://www.w3.org/2000/svg", viewBox: `${x} ${y} ${width} ${height}`, width, height });
  for (const layer of layers) whole.append(...styled(layer).childNodes);
  return whole;
}
/** @template {Element} T @param {T} node @param {Record<string, string | number>} values */
function set(node, values) {
  for (const [key, value] of Object.entries(values)) node.setAttribute(key, String(value));
  return node;
}

/** A copy with its styles written into it, and without what only the pointer needs. @param {Element} svg */
function styled(svg) {
  const copy = /** @type {Element} */ (svg.cloneNode(true));
  const from = svg.querySelectorAll("*");
  const to = copy.querySelectorAll("*");
  /** @type {Map<Element, Record<string, string>>} */
  const seen = new Map([[svg, INITIAL]]);
  from.forEach((node, i) => {
    const style = getComputedStyle(node);
    const above = seen.get(node.parentElement);
    /** @type {Record<string, string>} */
    const own = {};
    /** @param {string} name @param {string} value @param {string} usual */
    const write = (name, value, usual) => {
      if (value && (value !== usual || to[i].hasAttribute(name))) to[i].setAttribute(name, value.replace(/"/g, "'"));
    };
    for (const name of Object.keys(INITIAL)) {
      own[name] = style.getPropertyValue(name);
      write(name, own[name], above[name]);
    }
    for (const [name, usual] of Object.entries(NOT_HANDED_DOWN)) write(name, style.getPropertyValue(name), usual);
    seen.set(node, own);
    for (const name of ["style", "tabindex", "role", "aria-label"]) to[i].removeAttribute(name);
  });
  for (const node of copy.querySelectorAll("[display=none], .plus, .drag")) node.remove();
  // a halo is a text of its own below: not everyone who draws knows the order of painting
  for (const text of copy.querySelectorAll("text[paint-order^=stroke]:not([stroke=none])")) {
    text.removeAttribute("paint-order");
    text.before(set(/** @type {Element} */ (text.cloneNode(true)), { fill: "none" }));
    text.setAttribute("stroke", "none");
  }
  for (const node of copy.querySelectorAll("[class]")) node.removeAttribute("class");
  return copy;
}

// The page's typefaces as rules that hold them, so that letters are as wide elsewhere as they are here.
/** @type {Promise<string> | null} */
let faces = null;
function typefaces() {
  faces ||= Promise.all(
    [...document.styleSheets].flatMap((sheet) =>
      [...sheet.cssRules].filter((rule) => rule instanceof CSSFontFaceRule).map((rule) => held(rule, sheet.href)),
    ),
  ).then((all) => all.join("\n"));
  return faces;
}
/** @param {CSSFontFaceRule} rule @param {string} base */
async function held(rule, base) {
  const address = new URL(rule.style.getPropertyValue("src").match(/url\("?([^")]+)"?\)/)[1], base);
  const bytes = await (await fetch(address)).blob();
  const text = await new Promise((done) => {
    const r = new FileReader();
    r.onload = () => done(r.result);
    r.readAsDataURL(bytes);
  });
  /** @param {string} name */
  const of = (name) => `${name}: ${rule.style.getPropertyValue(name)};`;
  return `@font-face { ${of("font-family")} ${of("font-weight")} ${of("unicode-range")} src: url(${text}); }`;
}

/** @param {Blob} file @param {number} width @param {number} height @returns {Promise<Blob>} */
async function pixels(file, width, height) {
  const url = URL.createObjectURL(file);
  const image = new Image();
  await new Promise((done, failed) => Object.assign(image, { onload: done, onerror: failed, src: url }));
  const canvas = Object.assign(document.createElement("canvas"), { width: width * SHARP, height: height * SHARP });
  canvas.getContext("2d").drawImage(image, 0, 0, canvas.width, canvas.height);
  URL.revokeObjectURL(url);
  return new Promise((done, failed) => canvas.toBlob((blob) => (blob ? done(blob) : failed()), "image/png"));
}

/** @param {Blob} blob @param {string} name */
export function save(blob, name) {
  const link = Object.assign(document.createElement("a"), { href: URL.createObjectURL(blob), download: name });
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
