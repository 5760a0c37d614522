// The residual plots and the scan plot.
(() => {
  let ground = document.documentElement; // whose colours count: a report stays light
  const css = (name) => getComputedStyle(ground).getPropertyValue(name).trim();
  const colours = () => [css("--creek"), css("--clay"), css("--dusk"), css("--juniper"), css("--ochre"), css("--mut")];
  const dashes = ["solid", "dash", "dot", "dashdot", "longdash", "longdashdot"];
  const marks = ["circle", "square", "diamond", "triangle-up", "cross", "x"];
  const settings = { displayModeBar: false, responsive: true };

  function layout(more) {
    return Object.assign({
      font: { family: '"Source Sans", sans-serif', size: 13, color: css("--text") },
      paper_bgcolor: "rgba(0,0,0,0)", plot_bgcolor: "rgba(0,0,0,0)", hovermode: "closest",
    }, more);
  }
  const axis = (more) => Object.assign({ gridcolor: css("--line"), linecolor: css("--line"), zeroline: false, automargin: true }, more);

  // Powers of ten in plain characters: raised ones would need inline styles, which the content policy forbids.
  const decades = Array.from({ length: 13 }, (_, i) => 2 * i - 18);
  const power = (k) => "10" + String(k).replace(/./g, (c) => "⁰¹²³⁴⁵⁶⁷⁸⁹"[c] || "⁻");

  function residuals(node, found) {
    const x = found.history.map((_, i) => i + found.first), ink = colours();
    const above = (values) => values.map((v) => (v > 1e-17 ? v : null));
    const traces = found.series.map((s, i) => ({
      x, y: above(s.y), mode: "lines", name: s.name, line: { color: ink[i % ink.length], dash: dashes[(i + Math.floor(i / ink.length)) % dashes.length], width: 1.4 },
      hovertemplate: "pass %{x}: %{y:.2e}<extra>" + s.name.replace(/[<>&]/g, "") + "</extra>",
    }));
    traces.unshift({
      x, y: above(found.history), mode: "lines+markers", line: { color: css("--dusk"), width: 2.4 },
      marker: { size: 5 }, hovertemplate: "pass %{x}: %{y:.2e}<extra>largest</extra>", name: "largest",
    });
    Plotly.react(node, traces, layout({
      margin: { l: 58, r: 12, t: 8, b: 38 }, legend: { orientation: "v", x: 1.01, y: 1, font: { size: 11.5 } },
      xaxis: axis({ title: { text: "pass" }, dtick: x.length > 20 ? undefined : Math.ceil(x.length / 10) }),
      yaxis: axis({ title: { text: "change on what is fed" }, type: "log", tickvals: decades.map((k) => 10 ** k), ticktext: decades.map(power) }),
      shapes: [{ type: "line", xref: "paper", x0: 0, x1: 1, y0: found.tolerance, y1: found.tolerance, line: { color: css("--juniper"), dash: "dot" } }],
    }), settings);
  }

  // The one plot of a page, by the kind of its data.
  function one(id, data) {
    const node = document.getElementById(id), found = node && window.gulch.data(data);
    if (found) KINDS[found.kind]?.(node, found);
  }

  // A click carries the point nearest to it back to the process.
  function carrying(node, point) {
    if (!node.dataset.carry) return;
    if (node.removeAllListeners) node.removeAllListeners("plotly_click");
    node.on("plotly_click", (event) => {
      const chosen = point(event.points[0]);
      if (chosen) window.gulch.post(node.dataset.carry, { point: JSON.stringify(chosen) });
    });
  }

  const scaled = { log: false }; // whether values stand on log axes: kept for the session only
  function lines(node, found) {
    const ink = colours(), type = scaled.log ? "log" : "linear";
    const box = document.getElementById("log-values");
    if (box) {
      box.checked = scaled.log;
      box.onchange = () => { scaled.log = box.checked; lines(node, found); };
    }
    node.setAttribute("aria-label", "Gauges over " + found.x_label); // the node outlives its page
    const right = found.axes.slice(1);
    // the line goes through what was solved between the points as well
    const drawn = found.series.map((s, i) => {
      const all = [...found.x.map((x, k) => [x, s.y[k]]), ...s.between].sort((a, b) => a[0] - b[0]);
      return {
        x: all.map((p) => p[0]), y: all.map((p) => p[1]), mode: "lines", yaxis: s.axis ? "y" + (s.axis + 1) : "y", connectgaps: false, hoverinfo: "skip",
        showlegend: false, line: { color: ink[i % ink.length], dash: dashes[i % dashes.length], width: 2 },
      };
    });
    const series = found.series.map((s, i) => ({
      x: found.x, y: s.y, name: s.label, mode: s.between.length ? "markers" : "lines+markers", yaxis: s.axis ? "y" + (s.axis + 1) : "y",
      connectgaps: false, line: { color: ink[i % ink.length], dash: dashes[i % dashes.length], width: 2 },
      marker: {
        symbol: marks[i % marks.length], size: found.remarks.map((r) => (r ? 10 : 7)), color: ink[i % ink.length],
        line: { color: css("--ochre"), width: found.remarks.map((r) => (r ? 3 : 0)) },
      },
      customdata: found.remarks.map((r) => (r ? "<br>▲ " + r : "")),
      hovertemplate: "%{x:.5g} " + found.x_unit + ": %{y:.5g} " + found.axes[s.axis].unit + "%{customdata}<extra>" + s.label.replace(/[<>&]/g, "") + "</extra>",
    }));
    // nine samples in ten lie in the shade
    const bands = found.series.flatMap((s, i) => {
      if (!s.band) return [];
      const common = { x: found.x, mode: "lines", yaxis: s.axis ? "y" + (s.axis + 1) : "y", line: { width: 0 }, hoverinfo: "skip", showlegend: false };
      return [{ ...common, y: s.band[0] }, { ...common, y: s.band[1], fill: "tonexty", fillcolor: ink[i % ink.length] + "33" }];
    });
    const shapes = [];
    if (found.limited) {
      for (const [from, to] of found.windows) {
        shapes.push({ type: "rect", yref: "paper", x0: from, x1: to, y0: 0, y1: 1, fillcolor: css("--juniper"), opacity: 0.13, line: { width: 0 }, layer: "below" });
      }
    }
    found.series.forEach((s, i) => {
      for (const limit of [s.at_least, s.at_most]) {
        if (limit === null) continue;
        shapes.push({ type: "line", xref: "paper", x0: 0, x1: 1, yref: s.axis ? "y" + (s.axis + 1) : "y", y0: limit, y1: limit, line: { color: ink[i % ink.length], width: 1, dash: "dot" } });
      }
    });
    const titled = (words, unit) => words + (unit ? " [" + unit + "]" : "");
    const more = {
      margin: { l: 60, r: 30 + 46 * right.length, t: 64, b: 50 }, shapes, legend: { orientation: "h", traceorder: "normal", y: 1.02, yanchor: "bottom", x: 0, font: { size: 12 } },
      xaxis: axis({ title: { text: titled(found.x_label, found.x_unit) }, type: found.x_log ? "log" : "linear", domain: [0, 1 - 0.14 * Math.max(0, right.length - 1)] }),
      yaxis: axis({ title: { text: titled(found.axes[0].label, found.axes[0].unit) }, type }),
    };
    right.forEach((a, i) => {
      more["yaxis" + (i + 2)] = axis({
        title: { text: titled(a.label, a.unit), standoff: 2, font: { size: 12 } }, overlaying: "y", side: "right", showgrid: false, tickmode: "auto", type,
        anchor: i ? "free" : "x", position: i ? 1 - 0.14 * (right.length - 1 - i) : undefined,
      });
    });
    const extra = found.series.map((s, i) => ({
      x: s.between.map((p) => p[0]), y: s.between.map((p) => p[1]), mode: "markers", yaxis: s.axis ? "y" + (s.axis + 1) : "y", showlegend: false,
      marker: { symbol: "circle-open", size: 6, color: ink[i % ink.length] },
      hovertemplate: "solved between: %{x:.6g} " + found.x_unit + ": %{y:.6g}<extra></extra>",
    })).filter((s) => s.x.length);
    if (found.best) extra.push({
      x: [found.best.x], y: [found.best.y], mode: "markers", name: "best", yaxis: found.best.axis ? "y" + (found.best.axis + 1) : "y",
      marker: { symbol: "star", size: 16, color: css("--clay"), line: { color: css("--card"), width: 1 } },
      hovertemplate: "best: %{x:.6g} " + found.x_unit + ": %{y:.6g}<extra></extra>",
    });
    // one entry of the legend a run: its lines have the colours of their gauges
    const first = (o) => found.others.find((p) => p.number === o.number) === o;
    const others = found.others.map((o) => ({
      x: o.x, y: o.y, name: o.run, showlegend: first(o), mode: "lines", yaxis: found.series[o.like].axis ? "y" + (found.series[o.like].axis + 1) : "y", connectgaps: false,
      line: { color: ink[o.like % ink.length], dash: dashes[(o.like + o.number) % dashes.length], width: 1.4 },
      hovertemplate: "%{x:.5g} " + found.x_unit + ": %{y:.5g}<extra>" + o.label.replace(/[<>&]/g, "") + "</extra>",
    }));
    Plotly.react(node, [...series, ...others, ...bands, ...drawn.filter((_, i) => found.series[i].between.length), ...extra], layout(more), settings)
      .then(() => carrying(node, (p) => (p.curveNumber < series.length ? found.points[p.pointIndex] : null)));
  }

  // Shades between two colours of the page, for a scale of values.
  function scale(from, to) {
    const parts = (colour) => [1, 3, 5].map((k) => parseInt(colour.slice(k, k + 2), 16));
    const [a, b] = [parts(from), parts(to)];
    return [0, 0.25, 0.5, 0.75, 1].map((w) => [w, "rgb(" + a.map((v, k) => Math.round((1 - w) * v + w * b[k])).join(",") + ")"]);
  }

  const map = { of: null, shows: null }; // which gauge is on the map: kept for the session only
  const FAILS = -1;
  function choices(node, found) {
    if (map.of !== node.dataset.scan || !(map.shows < found.gauges.length)) Object.assign(map, { of: node.dataset.scan, shows: found.shows });
    const select = document.getElementById("map-shows");
    if (!select) return;
    select.closest("p").hidden = false;
    select.replaceChildren(...found.gauges.map((g, i) => new Option(g.label, i, false, i === map.shows)), new Option("which limit fails", FAILS, false, map.shows === FAILS));
    select.onchange = () => { map.shows = Number(select.value); contours(node, found); };
  }

  // Lines along both knobs through a place of the map.
  function sections(found, i, j) {
    const g = found.gauges[map.shows === FAILS ? found.shows : map.shows];
    const titled = (a) => a.label + (a.unit ? " [" + a.unit + "]" : "");
    const sides = [
      ["section-x", found.axes[0], found.x, g.z[j], found.x[i], found.axes[1], found.y[j]],
      ["section-y", found.axes[1], found.y, g.z.map((row) => row[i]), found.y[j], found.axes[0], found.x[i]],
    ];
    for (const [id, along, values, z, here, other, held] of sides) {
      const node = document.getElementById(id);
      if (!node) continue;
      const limits = [g.at_least, g.at_most].filter((v) => v !== null);
      const line = (v) => ({ type: "line", xref: "paper", x0: 0, x1: 1, y0: v, y1: v, line: { color: css("--ochre"), dash: "dot", width: 1.4 } });
      Plotly.react(node, [{ x: values, y: z, mode: "lines+markers", line: { color: css("--creek"), width: 2 }, marker: { size: 5 }, hovertemplate: "%{x:.5g} " + along.unit + ": %{y:.5g} " + g.unit + "<extra></extra>" }], layout({
        margin: { l: 54, r: 8, t: 26, b: 42 }, title: { text: "at " + other.label + " " + held.toPrecision(4) + " " + other.unit, font: { size: 12 }, x: 0.02, y: 0.97 },
        xaxis: axis({ title: { text: titled(along), font: { size: 12 } }, type: along.log ? "log" : "linear" }), yaxis: axis({ title: { text: titled(g), font: { size: 12 } } }),
        shapes: [...limits.map(line), { type: "line", yref: "paper", y0: 0, y1: 1, x0: here, x1: here, line: { color: css("--mut"), dash: "dot", width: 1.2 } }],
      }), settings);
    }
  }

  // Where which limit fails first: a colour each.
  function failing(found, ink, text) {
    const broken = (i, j) => {
      for (const g of found.gauges) {
        const v = g.z[j][i];
        if (v === null) continue;
        if (g.at_least !== null && v < g.at_least) return g.label + " too low";
        if (g.at_most !== null && v > g.at_most) return g.label + " too high";
      }
      return null;
    };
    const first = found.y.map((_, j) => found.x.map((_, i) => broken(i, j)));
    const names = [...new Set(first.flat().filter(Boolean))];
    const steps = names.flatMap((_, k) => [[k / names.length, ink[k % ink.length]], [(k + 1) / names.length, ink[k % ink.length]]]);
    const z = first.map((row) => row.map((name) => (name ? names.indexOf(name) : null)));
    const traces = names.map((name, k) => ({ x: [null], y: [null], mode: "markers", name, marker: { symbol: "square", size: 12, color: ink[k % ink.length] } }));
    if (names.length) traces.push({
      type: "heatmap", x: found.x, y: found.y, z, zmin: -0.5, zmax: names.length - 0.5, colorscale: steps, showscale: false, opacity: 0.75, xgap: 1, ygap: 1, text,
      hovertemplate: "%{text}<extra></extra>", hoverongaps: false, name: "which limit fails",
    });
    return traces;
  }

  function contours(node, found) {
    choices(node, found);
    node.setAttribute("aria-label", "Gauges over " + found.axes.map((a) => a.label).join(" and ")); // the node outlives its page
    const [across, up] = found.axes, shown = found.gauges[map.shows === FAILS ? found.shows : map.shows], ink = colours();
    const at = (state) => found.state.flatMap((row, j) => row.flatMap((s, i) => (state.includes(s[0]) ? [[found.x[i], found.y[j], s[1]]] : [])));
    const text = found.y.map((y, j) => found.x.map((x, i) => [
      x.toPrecision(4) + " " + across.unit + ", " + y.toPrecision(4) + " " + up.unit,
      ...found.gauges.map((g) => g.label + " " + (g.z[j][i] === null ? "–" : g.z[j][i].toPrecision(5) + " " + g.unit)),
      ...(found.state[j][i][1] ? [found.state[j][i][1].slice(0, 160)] : []),
    ].join("<br>")));
    const traces = map.shows === FAILS ? failing(found, ink, text) : [{
      type: "contour", x: found.x, y: found.y, z: shown.z, text, hovertemplate: "%{text}<extra></extra>", connectgaps: false,
      colorscale: scale(css("--card"), css("--creek")), line: { color: css("--card"), width: 1 }, ncontours: 12,
      colorbar: { title: { text: shown.label + (shown.unit ? " [" + shown.unit + "]" : ""), side: "right" }, thickness: 14, outlinewidth: 0 }, name: shown.label,
    }];
    if (map.shows !== FAILS && found.out.some((row) => row.includes(true))) traces.push({
      type: "contour", x: found.x, y: found.y, z: found.out.map((row) => row.map(Number)), hoverinfo: "skip",
      colorscale: [[0, css("--paper") + "00"], [0.5, css("--paper") + "00"], [0.5, css("--paper") + "a6"], [1, css("--paper") + "a6"]], zmin: 0, zmax: 1,
      contours: { start: 0.5, end: 0.5, size: 1, coloring: "fill" }, line: { width: 0 }, showscale: false, name: "beyond a limit",
    });
    found.gauges.forEach((g, i) => {
      for (const [limit, sign] of [[g.at_least, "≥"], [g.at_most, "≤"]]) {
        if (limit === null) continue;
        traces.push({
          type: "contour", x: found.x, y: found.y, z: g.z, hoverinfo: "skip", showscale: false, showlegend: true, connectgaps: false,
          name: g.label + " " + sign + " " + Number(limit.toPrecision(4)) + " " + g.unit,
          contours: { start: limit, end: limit, size: 1, coloring: "none" }, line: { color: ink[(i + 1) % ink.length], width: 2.4, dash: dashes[(i + 1) % dashes.length] },
        });
      }
    });
    if (found.edges.length) traces.push({
      x: found.edges.map((e) => e[0]), y: found.edges.map((e) => e[1]), mode: "markers", name: "solved edge", marker: { symbol: "circle", size: 5, color: css("--text") },
      hovertemplate: "edge of the window, solved: %{x:.5g} " + across.unit + ", %{y:.5g} " + up.unit + "<extra></extra>",
    });
    const marked = (points, name, marker) => points.length && traces.push({
      x: points.map((p) => p[0]), y: points.map((p) => p[1]), text: points.map((p) => p[2] || name), mode: "markers", name, marker, hovertemplate: "%{text}<extra></extra>",
    });
    marked(at(["doubt"]), "doubtful", { symbol: "line-ne-open", size: 11, color: css("--ochre"), line: { width: 1.6 } });
    marked(at(["failed"]), "not solved", { symbol: "x-thin-open", size: 9, color: css("--bad"), line: { width: 1.6 } });
    if (found.now) marked([found.now], "now", { symbol: "circle-open", size: 13, color: css("--text"), line: { width: 3 } });
    if (found.best) marked([found.best], "best", { symbol: "star", size: 18, color: css("--clay"), line: { color: css("--card"), width: 1 } });
    const titled = (a) => a.label + (a.unit ? " [" + a.unit + "]" : "");
    const range = (a, values) => axis({ title: { text: titled(a) }, type: a.log ? "log" : "linear", range: [values[0], values[values.length - 1]].map((v) => (a.log ? Math.log10(v) : v)), showgrid: false });
    const nearest = (values, v) => values.reduce((best, x, k) => (Math.abs(x - v) < Math.abs(values[best] - v) ? k : best), 0);
    Plotly.react(node, traces, layout({
      margin: { l: 60, r: 10, t: 74, b: 50 }, legend: { orientation: "h", y: 1.02, yanchor: "bottom", x: 0, font: { size: 12 } },
      xaxis: range(across, found.x), yaxis: range(up, found.y),
    }), settings).then(() => {
      carrying(node, (p) => ({ [across.address]: across.typed[nearest(found.x, p.x)], [up.address]: up.typed[nearest(found.y, p.y)] }));
      if (node.removeAllListeners) node.removeAllListeners("plotly_hover");
      node.on("plotly_hover", (event) => sections(found, nearest(found.x, event.points[0].x), nearest(found.y, event.points[0].y)));
    });
    const through = found.best || found.now || [found.x[0], found.y[0]];
    sections(found, nearest(found.x, through[0]), nearest(found.y, through[1]));
  }

  // The solves of a search over two knobs, or over one and the aim; which ones is kept for the session only.
  const over = { x: 0, y: 1 };
  const titled = (a) => a.label + (a.unit ? " [" + a.unit + "]" : "");
  function solves(node, found) {
    node.setAttribute("aria-label", "Solves of the search for " + found.aim.label);
    const several = found.axes.length > 1, columns = [...found.axes, found.aim];
    if (!several) Object.assign(over, { x: 0, y: 1 });
    over.x = Math.min(over.x, found.axes.length - 1);
    over.y = Math.min(over.y, columns.length - 1);
    for (const [name, count] of [["x", found.axes.length], ["y", columns.length]]) {
      const select = document.getElementById("solves-" + name);
      if (!select) continue;
      select.closest("p").hidden = !several;
      select.replaceChildren(...columns.slice(0, count).map((a, i) => new Option(a.label, i, false, i === over[name])));
      select.onchange = () => { over[name] = Number(select.value); solves(node, found); };
    }
    const x = columns[over.x], y = columns[over.y], ink = { out: css("--mut"), doubt: css("--ochre"), failed: css("--bad") };
    const text = found.states.map((s, i) => [
      ...found.axes.map((a) => a.label + " " + a.at[i].toPrecision(5) + " " + a.unit),
      found.aim.label + " " + (found.aim.at[i] === undefined || found.aim.at[i] === null ? "–" : found.aim.at[i].toPrecision(5) + " " + found.aim.unit),
      found.words[i],
    ].join("<br>"));
    const of = (state) => found.states.flatMap((s, i) => (s === state ? [i] : []));
    const traces = [], places = [];
    const marked = (which, name, marker) => {
      if (!which.length) return;
      places.push(which);
      traces.push({ x: which.map((i) => x.at[i]), y: which.map((i) => y.at[i]), text: which.map((i) => text[i]), mode: "markers", name, marker, hovertemplate: "%{text}<extra></extra>" });
    };
    marked(of("failed"), "did not solve", { symbol: "x-thin-open", size: 8, line: { width: 1.5 }, color: ink.failed });
    marked(of("doubt"), "doubtful", { symbol: "line-ne-open", size: 9, line: { width: 1.5 }, color: ink.doubt });
    marked(of("out"), "beyond a limit", { symbol: "circle-open", size: 7, color: ink.out });
    const inside = of("inside");
    marked(inside, "inside all limits", {
      size: 9, color: inside.map((i) => found.aim.at[i]), colorscale: scale(css("--line"), css("--creek")), line: { color: css("--creek"), width: 1 },
      colorbar: { title: { text: titled(found.aim), side: "right" }, thickness: 12, outlinewidth: 0 },
    });
    const spot = (name, key, marker) => {
      if (x[key] === null || x[key] === undefined || y[key] === null || y[key] === undefined) return;
      traces.push({ x: [x[key]], y: [y[key]], mode: "markers", name, marker, hovertemplate: name + "<extra></extra>" });
    };
    spot("now", "now", { symbol: "circle-open", size: 14, color: css("--text"), line: { width: 3 } });
    spot("best", "best", { symbol: "star", size: 18, color: css("--clay"), line: { color: css("--card"), width: 1 } });
    const ranged = (a) => axis({ title: { text: titled(a) }, range: a.range && [a.range[0] - 0.03 * (a.range[1] - a.range[0]), a.range[1] + 0.03 * (a.range[1] - a.range[0])] });
    Plotly.react(node, traces, layout({
      margin: { l: 60, r: 10, t: 46, b: 50 }, legend: { orientation: "h", y: 1.02, yanchor: "bottom", x: 0, font: { size: 12 } },
      xaxis: ranged(x), yaxis: ranged(y),
    }), settings).then(() => carrying(node, (p) => (places[p.curveNumber] ? found.points[places[p.curveNumber][p.pointIndex]] : null)));
  }

  // The curve of best points for two aims.
  function trade(node, found) {
    const [one, other] = found.axes;
    node.setAttribute("aria-label", "Trade-off of " + one.label + " and " + other.label);
    const traces = [{
      x: found.x, y: found.y, text: found.words.map((w, i) => w + "<br>held by " + found.holds[i]), mode: "lines+markers", name: "best for both", line: { color: css("--creek"), width: 2.2 }, marker: { size: 9, color: found.rough.map((r) => css(r ? "--card" : "--creek")), line: { color: css("--creek"), width: 1.6 } },
      hovertemplate: "%{x:.5g} " + one.unit + ", %{y:.5g} " + other.unit + "<br>%{text}<extra></extra>",
    }];
    const spot = (x, y, name, marker) => traces.push({ x: [x], y: [y], mode: "markers", name, marker, hovertemplate: name + "<extra></extra>" });
    if (found.knee !== null) spot(found.x[found.knee], found.y[found.knee], "bends most", { symbol: "diamond", size: 15, color: css("--clay"), line: { color: css("--card"), width: 1 } });
    const ranges = [found.x, found.y].map((values) => {
      const low = Math.min(...values), high = Math.max(...values), span = high - low || Math.abs(high) || 1;
      return [low - 0.6 * span, high + 0.6 * span];
    });
    const near = found.now && found.now.every((v, i) => v >= ranges[i][0] && v <= ranges[i][1]);
    if (near) spot(found.now[0], found.now[1], "now", { symbol: "circle-open", size: 13, color: css("--text"), line: { width: 3 } });
    Plotly.react(node, traces, layout({
      margin: { l: 66, r: 16, t: 40, b: 50 }, legend: { orientation: "h", y: 1.02, yanchor: "bottom", x: 0, font: { size: 12 } },
      xaxis: axis({ title: { text: titled(one) } }), yaxis: axis({ title: { text: titled(other) } }),
    }), settings).then(() => carrying(node, (p) => (p.curveNumber === 0 ? found.points[p.pointIndex] : found.points[found.knee] || null)));
  }

  // What matters most: a bar from end to end of each knob's range, the present reading as a line.
  function swings(node, found) {
    const bars = [...found.bars].reverse(), names = bars.map((b) => b.label), traces = [];
    const ends = [["low end", "--creek"], ["high end", "--clay"]];
    ends.forEach(([name, colour], k) => traces.push({
      type: "bar", orientation: "h", name, y: names, base: found.now, offsetgroup: "one", width: 0.55,
      x: bars.map((b) => (b.ends[k].y === null ? null : b.ends[k].y - found.now)),
      marker: { color: css(colour), opacity: bars.map((b) => (b.ends[k].doubt ? 0.4 : 0.9)) },
      customdata: bars.map((b) => [b.ends[k].at, b.ends[k].y === null ? "–" : b.ends[k].y.toPrecision(5)]),
      hovertemplate: "%{y} at %{customdata[0]}: " + found.label.replace(/[<>&]/g, "") + " %{customdata[1]} " + found.unit + "<extra></extra>",
    }));
    const line = (x, colour, dash) => ({ type: "line", yref: "paper", y0: 0, y1: 1, x0: x, x1: x, line: { color: css(colour), dash, width: 1.6 } });
    node.setAttribute("aria-label", "Swing of " + found.label + " by knob, the largest first"); // the node outlives its page
    node.style.height = 90 + 38 * bars.length + "px";
    Plotly.react(node, traces, layout({
      barmode: "overlay", margin: { l: 60, r: 20, t: 8, b: 46 }, legend: { orientation: "h", y: 1.02, yanchor: "bottom", x: 0, font: { size: 12 } },
      xaxis: axis({ title: { text: found.label + (found.unit ? " [" + found.unit + "]" : "") } }), yaxis: axis({ showgrid: false }),
      shapes: [line(found.now, "--text", "solid"), ...found.limits.map((x) => line(x, "--ochre", "dot"))],
    }), settings).then(() => carrying(node, (p) => bars[p.pointIndex].ends[p.curveNumber].typed));
  }

  // log K over 1/T: the temperature stands on a second scale above.
  function constant() {
    const node = document.getElementById("k-plot");
    const found = node && window.gulch.data("k-data");
    if (!found) return;
    const traces = [];
    if (found.low.length) traces.push(
      { x: found.x, y: found.low, mode: "lines", line: { width: 0, color: css("--ochre") }, hoverinfo: "skip", showlegend: false },
      { x: found.x, y: found.high, mode: "lines", line: { width: 0, color: css("--ochre") }, fill: "tonexty", fillcolor: css("--ochre") + "44", name: "sources", hoverinfo: "skip" });
    if (found.gibbs) traces.push({ x: found.x, y: found.gibbs, mode: "lines", line: { color: css("--ochre"), dash: "dash", width: 1.5 }, name: "Gibbs energies", hoverinfo: "skip" });
    if (found.k.length) traces.push({
      x: found.x, y: found.k, customdata: found.T, mode: "lines", line: { color: css("--creek"), width: 2.2 }, name: "K in use",
      hovertemplate: "%{customdata:.4g} " + found.unit + ": log K %{y:.4f}<extra></extra>",
    });
    // an empty trace carries the upper scale
    traces.push({ x: found.ticks.map((t) => t[0]), y: found.ticks.map(() => null), xaxis: "x2", hoverinfo: "skip", showlegend: false });
    const ends = [Math.min(...found.x), Math.max(...found.x)];
    const band = (x0, x1, colour, opacity) => ({ type: "rect", yref: "paper", x0, x1, y0: 0, y1: 1, fillcolor: css(colour), opacity, line: { width: 0 }, layer: "below" });
    const shapes = [{ type: "line", yref: "paper", x0: found.at, x1: found.at, y0: 0, y1: 1, line: { color: css("--clay"), dash: "dot", width: 1.5 } }];
    if (found.valid[0] > ends[0]) shapes.push(band(ends[0], found.valid[0], "--mut", 0.15));
    if (found.valid[1] < ends[1]) shapes.push(band(found.valid[1], ends[1], "--mut", 0.15));
    if (found.believed) shapes.push(band(Math.max(ends[0], found.believed[0]), Math.min(ends[1], found.believed[1]), "--juniper", 0.14));
    Plotly.react(node, traces, layout({
      margin: { l: 44, r: 8, t: 34, b: 62 }, shapes, legend: { orientation: "h", y: -0.3, x: 0, font: { size: 11 } },
      xaxis: axis({ title: { text: "1000 K / T", standoff: 4, font: { size: 12 } }, range: ends }),
      xaxis2: { overlaying: "x", side: "top", range: ends, tickvals: found.ticks.map((t) => t[0]), ticktext: found.ticks.map((t) => t[1]), showgrid: false, tickangle: 0, title: { text: found.unit, standoff: 2, font: { size: 12 } }, tickfont: { size: 11 } },
      yaxis: axis({ title: { text: "log₁₀ K", font: { size: 12 } } }),
    }), settings);
  }

  // A pair's boiling diagram: bubble and dew line, measured points, what would fit them.
  function pair() {
    const node = document.getElementById("pair-plot");
    const found = node && window.gulch.data("pair-data");
    if (!found) return;
    const line = (from, across, name, colour, dash) => ({
      x: from[across], y: from.v, name, mode: "lines", line: { color: css(colour), width: 2.2, dash },
      hovertemplate: "%{x:.4f}, %{y:.5g}<extra>" + name + "</extra>",
    });
    const dots = (across, name, colour, symbol) => ({
      x: found.points[across], y: found.points.v, name, mode: "markers", marker: { color: css(colour), size: 7, symbol },
      hovertemplate: "%{x:.4f}, %{y:.5g}<extra>" + name + "</extra>",
    });
    const traces = [line(found.curve, "x", "liquid x", "--creek", "solid"), line(found.curve, "y", "vapour y", "--clay", "solid")];
    if (found.fit) traces.push(line(found.fit, "x", "x, fitted", "--creek", "dot"), line(found.fit, "y", "y, fitted", "--clay", "dot"));
    if (found.points.x.length) traces.push(dots("x", "x measured", "--creek", "circle"), dots("y", "y measured", "--clay", "square"));
    if (found.azeotropes.length) traces.push({
      x: found.azeotropes.map((a) => a[0]), y: found.azeotropes.map((a) => a[1]), name: "azeotrope", mode: "markers",
      marker: { color: css("--text"), size: 9, symbol: "diamond-open" }, hovertemplate: "%{x:.4f}, %{y:.5g}<extra>azeotrope</extra>",
    });
    Plotly.react(node, traces, layout({
      margin: { l: 52, r: 10, t: 8, b: 84 }, legend: { orientation: "h", y: -0.28, x: 0, font: { size: 11 } },
      xaxis: axis({ title: { text: "x, y of " + found.species, standoff: 4, font: { size: 12 } }, range: [0, 1] }),
      yaxis: axis({ title: { text: found.label, font: { size: 12 } } }),
    }), settings);
  }

  // Curves inside a unit: which plot is shown is kept for the session only.
  const chosen = { show: "curves", group: "composition" };
  function curves() {
    const node = document.getElementById("curves-plot");
    const ledger = document.getElementById("ledger");
    if (!ledger) return;
    ledger.classList.toggle("show-curves", Boolean(node) && chosen.show === "curves");
    for (const tab of document.querySelectorAll("#ledger .tab[data-show]")) tab.classList.toggle("here", tab.dataset.show === chosen.show);
    const found = node && window.gulch.data("curves-data");
    if (!found || chosen.show !== "curves") return;
    if (found.kind === "heat") return heat(node, found);
    const group = found.groups.find((g) => g.id === chosen.group) || found.groups[0];
    for (const tab of document.querySelectorAll("#curve-groups .tab")) tab.classList.toggle("here", tab.dataset.group === group.id);
    profile(node, found, group);
  }
  const small = { size: 12 };
  function heat(node, found) {
    const line = (y, name, colour, dash) => ({ x: found.x, y, name, mode: "lines", line: { color: css(colour), width: 2.2, dash }, hovertemplate: "%{x:.4g} " + found.x_unit + ": %{y:.4g} " + found.axis + "<extra>" + name + "</extra>" });
    const at = (x) => {
      let i = found.x.findIndex((v) => v >= x);
      i = Math.min(Math.max(i, 1), found.x.length - 1);
      const w = (x - found.x[i - 1]) / (found.x[i] - found.x[i - 1]);
      return (1 - w) * found.removed[i - 1] + w * found.removed[i];
    };
    Plotly.react(node, [
      line(found.made, "heat made", "--clay", "solid"), line(found.removed, "heat removed", "--creek", "dash"),
      { x: found.states.map((s) => s.x), y: found.states.map((s) => at(s.x)), mode: "markers+text", name: "steady states", text: found.states.map((s) => (s.runs ? "runs" : "")), textposition: "top left",
        marker: { size: 11, color: found.states.map((s) => (s.stable ? css("--juniper") : css("--card"))), line: { color: css("--juniper"), width: 2 } }, hovertemplate: "%{x:.5g} " + found.x_unit + "<extra>steady</extra>" },
    ], layout({
      margin: { l: 58, r: 12, t: 6, b: 38 }, legend: { orientation: "h", y: 1.14, x: 0, font: small },
      xaxis: axis({ title: { text: "temperature [" + found.x_unit + "]", font: small, standoff: 4 } }), yaxis: axis({ title: { text: "heat [" + found.axis + "]", font: small } }),
    }), settings);
  }
  function profile(node, found, group = found.groups[0]) {
    const ink = colours();
    const titled = (a) => a.label + (a.unit ? " [" + a.unit + "]" : "");
    const series = group.series.map((s, i) => ({
      x: found.x, y: s.y, name: s.label, mode: "lines", yaxis: s.axis ? "y2" : "y", line: { color: ink[i % ink.length], dash: dashes[(i + Math.floor(i / ink.length)) % dashes.length], width: 2 },
      hovertemplate: "%{x:.4g} " + found.x_unit + ": %{y:.5g} " + group.axes[s.axis].unit + "<extra>" + s.label.replace(/[<>&]/g, "") + "</extra>",
    }));
    if (group.id === "composition" && found.peaks.length) series.push({
      x: found.peaks.map((p) => p.x), y: found.peaks.map((p) => p.y), text: found.peaks.map((p) => p.label), mode: "markers+text", textposition: "top center",
      marker: { symbol: "triangle-down", size: 11, color: css("--ochre") }, showlegend: false, hoverinfo: "text",
    });
    const more = {
      margin: { l: 58, r: group.axes.length > 1 ? 60 : 12, t: 6, b: 38 }, legend: { orientation: "v", x: group.axes.length > 1 ? 1.12 : 1.01, y: 1, font: small },
      xaxis: axis({ title: { text: titled({ label: found.x_label, unit: found.x_unit }), font: small, standoff: 4 } }),
      yaxis: axis({ title: { text: titled(group.axes[0]), font: small } }),
    };
    if (group.axes[1]) more.yaxis2 = axis({ title: { text: titled(group.axes[1]), font: small }, overlaying: "y", side: "right", showgrid: false });
    Plotly.react(node, series, layout(more), settings);
  }
  document.addEventListener("click", (event) => {
    const tab = event.target.closest("#ledger .tab");
    if (!tab) return;
    if (tab.dataset.show) chosen.show = tab.dataset.show;
    if (tab.dataset.group) chosen.group = tab.dataset.group;
    curves();
  });

  // The inverse-rate diagram: the plug flow's area under its curve, the tanks' rectangles.
  function sizing(node, found) {
    const small = { size: 12 };
    const shapes = [];
    const box = (x0, x1, y1, colour, dash) => shapes.push({ type: "rect", x0, x1, y0: 0, y1, line: { color: css(colour), width: 1.5, dash }, fillcolor: css(colour), opacity: dash ? 0.12 : 0.1, layer: "below" });
    box(0, found.target, found.tank_height, "--dusk", "solid");
    let from = 0;
    for (const step of found.steps) {
      box(from, step.x, step.height, "--ochre", "dot");
      from = step.x;
    }
    Plotly.react(node, [
      { x: found.plug.map((p) => p[0]), y: found.plug.map((p) => p[1]), mode: "lines", fill: "tozeroy", fillcolor: css("--creek") + "33", line: { color: css("--creek"), width: 2.4 }, name: "along plug flow", hovertemplate: "X %{x:.3g} %: %{y:.4g} " + found.unit + "<extra>plug flow</extra>" },
      { x: found.tank.map((p) => p[0]), y: found.tank.map((p) => p[1]), mode: "lines", line: { color: css("--clay"), width: 2, dash: "dash" }, name: "in a tank", hovertemplate: "X %{x:.3g} %: %{y:.4g} " + found.unit + "<extra>tank</extra>" },
    ], layout({
      margin: { l: 62, r: 12, t: 8, b: 46 }, shapes, legend: { orientation: "h", y: 1.1, x: 0, font: small },
      xaxis: axis({ title: { text: "conversion of " + found.key + " [%]", font: small }, range: [0, found.target * 1.04] }),
      yaxis: axis({ title: { text: "feed of " + found.key + " over its rate [" + found.unit + "]", font: small }, rangemode: "tozero" }),
    }), settings);
  }

  // A table as text that spreadsheets paste.
  document.addEventListener("click", (event) => {
    const copy = event.target.closest("[data-copy]");
    if (copy) copied(copy, document.getElementById(copy.dataset.copy));
  });
  async function copied(button, table) {
    if (!table) return;
    const cells = (row) => [...row.cells].filter((c) => !c.querySelector("button")).map((c) => c.innerText.trim().replace(/\s+/g, " "));
    await navigator.clipboard.writeText([...table.rows].map((r) => cells(r).join("\t")).join("\n"));
    const words = button.textContent;
    button.textContent = "Copied";
    setTimeout(() => { button.textContent = words; }, 1200);
  }

  // The plot library clears the style of a colour scale's parts by an empty attribute, which the content policy refuses.
  function withoutEmptyStyles() {
    const set = SVGElement.prototype.setAttribute;
    SVGElement.prototype.setAttribute = function (name, value) {
      if (name === "style" && value === "") this.removeAttribute("style");
      else set.call(this, name, value);
    };
  }

  // The plot library is large: it is loaded when the first plot is to be drawn.
  let loading = null;
  function library() {
    loading ??= new Promise((done, failed) => {
      withoutEmptyStyles();
      const script = document.createElement("script");
      script.src = document.body.dataset.plots;
      script.onload = done;
      script.onerror = failed;
      document.head.append(script);
    });
    return loading;
  }
  const KINDS = { lines, contours, solves, trade, heat, profile, residuals, swings, sizing };
  // The figures of a report, each from its own block of data.
  function figures() {
    for (const node of document.querySelectorAll("[data-figure].plot")) {
      const found = window.gulch.data(node.dataset.block);
      ground = node;
      if (found) KINDS[found.kind]?.(node, found);
    }
    ground = document.documentElement;
  }
  function loops() {
    for (const node of document.querySelectorAll(".plot.residual")) {
      const found = window.gulch.data(node.id.replace("plot-", "") + "-data");
      if (found) residuals(node, found);
    }
  }
  const PAGES = [["scan-plot", "scan-data"], ["swing-plot", "swing-data"], ["sizing-plot", "sizing-data"]];
  const all = () => { loops(); for (const [id, data] of PAGES) one(id, data); constant(); pair(); curves(); figures(); };
  function draw() {
    if (!document.querySelector(".plot")) return;
    if (window.Plotly) all();
    else library().then(all, () => { loading = null; });
  }
  document.addEventListener("gulch:drawn", draw);
  document.addEventListener("gulch:theme", draw);
})();
