// What stands in a form that is not sent yet outlives whatever is swapped in meanwhile, be the focus where it may.
const drafts = new Map(); // key -> value, or whether a box is ticked

const FIELDS = "input:not([type=hidden]), select, textarea";

// A control of a form that is sent as a whole has a key; what is sent as soon as it changes has none.
function keyOf(control) {
  const form = control.form;
  if (!form || !form.matches("#workspace form[hx-post]") || control.hasAttribute("hx-post")) return null;
  if ((form.getAttribute("hx-trigger") || "").includes("change")) return null;
  const mark = control.type === "checkbox" || control.type === "radio" ? " " + control.value : "";
  return [form.getAttribute("hx-post"), form.getAttribute("hx-vals") || "", control.id || control.name].join(" ") + mark;
}
const boxed = (control) => control.type === "checkbox" || control.type === "radio";

function note(event) {
  const control = event.target;
  if (!control.matches?.(FIELDS)) return;
  const key = keyOf(control);
  if (key) drafts.set(key, boxed(control) ? control.checked : control.value);
}
document.addEventListener("input", note);
document.addEventListener("change", note);

// What was sent and taken is a draft no longer; what was refused stays as it was typed.
document.addEventListener("htmx:beforeRequest", (event) => {
  if (!event.target.matches?.("form")) return;
  event.detail.xhr.gulchDrafts = [...event.target.elements].map(keyOf).filter((key) => drafts.has(key));
});
document.addEventListener("htmx:beforeSwap", (event) => {
  const { xhr } = event.detail, space = document.getElementById("workspace");
  const made = xhr.getResponseHeader("X-Gulch-Version"), shown = space && JSON.parse(space.getAttribute("hx-vals")).version;
  if (made && Number(made) !== Number(shown)) for (const key of xhr.gulchDrafts || []) drafts.delete(key);
});

// Called when a page has been swapped in.
export function restored() {
  if (!drafts.size) return;
  const here = new Set();
  for (const control of document.querySelectorAll(FIELDS.split(", ").map((f) => "#workspace form[hx-post] " + f).join(", "))) {
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
