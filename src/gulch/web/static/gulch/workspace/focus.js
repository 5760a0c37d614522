import { $ } from "./page.js";

// Where the focus goes when what had it is gone from the page: each act has a next place, so that no key falls on nothing.
let left = null; // {card, search, select} of what had the focus before a page was swapped in
const own = (event) => ["solving", "pending"].includes(event.detail.requestConfig?.elt?.id); // pages tell of work by themselves

document.addEventListener("htmx:beforeSwap", (event) => {
  const node = document.activeElement, space = $("workspace");
  left = !space || own(event) ? null : {
    card: node?.closest?.("[data-card]")?.id,
    search: Boolean(node?.closest?.(".search")),
    select: JSON.parse(space.getAttribute("hx-vals")).select,
  };
});

// Called when a page has been swapped in.
export function refocused() {
  const space = $("workspace");
  if (!left || !space || document.activeElement !== document.body || document.querySelector("dialog[open]")) return;
  const chosen = JSON.parse(space.getAttribute("hx-vals")).select;
  const next = (left.search && $("species-search"))
    || (left.card && $(left.card)?.querySelector("input.value, a"))
    || (chosen && chosen !== left.select && $("inspector")?.querySelector("h2, h3"))
    || document.querySelector("main");
  left = null;
  if (!next) return;
  if (next.matches("h2, h3, main")) next.tabIndex = -1;
  next.focus({ preventScroll: true });
}

// The inspector's first field.
export function inspect() {
  $("inspector")?.querySelector("input:not([type=hidden], [readonly]), select, button, a")?.focus();
}
