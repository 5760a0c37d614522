"""Edges and peaks along one knob, solved: where a gauge crosses a limit, and where it is highest or lowest."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.scans.points import finite, usable
from gulch.engine.scans.windows import limit_broken
from gulch.engine.settle import UNWATCHED
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.explain import Plan
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.scans.grid import Grid
    from gulch.engine.settle import Watch

FLAT = 1e-7  # of its size, by which a gauge must turn to have a peak
CLOSE = 1e-7  # of the distance between two points, to which edges are found
PEAK_CLOSE = 1e-5  # likewise peaks, near which a gauge hardly changes


class _Lost(Exception):
    """A point between two that solved does not."""


class _Line:
    """Solves between the points of a scan, each from the last one that did."""

    def __init__(self, plan: Plan, grid: Grid, start: Start | None, watch: Any, held: dict[str, float] | None = None) -> None:
        self.plan, self.address, self.ids = plan, grid.axes[0].address, [g["id"] for g in grid.gauges]
        self.start, self.watch, self.known = start, watch, {}
        self.held = held or {}  # the other knob, where there is one

    def gauges(self, x: float) -> dict[str, float]:
        """{gauge: SI value} at x. Raises _Lost."""
        x = float(x)
        if x not in self.known:
            solution = self.plan.run_from(self.start, self.held | {self.address: x}, self.watch, explain=False)
            if self.watch.ended() or not usable(solution):
                raise _Lost
            self.start = solution.start
            self.known[x] = {id_: finite(solution.gauges.get(id_)) for id_ in self.ids}
        return self.known[x]

    def gauge(self, x: float, id_: str) -> float:
        """SI value of a gauge at x. Raises _Lost."""
        found = self.gauges(x)[id_]
        if found is None:
            raise _Lost
        return found


def refined(plan: Plan, grid: Grid, points: list, start: Start | None = None, watch: Watch = UNWATCHED) -> tuple[list, list]:
    """(edges, peaks) of a scan of one knob, from its points.

    An edge is {"gauge", "limit": at_least or at_most, "at": that limit, "value": of the knob, "gauges": values there}; a peak
    {"gauge", "kind": highest or lowest, "value", "reads", "gauges"}. SI. What cannot be solved between its neighbours is left
    out. Nothing is looked for where a unit has several states: beyond the points it would not be known which one runs.
    Roots by Brent's method, peaks by his parabolas (Brent, Algorithms for Minimization without Derivatives, 1973).
    """
    line = _Line(plan, grid, start, watch)
    edges, peaks = [], []
    if any(p.get("note") for p in points) or any(KINDS[u.kind].follows and u.state == "nearest" for u in plan.project.units):
        return edges, peaks
    for g in grid.gauges:
        peaks += _peaks(line, g, points)
    known = {p["value"] for p in points}
    tops = {p["value"]: p["gauges"] for p in peaks if p["value"] not in known}
    # a limit may be crossed twice between two points, on both sides of a peak
    whole = sorted([*points, *({"value": x, "solved": True, "gauges": g} for x, g in tops.items())], key=lambda p: p["value"])
    for g in grid.gauges:
        for a, b in zip(whole, whole[1:], strict=False):
            edges += _edges_between(line, g, a, b)
    return edges, peaks


MOST_ROW_EDGES = 60  # of a scan of two knobs


def row_edges(plan: Plan, grid: Grid, points: list, start: Start | None = None, watch: Watch = UNWATCHED) -> list[dict]:
    """Edges of the window of a scan of two knobs, solved along its rows: as of `refined`, with "values" of both knobs.

    Between neighbours of which one meets all limits and the other one does not; MOST_ROW_EDGES at most.
    """
    by_place = {tuple(p["values"]): p for p in points}
    out: list[dict] = []
    for y in grid.axes[1].values:
        row = [by_place.get((float(x), float(y))) for x in grid.axes[0].values]
        line = _Line(plan, grid, start, watch, {grid.axes[1].address: float(y)})
        for a, b in zip(row, row[1:], strict=False):
            if a is None or b is None or not (a["solved"] and b["solved"]) or _meets(a, grid) == _meets(b, grid):
                continue
            found = [e for g in grid.gauges for e in _edges_between(line, g, a, b)]
            out += [e | {"values": [e["value"], float(y)]} for e in found if _meets_but(e, grid)]
            if len(out) >= MOST_ROW_EDGES or watch.ended():
                return out
    return out


def _meets(point: dict[str, Any], grid: Grid) -> bool:
    """Whether a point meets the limits of all gauges."""
    return all(limit_broken(point, g) is None for g in grid.gauges)


def _meets_but(edge: dict[str, Any], grid: Any) -> bool:
    """Whether all limits but the edge's own hold there."""
    return all(limit_broken(edge, g) is None for g in grid.gauges if g["id"] != edge["gauge"])


MOST_BENDS = 8  # points added where lines bend
BENDS = 0.03  # of a line's height by which a point lies off the straight line of its neighbours


def bends(plan: Plan, grid: Grid, points: list, start: Start | None = None, watch: Watch = UNWATCHED) -> list[dict]:
    """More points where lines bend most: [{"value", "gauges"}] between the points of a scan of one knob, solved, rising.

    A point lies off the straight line of its neighbours by more than BENDS of the line's height: both gaps beside it are halved.
    """
    line = _Line(plan, grid, start, watch)
    wanted: dict[float, float] = {}
    for g in grid.gauges:
        known = [(p["value"], p["gauges"][g["id"]]) for p in points if p["solved"] and p["gauges"][g["id"]] is not None]
        height = max((v for _, v in known), default=0.0) - min((v for _, v in known), default=0.0)
        for (x0, y0), (x, y), (x1, y1) in zip(known, known[1:], known[2:], strict=False):
            off = abs(y - (y0 + (y1 - y0) * (x - x0) / (x1 - x0))) / height if height > 0.0 else 0.0
            if off > BENDS:
                for middle in (0.5 * (x0 + x), 0.5 * (x + x1)):
                    wanted[middle] = max(off, wanted.get(middle, 0.0))
    out = []
    for x in sorted(sorted(wanted, key=lambda x: -wanted[x])[:MOST_BENDS]):
        try:
            out.append({"value": x, "gauges": line.gauges(x)})
        except _Lost:
            continue
    return out


def _edges_between(line: _Line, gauge: dict[str, Any], a: dict[str, Any], b: dict[str, Any]) -> list[dict[str, Any]]:
    """Edges of one gauge between two neighbouring points."""
    out, id_ = [], gauge["id"]
    if not (a["solved"] and b["solved"]) or None in (a["gauges"][id_], b["gauges"][id_]):
        return out
    for name in ("at_least", "at_most"):
        limit = gauge[name]
        if limit is None:
            continue
        off_a, off_b = a["gauges"][id_] - limit, b["gauges"][id_] - limit
        if off_a * off_b >= 0.0:
            continue
        ends = {a["value"]: off_a, b["value"]: off_b}
        try:
            x = scipy.optimize.brentq(
                lambda x, limit=limit, ends=ends: ends[x] if x in ends else line.gauge(x, id_) - limit,
                a["value"],
                b["value"],
                xtol=CLOSE * abs(b["value"] - a["value"]),
                rtol=1e-14,
            )
            out.append({"gauge": id_, "limit": name, "at": limit, "value": float(x), "gauges": line.gauges(x)})
        except _Lost:
            continue
    return out


def _peaks(line: _Line, gauge: dict[str, Any], points: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The highest and the lowest inner point of a gauge between its neighbours, each solved."""
    id_, out = gauge["id"], []
    for kind, sign in (("highest", -1.0), ("lowest", 1.0)):
        known = [(i, sign * p["gauges"][id_]) for i, p in enumerate(points) if p["solved"] and p["gauges"][id_] is not None]
        if not known:
            continue
        i, least = min(known, key=lambda pair: pair[1])
        around = [p for p in points[max(i - 1, 0) : i + 2] if p["solved"] and p["gauges"][id_] is not None]
        if len(around) < 3 or min(sign * around[0]["gauges"][id_], sign * around[2]["gauges"][id_]) - least <= FLAT * abs(least):
            continue  # at an end, or flat
        low, high = around[0]["value"], around[2]["value"]
        try:
            found = scipy.optimize.minimize_scalar(
                lambda x, sign=sign: sign * line.gauge(x, id_),
                bounds=(low, high),
                method="bounded",
                options={"xatol": PEAK_CLOSE * (high - low), "maxiter": 40},
            )
        except _Lost:
            continue
        x = float(found.x) if found.fun <= least else around[1]["value"]
        out.append({"gauge": id_, "kind": kind, "value": x, "reads": sign * min(float(found.fun), least), "gauges": line.gauges(x)})
    return out
