// Edits that the server did not hear stand where they were typed, are marked, and are sent again by Enter or when it is back.
import { $, focused, hearFirst } from "../dom.js";
import { post } from "./page.js";

/** By the ids of their fields. @type {Map<string, {path: string, values: object, text: string}>} */
const unsent = new Map();
const EVERY = 2000; // ms between two looks whether the server is back
const OWN = ["version", "client", "select", "stage", "csrfmiddlewaretoken"]; // what a page says of itself: said anew when it is sent again
/** @type {ReturnType<typeof setInterval> | null} */
let looking = null;

/** @param {string} id */
function mark(id) {
  const field = $(id);
  if (!field) return;
  field.classList.add("unsent");
  field.setAttribute("aria-invalid", "true");
  field.title = "Not saved yet: the server was away. It is sent again when the server is back, or by Enter.";
}

/** Whether a request that was lost is an edit, which is kept then. @param {Asked} event */
export function missed(event) {
  const { elt, requestConfig } = event.detail;
  if (requestConfig.verb !== "post") return false;
  const field = elt.matches("input, select, textarea") ? elt : elt.matches("form") && elt.querySelector("input[name=value], textarea");
  if (!field?.id) return false;
  const values = Object.fromEntries(Object.entries(requestConfig.parameters).filter(([name]) => !OWN.includes(name)));
  unsent.set(field.id, { path: requestConfig.path, values, text: field.value });
  mark(field.id);
  looking ??= setInterval(look, EVERY);
  return true;
}

async function look() {
  try {
    const answer = await fetch(/** @type {HTMLLinkElement} */ (document.querySelector("link[rel=icon]")).href, { cache: "no-store" });
    if (answer.ok) await again();
  } catch {
    /* still away */
  }
}

// A mark goes when the server has answered, not before.
async function again() {
  clearInterval(looking);
  looking = null;
  for (const [id, edit] of [...unsent]) {
    try {
      await post(edit.path, edit.values);
    } catch {
      looking ??= setInterval(look, EVERY);
      return;
    }
    if (unsent.get(id) === edit) unsent.delete(id);
    const field = unmark(id);
    if (field && field !== focused()) field.value = field.getAttribute("value") ?? "";
  }
  $("fault").hidden = true;
}

/** @param {string} id */
function unmark(id) {
  const field = $(id);
  if (!field || unsent.has(id)) return null;
  field.classList.remove("unsent");
  for (const name of ["aria-invalid", "title"]) field.removeAttribute(name);
  return field;
}

hearFirst("keydown", (event, target) => {
  if (event.key === "Enter" && unsent.has(target.id) && unsent.get(target.id).text === target.value) {
    event.preventDefault();
    event.stopImmediatePropagation();
    again();
  }
});
// Typed anew, it is sent by itself; what a page brings back of before does not stand in its place.
hearFirst("change", (_, target) => {
  if (unsent.delete(target.id)) unmark(target.id);
});
/** Called when a page has been swapped in. */
export function still() {
  for (const [id, edit] of unsent) {
    if ($(id)) $(id).value = edit.text;
    mark(id);
  }
}
addEventListener("beforeunload", (event) => {
  if (unsent.size) event.preventDefault();
});
