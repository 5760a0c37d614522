// The notebook's files: the page's drawings go with the question, since only the browser can make them.
import { $, all, hear } from "../dom.js";
import { fault } from "./faults.js";
import { drawingIn, save } from "./images.js";
import { swap } from "./page.js";

const TRIES = 60; // times of a tenth of a second that drawings are waited for

hear("submit", async (event, target) => {
  if (target.id !== "report") return;
  event.preventDefault();
  const form = /** @type {any} */ (target);
  const kind = /** @type {HTMLButtonElement | null} */ (event.submitter)?.value || "html";
  const body = new FormData(form); // as it stands now: drawings may be waited for
  const state = $("report-state");
  $("fault").hidden = true;
  state.hidden = false;
  const file = new File([JSON.stringify(await drawings())], "drawings.json", { type: "application/json" });
  if (kind === "keep") {
    state.hidden = true;
    return swap("POST", form.action, { source: form, values: { ...Object.fromEntries(body), kind, drawings: file } });
  }
  body.set("kind", kind);
  body.set("drawings", file);
  try {
    const answer = await fetch(form.action, { method: "POST", body, headers: JSON.parse(document.body.getAttribute("hx-headers")) });
    if (answer.ok) save(await answer.blob(), named(answer));
    else fault(answer.status === 422 ? await answer.text() : "The report could not be made: reload the page and try again.");
  } catch {
    fault("The server does not answer: is it still running? Try again.");
  } finally {
    state.hidden = true;
  }
});

// The paper that was chosen is the next one too, in whatever project.
hear("change", (_, target) => {
  if (target.id === "paper-size") localStorage.setItem("gulch-paper", target.value);
});
hear("gulch:drawn", () => {
  const kept = localStorage.getItem("gulch-paper");
  const list = $("paper-size");
  if (list && [...list.options].some((o) => o.value === kept)) list.value = kept;
});

// A link to a piece shows it, once.
let sought = "";
hear("gulch:drawn", () => {
  if (!$("paper")) sought = "";
  const { hash } = location;
  const node = hash.startsWith("#piece-") && $(decodeURIComponent(hash.slice(1)));
  if (!node || hash === sought) return;
  sought = hash;
  node.scrollIntoView();
});

// {key: SVG text} of all figures, once they are drawn.
async function drawings() {
  const figures = all("#paper [data-figure]");
  for (let i = 0; i < TRIES && !figures.every((f) => f.querySelector("svg")); i += 1) await new Promise((done) => setTimeout(done, 100));
  return Object.fromEntries(figures.map((f) => [f.dataset.figure, drawingIn(f)]).filter(([, svg]) => svg));
}

/** The name that the server gave the file. @param {Response} answer */
function named(answer) {
  const told = answer.headers.get("Content-Disposition") || "";
  const any = told.match(/filename\*=utf-8''([^;]+)/i);
  const plain = told.match(/filename="([^"]+)"/);
  return any ? decodeURIComponent(any[1]) : plain ? plain[1] : "report";
}
