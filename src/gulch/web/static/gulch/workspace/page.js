// The open page: what it was given, where the user is on it, and answers in the order of what was asked.
import { $, all, announce, hear, hearFirst } from "../dom.js";

/** The rail's links, in order. */
export const stages = () => all('a[id^="rail-"]');

/** What the page says of itself: the version it shows, its stage, and what is selected.
 * @returns {{version: number, stage: string, select: string}} */
export const told = () => JSON.parse($("workspace").getAttribute("hx-vals"));
/** An address beside those of the project's stages: "../find/". @param {string} path */
export const beside = (path) => new URL(path, new URL($("workspace").dataset.base, location.href));
/** The address of a stage. @param {string} stage @param {string} [select] */
export const at = (stage, select) =>
  $("workspace").dataset.base.replace(/process\/$/, `${stage}/`) + (select ? `?select=${encodeURIComponent(select)}` : "");

/** Ask for a page that takes the place of this one. @param {"GET" | "POST"} verb @param {string} url
 * @param {object} more @returns {Promise<void>} */
export const swap = (verb, url, more = {}) => htmx.ajax(verb, url, { target: "#workspace", swap: "morph:outerHTML", ...more });

/** Send an edit. @param {string} url @param {object} values */
export const post = (url, values) => swap("POST", url, { source: "#strip", values });

let answered = 0; // edits whose answers were shown
let journeys = 0; // how often the user went elsewhere on this page
let destination = location.href; // and where they are
let placed = 0; // the journey on which an answer last chose what is selected
/** @type {string | null} */
let leaving = null; // where the user asked to go, until its page is there: the address goes along with the page
/** Go elsewhere in the project. @param {string} url */
export function open(url) {
  journeys += 1;
  destination = leaving = url;
  return show(url).catch(() => {}); // said as a fault
}
hear("htmx:sendError", (event) => {
  if (event.detail.requestConfig.path !== leaving) return;
  leaving = null;
  destination = location.href;
});
/** @param {string} url */
const pathOf = (url) => new URL(url, location.href).pathname;
// what was answered when it was asked for travels with it: it may wait in a queue before it is sent
const show = (/** @type {string} */ url) => swap("GET", url, { headers: { "X-Gulch-Asked": answered } });
addEventListener("popstate", () => location.reload());

// The second click of a double click makes no second thing.
const MAKES = /\/do\/(append|[a-z-]*-?add(-[a-z]+)?|add-[a-z]+|variant-add|search-add)\/$/;
hearFirst("click", (event, target) => {
  if (event.detail < 2 || !MAKES.test(target.closest("button[hx-post]")?.getAttribute("hx-post") || "")) return;
  event.preventDefault();
  event.stopImmediatePropagation();
});

// Links inside the workspace swap instead of loading a page.
hear("click", (event, target) => {
  const link = target.closest("#workspace a[href]");
  if (!link || event.defaultPrevented || event.ctrlKey || event.metaKey || event.shiftKey || event.button) return;
  if (link.hasAttribute("hx-get")) return;
  if (!stages().some((stage) => new URL(stage.href).pathname === new URL(link.href).pathname)) return;
  event.preventDefault();
  open(link.href);
});

// This open page gives itself a name, so that its own edits may follow one another faster than they are answered.
const client = Array.from(crypto.getRandomValues(new Uint8Array(12)), (b) => b.toString(16).padStart(2, "0")).join("");
hear("htmx:configRequest", (event) => {
  if (event.detail.verb === "post") event.detail.parameters.client = client;
  event.detail.headers["X-Gulch-Units"] = $("units-body")?.dataset.of ?? ""; // lists that the page has are not sent again
});

// Answers may come in another order than they were asked for. A page asked for before an edit whose answer is already
// shown is dropped; the answer to an edit made before the user went elsewhere does not call them back: the page they
// went to is asked for again.
hear("htmx:beforeRequest", (event) => {
  event.detail.xhr.gulchJourney = journeys;
  event.detail.xhr.gulchAnswered = answered;
});
hear("htmx:beforeSwap", (event) => {
  const { xhr, requestConfig } = event.detail;
  const made = xhr?.getResponseHeader("X-Gulch-Version");
  if (!made || !$("workspace")) return;
  if (requestConfig.verb === "get") {
    const asked = requestConfig.headers["X-Gulch-Asked"] ?? xhr.gulchAnswered;
    if (Number(asked) !== answered) event.detail.shouldSwap = false;
    // the user went elsewhere while it was on its way, or while an end was awaited that asks for the page of before
    if (xhr.gulchJourney !== journeys || pathOf(requestConfig.path) !== pathOf(destination)) event.detail.shouldSwap = false;
    if (requestConfig.path === leaving) {
      history.pushState({}, "", leaving); // our own state: htmx would fetch the page as well when one goes back
      leaving = null;
    }
    return;
  }
  const shown = Number(told().version);
  if (Number(made) < shown) event.detail.shouldSwap = false;
  else if (xhr.gulchJourney !== journeys) {
    event.detail.shouldSwap = false;
    if (Number(made) > shown) show(destination);
  } else {
    answered += 1;
    placed = journeys;
  }
});

// The address follows the selection after an edit, so that reloading shows the same.
hear("htmx:afterSettle", () => {
  if (!$("workspace")) return;
  const { stage, select } = told();
  const url = at(stage, select);
  if (placed === journeys) destination = url;
  if (location.pathname + location.search !== url) history.replaceState(history.state, "", url);
  announce("gulch:drawn");
});
