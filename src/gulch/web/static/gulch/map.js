// The map: laid out by ELK in a worker, drawn as SVG. Width shows flow, shade shows a species' share.
(() => {
  const NS = "http://www.w3.org/2000/svg";
  const PLATE = { width: 150, height: 74 };
  const STUB = 46; // how far feeds and products are drawn beyond their end, so that names fit
  let elk = null, layoutKey = "", placed = null, shows = "molar", serial = 0, view = null;

  function el(name, attributes, parent, text) {
    const node = document.createElementNS(NS, name);
    for (const [k, v] of Object.entries(attributes || {})) node.setAttribute(k, v);
    if (text !== undefined) node.textContent = text;
    if (parent) parent.append(node);
    return node;
  }

  // Widths: area-like, the largest stream 26 px.
  function widths(map) {
    const flows = map.streams.map((s) => s[shows] || 0);
    const top = Math.max(...flows, 1e-30);
    return Object.fromEntries(map.streams.map((s, i) => [s.id, s[shows] === null ? 3 : Math.max(2.5, 26 * Math.sqrt(flows[i] / top))]));
  }

  // Units on a return path are drawn from right to left.
  function returning(map) {
    const order = Object.fromEntries(map.units.map((u, i) => [u.id, i]));
    const back = new Set();
    const into = (id) => map.streams.filter((s) => s.from && s.to === id);
    const outOf = (id) => map.streams.filter((s) => s.from === id && s.to);
    for (const u of map.units.slice().reverse()) {
      const out = outOf(u.id), inn = into(u.id);
      const allOut = map.streams.filter((s) => s.from === u.id);
      if (inn.length === 1 && allOut.length === 1 && out.length === 1 && (order[out[0].to] < order[u.id] || back.has(out[0].to))) back.add(u.id);
    }
    return { back, order };
  }

  function graph(map, w, turned) {
    const { back, order } = returning(map);
    const children = [], edges = [];
    const port = (id, side) => ({ id, width: 1, height: 1, layoutOptions: { "elk.port.side": side } });
    const fixed = { "elk.portConstraints": "FIXED_SIDE", "elk.spacing.portPort": "16" };
    for (const s of map.streams) {
      if (!s.from) children.push({ id: "in:" + s.id, width: STUB, height: 8, ports: [port("in:" + s.id + ":o", "EAST")], layoutOptions: fixed });
    }
    // the model order decides what runs backwards: units of a return path stand after the unit they return to
    const arrives = (id) => (back.has(id) ? arrives(map.streams.find((s) => s.from === id).to) : id);
    const rank = (u) => (back.has(u.id) ? order[arrives(u.id)] + 0.5 - 0.001 * order[u.id] : order[u.id]);
    for (const u of map.units.slice().sort((a, b) => rank(a) - rank(b))) {
      const ports = [];
      for (const s of map.streams.filter((x) => x.to === u.id)) {
        const isReturn = s.from && (order[s.from] >= order[u.id] || back.has(s.from)) && !back.has(u.id);
        ports.push(port(s.id + ":t", isReturn ? "SOUTH" : back.has(u.id) ? "EAST" : "WEST"));
      }
      for (const s of map.streams.filter((x) => x.from === u.id)) {
        const draws = u.ports[s.port];
        const goesBack = s.to && (order[s.to] <= order[u.id] || back.has(s.to)) && !back.has(u.id);
        const side = back.has(u.id) ? "WEST" : draws === "top" ? "NORTH" : draws === "bottom" || goesBack ? "SOUTH" : "EAST";
        ports.push(port(s.id + ":f", side));
      }
      const sides = ["WEST", "EAST"].map((side) => ports.filter((p) => p.layoutOptions["elk.port.side"] === side).length);
      children.push({ id: u.id, width: PLATE.width, height: Math.max(PLATE.height, 30 * Math.max(...sides)), ports, layoutOptions: fixed });
    }
    for (const s of map.streams) {
      const end = s.to ? s.to : "out:" + s.id;
      if (!s.to) children.push({ id: end, width: STUB, height: 8, ports: [port(end + ":i", "WEST")], layoutOptions: fixed });
      // A return path with units on it is laid out from left to right and drawn the other way round,
      // so that its units stand below the units they return past.
      const from = s.from ? s.id + ":f" : "in:" + s.id + ":o", to = s.to ? s.id + ":t" : end + ":i";
      const reversed = back.has(s.from) || back.has(s.to);
      if (reversed) turned.add(s.id);
      edges.push({
        id: s.id, sources: [reversed ? to : from], targets: [reversed ? from : to],
        layoutOptions: { "elk.edge.thickness": String(w[s.id]) },
      });
    }
    return {
      id: "root", children, edges,
      layoutOptions: {
        "elk.algorithm": "layered", "elk.direction": "RIGHT", "elk.edgeRouting": "ORTHOGONAL",
        "elk.layered.spacing.nodeNodeBetweenLayers": "44", "elk.spacing.nodeNode": "46", "elk.spacing.edgeNode": "26",
        "elk.layered.spacing.edgeNodeBetweenLayers": "24", "elk.spacing.edgeEdge": "22", "elk.layered.feedbackEdges": "true",
        "elk.layered.nodePlacement.strategy": "NETWORK_SIMPLEX", "elk.layered.considerModelOrder.strategy": "NODES_AND_EDGES",
        "elk.layered.cycleBreaking.strategy": "MODEL_ORDER",
      },
    };
  }

  async function draw() {
    const canvas = document.getElementById("map-canvas");
    const map = canvas && window.gulch.data("map-data");
    if (!map) return;
    const mine = ++serial;
    if (!map.streams.length && !map.units.length) { canvas.replaceChildren(); layoutKey = ""; return; }
    const w = widths(map);
    // The layout changes only with the structure (and which way of width), so that figures move nothing.
    const key = JSON.stringify([map.streams.map((s) => [s.id, s.from, s.port, s.to]), map.units.map((u) => u.id), shows, map.streams.every((s) => s[shows] === null)]);
    if (key !== layoutKey || !placed) {
      if (!elk) elk = new ELK({ workerUrl: document.body.dataset.elkWorker });
      const turned = new Set();
      const result = await elk.layout(graph(map, w, turned));
      if (mine !== serial || !canvas.isConnected) return; // overtaken, or the user left the map meanwhile
      for (const e of result.edges) {
        const section = (e.sections || [])[0];
        if (!section) continue;
        e.points = [section.startPoint, ...(section.bendPoints || []), section.endPoint];
        if (turned.has(e.id)) e.points.reverse();
        const stream = map.streams.find((x) => x.id === e.id), last = e.points.length - 1;
        if (!stream.from) e.points[0] = { x: e.points[0].x - STUB, y: e.points[0].y };
        if (!stream.to) e.points[last] = { x: e.points[last].x + STUB - 12, y: e.points[last].y };
      }
      placed = { nodes: Object.fromEntries(result.children.map((c) => [c.id, c])), edges: Object.fromEntries(result.edges.map((e) => [e.id, e])), width: result.width, height: result.height };
      layoutKey = key;
      view = null;
    }
    render(canvas, map, w);
  }

  function rounded(points, radius) {
    let d = `M${points[0].x},${points[0].y}`;
    for (let i = 1; i < points.length - 1; i++) {
      const [a, b, c] = [points[i - 1], points[i], points[i + 1]];
      const toward = (p, q, r) => { const l = Math.hypot(q.x - p.x, q.y - p.y) || 1, t = Math.min(r, l / 2) / l; return { x: p.x + (q.x - p.x) * t, y: p.y + (q.y - p.y) * t }; };
      const s = toward(b, a, radius), e = toward(b, c, radius);
      d += ` L${s.x},${s.y} Q${b.x},${b.y} ${e.x},${e.y}`;
    }
    const last = points[points.length - 1];
    return d + ` L${last.x},${last.y}`;
  }

  function longest(points) {
    let best = null;
    for (let i = 1; i < points.length; i++) {
      const a = points[i - 1], b = points[i], flat = a.y === b.y, length = Math.hypot(b.x - a.x, b.y - a.y) * (flat ? 1 : 0.45);
      if (!best || length > best.length) best = { a, b, length, flat };
    }
    return best;
  }

  function render(canvas, map, w) {
    const focused = document.activeElement && canvas.contains(document.activeElement) ? document.activeElement.dataset.id : null;
    const svg = el("svg", { role: "group", "aria-label": describe(map) });
    const world = el("g", { class: map.stale ? "stale-map" : "" }, svg);
    const lines = el("g", {}, world), plates = el("g", {}, world), labels = el("g", {}, world), tops = el("g", {}, world);
    for (const s of map.streams) {
      const edge = placed.edges[s.id];
      if (!edge || !edge.points) continue;
      const points = edge.points;
      const width = w[s.id], d = rounded(points, Math.max(10, width * 0.6));
      const g = el("g", { class: "stream-g" + (map.select === s.id ? " here" : ""), tabindex: "0", role: "button", "data-id": s.id, "aria-label": `stream ${s.id}${s.text ? ", " + s.text : ""}` }, lines);
      el("path", { d, class: "halo", "stroke-width": width + 8 }, g);
      el("path", { d, class: "channel-bed", "stroke-width": width }, g);
      el("path", { d, class: "channel", "stroke-width": width, "stroke-opacity": s.share === null ? 0.35 : 0.22 + 0.78 * s.share }, g);
      if (width > 6) el("path", { d, class: "current" }, g);
      g.addEventListener("click", () => choose(s.id));
      if (map.select === s.id) lines.append(g);
      const text = shows === "mass" ? s.mass_text : s.text;
      if (!s.from || !s.to) {
        const end = s.from ? points[points.length - 1] : points[0];
        const x = s.from ? end.x - 4 : end.x, anchor = s.from ? "end" : "start";
        el("text", { x, y: end.y - width / 2 - 20, class: "sn", "text-anchor": anchor }, labels, s.id);
        el("text", { x, y: end.y - width / 2 - 5, class: "sf", "text-anchor": anchor }, labels, bare(text));
      } else {
        const l = longest(points), mx = (l.a.x + l.b.x) / 2, my = (l.a.y + l.b.y) / 2;
        if (l.flat) {
          el("text", { x: mx, y: my - width / 2 - 20, class: "sn", "text-anchor": "middle" }, labels, s.id);
          el("text", { x: mx, y: my - width / 2 - 5, class: "sf", "text-anchor": "middle" }, labels, bare(text));
        } else {
          el("text", { x: mx + width / 2 + 5, y: my, class: "sn" }, labels, s.id);
        }
      }
      if (s.inlet) {
        const end = points[points.length - 1], before = points[points.length - 2];
        const level = end.y === before.y;
        el("text", { x: level ? end.x - 5 : end.x - width / 2 - 5, y: level ? end.y + width / 2 + 14 : end.y + 16, class: "sf side", "text-anchor": "end" }, labels, s.inlet);
      }
      if (!s.to) {
        const end = points[points.length - 1];
        const plus = el("g", { class: "plus", tabindex: "0", role: "button", "data-id": "+" + s.id, "aria-label": `append a unit to ${s.id}` }, tops);
        el("circle", { cx: end.x + 12, cy: end.y, r: 11 }, plus);
        el("text", { x: end.x + 12, y: end.y + 6, "text-anchor": "middle" }, plus, "+");
        plus.addEventListener("click", () => choose(s.id, true));
      }
    }
    for (const u of map.units) {
      const n = placed.nodes[u.id];
      if (!n) continue;
      const words = { good: "solved", bad: "not solved", doubt: "has a warning", idle: "not solved yet" }[u.state];
      const g = el("g", { class: "unit-g" + (map.select === u.id ? " here" : ""), tabindex: "0", role: "button", "data-id": u.id, "aria-label": `${u.kind} ${u.id}, ${words}${u.headline ? ", " + u.headline : ""}`, transform: `translate(${n.x},${n.y})` }, plates);
      el("rect", { class: "plate", width: n.width, height: n.height, rx: 7 }, g);
      el("path", { class: "lip", d: `M1.5,9 v${n.height - 18}` }, g);
      el("text", { x: 12, y: 22, class: "nm" }, g, u.id.length > 14 ? u.id.slice(0, 13) + "…" : u.id);
      el("text", { x: n.width - 10, y: 21, class: "st " + u.state, "text-anchor": "end" }, g, { good: "●", bad: "✕", doubt: "▲", idle: "○" }[u.state]);
      el("text", { x: 12, y: 41, class: "kd" }, g, u.kind);
      el("text", { x: 12, y: 62, class: "vl" }, g, u.headline);
      g.addEventListener("click", () => choose(u.id));
    }
    for (const loop of map.loops) {
      const text = "Loop " + String.fromCharCode(64 + Number(loop.id.replace("loop-", ""))) + " · " + loop.label + (loop.why ? " · " + loop.why : ""), width = 7.6 * text.length + 22;
      // under the lowest level stretch of the loop that is long enough, else under its longest
      let l = null, under = null;
      const better = (a, b) => {
        const fits = (x) => x.length > 0.6 * width;
        return fits(a) === fits(b) ? (fits(a) ? a.a.y > b.a.y + 1 || (a.a.y > b.a.y - 1 && a.length > b.length) : a.length > b.length) : fits(a);
      };
      for (const s of map.streams) {
        const edge = placed.edges[s.id];
        if (!edge || !edge.points || !loop.units.includes(s.from) || !loop.units.includes(s.to)) continue;
        const best = longest(edge.points);
        if (best.flat && (!l || better(best, l))) { l = best; under = s.id; }
      }
      if (!l) continue;
      const x = (l.a.x + l.b.x) / 2 - width / 2, y = l.a.y + w[under] / 2 + 8;
      const g = el("g", { class: "loop-chip" + (loop.settled ? "" : " bad"), tabindex: "0", role: "button", "data-id": "loop", "aria-label": text + (loop.settled ? ", settled" : ", did not settle") }, tops);
      el("rect", { x, y, width, height: 25, rx: 12.5 }, g);
      el("text", { x: x + width / 2, y: y + 17, "text-anchor": "middle" }, g, (loop.settled ? "" : "✕ ") + text);
      g.addEventListener("click", () => window.gulch.open(base("loops")));
    }
    canvas.replaceChildren(svg);
    fit(svg);
    if (focused) { const again = svg.querySelector(`[data-id="${CSS.escape(focused)}"]`); if (again) again.focus(); }
  }

  // The unit stands once, in the bar above the map.
  const bare = (text) => text.replace(/ [^ ]+$/, "");

  const base = (stage) => document.getElementById("workspace").dataset.base.replace(/process\/$/, stage + "/");

  function choose(id, toAppend) {
    window.gulch.open(base("process") + "?select=" + encodeURIComponent(id)).then(() => {
      if (toAppend) { const first = document.querySelector("#append .kind"); if (first) first.focus(); }
    });
  }

  function describe(map) {
    return map.streams.map((s) => `${s.id}: ${s.from || "feed"} to ${s.to || "product"}${s.text ? ", " + s.text : ""}`).join("; ");
  }

  // View: fit, zoom, pan.
  function fit(svg) {
    const canvas = document.getElementById("map-canvas");
    if (!view) {
      const pad = { left: 14, right: 22, top: 84, bottom: 50 };
      const box = canvas.getBoundingClientRect();
      let width = placed.width + pad.left + pad.right, height = placed.height + pad.top + pad.bottom;
      // small processes stay small
      const scale = Math.max(width / Math.max(box.width, 1), height / Math.max(box.height, 1), 1.15);
      const fullWidth = box.width * scale, fullHeight = box.height * scale;
      view = { x: -pad.left - (fullWidth - width) / 2, y: -pad.top - (fullHeight - height) / 2, w: fullWidth, h: fullHeight };
    }
    svg.setAttribute("viewBox", `${view.x} ${view.y} ${view.w} ${view.h}`);
  }
  const current = () => document.querySelector("#map-canvas svg");
  function zoom(factor, cx, cy) {
    if (!view || !current()) return;
    cx = cx ?? view.x + view.w / 2; cy = cy ?? view.y + view.h / 2;
    const w = Math.min(Math.max(view.w * factor, 120), 20000), f = w / view.w;
    view = { x: cx - (cx - view.x) * f, y: cy - (cy - view.y) * f, w, h: view.h * f };
    fit(current());
  }
  document.addEventListener("click", (event) => {
    if (event.target.id === "zoom-in") zoom(0.8);
    if (event.target.id === "zoom-out") zoom(1.25);
    if (event.target.id === "zoom-fit" && current()) { view = null; fit(current()); }
  });
  document.addEventListener("wheel", (event) => {
    const svg = event.target.closest && event.target.closest("#map-canvas svg");
    if (!svg) return;
    event.preventDefault();
    const box = svg.getBoundingClientRect();
    zoom(event.deltaY > 0 ? 1.12 : 0.89, view.x + ((event.clientX - box.left) / box.width) * view.w, view.y + ((event.clientY - box.top) / box.height) * view.h);
  }, { passive: false });
  let drag = null;
  document.addEventListener("pointerdown", (event) => {
    const svg = event.target.closest && event.target.closest("#map-canvas svg");
    if (!svg || event.target.closest(".unit-g,.stream-g,.plus,.loop-chip")) return;
    drag = { x: event.clientX, y: event.clientY, view: { ...view } };
  });
  document.addEventListener("pointermove", (event) => {
    if (!drag || !current()) return;
    const scale = view.w / current().getBoundingClientRect().width;
    view = { ...drag.view, x: drag.view.x - (event.clientX - drag.x) * scale, y: drag.view.y - (event.clientY - drag.y) * scale };
    fit(current());
  });
  document.addEventListener("pointerup", () => (drag = null));

  // Walking the map: arrows go to the nearest thing in that direction.
  document.addEventListener("keydown", (event) => {
    const canvas = document.getElementById("map-canvas");
    if (!canvas || !canvas.contains(event.target) || event.ctrlKey || event.altKey || event.metaKey) return;
    if (event.key === "+" || event.key === "=") return zoom(0.8);
    if (event.key === "-") return zoom(1.25);
    if (event.key === "0") { view = null; return fit(current()); }
    const things = [...canvas.querySelectorAll("[data-id]")];
    const here = event.target.closest("[data-id]");
    if (event.key === "Enter" || event.key === " ") {
      if (here) { event.preventDefault(); here.dispatchEvent(new MouseEvent("click", { bubbles: true })); }
      return;
    }
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!way) return;
    event.preventDefault();
    if (!here) { if (things[0]) things[0].focus(); return; }
    const middle = (node) => {
      if (node.classList.contains("stream-g")) {
        const path = node.querySelector(".channel"), point = path.getPointAtLength(path.getTotalLength() / 2);
        const m = path.getScreenCTM();
        return { x: point.x * m.a + m.e, y: point.y * m.d + m.f };
      }
      const b = node.getBoundingClientRect();
      return { x: b.x + b.width / 2, y: b.y + b.height / 2 };
    };
    const from = middle(here);
    let best = null;
    for (const node of things) {
      if (node === here) continue;
      const to = middle(node), dx = to.x - from.x, dy = to.y - from.y;
      const along = dx * way[0] + dy * way[1], across = Math.abs(dx * way[1] + dy * way[0]);
      if (along < 4) continue;
      const cost = along + 2.2 * across;
      if (!best || cost < best.cost) best = { node, cost };
    }
    if (best) best.node.focus();
  });

  document.addEventListener("change", (event) => {
    if (event.target.id === "width-shows") { shows = event.target.value; draw(); }
  });
  addEventListener("resize", () => { view = null; if (current()) fit(current()); });
  document.addEventListener("gulch:drawn", () => {
    const select = document.getElementById("width-shows");
    if (select) select.value = shows;
    draw();
  });
})();
