// Keys, menus and the theme.
import { inspect } from "./focus.js";
import { $, open, stages } from "./page.js";

document.addEventListener("click", (event) => {
  if (event.target.closest("#theme")) {
    const root = document.documentElement;
    root.dataset.bsTheme = root.dataset.bsTheme === "dark" ? "light" : "dark";
    localStorage.setItem("gulch-theme", root.dataset.bsTheme);
    document.dispatchEvent(new Event("gulch:theme"));
  }
  if (event.target.closest("#open-keys")) $("keys").showModal();
  for (const menu of document.querySelectorAll("details.menu[open]"))
    if (!menu.contains(event.target)) menu.open = false;
  const found = $("found");
  if (found && !event.target.closest(".search")) found.replaceChildren();
});

document.addEventListener("keydown", (event) => {
  const typing = event.target.closest("input:not([type=range]),select,textarea");
  const key = event.key.toLowerCase();
  if ((event.ctrlKey || event.metaKey) && key === "z" && !typing) {
    event.preventDefault();
    $(event.shiftKey ? "redo" : "undo").click();
  } else if ((event.ctrlKey || event.metaKey) && key === "y" && !typing) {
    event.preventDefault();
    $("redo").click();
  } else if (event.altKey && stages()[Number(key) - 1]) {
    event.preventDefault();
    stages()[Number(key) - 1].click();
  } else if (event.key === "Escape" && !document.querySelector("dialog[open]")) {
    const found = $("found");
    if (found && found.children.length) return found.replaceChildren();
    if (typing) return typing.blur();
    if (new URLSearchParams(location.search).get("select")) open(location.pathname);
  } else if (!typing && !event.ctrlKey && !event.metaKey && !event.altKey && !document.querySelector("dialog[open]")) {
    if (event.key === "?") $("keys").showModal();
    if (key === "i" && $("inspector")) {
      event.preventDefault();
      inspect();
    }
    const asked = { b: "send-to", a: "kind-filter" }[key]; // of the stream that is selected
    if (asked && $(asked)) {
      event.preventDefault();
      $(asked).focus();
    }
    if (key === "j") {
      event.preventDefault();
      stride(event.shiftKey ? -1 : 1);
    }
    if (key === "m" && $("map-canvas")) {
      const first = ["#map-canvas .unit-g.here", "#map-canvas .stream-g.here", "#map-canvas :is(.unit-g, .stream-g)"]
        .map((chosen) => document.querySelector(chosen)).find(Boolean);
      if (first) first.focus();
    }
  }
});

// From part to part of a page; Tab goes on inside.
function stride(step) {
  const parts = [...document.querySelectorAll("#strip, main section, #inspector")].filter((part) => part.offsetParent);
  const here = parts.findLastIndex((part) => part.contains(document.activeElement));
  const next = parts[here < 0 ? (step > 0 ? 0 : parts.length - 1) : (here + step + parts.length) % parts.length];
  if (!next) return;
  next.tabIndex = -1;
  next.focus({ preventScroll: true });
  next.scrollIntoView({ block: "start" });
}

// In the list of where to send a stream Enter sends it.
document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || event.target.id !== "send-to") return;
  event.preventDefault();
  $("send").click();
});

// Enter takes the first species that is found for what stands in the search, once that is there; a likeness is only offered.
let taking = false;
document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || event.target.id !== "species-search" || !event.target.value.trim()) return;
  event.preventDefault();
  taking = true;
  htmx.trigger(event.target, "search");
});
document.addEventListener("input", (event) => { if (event.target.id === "species-search") taking = false; });
document.addEventListener("htmx:afterSettle", (event) => { // a button works from then on
  if (event.detail.target.id !== "found" || !taking) return;
  taking = false;
  if (!$("found").querySelector(":scope > p")) $("found").querySelector("li button")?.click();
});
