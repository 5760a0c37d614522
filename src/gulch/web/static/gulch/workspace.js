// The workspace's behaviour beyond htmx.
import { $, data, open, post } from "./workspace/page.js";
import "./workspace/sliders.js";
import "./workspace/faults.js";
import "./workspace/keys.js";

window.gulch = { $, data, open, post };

// The drawing and the plots are made here in the browser: a swap must leave them alone.
Idiomorph.defaults.ignoreActiveValue = true;
Idiomorph.defaults.callbacks.beforeNodeMorphed = (old) =>
  !(old.id === "map-canvas" || (old.classList && old.classList.contains("plot")));
Idiomorph.defaults.callbacks.beforeAttributeUpdated = (name, node) =>
  !(name === "open" && node.tagName === "DETAILS");

// A field whose text was not accepted shows the document's text again, unless it is being edited.
document.addEventListener("htmx:afterSwap", () => {
  for (const input of document.querySelectorAll("#workspace input[value]")) {
    if (input !== document.activeElement && input.type !== "checkbox" && input.type !== "search")
      input.value = input.getAttribute("value");
  }
  for (const select of document.querySelectorAll("#workspace select")) {
    const chosen = select.querySelector("option[selected]");
    if (select !== document.activeElement && chosen && select.id !== "width-shows") select.value = chosen.value;
  }
});

document.addEventListener("change", (event) => {
  if (event.target.id === "shade-shows")
    htmx.ajax("GET", event.target.dataset.url + "?shade=" + encodeURIComponent(event.target.value) + "&select=" +
      encodeURIComponent(new URLSearchParams(location.search).get("select") || ""), { target: "#workspace", swap: "morph:outerHTML" });
});

document.addEventListener("DOMContentLoaded", () => document.dispatchEvent(new Event("gulch:drawn")));
