// The workspace's behaviour beyond htmx.
import { $, data, open, post } from "./workspace/page.js";
import { known } from "./workspace/known.js";
import { restored } from "./workspace/drafts.js";
import { refocused } from "./workspace/focus.js";
import { followed, placed } from "./workspace/sliders.js";
import { still } from "./workspace/unsent.js";
import "./workspace/faults.js";
import "./workspace/keys.js";
import "./workspace/images.js";
import "./workspace/meaning.js";
import "./workspace/walk.js";
import "./workspace/notebook.js";
import "./workspace/strip.js";
import "./workspace/ledger.js";

window.gulch = { $, data, known, open, post };

// The drawing and the plots are made here in the browser: a swap must leave them alone.
Idiomorph.defaults.ignoreActiveValue = true;
Idiomorph.defaults.callbacks.beforeNodeMorphed = (old, fresh) => {
  if (settled(old, fresh)) return false;
  if (old.matches?.(".slider")) placed(old, fresh);
  else if (old === document.activeElement && textual(old)) old.setAttribute("value", fresh.getAttribute("value") ?? "");
  // what is in the field one is at is left alone; words of a link or button one is at are not the user's, and follow
  if (old === document.activeElement && old.matches("a, button, summary") && old.innerHTML !== fresh.innerHTML)
    old.replaceChildren(...fresh.cloneNode(true).childNodes);
  return !old.classList?.contains("map-canvas") && !old.classList?.contains("plot");
};
// What is the same is not gone through, unless a user may have changed it; rows of figures are exchanged whole.
function settled(old, fresh) {
  if (old.nodeType !== Node.ELEMENT_NODE) return false;
  if (old.matches(".ledger-table > tbody") && !old.contains(document.activeElement) && fresh.localName === "tbody") {
    old.replaceChildren(...fresh.childNodes);
    return true;
  }
  return old.matches("li, p, tr, th, td, a, button, span, script") && old.isEqualNode(fresh) &&
    !old.querySelector("input, select, textarea, details");
}
Idiomorph.defaults.callbacks.beforeAttributeUpdated = (name, node) =>
  !(name === "open" && node.tagName === "DETAILS");

// Text that is being typed outlives whatever is swapped in meanwhile, with its cursor, and is sent when the field is left.
const textual = (node) => node.matches?.("#workspace input[id]:not([type=checkbox], [type=range])");
let typing = null; // {id, text, start, end, lost}
let swapping = false; // the browser takes a field that is moved or replaced for one that was left
document.addEventListener("input", (event) => {
  const { target } = event;
  if (textual(target)) typing = { id: target.id, text: target.value, lost: false };
});
document.addEventListener("change", (event) => {
  if (swapping) event.stopImmediatePropagation();
  else typing = null;
}, true);
document.addEventListener("htmx:beforeSwap", (event) => {
  if (!event.detail.shouldSwap) return;
  swapping = true;
  setTimeout(() => (swapping = false));
  const node = document.activeElement;
  if (typing && node?.id === typing.id) Object.assign(typing, { text: node.value, start: node.selectionStart, end: node.selectionEnd });
  else if (typing && !typing.lost) typing = null; // the field was left without a change
  // a button that goes is left beforehand: afterwards the browser would lay out the half-made page to see whether it can keep its focus
  if (node?.id && node.matches("#workspace button, #workspace a") && !event.detail.serverResponse.includes(`id="${node.id}"`)) node.blur();
});
function kept() {
  const node = typing && $(typing.id);
  if (!node || node.readOnly || (node === document.activeElement && node.value === typing.text)) return;
  node.focus();
  node.value = typing.text;
  node.setSelectionRange?.(typing.start, typing.end);
  typing.lost = true; // the browser sees no change in what a script wrote
}
const unseen = (event) => !swapping && typing?.lost && event.target.id === typing.id;
const changed = (event) => event.target.dispatchEvent(new Event("change", { bubbles: true }));
document.addEventListener("focusout", (event) => { if (unseen(event)) changed(event); });
document.addEventListener("keydown", (event) => { if (event.key === "Enter" && unseen(event)) changed(event); });

// A field that is left as it was sent shows what came of it.
document.addEventListener("focusout", ({ target }) => setTimeout(() => {
  if (!target.isConnected || target === document.activeElement || !textual(target) || !target.hasAttribute("hx-post")) return;
  if (!target.matches(".htmx-request, .unsent")) target.value = target.getAttribute("value") ?? "";
}));

// A value that is assumed becomes one's own when the very same is typed, though the browser sees no change in that.
const same = ({ target }) =>
  target.matches?.(".field.assumed input[name=value]") && !target.readOnly && target.value && target.value === target.getAttribute("value");
document.addEventListener("focusout", (event) => {
  if (!swapping && typing?.id === event.target.id && !unseen(event) && same(event)) changed(event);
});
document.addEventListener("keydown", (event) => { if (event.key === "Enter" && !unseen(event) && same(event)) changed(event); });

// A field whose text was not accepted shows the document's text again, unless it is being edited.
document.addEventListener("htmx:afterSwap", () => {
  kept();
  swapping = false;
  for (const input of document.querySelectorAll("#workspace input[value]")) {
    if (input !== document.activeElement && input.type !== "checkbox" && input.type !== "search")
      input.value = input.getAttribute("value");
  }
  for (const select of document.querySelectorAll("#workspace select")) {
    const chosen = select.querySelector("option[selected]");
    if (select !== document.activeElement && chosen && select.id !== "width-shows") select.value = chosen.value;
  }
  restored();
  followed();
  still();
  refocused();
});

document.addEventListener("change", (event) => {
  if (event.target.id === "shade-shows")
    htmx.ajax("GET", event.target.dataset.url + "?shade=" + encodeURIComponent(event.target.value) + "&select=" +
      encodeURIComponent(new URLSearchParams(location.search).get("select") || ""), { target: "#workspace", swap: "morph:outerHTML" });
});

document.addEventListener("DOMContentLoaded", () => document.dispatchEvent(new Event("gulch:drawn")));
