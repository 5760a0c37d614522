"""The trade-off of two aims: the curve of points at which one can only be better where the other is worse.

One aim is climbed while the other is held at a level (epsilon-constraint: Haimes, Lasdon & Wismer, IEEE Trans. Syst. Man Cybern. 1
(1971) 296), in the middle of the widest gap of the curve so far, from its neighbour.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.scans.best import HOLDS, ending, highest
from gulch.engine.scans.climb import climb
from gulch.engine.scans.grid import ScanError
from gulch.engine.scans.search import Aim, Ended, Point, Search, gone_on
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.explain import Plan
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.settle import Watch

LEVELS = 9  # between the ends
MOST_SOLVES = 1200
LEVEL_SOLVES = 100  # between two points of the curve
NEAR = 0.2  # of a range: how far one round climbs from a neighbour
LEAST_GAP = 0.02  # of the span of an aim: what is nearer needs nothing in between
LEAST = 1e-6  # of its size, by which a reading is better than another
SAME = 2e-3  # of their size, within which two points are one


@dataclass
class TradeOff:
    """A curve. SI. points: [{"values": of the knobs, "reads": (first, second), "gauges", "holds": what it sits on, "rough": whether
    its climb did not come to its end}], from the end that is best for the second aim to the one best for the first; knee: index of
    the point farthest from the line between both ends.

    aims: [{"gauge", "label", "dimension", "highest"}] of both; ended: "stopped" or "out of solves" where it is not complete.
    """

    aims: list
    knobs: list
    points: list = field(default_factory=list)
    knee: int | None = None
    solves: int = 0
    ended: str = ""

    def to_dict(self) -> dict[str, Any]:
        """Plain data."""
        return asdict(self)


def trade_off(
    plan: Plan,
    aim: Aim,
    against: Aim,
    start: Start | None = None,
    watch: Watch = UNWATCHED,
    known: list[Point] | tuple = (),
    tell: Callable = lambda point: None,
    most: int | None = None,
) -> TradeOff:
    """The TradeOff of two aims of a prepared process that turn the same knobs. Arguments as of `best`. Raises ScanError."""
    if aim.gauge == against.gauge:
        raise ScanError("Both aims are the same gauge: choose another for one of them.")
    curve = _Curve(plan, aim, against, start, watch, known, tell, most or gone_on(MOST_SOLVES, len(known)))
    first, second = curve.searches
    sides = [
        {"gauge": s.aim.gauge, "label": s.row["label"], "dimension": s.row["dimension"], "highest": s.aim.highest} for s in (first, second)
    ]
    out = TradeOff(sides, first.knobs)
    try:
        curve.climbed()
    except Ended:
        out.ended = ending(watch)
    found = curve.found or [p for p in (first.best, second.best) if p is not None]
    if not found:
        raise ScanError("No point meets all limits, so there is nothing to trade: ask for the best first, which says what excludes what.")
    out.points = [curve.told(p) for p in curve.undominated(found)]
    out.knee, out.solves = _knee([p["reads"] for p in out.points]), len(first.known)
    return out


class _Curve:
    """Both searches, and those between, over one store of solves."""

    def __init__(
        self, plan: Plan, aim: Aim, against: Aim, start: Start | None, watch: Watch, known: list | tuple, tell: Callable, most: int
    ) -> None:
        against = replace(against, knobs=aim.knobs, ranges=aim.ranges, passing=aim.passing)
        self.options = (plan, start, watch, tell, most)
        self.searches = [self.search(a, known) for a in (aim, against)]
        self.found, self.rough = [], set()  # Points of the curve; ids of those whose climbs did not come to their ends

    def search(self, aim: Aim, known: list[Point] | tuple, most: int | None = None) -> Search:
        plan, start, watch, tell, whole = self.options
        return Search(plan, aim, start, watch, known, tell, min(most or whole, whole))

    def climbed(self) -> None:
        """Find the points of the curve. Raises Ended."""
        first, second = self.searches
        highest(first)
        self.share(first, second)
        highest(second)
        self.share(second, first)
        a, b = first.best, second.best
        if a is None or b is None:
            return
        self.found += [a, b]
        if abs(self.other(a) - b.reads) <= SAME * second.size(b.reads):
            return  # one point is best for both
        tried: set[tuple] = set()
        while len(curve := self.undominated(self.found)) < LEVELS + 2 and len(tried) < 2 * LEVELS:
            gap = self.widest(curve, tried)
            if gap is None:
                return
            tried.add(gap)
            self.between(*gap)

    def widest(self, curve: list[Point], tried: set[tuple]) -> tuple | None:
        """(index of the aim to hold, level, the two neighbours' places) in the middle of the widest gap that was not tried; None for none.

        Gaps are counted in both aims on their own spans, so that points lie evenly along the curve and not in one aim alone.
        """
        rows = np.array([[p.gauges[s.aim.gauge] for s in self.searches] for p in curve])
        gaps = np.abs(np.diff(rows, axis=0)) / np.maximum(np.ptp(rows, axis=0), 1e-300)
        for at in np.argsort(-gaps, axis=None):
            k, held = divmod(int(at), 2)
            gap = (held, 0.5 * float(rows[k, held] + rows[k + 1, held]), tuple(curve[k].values), tuple(curve[k + 1].values))
            if gaps[k, held] > LEAST_GAP and gap not in tried:
                return gap
        return None

    def between(self, held: int, level: float, low: tuple, high: tuple) -> None:
        """Find the best for one aim where the other is held at a level, from the neighbour that meets it, else from the other one."""
        aim = self.searches[held].aim
        kind = "at_least" if aim.highest else "at_most"
        ends = [next(p for p in self.found if tuple(p.values) == values) for values in (low, high)]
        for begin in ends if held else reversed(ends):
            top, settled = self.at_level(held, (aim.gauge, kind, level), begin)
            if settled:
                break
        if top is not None:
            self.found.append(top)
            self.rough = (self.rough | {id(top)}) if not settled else self.rough - {id(top)}

    def at_level(self, held: int, limit: tuple, begin: Point) -> tuple:
        """(the best for the aim that is not held, inside a limit of the other, or None; whether its climb came to its end)."""
        first, climbed = self.searches[0], self.searches[1 - held]
        between = self.search(replace(climbed.aim, limits=(limit,)), list(first.known.values()), len(first.known) + LEVEL_SOLVES)
        between.starts, settled = first.starts, True
        try:
            climb(between, between.at(begin.u), NEAR)
        except Ended:
            if between.watch.ended() or len(between.known) >= first.most:
                raise
            settled = False
        finally:
            self.share(between, first)
        return between.best, settled

    def other(self, point: Point) -> float:
        """Reading of the second aim at a point."""
        return point.gauges[self.searches[1].aim.gauge]

    @staticmethod
    def share(one: Search, other: Search) -> None:
        """Let another search know the solves of one."""
        other.known |= {key: other.adopted(p) for key, p in one.known.items() if key not in other.known}
        other.seen |= dict.fromkeys(limit for p in other.known.values() for limit in p.rooms)
        other.starts = one.starts

    def undominated(self, found: list) -> list:
        """Those of some points that no other is better than in both aims, rising in the first."""
        first, second = self.searches
        size = [
            max(values) - min(values) or 1.0 for values in zip(*((p.gauges[first.aim.gauge], self.other(p)) for p in found), strict=True)
        ]

        def rank(p: Point) -> tuple:
            return first.sign * p.gauges[first.aim.gauge] / size[0], second.sign * self.other(p) / size[1]

        kept = [p for p in found if not any(_beats(rank(q), rank(p)) for q in found)]
        out = []
        for p in sorted(kept, key=rank):
            if not out or max(abs(x - y) for x, y in zip(rank(p), rank(out[-1]), strict=True)) > SAME:
                out.append(p)
        return out

    def told(self, point: Point) -> dict[str, Any]:
        """A Point as plain data, with what it sits on."""
        first, second = self.searches
        own = first.adopted(point)
        holds = [{"of": limit.of, "kind": limit.kind} for limit, room in own.rooms.items() if room < HOLDS]
        holds += [
            {"of": k["address"], "kind": "low" if u < 0.5 else "high"}
            for k, u in zip(first.knobs, point.u, strict=True)
            if min(u, 1.0 - u) < HOLDS
        ]
        reads = (point.gauges[first.aim.gauge], self.other(point))
        return {"values": point.values, "reads": reads, "gauges": point.gauges, "holds": holds, "rough": id(point) in self.rough}


def _beats(one: tuple, other: tuple) -> bool:
    """Whether a rank is not worse than another in both aims and better in one."""
    better = [x - y for x, y in zip(one, other, strict=True)]
    return min(better) > -LEAST and max(better) > LEAST


def _knee(reads: list[tuple]) -> int | None:
    """Index of the point farthest from the line between both ends, both aims counted on their own spans; None for a line."""
    if len(reads) < 3:
        return None
    span = np.array(reads, float)
    size = np.abs(span[-1] - span[0])
    if (size <= 0.0).any():
        return None
    scaled = (span - span[0]) / (span[-1] - span[0])
    away = np.abs(scaled[:, 1] - scaled[:, 0])
    return int(np.argmax(away)) if away.max() > 1e-3 else None
