// The open page: what it was given, where the user is on it, and answers in the order of what was asked.
export const $ = (id) => document.getElementById(id);

// The data of a block on the page, or null.
export function data(id) {
  const node = $(id);
  return node ? JSON.parse(node.textContent) : null;
}

// The rail's links, in order.
export const stages = () => [...document.querySelectorAll('a[id^="rail-"]')];

export function post(url, values) {
  return htmx.ajax("POST", url, { source: "#strip", target: "#workspace", swap: "morph:outerHTML", values });
}

let answered = 0; // edits whose answers were shown
let journeys = 0, destination = location.href; // how often the user went elsewhere on this page, and where they are
let placed = 0; // the journey on which an answer last chose what is selected
let leaving = null; // where the user asked to go, until its page is there: the address goes along with the page
export function open(url) {
  journeys += 1;
  destination = leaving = url;
  return show(url).catch(() => {}); // said as a fault
}
document.addEventListener("htmx:sendError", (event) => {
  if (event.detail.requestConfig.path !== leaving) return;
  leaving = null;
  destination = location.href;
});
function show(url) {
  // what was answered when it was asked for travels with it: it may wait in a queue before it is sent
  return htmx.ajax("GET", url, { target: "#workspace", swap: "morph:outerHTML", headers: { "X-Gulch-Asked": answered } });
}
addEventListener("popstate", () => location.reload());

// The second click of a double click makes no second thing.
const MAKES = /\/do\/(append|[a-z-]*-?add(-[a-z]+)?|add-[a-z]+|variant-add|search-add)\/$/;
document.addEventListener("click", (event) => {
  if (event.detail < 2 || !MAKES.test(event.target.closest("button[hx-post]")?.getAttribute("hx-post") || "")) return;
  event.preventDefault();
  event.stopImmediatePropagation();
}, true);

// Links inside the workspace swap instead of loading a page.
document.addEventListener("click", (event) => {
  const link = event.target.closest("#workspace a[href]");
  if (!link || event.defaultPrevented || event.ctrlKey || event.metaKey || event.shiftKey || event.button) return;
  if (link.hasAttribute("hx-get")) return;
  if (!stages().some((stage) => new URL(stage.href).pathname === new URL(link.href).pathname)) return;
  event.preventDefault();
  open(link.href);
});

// This open page gives itself a name, so that its own edits may follow one another faster than they are answered.
const client = Array.from(crypto.getRandomValues(new Uint8Array(12)), (b) => b.toString(16).padStart(2, "0")).join("");
document.addEventListener("htmx:configRequest", (event) => {
  if (event.detail.verb === "post") event.detail.parameters.client = client;
});

// Answers may come in another order than they were asked for. A page asked for before an edit whose answer is already
// shown is dropped; the answer to an edit made before the user went elsewhere does not call them back: the page they
// went to is asked for again.
document.addEventListener("htmx:beforeRequest", (event) => {
  event.detail.xhr.gulchJourney = journeys;
  event.detail.xhr.gulchAnswered = answered;
});
document.addEventListener("htmx:beforeSwap", (event) => {
  const { xhr, requestConfig } = event.detail;
  const made = xhr && xhr.getResponseHeader("X-Gulch-Version");
  const space = $("workspace");
  if (!made || !space) return;
  if (requestConfig.verb === "get") {
    const asked = requestConfig.headers["X-Gulch-Asked"] ?? xhr.gulchAnswered;
    if (Number(asked) !== answered) event.detail.shouldSwap = false;
    if (requestConfig.path === leaving) {
      history.pushState({}, "", leaving); // our own state: htmx would fetch the page as well when one goes back
      leaving = null;
    }
    return;
  }
  const shown = Number(JSON.parse(space.getAttribute("hx-vals")).version);
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
document.addEventListener("htmx:afterSettle", () => {
  const space = $("workspace");
  if (!space) return;
  const select = JSON.parse(space.getAttribute("hx-vals")).select;
  const stage = JSON.parse(space.getAttribute("hx-vals")).stage;
  const url = space.dataset.base.replace(/process\/$/, stage + "/") + (select ? "?select=" + encodeURIComponent(select) : "");
  if (placed === journeys) destination = url;
  if (location.pathname + location.search !== url) history.replaceState(history.state, "", url);
  document.dispatchEvent(new Event("gulch:drawn"));
});
