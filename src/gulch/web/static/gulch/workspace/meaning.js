// What the field or result one is at means: a line at the foot of the window, which pushes nothing aside, and F1 for its page.
import { $ } from "./page.js";

const about = (node) => node.closest?.("[data-meaning]") || null;

function tell(node) {
  const line = $("meaning"), label = node && (node.querySelector("label") || node.querySelector("span"));
  line.hidden = !node || !node.dataset.meaning;
  if (line.hidden) return;
  const [name, words, more] = line.children;
  name.textContent = label ? label.textContent.trim() : "";
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
