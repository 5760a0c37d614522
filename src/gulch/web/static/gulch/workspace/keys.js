// Keys, menus and the theme.
import { $, all, announce, focused, hear } from "../dom.js";
import { edited, inspect } from "./focus.js";
import { open, stages } from "./page.js";

/** What a key goes to. @type {Record<string, string>} */
const FIELDS = { b: "send-to", a: "kind-filter" };

hear("click", (_, target) => {
  if (target.closest("#theme")) {
    const root = document.documentElement;
    root.dataset.bsTheme = root.dataset.bsTheme === "dark" ? "light" : "dark";
    localStorage.setItem("gulch-theme", root.dataset.bsTheme);
    announce("gulch:theme");
  }
  if (target.closest("#open-keys")) $("keys").showModal();
  for (const menu of all("details.menu[open]")) if (!menu.contains(target)) menu.open = false;
  const found = $("found");
  if (found && !target.closest(".search")) found.replaceChildren();
});

hear("keydown", (event, target) => {
  const typing = target.closest("input:not([type=range]),select,textarea");
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
    if (found?.children.length) return found.replaceChildren();
    if (typing) return typing.blur();
    if (new URLSearchParams(location.search).get("select")) open(location.pathname);
  } else if (!typing && !event.ctrlKey && !event.metaKey && !event.altKey && !document.querySelector("dialog[open]")) {
    if (event.key === "?") $("keys").showModal();
    if (key === "i" && $("inspector")) {
      event.preventDefault();
      inspect();
    }
    if (key === "e" && $("unit-inputs")) {
      event.preventDefault();
      edited();
    }
    const asked = FIELDS[key]; // of the stream that is selected
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
        .map((chosen) => document.querySelector(chosen))
        .find(Boolean);
      if (first) first.focus();
    }
  }
});

/** From part to part of a page; Tab goes on inside. @param {number} step */
function stride(step) {
  const parts = all("#strip, main section, #inspector").filter((part) => part.offsetParent);
  const here = parts.findLastIndex((part) => part.contains(focused()));
  const next = parts[here < 0 ? (step > 0 ? 0 : parts.length - 1) : (here + step + parts.length) % parts.length];
  if (!next) return;
  next.tabIndex = -1;
  next.focus({ preventScroll: true });
  next.scrollIntoView({ block: "start" });
}

// In the list of where to send a stream Enter sends it.
hear("keydown", (event, target) => {
  if (event.key !== "Enter" || target.id !== "send-to") return;
  event.preventDefault();
  $("send").click();
});

// Enter takes the first species that is found for what stands in the search, once that is there; a likeness is only offered.
let taking = false;
hear("keydown", (event, target) => {
  if (event.key !== "Enter" || target.id !== "species-search" || !target.value.trim()) return;
  event.preventDefault();
  taking = true;
  htmx.trigger(target, "search");
});
hear("input", (_, target) => {
  if (target.id === "species-search") taking = false;
});
hear("htmx:afterSettle", (event) => {
  // a button works from then on
  if (event.detail.target.id !== "found" || !taking) return;
  taking = false;
  if (!$("found").querySelector(":scope > p")) $("found").querySelector("li button")?.click();
});
