// The workspace's behaviour beyond htmx.

import { $, all, announce, focused, hear, hearFirst } from "./dom.js";
import { restored } from "./workspace/drafts.js";
import { refocused } from "./workspace/focus.js";
import { swap } from "./workspace/page.js"; // first: what is dropped of answers is known before others look at them
import { followed, placed } from "./workspace/sliders.js";
import { still } from "./workspace/unsent.js";
import "./workspace/faults.js";
import "./workspace/keys.js";
import "./workspace/marked.js";
import "./workspace/images.js";
import "./workspace/meaning.js";
import "./workspace/walk.js";
import "./workspace/notebook.js";
import "./workspace/strip.js";
import "./workspace/ledger.js";
import "./workspace/copied.js";

// The drawing and the plots are made here in the browser: a swap must leave them alone.
Idiomorph.defaults.ignoreActiveValue = true;
Idiomorph.defaults.callbacks.beforeNodeMorphed = (/** @type {Control} */ old, /** @type {Control} */ fresh) => {
  if (settled(old, fresh) || fresh.dataset?.kept !== undefined) return false; // what the page has was not sent again
  if (old.matches?.(".slider")) placed(old, fresh);
  else if (old === focused() && textual(old)) renewed(old, fresh.getAttribute("value") ?? "");
  // what is in the field one is at is left alone; words of a link or button one is at are not the user's, and follow
  if (old === focused() && old.matches("a, button, summary") && old.innerHTML !== fresh.innerHTML)
    old.replaceChildren(...fresh.cloneNode(true).childNodes);
  return !old.classList?.contains("map-canvas") && !old.classList?.contains("plot");
};
// A field one has come to follows the page until one types in it.
function renewed(/** @type {Control} */ field, /** @type {string} */ value) {
  const untouched = typing?.id !== field.id && field.value === field.getAttribute("value");
  field.setAttribute("value", value);
  if (untouched) field.value = value;
}
// What is the same is not gone through, unless a user may have changed it; rows of figures are exchanged whole.
/** @param {Control} old @param {Control} fresh */
function settled(old, fresh) {
  if (old.nodeType !== Node.ELEMENT_NODE) return false;
  if (old.matches(".ledger-table > tbody") && !old.contains(focused()) && fresh.localName === "tbody") {
    old.replaceChildren(...fresh.childNodes);
    return true;
  }
  return (
    old.matches("li, p, tr, th, td, a, button, span, script") &&
    old.isEqualNode(fresh) &&
    !old.querySelector("input, select, textarea, details")
  );
}
Idiomorph.defaults.callbacks.beforeAttributeUpdated = (/** @type {string} */ name, /** @type {Element} */ node) =>
  !(name === "open" && node.tagName === "DETAILS");

// Text that is being typed outlives whatever is swapped in meanwhile, with its cursor, and is sent when the field is left.
/** @param {Element} node */
const textual = (node) => node.matches?.("#workspace input[id]:not([type=checkbox], [type=range])");
/** @type {{id: string, text: string, start?: number, end?: number, lost: boolean} | null} */
let typing = null;
let swapping = false; // the browser takes a field that is moved or replaced for one that was left
hear("input", (_, target) => {
  if (textual(target)) typing = { id: target.id, text: target.value, lost: false };
});
hearFirst("change", (event) => {
  if (swapping) event.stopImmediatePropagation();
  else typing = null;
});
hear("htmx:beforeSwap", (event) => {
  if (!event.detail.shouldSwap) return;
  swapping = true;
  setTimeout(() => {
    swapping = false;
  });
  const node = focused();
  if (typing && node?.id === typing.id) Object.assign(typing, { text: node.value, start: node.selectionStart, end: node.selectionEnd });
  else if (typing && !typing.lost) typing = null; // the field was left without a change
  // a button that goes is left beforehand: afterwards the browser would lay out the half-made page to see whether it can keep its focus
  if (node?.id && node.matches("#workspace button, #workspace a") && !event.detail.serverResponse.includes(`id="${node.id}"`)) node.blur();
});
function kept() {
  const node = typing && $(typing.id);
  if (!node || node.readOnly || (node === focused() && node.value === typing.text)) return;
  node.focus();
  node.value = typing.text;
  node.setSelectionRange?.(typing.start, typing.end);
  typing.lost = true; // the browser sees no change in what a script wrote
}
/** @param {Control} target */
const unseen = (target) => !swapping && typing?.lost && target.id === typing.id;
/** @param {Control} target */
const changed = (target) => target.dispatchEvent(new Event("change", { bubbles: true }));
hear("focusout", (_, target) => {
  if (unseen(target)) changed(target);
});
hear("keydown", (event, target) => {
  if (event.key === "Enter" && unseen(target)) changed(target);
});

// A field that is left as it was sent shows what came of it.
hear("focusout", (_, target) =>
  setTimeout(() => {
    if (!target.isConnected || target === focused() || !textual(target) || !target.hasAttribute("hx-post")) return;
    if (!target.matches(".htmx-request, .unsent")) target.value = target.getAttribute("value") ?? "";
  }),
);

// A value that is assumed becomes one's own when the very same is typed, though the browser sees no change in that.
/** @param {Control} target */
const same = (target) =>
  target.matches?.(".field.assumed input[name=value]") && !target.readOnly && target.value && target.value === target.getAttribute("value");
hear("focusout", (_, target) => {
  if (!swapping && typing?.id === target.id && !unseen(target) && same(target)) changed(target);
});
hear("keydown", (event, target) => {
  if (event.key === "Enter" && !unseen(target) && same(target)) changed(target);
});

// A field whose text was not accepted shows the document's text again, unless it is being edited.
hear("htmx:afterSwap", () => {
  kept();
  swapping = false;
  for (const input of all("#workspace input[value]")) {
    if (input !== focused() && input.type !== "checkbox" && input.type !== "search") input.value = input.getAttribute("value");
  }
  for (const select of all("#workspace select")) {
    const chosen = select.querySelector("option[selected]");
    if (select !== focused() && chosen && select.id !== "width-shows") select.value = chosen.value;
  }
  restored();
  followed();
  still();
  refocused();
});

hear("change", (_, target) => {
  if (target.id !== "shade-shows") return;
  const asked = new URLSearchParams({ shade: target.value, select: new URLSearchParams(location.search).get("select") || "" });
  swap("GET", `${target.dataset.url}?${asked}`);
});

hear("DOMContentLoaded", () => announce("gulch:drawn"));
