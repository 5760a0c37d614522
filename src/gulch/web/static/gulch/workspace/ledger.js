// A figure of the ledger leads to where it comes from.
import { $, open } from "./page.js";

document.addEventListener("click", (event) => {
  const cell = event.target.closest?.(".ledger-table tbody td"), row = cell?.parentElement;
  if (!cell || cell.textContent.trim() === "–" || getSelection().toString()) return;
  const head = cell.closest("table").tHead.rows[0].cells[cell.cellIndex];
  const stream = row.dataset.stream || head.dataset.stream, key = row.dataset.key || head.dataset.key;
  if (stream && key) open(`${$("workspace").dataset.base}?select=${encodeURIComponent(`why:${stream}.${key}`)}`);
});
