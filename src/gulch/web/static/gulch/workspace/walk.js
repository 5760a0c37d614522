// The next step of the first walk is marked where it is done; the link in the list goes there and puts the focus on it.
import { $, all, hear } from "../dom.js";

let going = location.hash === "#next"; // whether the user asked to be shown where: here, or on a page that was not ready yet
function marked() {
  for (const old of all(".next-step")) old.classList.remove("next-step");
  const walk = $("walk");
  const at = walk && document.querySelector(walk.dataset.at);
  if (!at) return;
  at.classList.add("next-step");
  if (going) at.focus();
  going = false;
}

hear("click", (_, target) => {
  if (target.closest("#walk-there")) going = true;
});
hear("htmx:afterSettle", marked);
marked();
