"""A scan's plots for the browser: lines along one knob, contours over two; numbers in display units."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.quantities import DISPLAY_SETS, along, to_unit, write
from gulch.engine.scans import limit_broken
from gulch.web.projects.words import show_unit
from gulch.web.scans.remarks import own_remarks

if TYPE_CHECKING:
    from gulch.engine.exchange.sentence import Sentence
    from gulch.web.scans.best import BestPage


class _Units:
    def __init__(self, display: str, axis: dict[str, Any] | None = None) -> None:
        self.display = along(display, axis) if axis else display
        self.units = DISPLAY_SETS[self.display]

    def number(self, value: float | None, dimension: str) -> float | None:
        """A value in the unit shown, to as many digits as mean something: what a solve leaves behind them is no course to draw."""
        return None if value is None else float(f"{to_unit(value, self.units.unit(dimension), dimension):.9g}")


def lines(result: dict[str, Any], sentence: Sentence, display: str) -> dict[str, Any]:
    """Series along one knob; a gauge of another dimension goes on a further axis."""
    units, gauges, points = _Units(display), result["gauges"], result["points"]
    carried = [p.get("values", [p["value"]]) for p in points]
    best = sentence.answer.best
    at_best = best.values[0] if best is not None else None
    if result.get("listed"):  # over the number of the point
        at_best = next((float(i) for i, values in enumerate(carried, 1) if best is not None and values == best.values), None)
        points = [p | {"value": float(i)} for i, p in enumerate(points, 1)]
        result = result | {"points": points, "dimension": "count", "label": "point"}
    scales, axis_of = _scales(gauges, points)
    of = {g["id"]: g for g in gauges}
    x, on = result["dimension"], _Units(display, (result.get("axes") or [None])[0] if not result.get("listed") else None)
    return {
        "kind": "lines",
        "x": [on.number(p["value"], x) for p in points],
        "points": [sentence.point(values) for values in carried],
        "x_label": result["label"],
        "x_unit": show_unit(x, on.display),
        "x_log": (result.get("axes") or [{}])[0].get("spacing") == "log" and not result.get("listed"),
        "axes": [{"label": _axis_label(gauges, axis_of, i, d), "unit": show_unit(d, display)} for i, d in enumerate(scales)],
        "series": [
            {
                "id": g["id"],
                "label": g["label"],
                "axis": axis_of[g["id"]],
                "y": [units.number(p["gauges"].get(g["id"]), g["dimension"]) for p in points],
                "at_least": units.number(g["at_least"], g["dimension"]),
                "at_most": units.number(g["at_most"], g["dimension"]),
                "band": _band(points, g, units),
                "between": sorted(
                    [on.number(e["value"], x), units.number(e["gauges"].get(g["id"]), g["dimension"])]
                    for e in (*result.get("edges", ()), *result.get("peaks", ()), *result.get("bends", ()))
                    if e["gauges"].get(g["id"]) is not None
                ),
                "branches": _branches(result, g, units, on),
                "folds": [
                    [on.number(f["value"], x), units.number(f["gauges"][g["id"]], g["dimension"]), FOLDS[f["kind"]]]
                    for c in result.get("branches") or ()
                    for f in c["folds"]
                    if f["gauges"].get(g["id"]) is not None
                ],
            }
            for g in gauges
        ],
        "others": [],
        "windows": [[on.number(v, x) for v in ends] for ends in sentence.answer.windows],
        "best": None
        if best is None or at_best is None
        else {
            "x": on.number(at_best, x),
            "y": units.number(best.reads, sentence.shown["dimension"]),
            "axis": axis_of[sentence.shown["id"]],
            "label": of[sentence.shown["id"]]["label"],
        },
        "remarks": [" · ".join(own) for own in own_remarks(result)],
        "limited": sentence.answer.limited,
    }


FOLDS = {"ignition": "ignites", "extinction": "goes out", "fold": "turns back"}


def _branches(result: dict[str, Any], gauge: dict[str, Any], units: _Units, on: _Units) -> list[dict[str, Any]]:
    """A gauge along every branch of steady states: whether it lasts, and its line."""
    axis = (result.get("axes") or [result])[0]
    return [
        {
            "stable": arc["stable"],
            "x": [on.number(p["value"], axis["dimension"]) for p in arc["points"]],
            "y": [units.number(p["gauges"].get(gauge["id"]), gauge["dimension"]) for p in arc["points"]],
        }
        for c in result.get("branches") or ()
        for arc in c["arcs"]
    ]


def lay_beside(plot: dict[str, Any], others: list[tuple], display: str, axis: dict[str, Any]) -> None:
    """Add the lines of other runs to a plot of lines: [(words, result)]; each like the line of its gauge, dashed in its own way.

    axis: of the plot.
    """
    units, on = _Units(display), _Units(display, axis)
    for number, (words, result) in enumerate(others, 1):
        if not result or not result["points"]:
            continue
        x = [on.number(p["value"], result["dimension"]) for p in result["points"]]
        for g in result["gauges"]:
            like = next((i for i, s in enumerate(plot["series"]) if s["id"] == g["id"]), None)
            if like is not None:
                y = [units.number(p["gauges"].get(g["id"]), g["dimension"]) for p in result["points"]]
                plot["others"].append({"label": f"{g['label']}, {words}", "run": words, "like": like, "number": number, "x": x, "y": y})


def _band(points: list[dict[str, Any]], gauge: dict[str, Any], units: _Units) -> Any:
    """[lows, highs] of a gauge's band along the points, or None where none was sampled."""
    pairs = [(p.get("band") or {}).get(gauge["id"], (None, None)) for p in points]
    if all(low is None for low, _ in pairs):
        return None
    return [[units.number(pair[k], gauge["dimension"]) for pair in pairs] for k in (0, 1)]


FAR_APART = 8.0  # times by which two gauges of one dimension must differ in size to have axes of their own


def _scales(gauges: list[dict[str, Any]], points: list[dict[str, Any]]) -> tuple:
    """(dimension of each axis, {gauge id: its axis}): one axis a dimension, and a further one where sizes lie far apart."""
    scales, sizes, axis_of = [], [], {}
    for g in gauges:
        size = max((abs(v) for p in points if (v := p["gauges"].get(g["id"])) is not None), default=0.0)
        at = next(
            (
                i
                for i, d in enumerate(scales)
                if d == g["dimension"] and (d == "temperature" or not size or not sizes[i] or 1.0 / FAR_APART < size / sizes[i] < FAR_APART)
            ),
            None,
        )
        if at is None:
            scales.append(g["dimension"])
            sizes.append(size)
            at = len(scales) - 1
        axis_of[g["id"]] = at
    return scales, axis_of


def _axis_label(gauges: list[dict[str, Any]], axis_of: dict[str, int], i: int, dimension: str) -> str:
    """The gauge that an axis belongs to, or the dimension of several."""
    own = [g["label"] for g in gauges if axis_of[g["id"]] == i]
    return own[0] if len(own) == 1 else dimension


def contours(result: dict[str, Any], sentence: Sentence, display: str) -> dict[str, Any]:
    """Every gauge over two knobs, rows by the second; what breaks a limit, does not solve or is doubtful."""
    units, gauges, axes = _Units(display), result["gauges"], result["axes"]
    across, up = ([_Units(display, a).number(v, a["dimension"]) for v in a["values"]] for a in axes)
    where = {tuple(p["values"]): p for p in result["points"]}
    rows = [[where.get((x, y)) for x in axes[0]["values"]] for y in axes[1]["values"]]
    best, now = sentence.answer.best, sentence.now

    def place(values: Any) -> list[float | None]:
        return [_Units(display, a).number(v, a["dimension"]) for v, a in zip(values, axes, strict=True)]

    return {
        "kind": "contours",
        "x": across,
        "y": up,
        "axes": [
            {
                "label": a["label"],
                "unit": show_unit(a["dimension"], along(display, a)),
                "address": a["address"],
                "log": a["spacing"] == "log",
                "typed": [write(v, a["dimension"], along(display, a), 7) for v in a["values"]],
            }
            for a in axes
        ],
        "gauges": [
            {
                "id": g["id"],
                "label": g["label"],
                "unit": show_unit(g["dimension"], display),
                "z": [[units.number(p["gauges"].get(g["id"]), g["dimension"]) if p else None for p in row] for row in rows],
                "at_least": units.number(g["at_least"], g["dimension"]),
                "at_most": units.number(g["at_most"], g["dimension"]),
            }
            for g in gauges
        ],
        "shows": next(i for i, g in enumerate(gauges) if g["id"] == sentence.shown["id"]),
        "state": [[_state(p, gauges, sentence.passing) for p in row] for row in rows],
        "out": [[p is not None and any(limit_broken(p, g) for g in gauges) for p in row] for row in rows],
        "edges": [
            [*place(e["values"]), e["gauge"]]
            for e in result.get("edges", ())
            if "values" in e and any(g["id"] == e["gauge"] and g[e["limit"]] == e["at"] for g in gauges)
        ],
        "best": None if best is None else place(best.values),
        "now": None if now is None else place(now),
    }


def _state(point: dict[str, Any] | None, gauges: list[dict[str, Any]], passing: Any) -> list[str]:
    """What holds at a point: "", what is doubtful, the limits that it breaks, or that it did not solve."""
    if point is None:
        return ["missing", ""]
    if not point["solved"]:
        return ["failed", point["why"]]
    if any(c not in passing for c in point.get("doubts", ())):
        return ["doubt", " · ".join(point.get("warnings", ()))]
    broken = [f"{g['label']} too {'low' if b == 'at_least' else 'high'}" for g in gauges if (b := limit_broken(point, g))]
    return ["out", " · ".join(broken)] if broken else ["inside", ""]


def solves(page: BestPage) -> dict[str, Any]:
    """The solves of a search (a BestPage), over its knobs."""
    units = _Units(page.display)
    g = page.rows[page.asked["aim"]]
    words = {"inside": "inside all limits", "out": "beyond a limit", "doubt": "doubtful", "failed": "did not solve"}
    states = [page.state(p) for p in page.points]
    best = page.found["values"] if page.found and not page.trade else None
    now = [page.now(a) for a in page.axes]
    return {
        "kind": "solves",
        "axes": [
            {
                "label": a["label"],
                "unit": show_unit(a["dimension"], page.display),
                "range": [units.number(a[end], a["dimension"]) for end in ("low", "high")],
                "at": [units.number(p["values"][i], a["dimension"]) for p in page.points],
                "best": units.number(best[i], a["dimension"]) if best else None,
                "now": units.number(now[i], a["dimension"]),
            }
            for i, a in enumerate(page.axes)
        ],
        "aim": {
            "label": g["label"],
            "unit": show_unit(g["dimension"], page.display),
            "at": [units.number(p["gauges"].get(g["id"]), g["dimension"]) for p in page.points],
        },
        "states": states,
        "words": [words[s] + (f": {p['why'][:120]}" if s == "failed" else "") for s, p in zip(states, page.points, strict=True)],
        "points": [page.point(p["values"]) for p in page.points],
    }


def trade(page: BestPage) -> dict[str, Any]:
    """The curve of a trade-off (a BestPage)."""
    units = _Units(page.display)
    f = page.found
    one, other = f["aims"]
    gauges = page.space.solution.gauges if page.space.solution else {}
    now = [gauges.get(a["gauge"]) for a in f["aims"]]
    return {
        "kind": "trade",
        "axes": [{"label": a["label"], "unit": show_unit(a["dimension"], page.display)} for a in (one, other)],
        "x": [units.number(p["reads"][0], one["dimension"]) for p in f["points"]],
        "y": [units.number(p["reads"][1], other["dimension"]) for p in f["points"]],
        "words": [page.place(p["values"]) for p in f["points"]],
        "holds": [page.held_by(p) for p in f["points"]],
        "points": [page.point(p["values"]) for p in f["points"]],
        "rough": [p["rough"] for p in f["points"]],
        "knee": f["knee"],
        "now": [units.number(v, a["dimension"]) for v, a in zip(now, f["aims"], strict=True)] if None not in now else None,
    }
