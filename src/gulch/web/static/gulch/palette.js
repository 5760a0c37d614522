// The command finder (Ctrl K).
document.addEventListener("alpine:init", () => {
  Alpine.data("palette", () => ({
    rows: [],
    all: [],
    there: null, // once the commands are
    waiting: false,
    at: 0,
    asked: 0, // the newest question to the server
    init() {
      document.addEventListener("keydown", (event) => {
        if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
          event.preventDefault();
          this.show();
        }
      });
      document.addEventListener("click", (event) => {
        if (event.target.closest("#open-palette")) this.show();
        if (event.target === this.$root) this.$root.close();
      });
    },
    show() {
      this.$root.showModal();
      this.$refs.input.value = "";
      this.$refs.input.focus();
      this.rows = [];
      this.$refs.list.replaceChildren();
      this.waiting = true;
      this.there = window.gulch.known("commands").then((rows) => {
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
    base() { return new URL(document.getElementById("workspace").dataset.base, location.href); },
    // What the page does not know is asked of the server: inputs, results, and what is to be done with them.
    async ask(query) {
      const mine = ++this.asked;
      if (query.length < 2) return;
      await new Promise((done) => setTimeout(done, 120));
      if (mine !== this.asked) return;
      const answer = await fetch(new URL("../find/?q=" + encodeURIComponent(query), this.base())).catch(() => null);
      if (!answer || !answer.ok || mine !== this.asked) return;
      const { rows } = await answer.json();
      if (mine !== this.asked) return;
      const doing = rows.filter((r) => !r.url), things = rows.filter((r) => r.url);
      const kept = this.at > 0 ? this.rows[this.at] : null;
      this.rows = [...doing, ...this.rows.filter((r) => !r.found), ...things.map((r) => ({ ...r, found: true }))].slice(0, 60);
      this.at = Math.max(kept ? this.rows.indexOf(kept) : 0, 0);
      this.draw();
    },
    draw() {
      const list = this.$refs.list;
      list.replaceChildren(...this.rows.map((row, i) => {
        const item = document.createElement("li");
        item.textContent = row.words;
        item.setAttribute("role", "option");
        item.setAttribute("aria-selected", String(i === this.at));
        item.addEventListener("click", () => this.run(row));
        return item;
      }));
      if (!this.rows.length) {
        const none = document.createElement("li");
        none.textContent = "Nothing fits. Try a name, or for example: set purge share 8 %, watch purity, " +
          "append flash drum to S3, run scan.";
        list.append(none);
      }
      const here = list.children[this.at];
      if (here) here.scrollIntoView({ block: "nearest" });
    },
    keys(event) {
      if (event.key === "ArrowDown" || event.key === "ArrowUp") {
        event.preventDefault();
        const step = event.key === "ArrowDown" ? 1 : -1;
        this.at = Math.min(Math.max(this.at + step, 0), this.rows.length - 1);
        this.draw();
      } else if (event.key === "Enter") {
        event.preventDefault();
        this.there.then(() => { if (this.$root.open && this.rows[this.at]) this.run(this.rows[this.at]); });
      }
    },
    run(row) {
      this.$root.close();
      const base = this.base();
      if (row.act) return void window.gulch.post(new URL(`../do/${row.act}/`, base).pathname, row.form);
      if (row.run) {
        window.gulch.open(new URL(`../scans/?select=${row.run}`, base).href).then(() =>
          window.gulch.post(new URL("../scan-run/", base).pathname, { id: row.run, select: row.run }));
        return;
      }
      if (row.click) {
        const button = document.getElementById(row.click);
        if (button) button.click();
        else window.gulch.open(base.href);
        return;
      }
      const url = new URL(row.url, base).href;
      if (row.plain) location.href = url;
      else window.gulch.open(url).then(() => {
        const field = row.field && document.getElementById(row.field);
        if (field) { field.scrollIntoView({ block: "nearest" }); field.focus(); }
      });
    },
  }));
});
