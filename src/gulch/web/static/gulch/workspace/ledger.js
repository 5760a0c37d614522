// A figure of the ledger leads to where it comes from; the pin beside a name lets its stream stand first.
import { $, open, post } from "./page.js";

document.addEventListener("click", (event) => {
  const pin = event.target.closest?.(".pin-row");
  const there = () => new URL("../do/ledger-pin/", new URL($("workspace").dataset.base, location.href)).pathname;
  if (pin) post(there(), { id: pin.closest("[data-stream]").dataset.stream });
});
document.addEventListener("click", (event) => {
  const cell = event.target.closest?.(".ledger-table tbody td"), row = cell?.parentElement;
  if (!cell || cell.textContent.trim() === "–" || getSelection().toString()) return;
  const head = cell.closest("table").tHead.rows[0].cells[cell.cellIndex];
  const stream = row.dataset.stream || head.dataset.stream, key = row.dataset.key || head.dataset.key;
  if (stream && key) open(`${$("workspace").dataset.base}?select=${encodeURIComponent(`why:${stream}.${key}`)}`);
});
