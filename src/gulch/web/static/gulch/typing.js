// Help while typing: addresses in formulas, names of things, and a knob made from the field one is in.
import { focused, hear, hearFirst } from "./dom.js";
import { known } from "./workspace/known.js";
import { matching, naming, wordAt } from "./workspace/names.js";

const box = document.createElement("ul");
box.id = "formula-list";
box.setAttribute("role", "listbox");
box.hidden = true;
/** Addresses with what they are. @type {[string, string][]} */
let rows = [];
let at = 0;
/** @type {HTMLInputElement | null} */
let field = null;

const wordAtCaret = (/** @type {HTMLInputElement} */ input) => wordAt(input.value.slice(0, input.selectionStart));
function draw() {
  box.replaceChildren(
    ...rows.map(([address, words], i) => {
      const item = document.createElement("li");
      item.setAttribute("role", "option");
      item.setAttribute("aria-selected", String(i === at));
      const name = document.createElement("b");
      name.textContent = address;
      const told = document.createElement("span");
      told.textContent = words;
      item.append(name, told);
      item.addEventListener("mousedown", (event) => {
        event.preventDefault();
        take(i);
      });
      return item;
    }),
  );
  box.hidden = !rows.length;
}
function close() {
  rows = [];
  field = null;
  draw();
}
/** @param {number} i */
function take(i) {
  if (field.dataset.names) return takeWhole(i);
  const word = wordAtCaret(field);
  const end = field.selectionStart;
  const start = word ? word.from : end;
  field.setRangeText(rows[i][0], start, end, "end");
  const input = field;
  close();
  input.focus();
}
/** A field that names one thing takes the whole name, and is sent with it. @param {number} i */
function takeWhole(i) {
  const input = field;
  input.value = rows[i][0];
  input.setAttribute("value", input.value); // it was chosen, not typed: what the page makes of it takes its place
  close();
  input.dispatchEvent(new Event("change", { bubbles: true }));
}
hear("focusin", async (_, target) => {
  if (target.matches("[data-formula]")) known("names");
  if (!target.matches("[data-names]")) return;
  target.select();
  offer(target, "");
});
hear("input", async (_, target) => {
  if (target.closest("[data-names]")) return offer(target, target.value);
  const input = target.closest("[data-formula]");
  if (!input) return;
  const names = await known("names");
  if (input !== focused()) return;
  const word = wordAtCaret(input);
  show(input, word ? matching(names, word.text) : []);
});
/** What a field that names one thing may name, by what is typed. @param {Control} input @param {string} typed */
async function offer(input, typed) {
  const names = await known(input.dataset.names);
  if (input === focused()) show(input, naming(names, typed));
}
/** @param {Control} input @param {[string, string][]} found */
function show(input, found) {
  rows = found;
  field = input;
  at = -1; // nothing is taken unless an arrow key chose it
  const place = input.getBoundingClientRect();
  if (!box.isConnected) document.body.append(box);
  // Under the field, or over it where the window ends; positions by properties, which the content policy allows.
  box.style.left = `${Math.max(4, Math.min(place.left, innerWidth - 430))}px`;
  box.style.top = `${place.bottom + 260 > innerHeight ? Math.max(4, place.top - 250) : place.bottom + 2}px`;
  draw();
}
hearFirst("keydown", (event) => {
  if (!field || box.hidden) return;
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    at = event.key === "ArrowDown" ? (at + 1) % rows.length : (at <= 0 ? rows.length : at) - 1;
    draw();
  } else if ((event.key === "Enter" || event.key === "Tab") && at >= 0) take(at);
  else if (event.key === "Escape") close();
  else return;
  event.preventDefault();
  event.stopPropagation();
});
hear("focusout", (_, target) => {
  if (/** @type {object} */ (target) === field) close();
});

hear("keydown", (event, target) => {
  if (!event.altKey || event.key.toLowerCase() !== "k") return;
  const pin = target.closest(".field")?.querySelector("button.pin");
  if (pin) {
    event.preventDefault();
    pin.click();
  }
});
