// Sets light or dark before the page is drawn.
(() => {
  const kept = localStorage.getItem("gulch-theme");
  const dark = kept ? kept === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
})();

// Paper is light.
(() => {
  const root = document.documentElement;
  /** @type {string | null} */
  let worn = null;
  addEventListener("beforeprint", () => {
    worn = root.dataset.bsTheme;
    root.dataset.bsTheme = "light";
  });
  addEventListener("afterprint", () => {
    if (worn) root.dataset.bsTheme = worn;
    worn = null;
  });
})();
