// What the page completes by itself: asked for when it is first needed, and again after an edit.
import { $ } from "../dom.js";
import { beside } from "./page.js";

/** @type {Map<string, {version: string, rows: Promise<any[]>}>} */
const asked = new Map(); // name -> {version, rows: a promise}

/**
 * The rows of a kind as the project now stands; none where they cannot be had.
 * @param {string} of: "commands", "names", "inputs" or "results"
 */
export function known(of) {
  const { version } = $("workspace").dataset;
  const before = asked.get(of);
  if (before?.version === version) return before.rows;
  const rows = fetch(beside(`../known/${of}/`))
    .then((answer) => (answer.ok ? answer.json() : Promise.reject(answer)))
    .then((told) => told.rows)
    .catch(() => {
      asked.delete(of);
      return /** @type {any[]} */ ([]);
    });
  asked.set(of, { version, rows });
  return rows;
}
