// Lists that are searched by typing: one of what is found is marked, arrows move the mark, Enter takes what is marked.
import { $, all, hear } from "../dom.js";

/** What is found for a field, by the field's id. @type {Record<string, () => HTMLElement[]>} */
const LISTS = {
  "species-search": () => all("#found li button"),
  "kind-filter": () => all("#append .kind").filter((kind) => !kind.hidden && !kind.closest("[hidden]")),
};
/** @param {string} id */
const marked = (id) => LISTS[id]().find((item) => item.classList.contains("marked"));

/** Marks one of what is found for a field, or none. @param {string} id @param {HTMLElement} [chosen] */
function mark(id, chosen) {
  for (const item of all(id === "species-search" ? "#found .marked" : "#append .marked")) item.classList.remove("marked");
  chosen?.classList.add("marked");
  chosen?.scrollIntoView({ block: "nearest" });
}

/** Kinds of units, found by typing any word of their name or meaning. @param {Control} input */
function fitting(input) {
  const words = input.value.toLowerCase().split(/\s+/).filter(Boolean);
  for (const family of all("#append .family")) {
    let any = false;
    for (const kind of all(".kind", family)) {
      const fits = words.every((w) => `${family.firstElementChild.textContent} ${kind.textContent}`.toLowerCase().includes(w));
      kind.hidden = !fits;
      any = any || fits;
    }
    family.hidden = !any;
  }
  mark(input.id, words.length ? LISTS[input.id]()[0] : undefined);
}

let taking = false; // the first species that is found is taken as soon as it is there
let asked = ""; // what the species that stand there were found for
hear("input", (_, target) => {
  if (target.id === "kind-filter") fitting(target);
  if (target.id === "species-search") taking = false;
});
hear("keydown", (event, target) => {
  if (!LISTS[target.id]) return;
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  const items = LISTS[target.id]();
  const here = marked(target.id);
  if (step && items.length) {
    event.preventDefault();
    const at = here ? items.indexOf(here) + step : step > 0 ? 0 : items.length - 1;
    mark(target.id, items[(at + items.length) % items.length]);
  } else if (event.key === "Enter") {
    event.preventDefault();
    if (target.id === "kind-filter") (here ?? items[0])?.click();
    else if (here && asked === target.value) here.click();
    else if (target.value.trim()) {
      taking = true;
      htmx.trigger(target, "search");
    }
  }
});
hear("htmx:afterSettle", (event) => {
  // a button works from then on; a likeness is only offered
  if (event.detail.target.id !== "found") return;
  const first = $("found").querySelector(":scope > p") ? undefined : LISTS["species-search"]()[0];
  asked = $("species-search")?.value ?? "";
  mark("species-search", first);
  if (taking) first?.click();
  taking = false;
});
