// What stands under the map: the table of streams or the curves inside a unit, and which group of them; kept for the session only.
import { $, all, hear } from "../dom.js";

const chosen = { show: "curves", group: "" };

/** Whether the page shows curves now. */
export const showsCurves = () => chosen.show === "curves";

/** Marks the tabs and shows what was chosen. @param {boolean} any whether there are curves */
export function turned(any) {
  $("ledger")?.classList.toggle("show-curves", any && showsCurves());
  for (const tab of tabs("#ledger .tab[data-show]")) tab.classList.toggle("here", tab.dataset.show === chosen.show);
}
const tabs = (/** @type {string} */ which) => all(which);

/** The group of curves that was chosen, in a unit's own plot; a report begins with the first.
 * @param {HTMLElement} node @param {import("./curves.js").Profile} found */
export function group(node, found) {
  if (!node.closest("#ledger")) return found.groups[0];
  const now = found.groups.find((g) => g.id === chosen.group) || found.groups[0];
  for (const tab of tabs("#curve-groups .tab")) tab.classList.toggle("here", tab.dataset.group === now.id);
  return now;
}

/** Told of when another tab was chosen. @param {() => void} again */
export function onTab(again) {
  hear("click", (_, target) => {
    const tab = /** @type {Element} */ (target).closest("#ledger .tab");
    if (!(tab instanceof HTMLElement)) return;
    if (tab.dataset.show) chosen.show = tab.dataset.show;
    if (tab.dataset.group) chosen.group = tab.dataset.group;
    again();
  });
}
