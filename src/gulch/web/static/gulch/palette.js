// The command finder (Ctrl K).
import { $, hear } from "./dom.js";
import { known } from "./workspace/known.js";
import { at, beside, open, post } from "./workspace/page.js";

/**
 * What can be done: an edit (act, with its form), a scan to run, a button to press, or a page to go to, whole or with a field in it.
 * @typedef {{words: string, act?: string, form?: object, run?: string, click?: string, url?: string, plain?: boolean, field?: string,
 *   found?: boolean}} Command
 */

hear("alpine:init", () => {
  Alpine.data("palette", () => ({
    $root: /** @type {HTMLDialogElement} */ (null), // both are Alpine's
    $refs: /** @type {{input: HTMLInputElement, list: HTMLElement}} */ (null),
    rows: /** @type {Command[]} */ ([]),
    all: /** @type {Command[]} */ ([]),
    there: /** @type {Promise<void> | null} */ (null), // once the commands are
    waiting: false,
    at: 0,
    asked: 0, // the newest question to the server
    answer: /** @type {Promise<void> | null} */ (null), // to it
    init() {
      hear("keydown", (event) => {
        if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
          event.preventDefault();
          this.show();
        }
      });
      hear("click", (_, target) => {
        if (target.closest("#open-palette")) this.show();
        if (target.closest("#watch-more")) this.show("watch ");
        if (/** @type {object} */ (target) === this.$root) this.$root.close();
      });
    },
    /** @param {string} typed what stands in it to begin with */
    show(typed = "") {
      this.$root.showModal();
      this.$refs.input.value = typed;
      this.$refs.input.focus();
      this.rows = [];
      this.$refs.list.replaceChildren();
      this.waiting = true;
      this.there = known("commands").then((rows) => {
        this.all = rows;
        this.waiting = false;
        this.filter();
      });
    },
    filter() {
      if (this.waiting) return;
      const words = this.$refs.input.value.toLowerCase().split(/\s+/).filter(Boolean);
      this.rows = this.all.filter((c) => words.every((w) => c.words.toLowerCase().includes(w))).slice(0, 40);
      this.at = 0;
      this.draw();
      this.ask(this.$refs.input.value.trim());
    },
    /** What the page does not know is asked of the server: inputs, results, and what is to be done with them. @param {string} query */
    ask(query) {
      this.answer = this.find(query);
    },
    /** @param {string} query */
    async find(query) {
      const mine = ++this.asked;
      if (query.length < 2) return;
      await new Promise((done) => setTimeout(done, 120));
      if (mine !== this.asked) return;
      const answer = await fetch(beside(`../find/?q=${encodeURIComponent(query)}`)).catch(() => /** @type {null} */ (null));
      if (!answer?.ok || mine !== this.asked) return;
      /** @type {{rows: Command[]}} */
      const { rows } = await answer.json();
      if (mine !== this.asked) return;
      const doing = rows.filter((r) => !r.url);
      const things = rows.filter((r) => r.url);
      const kept = this.at > 0 ? this.rows[this.at] : null;
      this.rows = [...doing, ...this.rows.filter((r) => !r.found), ...things.map((r) => ({ ...r, found: true }))].slice(0, 60);
      this.at = Math.max(kept ? this.rows.indexOf(kept) : 0, 0);
      this.draw();
    },
    draw() {
      const list = this.$refs.list;
      list.replaceChildren(
        ...this.rows.map((row, i) => {
          const item = document.createElement("li");
          item.textContent = row.words;
          item.setAttribute("role", "option");
          item.setAttribute("aria-selected", String(i === this.at));
          item.addEventListener("click", () => this.run(row));
          return item;
        }),
      );
      if (!this.rows.length) {
        const none = document.createElement("li");
        none.textContent =
          "Nothing fits. Try a name, or for example: set purge share 8 %, watch purity, " + "append flash drum to S3, run scan.";
        list.append(none);
      }
      const here = list.children[this.at];
      if (here) here.scrollIntoView({ block: "nearest" });
    },
    /** @param {KeyboardEvent} event */
    keys(event) {
      if (event.key === "ArrowDown" || event.key === "ArrowUp") {
        event.preventDefault();
        const step = event.key === "ArrowDown" ? 1 : -1;
        this.at = Math.min(Math.max(this.at + step, 0), this.rows.length - 1);
        this.draw();
      } else if (event.key === "Enter") {
        event.preventDefault();
        this.there.then(async () => {
          if (!this.rows.length) await this.answer; // what is marked is taken; where nothing is yet, the answer is waited for
          if (this.$root.open && this.rows[this.at]) this.run(this.rows[this.at]);
        });
      }
    },
    /** @param {Command} row */
    run(row) {
      this.$root.close();
      const url = row.url && beside(row.url).href;
      if (row.act) post(beside(`../do/${row.act}/`).pathname, row.form);
      else if (row.run) {
        const runs = () => post(beside("../scan-run/").pathname, { id: row.run, select: row.run });
        open(beside(`../scans/?select=${row.run}`).href).then(runs);
      } else if (row.click) {
        const button = $(row.click);
        if (button) button.click();
        else open(at("process"));
      } else if (row.plain) location.href = url;
      else
        open(url).then(() => {
          const field = row.field && $(row.field);
          if (field) {
            field.scrollIntoView({ block: "nearest" });
            field.focus();
          }
        });
    },
  }));
});
