// What the field or result one is at means: a line at the foot of the window, which pushes nothing aside, and F1 for its page.
import { $, focused, hear } from "../dom.js";

/** @param {Control} node @returns {HTMLElement | null} */
const about = (node) => node.closest?.("[data-meaning]") || null;

/** What a field or result is called: a control of its own by its label, others by what stands in them. @param {HTMLElement} node */
function nameOf(node) {
  if (!node.matches("input, select, textarea"))
    return (node.querySelector("label") || node.querySelector("span"))?.textContent.trim() || "";
  return node.getAttribute("aria-label") || node.closest("label")?.firstChild?.textContent.trim() || "";
}

/** @param {HTMLElement | null} node */
function tell(node) {
  const line = $("meaning");
  const label = node && nameOf(node);
  line.hidden = !node?.dataset.meaning;
  if (line.hidden) return;
  const [name, words, more] = line.children;
  name.textContent = label;
  words.textContent = node.dataset.meaning;
  const [page, place] = (node.dataset.help || "").split("#");
  more.hidden = !page;
  more.href = page ? `${more.dataset.pages}${page}/#${place || ""}` : more.dataset.pages;
}

hear("focusin", (_, target) => {
  if (!target.closest("#meaning")) tell(about(target));
});
hear("pointerover", (_, target) => {
  const node = about(target);
  if (!focused().closest("[data-meaning], #meaning") && !target.closest("#meaning")) tell(node);
});
hear("keydown", (event) => {
  if (event.key !== "F1") return;
  event.preventDefault();
  const line = $("meaning");
  const more = line.querySelector("a");
  window.open(line.hidden || more.hidden ? more.dataset.pages : more.href, "_blank", "noopener");
});
