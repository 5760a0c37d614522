// What stands in a form that is not sent yet outlives whatever is swapped in meanwhile, be the focus where it may.
import { $, all, hear } from "../dom.js";
import { told } from "./page.js";

/** The value of a field, or whether a box is ticked, by its key. @type {Map<string, string | boolean>} */
const drafts = new Map();

const FIELDS = "input:not([type=hidden]), select, textarea";
const FORMS = "#workspace form:is([hx-post], [action])"; // sent by htmx, or by the notebook's own script

/** A control of a form that is sent as a whole has a key; what is sent as soon as it changes has none. @param {Control} control */
function keyOf(control) {
  const form = control.form;
  if (!form?.matches(FORMS) || control.hasAttribute("hx-post")) return null;
  if ((form.getAttribute("hx-trigger") || "").includes("change")) return null;
  const mark = boxed(control) ? ` ${control.value}` : "";
  return (
    [form.getAttribute("hx-post") || form.getAttribute("action"), form.getAttribute("hx-vals") || "", control.id || control.name].join(
      " ",
    ) + mark
  );
}
/** @param {Control} control */
const boxed = (control) => control.type === "checkbox" || control.type === "radio";

/** @param {Event} _ @param {Control} control */
function note(_, control) {
  if (!control.matches?.(FIELDS)) return;
  const key = keyOf(control);
  if (key) drafts.set(key, boxed(control) ? control.checked : control.value);
}
hear("input", note);
hear("change", note);

// What was sent and taken is a draft no longer; what was refused stays as it was typed.
hear("htmx:beforeRequest", (event, target) => {
  if (!target.matches?.("form")) return;
  event.detail.xhr.gulchDrafts = [.../** @type {any} */ (target).elements].map(keyOf).filter((key) => drafts.has(key));
});
hear("htmx:beforeSwap", (event) => {
  const { xhr } = event.detail;
  const made = xhr.getResponseHeader("X-Gulch-Version");
  const shown = $("workspace") && told().version;
  if (made && Number(made) !== Number(shown)) for (const key of xhr.gulchDrafts || []) drafts.delete(key);
});

/** Called when a page has been swapped in. */
export function restored() {
  if (!drafts.size) return;
  const here = new Set();
  for (const control of all(`${FORMS} :is(${FIELDS})`)) {
    const key = keyOf(control);
    if (!drafts.has(key)) continue;
    here.add(key);
    const kept = drafts.get(key);
    if (boxed(control)) control.checked = kept;
    else if (control.value !== kept) {
      control.value = kept;
      if (control.value !== kept) drafts.delete(key); // the choice is gone
    }
  }
  for (const key of [...drafts.keys()]) if (!here.has(key)) drafts.delete(key); // the user went elsewhere
}
