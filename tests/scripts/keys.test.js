// What keys do, what is found while typing, and what outlives a page that is swapped in.
import assert from "node:assert/strict";
import { test } from "node:test";
import { page, press, server } from "./page.js";

const VALUES = JSON.stringify({ version: 3, stage: "process", select: "R1" });
const document = page(`<div id="workspace" data-base="/p/1/process/" data-version="3" hx-vals='${VALUES}'>
  <a id="rail-chemistry" href="/p/1/chemistry/">Chemistry</a><a id="rail-process" href="/p/1/process/">Process</a>
  <button id="undo"></button><button id="redo"></button>
  <div id="strip" data-move="/p/1/do/move/"><div class="readings"><article id="k1" data-card="knob" data-id="k1"><a href="#">T</a></article>
    <article id="k2" data-card="knob" data-id="k2"><a href="#">P</a></article><article id="g1" data-card="gauge" data-id="g1"><a href="#">yield</a></article></div><button id="more-cards" data-hidden="1"></button></div>
  <main><section><input id="field" value="1" hx-post="/p/1/do/input/"></section></main>
  <form hx-post="/p/1/do/reaction-add/"><input id="equation" name="equation"></form>
  <div id="inspector"><h2>R1</h2><input id="first" class="value"><section id="unit-inputs"><input readonly><select id="heat"></select></section><select id="send-to"></select><input id="kind-filter"></div>
  <table class="ledger-table"><thead><tr><th>stream</th><th data-key="temperature">T</th></tr></thead>
    <tbody><tr data-stream="S1"><th>S1</th><td id="cell">25</td></tr></tbody></table>
</div><dialog id="keys"></dialog><div id="busy" hidden></div><div id="fault" hidden></div>`);
let shown = 0;
document.getElementById("keys").showModal = () => {
  shown += 1;
};
const asked = server();
await import("../../src/gulch/web/static/gulch/workspace/keys.js");
await import("../../src/gulch/web/static/gulch/workspace/strip.js");
await import("../../src/gulch/web/static/gulch/workspace/ledger.js");
await import("../../src/gulch/web/static/gulch/workspace/marked.js");
const { codes } = await import("../../src/gulch/web/static/gulch/workspace/hints.js");
const { restored } = await import("../../src/gulch/web/static/gulch/workspace/drafts.js");
const { matching, naming, wordAt } = await import("../../src/gulch/web/static/gulch/workspace/names.js");
const { told, at, beside } = await import("../../src/gulch/web/static/gulch/workspace/page.js");
const $ = (id) => document.getElementById(id);
const clicks = (id) => {
  let count = 0;
  $(id).addEventListener("click", (event) => {
    event.preventDefault();
    count += 1;
  });
  return () => count;
};

test("undo and redo by their keys, not while one types", () => {
  const [undone, redone] = [clicks("undo"), clicks("redo")];
  press(document.body, "z", { ctrlKey: true });
  press(document.body, "Z", { ctrlKey: true, shiftKey: true });
  press(document.body, "y", { ctrlKey: true });
  press($("field"), "z", { ctrlKey: true });
  assert.deepEqual([undone(), redone()], [1, 2]);
});

test("Alt and a number go to that stage, no other number goes anywhere", () => {
  const gone = clicks("rail-process");
  press(document.body, "2", { altKey: true });
  assert.equal(press(document.body, "9", { altKey: true }).defaultPrevented, false);
  assert.equal(gone(), 1);
});

test("letters lead to the inspector, to what a stream is sent to and to what is appended; not while one types", () => {
  press(document.body, "i");
  assert.equal(document.activeElement.id, "first");
  document.activeElement.blur();
  window.HTMLElement.prototype.scrollIntoView = () => {};
  press(document.body, "e");
  assert.equal(document.activeElement.id, "heat");
  document.activeElement.blur();
  press(document.body, "b");
  assert.equal(document.activeElement.id, "send-to");
  document.activeElement.blur();
  press(document.body, "a");
  assert.equal(document.activeElement.id, "kind-filter");
  press($("kind-filter"), "b");
  assert.equal(document.activeElement.id, "kind-filter");
  press(document.body, "?");
  assert.equal(shown, 1);
});

test("F shows letters at the fields of the panel, and a letter goes to its field; Esc ends it", () => {
  document.activeElement.blur();
  press(document.body, "f");
  const badges = [...document.querySelectorAll("kbd.hint")].map((b) => b.textContent);
  assert.deepEqual(badges, ["a", "s", "d", "f"]); // first, heat, send-to and the filter; what cannot be typed in has none
  press(document.body, "s");
  assert.equal(document.activeElement.id, "heat");
  assert.equal(document.querySelectorAll("kbd.hint").length, 0);
  document.activeElement.blur();
  press(document.body, "f");
  press(document.body, "Escape");
  assert.equal(document.querySelectorAll("kbd.hint").length, 0);
  assert.deepEqual(codes(3), ["a", "s", "d"]);
  const many = codes(40);
  assert.ok(new Set(many).size === 40 && many.every((code) => code.length === 2));
});

test("arrows move the mark among what is found, and Enter takes it", () => {
  const box = document.createElement("div");
  box.innerHTML = `<input id="species-search" value="but"><div id="found"><ul><li><button id="s1"></button></li><li><button id="s2"></button></li></ul></div>`;
  document.body.append(box);
  const settled = new window.Event("htmx:afterSettle", { bubbles: true });
  settled.detail = { target: $("found") };
  $("found").dispatchEvent(settled);
  assert.ok($("s1").classList.contains("marked"));
  const [first, second] = [clicks("s1"), clicks("s2")];
  press($("species-search"), "ArrowDown");
  press($("species-search"), "Enter");
  assert.deepEqual([first(), second()], [0, 1]);
  box.remove();
});

test("Shift and an arrow move a card among its like, and not beyond the last", async () => {
  asked.length = 0;
  press($("k1").firstElementChild, "ArrowRight", { shiftKey: true });
  press($("k2").firstElementChild, "ArrowRight", { shiftKey: true });
  press($("g1").firstElementChild, "ArrowLeft", { shiftKey: true });
  press($("k1").firstElementChild, "ArrowRight");
  assert.deepEqual(asked, [{ verb: "POST", path: "/p/1/do/move/", values: { kind: "knob", id: "k1", to: 1 } }]);
});

test("a figure of the ledger leads to where it comes from", () => {
  asked.length = 0;
  $("cell").click();
  assert.deepEqual(
    asked.map((a) => [a.verb, a.path]),
    [["GET", "/p/1/process/?select=why%3AS1.temperature"]],
  );
});

test("what stands in a form that was not sent is put back into the form of the same name", () => {
  const field = $("equation");
  field.value = "A = B";
  field.dispatchEvent(new Event("input", { bubbles: true }));
  for (const _ of [1, 2]) {
    field.value = "";
    restored();
    assert.equal(field.value, "A = B");
  }
  field.remove();
  restored(); // the user went elsewhere
  $("field").after(field);
  assert.equal(document.querySelector("form").append(field), undefined);
  field.value = "";
  restored();
  assert.equal(field.value, "");
});

test("what the page says of itself, and addresses beside it", () => {
  assert.deepEqual(told(), { version: 3, stage: "process", select: "R1" });
  assert.equal(at("loops"), "/p/1/loops/");
  assert.equal(at("process", "why:S1.T"), "/p/1/process/?select=why%3AS1.T");
  assert.equal(beside("../find/?q=x").pathname, "/p/1/find/");
});

test("names are found by any of their parts, those that begin with what is typed first, none once one stands", () => {
  const names = [["product.flow.ethanol", "flow"], ["R1.temperature", "outlet"], ["feed.temperature", "of the feed"], ["temperature.x", ""]]; // biome-ignore format: rows
  assert.deepEqual(
    matching(names, "feed").map((n) => n[0]),
    ["feed.temperature"],
  );
  assert.deepEqual(
    matching(names, "temp").map((n) => n[0]),
    ["temperature.x", "R1.temperature", "feed.temperature"],
  );
  assert.deepEqual(
    matching(names, "R1.temp").map((n) => n[0]),
    ["R1.temperature"],
  );
  assert.deepEqual(matching(names, "R1.temperature"), []);
  assert.deepEqual(matching(names, "outlet").length, 1);
  assert.deepEqual(wordAt("2 * R1.te"), { text: "R1.te", from: 4 });
  assert.equal(wordAt("2 * "), null);
});

test("what fits in no row of the strip is counted, and shown when one asks for it", () => {
  $("k2").getBoundingClientRect = () => ({});
  Object.defineProperty($("k2"), "offsetTop", { value: 60, configurable: true });
  document.dispatchEvent(new Event("gulch:drawn"));
  assert.deepEqual([$("more-cards").textContent, $("k2").inert, $("k1").inert], ["+2", true, false]);
  $("more-cards").click();
  assert.deepEqual([$("more-cards").textContent, $("k2").inert], ["fewer", false]);
  $("more-cards").click();
  assert.equal($("more-cards").textContent, "+2");
});

test("a field that names one thing is offered what has all words, and all of the first while nothing is typed", () => {
  const names = [["purge share", "knob"], ["Temperature of R1", "R1.temperature"], ["Temperature of H1", "H1.temperature"]]; // biome-ignore format: a table
  assert.deepEqual(naming(names, "temperature r1"), [names[1]]);
  assert.deepEqual(naming(names, ""), names);
  assert.deepEqual(naming(names, "pressure"), []);
});

test("a page that was on its way when the user went elsewhere does not take the place of where they are", async () => {
  const { open } = await import("../../src/gulch/web/static/gulch/workspace/page.js");
  const answer = (xhr, path) => {
    const detail = { xhr: { getResponseHeader: () => "3", ...xhr }, requestConfig: { verb: "get", headers: {}, path }, shouldSwap: true };
    document.dispatchEvent(Object.assign(new Event("htmx:beforeSwap"), { detail }));
    return detail.shouldSwap;
  };
  const begun = {};
  document.dispatchEvent(Object.assign(new Event("htmx:beforeRequest"), { detail: { xhr: begun } }));
  assert.equal(answer(begun, location.pathname), true);
  open("/p/1/loops/");
  assert.equal(answer(begun, "/p/1/loops/"), false);
  const later = {};
  document.dispatchEvent(Object.assign(new Event("htmx:beforeRequest"), { detail: { xhr: later } }));
  assert.equal(answer(later, "/p/1/loops/"), true);
  assert.equal(answer(later, "/p/1/process/?select=R1"), false); // of an end that was awaited at the stage before
});
