// Keys, menus and the theme.
import { $, all, announce, focused, hear } from "../dom.js";
import { edited, inspect } from "./focus.js";
import { hint } from "./hints.js";
import { open, stages } from "./page.js";

/** What a key goes to: the first that the page has. @type {Record<string, string[]>} */
const PLACES = {
  a: ["kind-filter"], // of the stream that is selected
  b: ["send-to"],
  n: ["new-equation", "add-feed", "new-target", "ask-menu", "new-variant", "write-remarks"],
  r: ["run-scan", "run-best", "size-it", "go-on"],
  "/": ["species-search", "kind-filter", "scan-shows", "best-aim"],
};

/** @param {HTMLElement} node */
const seen = (node) => node.checkVisibility?.() ?? true;

/** Goes to a field, unfolds what is folded, presses a button. @param {HTMLElement} place */
function gone(place) {
  const form = place.matches("form") ? place.querySelector("input:not([type=hidden]), select") : null;
  const folded = place.matches("details") ? place.querySelector("summary") : place.matches("summary") ? place : null;
  if (place.matches("button")) place.click();
  else if (folded) {
    if (!(/** @type {HTMLDetailsElement} */ (folded.parentElement).open)) folded.click();
    /** @type {HTMLElement} */ (folded.parentElement.querySelector("textarea, button") ?? folded).focus();
  } /** @type {HTMLElement} */ else (form ?? place).focus();
}

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

// what was added is there: its menu need not stay
hear("htmx:afterRequest", (event, target) => {
  const menu = target.closest("#own-species");
  if (menu && /** @type {CustomEvent} */ (event).detail.successful) /** @type {HTMLDetailsElement} */ (menu).open = false;
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
    const place = (PLACES[key] ?? []).map($).find((there) => there && seen(there));
    if (place) {
      event.preventDefault();
      gone(place);
    }
    if (key === "f") {
      event.preventDefault();
      hint();
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
