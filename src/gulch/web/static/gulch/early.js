// Loaded before anything is shown: a form of the workspace never takes the page along, not on Enter in a form that is sent as its
// fields change, and not before the scripts that send it are there. What was typed stays in its field.
document.addEventListener("submit", (event) => {
  const form = /** @type {Element} */ (event.target);
  if (form.closest("#workspace") && form.hasAttribute("hx-post")) event.preventDefault();
});
