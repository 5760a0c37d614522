// The workspace's behaviour beyond htmx: sliders, keys, messages, what survives a swap.
(() => {
  const $ = (id) => document.getElementById(id);
  // The drawing and the plots are made here in the browser: a swap must leave them alone.
  Idiomorph.defaults.ignoreActiveValue = true;
  Idiomorph.defaults.callbacks.beforeNodeMorphed = (old) =>
    !(old.id === "map-canvas" || (old.classList && old.classList.contains("plot")));
  Idiomorph.defaults.callbacks.beforeAttributeUpdated = (name, node) =>
    !(name === "open" && node.tagName === "DETAILS");

  function data(id) {
    const node = $(id);
    return node ? JSON.parse(node.textContent) : null;
  }
  window.gulch = { $, data, open };

  let answered = 0; // edits whose answers were shown
  let journeys = 0, destination = location.href; // how often the user went elsewhere on this page, and where they are
  let placed = 0; // the journey on which an answer last chose what is selected
  function open(url) {
    journeys += 1;
    destination = url;
    history.pushState({ htmx: true }, "", url);
    return show(url);
  }
  function show(url) {
    // what was answered when it was asked for travels with it: it may wait in a queue before it is sent
    return htmx.ajax("GET", url, { target: "#workspace", swap: "morph:outerHTML", headers: { "X-Gulch-Asked": answered } });
  }
  addEventListener("popstate", () => location.reload());

  // Links inside the workspace swap instead of loading a page.
  document.addEventListener("click", (event) => {
    const link = event.target.closest("#workspace a[href]");
    if (!link || event.defaultPrevented || event.ctrlKey || event.metaKey || event.shiftKey || event.button) return;
    if (link.hasAttribute("hx-get")) return;
    const base = $("workspace").dataset.base.replace(/process\/$/, "");
    const path = new URL(link.href).pathname;
    if (!/^(chemistry|process|loops|scans|variants|sizing)\/$/.test(path.replace(base, ""))) return;
    event.preventDefault();
    open(link.href);
  });

  // Sliders: solve while moving, save when let go. Only the newest position is sent.
  let moving = null, waiting = null;
  document.addEventListener("input", (event) => {
    const slider = event.target.closest(".slider");
    if (!slider) return;
    waiting = slider;
    if (!moving) attempt();
  });
  function attempt() {
    const slider = waiting;
    waiting = null;
    moving = post(slider.dataset.try, { id: slider.dataset.knob, position: slider.value }).finally(() => {
      moving = null;
      if (waiting) attempt();
    });
  }
  document.addEventListener("change", async (event) => {
    const slider = event.target.closest(".slider");
    if (!slider) return;
    waiting = null;
    const position = slider.value;
    if (moving) await moving;
    post(slider.dataset.turn, { id: slider.dataset.knob, position });
  });
  function post(url, values) {
    return htmx.ajax("POST", url, { source: "#strip", target: "#workspace", swap: "morph:outerHTML", values });
  }
  window.gulch.post = post;

  // This open page gives itself a name, so that its own edits may follow one another faster than they are answered.
  const client = Array.from(crypto.getRandomValues(new Uint8Array(12)), (b) => b.toString(16).padStart(2, "0")).join("");
  document.addEventListener("htmx:configRequest", (event) => {
    if (event.detail.verb === "post") event.detail.parameters.client = client;
  });

  // Answers may come in another order than they were asked for. A page asked for before an edit whose answer is already
  // shown is dropped; the answer to an edit made before the user went elsewhere does not call them back: the page they
  // went to is asked for again.
  document.addEventListener("htmx:beforeRequest", (event) => {
    event.detail.xhr.gulchJourney = journeys;
    event.detail.xhr.gulchAnswered = answered;
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    const { xhr, requestConfig } = event.detail;
    const made = xhr && xhr.getResponseHeader("X-Gulch-Version");
    const space = $("workspace");
    if (!made || !space) return;
    if (requestConfig.verb === "get") {
      const asked = requestConfig.headers["X-Gulch-Asked"] ?? xhr.gulchAnswered;
      if (Number(asked) !== answered) event.detail.shouldSwap = false;
      return;
    }
    const shown = Number(JSON.parse(space.getAttribute("hx-vals")).version);
    if (Number(made) < shown) event.detail.shouldSwap = false;
    else if (xhr.gulchJourney !== journeys) {
      event.detail.shouldSwap = false;
      if (Number(made) > shown) show(destination);
    } else {
      answered += 1;
      placed = journeys;
    }
  });

  // A field whose text was not accepted shows the document's text again, unless it is being edited.
  document.addEventListener("htmx:afterSwap", () => {
    for (const input of document.querySelectorAll("#workspace input[value]")) {
      if (input !== document.activeElement && input.type !== "checkbox" && input.type !== "search")
        input.value = input.getAttribute("value");
    }
    for (const select of document.querySelectorAll("#workspace select")) {
      const chosen = select.querySelector("option[selected]");
      if (select !== document.activeElement && chosen && select.id !== "width-shows") select.value = chosen.value;
    }
  });

  // Long work and faults are said.
  let timer = null;
  document.addEventListener("htmx:beforeRequest", (event) => {
    if (event.target.id === "solving" || event.target.id === "pending") return; // they tell of their work themselves
    clearTimeout(timer);
    timer = setTimeout(() => ($("busy").hidden = false), 500);
    $("fault").hidden = true;
  });
  document.addEventListener("htmx:afterRequest", () => {
    clearTimeout(timer);
    $("busy").hidden = true;
  });
  function fault(text) {
    $("fault").textContent = text;
    $("fault").hidden = false;
  }
  document.addEventListener("htmx:sendError", () =>
    fault("The server cannot be reached: your last edit was not saved. Start it again and repeat the edit."));
  document.addEventListener("htmx:responseError", (event) => {
    const { xhr, requestConfig } = event.detail;
    if (xhr.status === 409 || xhr.status === 422) return;
    if (xhr.status === 401 || xhr.status === 403) return keep(requestConfig);
    fault(xhr.getResponseHeader("X-Gulch-Says") ? xhr.responseText
      : "The server could not do this (" + xhr.status + "); the project is unchanged.");
  });

  // The session has ended: what was typed is kept, and applied once the user is signed in again.
  let kept = null;
  function keep(request) {
    if (request.verb === "post") kept = { path: request.path, values: Object.fromEntries(Object.entries(request.parameters)) };
    const typed = kept && (kept.values.value || kept.values.equation);
    $("kept-edit").textContent = typed ? ": “" + typed + "”" : "";
    if (!$("signed-out").open) $("signed-out").showModal();
  }
  document.addEventListener("click", (event) => {
    if (event.target.id === "drop-kept") {
      kept = null;
      $("signed-out").close();
      location.reload();
    }
    if (event.target.id !== "apply-kept") return;
    const token = document.cookie.match(/(?:^|; )gulch_csrf=([^;]+)/);
    if (token) document.body.setAttribute("hx-headers", JSON.stringify({ "X-CSRFToken": token[1] }));
    $("signed-out").close();
    const edit = kept;
    kept = null;
    if (edit) post(edit.path, edit.values);
    else location.reload();
  });

  document.addEventListener("change", (event) => {
    if (event.target.id === "shade-shows")
      htmx.ajax("GET", event.target.dataset.url + "?shade=" + encodeURIComponent(event.target.value) + "&select=" +
        encodeURIComponent(new URLSearchParams(location.search).get("select") || ""), { target: "#workspace", swap: "morph:outerHTML" });
  });

  document.addEventListener("click", (event) => {
    if (event.target.closest("#theme")) {
      const root = document.documentElement;
      root.dataset.bsTheme = root.dataset.bsTheme === "dark" ? "light" : "dark";
      localStorage.setItem("gulch-theme", root.dataset.bsTheme);
      document.dispatchEvent(new Event("gulch:theme"));
    }
    if (event.target.closest("#open-keys")) $("keys").showModal();
    for (const menu of document.querySelectorAll("details.menu[open]"))
      if (!menu.contains(event.target)) menu.open = false;
    const found = $("found");
    if (found && !event.target.closest(".search")) found.replaceChildren();
  });

  document.addEventListener("keydown", (event) => {
    const typing = event.target.closest("input:not([type=range]),select,textarea");
    const key = event.key.toLowerCase();
    if ((event.ctrlKey || event.metaKey) && key === "z" && !typing) {
      event.preventDefault();
      $(event.shiftKey ? "redo" : "undo").click();
    } else if ((event.ctrlKey || event.metaKey) && key === "y" && !typing) {
      event.preventDefault();
      $("redo").click();
    } else if (event.altKey && "123456".includes(key)) {
      event.preventDefault();
      $("rail-" + ["chemistry", "process", "loops", "scans", "variants", "sizing"][Number(key) - 1]).click();
    } else if (event.key === "Escape" && !document.querySelector("dialog[open]")) {
      const found = $("found");
      if (found && found.children.length) return found.replaceChildren();
      if (typing) return typing.blur();
      if (new URLSearchParams(location.search).get("select")) open(location.pathname);
    } else if (!typing && !event.ctrlKey && !event.metaKey && !event.altKey && !document.querySelector("dialog[open]")) {
      if (event.key === "?") $("keys").showModal();
      if (key === "m" && $("map-canvas")) {
        const first = document.querySelector("#map-canvas .unit-g.here, #map-canvas .stream-g.here, #map-canvas .unit-g, #map-canvas .stream-g");
        if (first) first.focus();
      }
    }
  });

  // The address follows the selection after an edit, so that reloading shows the same.
  document.addEventListener("htmx:afterSettle", () => {
    const space = $("workspace");
    if (!space) return;
    const select = JSON.parse(space.getAttribute("hx-vals")).select;
    const stage = JSON.parse(space.getAttribute("hx-vals")).stage;
    const url = space.dataset.base.replace(/process\/$/, stage + "/") + (select ? "?select=" + encodeURIComponent(select) : "");
    if (placed === journeys) destination = url;
    if (location.pathname + location.search !== url) history.replaceState(history.state, "", url);
    document.dispatchEvent(new Event("gulch:drawn"));
  });
  document.addEventListener("DOMContentLoaded", () => document.dispatchEvent(new Event("gulch:drawn")));
})();
