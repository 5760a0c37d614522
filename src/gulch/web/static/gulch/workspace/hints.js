// F shows a letter at each field of the panel, and the letter goes to it: any field in two or three keys.
import { $, all, hear, hearFirst } from "../dom.js";

const LETTERS = "asdfghjklqwertuiopzxcvbnm";

/** Keys for so many fields: one letter each where they suffice, else two. @param {number} count */
export function codes(count) {
  const letters = [...LETTERS];
  if (count <= letters.length) return letters.slice(0, count);
  return letters.flatMap((a) => letters.map((b) => a + b)).slice(0, count);
}

/** Fields by their keys, while they are shown. @type {Map<string, {field: HTMLElement, badge: HTMLElement}> | null} */
let shown = null;
let typed = "";
let since = 0; // when they were shown: bringing inputs into view scrolls too
const SETTLES = 300; // ms

function end() {
  for (const { badge } of shown?.values() ?? []) badge.remove();
  shown = null;
  typed = "";
}

/** The fields of the part that one looks at: the panel's, or where it has none the page's. */
function fields() {
  const of = (/** @type {string} */ part) =>
    all(`${part} :is(input:not([type=hidden], [type=range]), select, textarea):not([readonly], [disabled])`).filter(
      (f) => f.checkVisibility?.() ?? true,
    );
  const inside = of("#inspector");
  return inside.length ? inside : of("main");
}

/** Shows the letters; where a unit is selected its inputs come into view first. */
export function hint() {
  end();
  $("unit-inputs")?.scrollIntoView({ block: "nearest" });
  const found = fields();
  shown = new Map();
  since = performance.now();
  codes(found.length).forEach((code, i) => {
    const place = found[i].getBoundingClientRect();
    const badge = document.createElement("kbd");
    badge.className = "hint";
    badge.textContent = code;
    // positions by properties, which the content policy allows
    badge.style.left = `${place.left - 6}px`;
    badge.style.top = `${place.top - 8}px`;
    document.body.append(badge);
    shown.set(code, { field: found[i], badge });
  });
}

hearFirst("keydown", (event) => {
  if (!shown || ["Shift", "Control", "Alt", "Meta"].includes(event.key)) return;
  event.preventDefault();
  event.stopPropagation();
  typed += event.key.toLowerCase();
  const chosen = shown.get(typed);
  if (chosen) {
    end();
    chosen.field.scrollIntoView({ block: "nearest" });
    chosen.field.focus({ preventScroll: true });
    if (chosen.field instanceof HTMLInputElement) chosen.field.select();
  } else if (![...shown.keys()].some((code) => code.startsWith(typed))) end();
  else for (const [code, { badge }] of shown) badge.hidden = !code.startsWith(typed);
});
hear("pointerdown", end);
hear("scroll", () => performance.now() - since > SETTLES && end(), { capture: true });
hear("htmx:beforeSwap", end);
