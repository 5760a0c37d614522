// Names of inputs and results, found by what is typed of them.
const SHOWN = 9; // rows of the list

/** The name that a text ends in, and where it begins; null where it ends in none. @param {string} before */
export function wordAt(before) {
  const found = /[A-Za-z][\w.-]*$/.exec(before);
  return found ? { text: found[0], from: before.length - found[0].length } : null;
}

/** @param {string} address @param {string} text */
const rank = (address, text) => (address.startsWith(text) ? 0 : address.includes(text) ? 1 : 2);
/** The addresses that have all parts of a text, those that begin with it first; none where it is one already.
 * @param {[string, string][]} names @param {string} text */
export function matching(names, text) {
  const parts = text.toLowerCase().split(".").filter(Boolean);
  if (!parts.length || names.some(([address]) => address === text)) return [];
  const fits = (/** @type {string} */ told) => parts.every((p) => told.includes(p));
  return names
    .filter(([address, words]) => fits(`${address} ${words}`.toLowerCase()))
    .sort((a, b) => rank(a[0], text) - rank(b[0], text))
    .slice(0, SHOWN);
}

/** The names that hold all words that are typed, in their order; all of the first where nothing is typed.
 * @param {[string, string][]} names @param {string} typed */
export function naming(names, typed) {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return names.filter(([name, told]) => words.every((w) => `${name} ${told}`.toLowerCase().includes(w))).slice(0, SHOWN);
}
