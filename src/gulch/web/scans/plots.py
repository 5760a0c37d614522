"""A scan's plots for the browser: lines along one knob, contours over two; numbers in display units."""

from gulch.engine.quantities import DISPLAY_SETS, to_unit, write
from gulch.engine.scans import limit_broken
from gulch.web.projects.words import show_unit
from gulch.web.scans.remarks import own_remarks


class _Units:
    def __init__(self, display):
        self.display, self.units = display, DISPLAY_SETS[display]

    def number(self, value, dimension):
        return None if value is None else to_unit(value, self.units.unit(dimension), dimension)


def lines(result, sentence, display):
    """Series along one knob; a gauge of another dimension goes on a further axis."""
    units, gauges, points = _Units(display), result["gauges"], result["points"]
    scales, axis_of = _scales(gauges, points)
    of = {g["id"]: g for g in gauges}
    x = result["dimension"]
    best = sentence.answer.best
    return {
        "kind": "lines",
        "x": [units.number(p["value"], x) for p in points],
        "points": [sentence.point([p["value"]]) for p in points],
        "x_label": result["label"],
        "x_unit": show_unit(x, display),
        "axes": [{"label": _axis_label(gauges, axis_of, i, d), "unit": show_unit(d, display)} for i, d in enumerate(scales)],
        "series": [
            {
                "label": g["label"],
                "axis": axis_of[g["id"]],
                "y": [units.number(p["gauges"].get(g["id"]), g["dimension"]) for p in points],
                "at_least": units.number(g["at_least"], g["dimension"]),
                "at_most": units.number(g["at_most"], g["dimension"]),
                "between": sorted(
                    [units.number(e["value"], x), units.number(e["gauges"].get(g["id"]), g["dimension"])]
                    for e in (*result.get("edges", ()), *result.get("peaks", ()))
                    if e["gauges"].get(g["id"]) is not None
                ),
            }
            for g in gauges
        ],
        "windows": [[units.number(v, x) for v in ends] for ends in sentence.answer.windows],
        "best": None
        if best is None
        else {
            "x": units.number(best.values[0], x),
            "y": units.number(best.reads, sentence.shown["dimension"]),
            "axis": axis_of[sentence.shown["id"]],
            "label": of[sentence.shown["id"]]["label"],
        },
        "remarks": [" · ".join(own) for own in own_remarks(result)],
        "limited": sentence.answer.limited,
    }


FAR_APART = 8.0  # times by which two gauges of one dimension must differ in size to have axes of their own


def _scales(gauges, points):
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


def _axis_label(gauges, axis_of, i, dimension):
    """The gauge that an axis belongs to, or the dimension of several."""
    own = [g["label"] for g in gauges if axis_of[g["id"]] == i]
    return own[0] if len(own) == 1 else dimension


def contours(result, sentence, display):
    """Every gauge over two knobs, rows by the second; what breaks a limit, does not solve or is doubtful."""
    units, gauges, axes = _Units(display), result["gauges"], result["axes"]
    across, up = ([units.number(v, a["dimension"]) for v in a["values"]] for a in axes)
    where = {tuple(p["values"]): p for p in result["points"]}
    rows = [[where.get((x, y)) for x in axes[0]["values"]] for y in axes[1]["values"]]
    best, now = sentence.answer.best, sentence.now

    def place(values):
        return [units.number(v, a["dimension"]) for v, a in zip(values, axes, strict=True)]

    return {
        "kind": "contours",
        "x": across,
        "y": up,
        "axes": [
            {
                "label": a["label"],
                "unit": show_unit(a["dimension"], display),
                "address": a["address"],
                "log": a["spacing"] == "log",
                "typed": [write(v, a["dimension"], display, 7) for v in a["values"]],
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
        "out": [[bool(p) and any(limit_broken(p, g) for g in gauges) for p in row] for row in rows],
        "best": None if best is None else place(best.values),
        "now": None if now is None else place(now),
    }


def _state(point, gauges, passing):
    """What holds at a point: "", what is doubtful, the limits that it breaks, or that it did not solve."""
    if point is None:
        return ["missing", ""]
    if not point["solved"]:
        return ["failed", point["why"]]
    if any(c not in passing for c in point.get("doubts", ())):
        return ["doubt", " · ".join(point.get("warnings", ()))]
    broken = [f"{g['label']} too {'low' if b == 'at_least' else 'high'}" for g in gauges if (b := limit_broken(point, g))]
    return ["out", " · ".join(broken)] if broken else ["inside", ""]
