// Long work and faults are said.
import { $, hear } from "../dom.js";
import { post } from "./page.js";
import { missed } from "./unsent.js";

/** @type {ReturnType<typeof setTimeout> | null} */
let timer = null;
hear("htmx:beforeRequest", (_, target) => {
  if (target.id === "solving-next" || target.id === "pending") return; // they tell of their work themselves
  clearTimeout(timer);
  timer = setTimeout(() => {
    $("busy").hidden = false;
  }, 500);
  $("fault").hidden = true;
});
hear("htmx:afterRequest", () => {
  clearTimeout(timer);
  $("busy").hidden = true;
});
/** @param {string} text */
export function fault(text) {
  $("fault").textContent = text;
  $("fault").hidden = false;
}
hear("htmx:sendError", (event) =>
  fault(
    "The server cannot be reached. " +
      (missed(event)
        ? "What you typed stands where it is, marked, and is sent when the server is back."
        : "Start it again, then look whether what you did last is there."),
  ),
);
hear("htmx:responseError", (event) => {
  const { xhr, requestConfig } = event.detail;
  if (xhr.status === 409 || xhr.status === 422) return;
  if (xhr.status === 401 || xhr.status === 403) return keep(requestConfig);
  fault(
    xhr.getResponseHeader("X-Gulch-Says")
      ? xhr.responseText
      : `The server could not do this (${xhr.status}): reload the page to see what stands.`,
  );
});

// The session has ended: what was typed is kept, and applied once the user is signed in again.
/** @type {{path: string, values: Record<string, any>} | null} */
let kept = null;
/** @param {{verb: string, path: string, parameters: object}} request */
function keep(request) {
  if (request.verb === "post") kept = { path: request.path, values: Object.fromEntries(Object.entries(request.parameters)) };
  const typed = kept && (kept.values.value || kept.values.equation);
  $("kept-edit").textContent = typed ? `: “${typed}”` : "";
  if (!$("signed-out").open) $("signed-out").showModal();
}
hear("click", (_, target) => {
  if (target.id === "drop-kept") {
    kept = null;
    $("signed-out").close();
    location.reload();
  }
  if (target.id !== "apply-kept") return;
  const token = document.cookie.match(/(?:^|; )gulch_csrf=([^;]+)/);
  if (token) document.body.setAttribute("hx-headers", JSON.stringify({ "X-CSRFToken": token[1] }));
  $("signed-out").close();
  const edit = kept;
  kept = null;
  if (edit) post(edit.path, edit.values);
  else location.reload();
});
