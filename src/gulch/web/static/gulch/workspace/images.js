// Images of the map and of the plots on the page, as files.
import { $ } from "./page.js";
import { fault } from "./faults.js";

const SHOWN = ["fill", "fill-opacity", "stroke", "stroke-width", "stroke-opacity", "stroke-dasharray", "stroke-linecap", "stroke-linejoin",
  "opacity", "font-family", "font-size", "font-weight", "text-anchor", "letter-spacing", "paint-order", "visibility", "display"];
const MARGIN = 12, SHARP = 2; // pixels around what is drawn, and to one of its own in a PNG

document.addEventListener("click", async (event) => {
  const wanted = event.target.closest("[data-image]");
  if (!wanted) return;
  $("fault").hidden = true;
  const [what, kind] = wanted.dataset.image.split(".");
  const name = ($("project-name")?.value || "gulch").replace(/[\\/:*?"<>|\u0000-\u001f]/g, "_").slice(0, 80);
  try {
    await (what === "map" ? mapImage(kind, `${name} map.${kind}`) : plotImages(kind, name, wanted.dataset.of));
  } catch {
    fault("The image could not be made. Try the other format, or a smaller view.");
  }
});

async function mapImage(kind, name) {
  const svg = document.querySelector("#map-canvas svg");
  if (!svg || !svg.querySelector(".unit-g, .stream-g"))
    return fault($("map-canvas") ? "The map is empty: there is nothing to draw yet. Add a feed first." : "The map is drawn on Process: open it there first.");
  const boxes = [...svg.children].filter((n) => n.getBBox).map((n) => n.getBBox()).filter((b) => b.width > 0);
  const x = Math.min(...boxes.map((b) => b.x)) - MARGIN, y = Math.min(...boxes.map((b) => b.y)) - MARGIN;
  const right = Math.max(...boxes.map((b) => b.x + b.width)) + MARGIN, bottom = Math.max(...boxes.map((b) => b.y + b.height)) + MARGIN;
  await keep([svg], { x, y, width: right - x, height: bottom - y }, kind, name);
}

// One plot of the page by its id, or all of them.
async function plotImages(kind, name, of) {
  const all = of ? [$(of)] : [...document.querySelectorAll("#workspace .js-plotly-plot")];
  const plots = all.filter((p) => p && p.offsetWidth > 0 && p.querySelector("svg.main-svg"));
  if (!plots.length) return fault("There is no plot on this page: open a scan, a loop or a reactor’s profile first.");
  for (const [i, plot] of plots.entries()) {
    const box = { x: 0, y: 0, width: plot.offsetWidth, height: plot.offsetHeight };
    await keep([...plot.querySelectorAll("svg.main-svg")], box, kind, `${name} plot${plots.length > 1 ? ` ${i + 1}` : ""}.${kind}`);
  }
}

// One file of drawings that lie on one another, with the styles and the typeface that the page gives them.
async function keep(layers, box, kind, name) {
  const whole = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  const { x, y, width, height } = box, ground = getComputedStyle(document.body).backgroundColor;
  set(whole, { xmlns: "http://www.w3.org/2000/svg", viewBox: `${x} ${y} ${width} ${height}`, width, height });
  whole.append(set(document.createElementNS(whole.namespaceURI, "style"), {}), set(paperOf(whole), { x, y, width, height, fill: ground }));
  whole.firstChild.textContent = await typefaces();
  for (const layer of layers) whole.append(...styled(layer).childNodes);
  const file = new Blob([new XMLSerializer().serializeToString(whole)], { type: "image/svg+xml" });
  save(kind === "svg" ? file : await pixels(file, width, height), name);
}

const paperOf = (whole) => document.createElementNS(whole.namespaceURI, "rect");
function set(node, values) {
  for (const [key, value] of Object.entries(values)) node.setAttribute(key, value);
  return node;
}

// A copy with its styles written into it, and without what only the pointer needs.
function styled(svg) {
  const copy = svg.cloneNode(true), from = svg.querySelectorAll("*"), to = copy.querySelectorAll("*");
  from.forEach((node, i) => {
    const style = getComputedStyle(node);
    for (const name of SHOWN) {
      const value = style.getPropertyValue(name);
      if (value) to[i].setAttribute(name, value.replace(/"/g, "'"));
    }
    for (const name of ["style", "tabindex", "role", "aria-label"]) to[i].removeAttribute(name);
  });
  for (const node of copy.querySelectorAll("[display=none], .plus, .drag")) node.remove();
  for (const node of copy.querySelectorAll("[class]")) node.removeAttribute("class");
  return copy;
}

// The page's typefaces as rules that hold them, so that letters are as wide elsewhere as they are here.
let faces = null;
function typefaces() {
  faces ||= Promise.all([...document.styleSheets].flatMap((sheet) => [...sheet.cssRules]
    .filter((rule) => rule instanceof CSSFontFaceRule).map((rule) => held(rule, sheet.href)))).then((all) => all.join("\n"));
  return faces;
}
async function held(rule, base) {
  const address = new URL(rule.style.getPropertyValue("src").match(/url\("?([^")]+)"?\)/)[1], base);
  const bytes = await (await fetch(address)).blob();
  const text = await new Promise((done) => { const r = new FileReader(); r.onload = () => done(r.result); r.readAsDataURL(bytes); });
  const of = (name) => `${name}: ${rule.style.getPropertyValue(name)};`;
  return `@font-face { ${of("font-family")} ${of("font-weight")} ${of("unicode-range")} src: url(${text}); }`;
}

async function pixels(file, width, height) {
  const url = URL.createObjectURL(file), image = new Image();
  await new Promise((done, failed) => Object.assign(image, { onload: done, onerror: failed, src: url }));
  const canvas = Object.assign(document.createElement("canvas"), { width: width * SHARP, height: height * SHARP });
  canvas.getContext("2d").drawImage(image, 0, 0, canvas.width, canvas.height);
  URL.revokeObjectURL(url);
  return new Promise((done, failed) => canvas.toBlob((blob) => (blob ? done(blob) : failed()), "image/png"));
}

function save(blob, name) {
  const link = Object.assign(document.createElement("a"), { href: URL.createObjectURL(blob), download: name });
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
