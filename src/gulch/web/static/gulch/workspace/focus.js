// Where the focus goes when what had it is gone from the page: each act has a next place, so that no key falls on nothing.
import { $, focused, hear } from "../dom.js";
import { told } from "./page.js";

/** Of what had the focus before a page was swapped in. @type {{card?: string, search: boolean, select: string} | null} */
let left = null;
// pages tell of work by themselves
const own = (/** @type {Asked} */ event) => ["solving-next", "pending"].includes(event.detail.requestConfig?.elt?.id);

hear("htmx:beforeSwap", (event) => {
  const node = focused();
  left = null;
  if (!$("workspace") || own(event)) return;
  left = { card: node?.closest?.("[data-card]")?.id, search: Boolean(node?.closest?.(".search")), select: told().select };
});

/** Called when a page has been swapped in. */
export function refocused() {
  if (!left || !$("workspace") || focused() !== document.body || document.querySelector("dialog[open]")) return;
  const chosen = told().select;
  const next =
    (left.search && $("species-search")) ||
    (left.card && $(left.card)?.querySelector("input.value, a")) ||
    (chosen && chosen !== left.select && $("inspector")?.querySelector("h2, h3")) ||
    document.querySelector("main");
  left = null;
  if (!next) return;
  if (next.matches("h2, h3, main")) next.tabIndex = -1;
  next.focus({ preventScroll: true });
}

/** Puts the focus on the inspector's first field. */
export function inspect() {
  $("inspector")?.querySelector("input:not([type=hidden], [readonly]), select, button, a")?.focus();
}

/** Puts the focus on the first input of the unit that is selected. */
export function edited() {
  const field = $("unit-inputs").querySelector("input:not([readonly]), select");
  field?.scrollIntoView({ block: "center" });
  field?.focus({ preventScroll: true });
}
