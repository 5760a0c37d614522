// A table as text that spreadsheets paste.
import { $, hear } from "../dom.js";

const SAID = 1200; // ms that the button says it

hear("click", async (_, target) => {
  const button = target.closest("[data-copy]");
  const table = button && $(button.dataset.copy);
  if (!table) return;
  await navigator.clipboard.writeText(asText(table));
  const words = button.textContent;
  button.textContent = "Copied";
  setTimeout(() => {
    button.textContent = words;
  }, SAID);
});

/** Cells that hold a button are none of the table's. @param {HTMLTableElement} table */
function asText(table) {
  /** @param {HTMLTableRowElement} row */
  const cells = (row) => [...row.cells].filter((c) => !c.querySelector("button")).map((c) => c.textContent.trim().replace(/\s+/g, " "));
  return [...table.rows].map((r) => cells(r).join("\t")).join("\n");
}
