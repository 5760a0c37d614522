// A page without a browser: enough of one for scripts that read and write it.
import { createRequire } from "node:module";

const require = createRequire(new URL("../../.venv/front/", import.meta.url));
const { JSDOM } = require("jsdom");
export const elk = () => require("elkjs/lib/elk.bundled.js");

const GLOBALS = ["document", "location", "history", "localStorage", "Event", "KeyboardEvent", "MouseEvent", "Node", "CSS", "getSelection"];

/** A page of this HTML, whose names stand where scripts look for them. */
export function page(html = "", url = "http://localhost/p/1/process/") {
  const { window } = new JSDOM(`<!doctype html><body>${html}</body>`, { url, pretendToBeVisual: true });
  for (const name of GLOBALS) Object.defineProperty(globalThis, name, { value: window[name], configurable: true, writable: true });
  globalThis.window = window;
  globalThis.addEventListener = window.addEventListener.bind(window);
  globalThis.getComputedStyle = window.getComputedStyle.bind(window);
  window.HTMLCanvasElement.prototype.getContext = () => ({ measureText: (text) => ({ width: 52 * text.length }) });
  return window.document;
}

/** A key pressed at a node, and what became of it. */
export function press(node, key, more = {}) {
  const event = new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true, ...more });
  node.dispatchEvent(event);
  return event;
}

/** What was asked of the server, in place of the library that asks. */
export function server() {
  const asked = [];
  globalThis.htmx = {
    ajax: (verb, path, how) => {
      asked.push({ verb, path, values: how.values });
      return Promise.resolve();
    },
    trigger: (node, name) => asked.push({ trigger: name, id: node.id }),
  };
  return asked;
}
