// Sets light or dark before the page is drawn.
(() => {
  const kept = localStorage.getItem("gulch-theme");
  const dark = kept ? kept === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
})();
