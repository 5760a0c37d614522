// What the field or result one is at means: a line at the foot of the window, which pushes nothing aside, and F1 for its page.
import { $ } from "./page.js";

const about = (node) => node.closest?.("[data-meaning]") || null;

// What a field or result is called: a control of its own by its label, others by what stands in them.
function nameOf(node) {
  if (!node.matches("input, select, textarea")) return (node.querySelector("label") || node.querySelector("span"))?.textContent.trim() || "";
  return node.getAttribute("aria-label") || node.closest("label")?.firstChild?.textContent.trim() || "";
}

function tell(node) {
  const line = $("meaning"), label = node && nameOf(node);
  line.hidden = !node || !node.dataset.meaning;
  if (line.hidden) return;
  const [name, words, more] = line.children;
  name.textContent = label;
  words.textContent = node.dataset.meaning;
  const [page, place] = (node.dataset.help || "").split("#");
  more.hidden = !page;
  more.href = page ? `${more.dataset.pages}${page}/#${place || ""}` : more.dataset.pages;
}

document.addEventListener("focusin", (event) => {
  if (!event.target.closest("#meaning")) tell(about(event.target));
});
document.addEventListener("pointerover", (event) => {
  const node = about(event.target);
  if (!document.activeElement.closest("[data-meaning], #meaning") && !event.target.closest("#meaning")) tell(node);
});
document.addEventListener("keydown", (event) => {
  if (event.key !== "F1") return;
  event.preventDefault();
  const line = $("meaning"), more = line.querySelector("a");
  window.open(line.hidden || more.hidden ? more.dataset.pages : more.href, "_blank", "noopener");
});
