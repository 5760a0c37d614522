// A figure of the ledger leads to where it comes from; the pin beside a name lets its stream stand first.
import { hear } from "../dom.js";
import { at, beside, open, post } from "./page.js";

hear("click", (_, target) => {
  const pin = target.closest?.(".pin-row");
  if (pin) post(beside("../do/ledger-pin/").pathname, { id: pin.closest("[data-stream]").dataset.stream });
});
hear("click", (_, target) => {
  const cell = target.closest?.(".ledger-table tbody td");
  const row = cell?.parentElement;
  if (!cell || cell.textContent.trim() === "–" || getSelection().toString()) return;
  const head = cell.closest("table").tHead.rows[0].cells[cell.cellIndex];
  const stream = row.dataset.stream || head.dataset.stream;
  const key = row.dataset.key || head.dataset.key;
  if (stream && key) open(at("process", `why:${stream}.${key}`));
});
