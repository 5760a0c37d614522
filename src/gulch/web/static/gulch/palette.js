// The command finder (Ctrl K).
document.addEventListener("alpine:init", () => {
  Alpine.data("palette", () => ({
    rows: [],
    at: 0,
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
      this.filter();
      this.$refs.input.focus();
    },
    filter() {
      const words = this.$refs.input.value.toLowerCase().split(/\s+/).filter(Boolean);
      const all = window.gulch.data("commands-data") || [];
      this.rows = all.filter((c) => words.every((w) => c.words.toLowerCase().includes(w))).slice(0, 40);
      this.at = 0;
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
        none.textContent = "Nothing fits. Try a unit's, a stream's or a species' name.";
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
      } else if (event.key === "Enter" && this.rows[this.at]) {
        event.preventDefault();
        this.run(this.rows[this.at]);
      }
    },
    run(row) {
      this.$root.close();
      const base = document.getElementById("workspace").dataset.base;
      if (row.click) {
        const button = document.getElementById(row.click);
        if (button) button.click();
        else window.gulch.open(base);
        return;
      }
      const url = new URL(row.url, new URL(base, location.href)).href;
      if (row.plain) location.href = url;
      else window.gulch.open(url);
    },
  }));
});
