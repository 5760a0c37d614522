import { $, post } from "./page.js";

// Edits that the server did not hear stand where they were typed, are marked, and are sent again by Enter or when it is back.
const unsent = new Map(); // id of the field -> {path, values, text}
const EVERY = 2000; // ms between two looks whether the server is back
const OWN = ["version", "client", "select", "stage", "csrfmiddlewaretoken"]; // what a page says of itself: said anew when it is sent again
let looking = null;

function mark(id) {
  const field = $(id);
  if (!field) return;
  field.classList.add("unsent");
  field.setAttribute("aria-invalid", "true");
  field.title = "Not saved yet: the server was away. It is sent again when the server is back, or by Enter.";
}

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
    const answer = await fetch(document.querySelector("link[rel=icon]").href, { cache: "no-store" });
    if (answer.ok) await again();
  } catch { /* still away */ }
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
    if (field && field !== document.activeElement) field.value = field.getAttribute("value") ?? "";
  }
  $("fault").hidden = true;
}

function unmark(id) {
  const field = $(id);
  if (!field || unsent.has(id)) return null;
  field.classList.remove("unsent");
  for (const name of ["aria-invalid", "title"]) field.removeAttribute(name);
  return field;
}

document.addEventListener("keydown", (event) => {
  if (event.key === "Enter" && unsent.has(event.target.id) && unsent.get(event.target.id).text === event.target.value) {
    event.preventDefault();
    event.stopImmediatePropagation();
    again();
  }
}, true);
// Typed anew, it is sent by itself; what a page brings back of before does not stand in its place.
document.addEventListener("change", ({ target }) => {
  if (unsent.delete(target.id)) unmark(target.id);
}, true);
export function still() {
  for (const [id, edit] of unsent) {
    if ($(id)) $(id).value = edit.text;
    mark(id);
  }
}
addEventListener("beforeunload", (event) => { if (unsent.size) event.preventDefault(); });
