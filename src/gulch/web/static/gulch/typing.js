// Help while typing: addresses in formulas, kinds of units, and a knob made from the field one is in.
(() => {
  const box = document.createElement("ul");
  box.id = "formula-list";
  box.setAttribute("role", "listbox");
  box.hidden = true;
  let rows = [], at = 0, field = null;

  function wordAtCaret(input) {
    const before = input.value.slice(0, input.selectionStart);
    const found = /[A-Za-z][\w.-]*$/.exec(before);
    return found ? { text: found[0], from: before.length - found[0].length } : null;
  }
  const rank = (address, text) => (address.startsWith(text) ? 0 : address.includes(text) ? 1 : 2);
  function draw() {
    box.replaceChildren(...rows.map(([address, words], i) => {
      const item = document.createElement("li");
      item.setAttribute("role", "option");
      item.setAttribute("aria-selected", String(i === at));
      const name = document.createElement("b");
      name.textContent = address;
      const told = document.createElement("span");
      told.textContent = words;
      item.append(name, told);
      item.addEventListener("mousedown", (event) => { event.preventDefault(); take(i); });
      return item;
    }));
    box.hidden = !rows.length;
  }
  function close() { rows = []; field = null; draw(); }
  function take(i) {
    const word = wordAtCaret(field);
    const end = field.selectionStart;
    const start = word ? word.from : end;
    field.setRangeText(rows[i][0], start, end, "end");
    const input = field;
    close();
    input.focus();
  }
  document.addEventListener("focusin", (event) => { if (event.target.matches("[data-formula]")) window.gulch.known("names"); });
  document.addEventListener("input", async (event) => {
    const input = event.target.closest("[data-formula]");
    if (!input) return;
    const known = await window.gulch.known("names");
    if (input !== document.activeElement) return;
    const word = wordAtCaret(input);
    const parts = word ? word.text.toLowerCase().split(/[.\s]+/).filter(Boolean) : [];
    rows = parts.length ? known.filter(([address, words]) => {
      const text = (address + " " + words).toLowerCase();
      return parts.every((p) => text.includes(p)) && address !== word.text;
    }).sort((a, b) => rank(a[0], word.text) - rank(b[0], word.text)).slice(0, 9) : [];
    if (word && known.some(([address]) => address === word.text)) rows = [];
    field = input;
    at = -1; // nothing is taken unless an arrow key chose it
    const place = input.getBoundingClientRect();
    if (!box.isConnected) document.body.append(box);
    // Under the field, or over it where the window ends; positions by properties, which the content policy allows.
    box.style.left = Math.max(4, Math.min(place.left, innerWidth - 430)) + "px";
    box.style.top = (place.bottom + 260 > innerHeight ? Math.max(4, place.top - 250) : place.bottom + 2) + "px";
    draw();
  });
  document.addEventListener("keydown", (event) => {
    if (!field || box.hidden) return;
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      at = event.key === "ArrowDown" ? (at + 1) % rows.length : (at <= 0 ? rows.length : at) - 1;
      draw();
    } else if ((event.key === "Enter" || event.key === "Tab") && at >= 0) take(at);
    else if (event.key === "Escape") close();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }, true);
  document.addEventListener("focusout", (event) => { if (event.target === field) close(); });

  // Kinds of units, found by typing any word of their name or meaning; Enter takes the first.
  function fitting(input) {
    const words = input.value.toLowerCase().split(/\s+/).filter(Boolean);
    let first = null;
    for (const family of document.querySelectorAll("#append .family")) {
      let any = false;
      for (const kind of family.querySelectorAll(".kind")) {
        const fits = words.every((w) => (family.firstElementChild.textContent + " " + kind.textContent).toLowerCase().includes(w));
        kind.hidden = !fits;
        any = any || fits;
        if (fits && !first) first = kind;
      }
      family.hidden = !any;
    }
    return first;
  }
  document.addEventListener("input", (event) => { if (event.target.id === "kind-filter") fitting(event.target); });
  document.addEventListener("keydown", (event) => {
    if (event.target.id === "kind-filter" && event.key === "Enter") {
      event.preventDefault();
      const first = fitting(event.target);
      if (first) first.click();
    } else if (event.altKey && event.key.toLowerCase() === "k") {
      const here = event.target.closest(".field");
      const pin = here && here.querySelector("button.pin");
      if (pin) { event.preventDefault(); pin.click(); }
    }
  });
})();
