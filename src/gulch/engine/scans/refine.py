"""Edges and peaks along one knob, solved: where a gauge crosses a limit, and where it is highest or lowest."""

from __future__ import annotations

from typing import TYPE_CHECKING

import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.scans.points import finite, usable
from gulch.engine.settle import UNWATCHED
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.flowsheet.plan import Plan
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

    def __init__(self, plan, grid, start, watch):
        self.plan, self.address, self.ids = plan, grid.axes[0].address, [g["id"] for g in grid.gauges]
        self.start, self.watch, self.known = start, watch, {}

    def gauges(self, x):
        """{gauge: SI value} at x. Raises _Lost."""
        x = float(x)
        if x not in self.known:
            solution = self.plan.run(start=self.start, overrides={self.address: x}, watch=self.watch, explain=False)
            if self.watch.ended() or not usable(solution):
                raise _Lost
            self.start = solution.start
            self.known[x] = {id_: finite(solution.gauges.get(id_)) for id_ in self.ids}
        return self.known[x]

    def gauge(self, x, id_):
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
        for a, b in zip(points, points[1:], strict=False):
            edges += _edges_between(line, g, a, b)
        peaks += _peaks(line, g, points)
    return edges, peaks


def _edges_between(line, gauge, a, b):
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


def _peaks(line, gauge, points):
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
