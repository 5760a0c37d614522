// What the page completes by itself: asked for when it is first needed, and again after an edit.
import { $ } from "./page.js";

const asked = new Map(); // name -> {version, rows: a promise}

// The rows of "commands" or "names" as the project now stands; none where they cannot be had.
export function known(of) {
  const { version, base } = $("workspace").dataset, before = asked.get(of);
  if (before?.version === version) return before.rows;
  const rows = fetch(new URL(`../known/${of}/`, new URL(base, location.href)))
    .then((answer) => (answer.ok ? answer.json() : Promise.reject(answer)))
    .then((told) => told.rows)
    .catch(() => { asked.delete(of); return []; });
  asked.set(of, { version, rows });
  return rows;
}
