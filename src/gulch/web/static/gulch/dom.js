// What every script of the page needs: nodes by their ids, blocks of data, and events with what they are about.

/** The node of an id, as what its reader takes it for. @param {string} id @returns {any} */
export const $ = (id) => document.getElementById(id);

/** All nodes that a selector finds, likewise. @param {string} which @param {ParentNode} [inside] @returns {any[]} */
export const all = (which, inside = document) => [...inside.querySelectorAll(which)];
/** What has the focus, likewise. @returns {any} */
export const focused = () => document.activeElement;

/** The data of a block on the page, or null. @param {string} id */
export function data(id) {
  const node = $(id);
  return node ? JSON.parse(node.textContent) : null;
}

/** Listen to the page, with the control or node that an event is about.
 * @template {keyof DocumentEventMap} K
 * @param {K} kind @param {(event: DocumentEventMap[K], target: Control) => void} tell @param {AddEventListenerOptions} [how] */
export function hear(kind, tell, how = {}) {
  document.addEventListener(kind, (event) => tell(event, /** @type {Control} */ (event.target)), how);
}
/** Likewise, before what stands inside the page hears of it.
 * @template {keyof DocumentEventMap} K
 * @param {K} kind @param {(event: DocumentEventMap[K], target: Control) => void} tell */
export const hearFirst = (kind, tell) => hear(kind, tell, { capture: true });

/** A part of a drawing. @param {string} name */
export const part = (name) => document.createElementNS("http://www.w3.org/2000/svg", name);

/** Tell the page's other scripts. @param {"gulch:drawn" | "gulch:theme" | "gulch:resized"} what */
export const announce = (what) => document.dispatchEvent(new Event(what));
