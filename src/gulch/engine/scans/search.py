"""Solves of one question over several knobs, each kept: what a search for the best asks, and what is known of it so far.

Knobs run over their ranges as numbers from 0 to 1, u, shape (d,). Limits of gauges and distances from doubt are functions, room,
shape (m,), that must not be negative, in units of their own size.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.flowsheet.sensitivities import sensitivities
from gulch.engine.quantities import difference_of
from gulch.engine.scans.grid import ScanError, gauge_rows
from gulch.engine.scans.points import doubts_of, finite, point_warnings, rest_on, usable
from gulch.engine.scans.swings import movable
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.explain import Plan
    from gulch.engine.flowsheet.solution import Solution
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.settle import Watch

MOST_SOLVES = 300  # at the least
KNOB_SOLVES = 120  # a knob, where there are more
STEP = 2e-4  # of a range, by which slopes are measured
INSIDE = 1e-5  # of its size, by which limits are kept clear of: a point written with eight digits still meets them
NOISE = 1e-6  # of a reading: what two solves of one state may differ by, and more
CLEAR = {"temperature difference": 10.0, "ratio": 0.05}  # size of a distance from doubt, by its dimension
PLENTY = 1.0  # room, in sizes, of a doubt that is far away, or not in sight


@dataclass(frozen=True)
class Aim:
    """What is sought: the highest (lowest) reading of a gauge. knobs: ids of those that turn, all that can without;

    ranges: {knob: (low, high)} in place of the knobs' own, SI; passing: codes of doubts that count for nothing;
    limits: further ones [(gauge, "at_least" or "at_most", SI value)]; alone: whether the gauges' own limits count for nothing.
    """

    gauge: str
    highest: bool = True
    knobs: tuple = ()
    ranges: dict = field(default_factory=dict)
    passing: tuple = ()
    limits: tuple = ()
    alone: bool = False


@dataclass(frozen=True)
class Limit:
    """What must not be passed: a gauge's own limit (kind at_least or at_most), or a doubt (kind: its code), whose value is 0.

    of: id of the gauge, or what holds where there is no doubt, in words; size: what its room is counted in [SI].
    """

    of: str
    kind: str
    value: float
    dimension: str
    size: float

    @property
    def clear(self) -> float:
        """The room that is kept before it, in its size; none at a limit of zero, which many readings can reach and not pass."""
        return INSIDE if self.is_doubt or self.value != 0.0 else 0.0

    @property
    def is_doubt(self) -> bool:
        """Whether it keeps out a doubt and not a gauge's reading."""
        return self.kind not in ("at_least", "at_most")


@dataclass
class Point:
    """A solve. values: of the knobs; reads: of the aim; gauges: all, SI; rooms: {Limit: room in sizes}, of what is known of there."""

    u: np.ndarray
    values: list
    solved: bool
    reads: Any = None  # a number, once it is solved
    gauges: dict = field(default_factory=dict)
    rooms: dict = field(default_factory=dict)
    doubts: list = field(default_factory=list)
    warnings: list = field(default_factory=list)
    why: str = ""
    media: dict = field(default_factory=dict)  # {unit: the priced medium that heats or cools it}

    @property
    def trusted(self) -> bool:
        """Whether its figures stand."""
        return self.solved and self.reads is not None and not self.doubts

    @property
    def inside(self) -> bool:
        """Whether it is trusted and meets all limits."""
        return self.trusted and all(room >= 0.0 for limit, room in self.rooms.items() if not limit.is_doubt)

    @property
    def off(self) -> float:
        """By how much the limit is missed that is missed most, in its size; 0.0 where none is."""
        return max(0.0, *(-room for room in self.rooms.values())) if self.rooms else 0.0

    def room(self, limit: Limit) -> float:
        """Room before a limit, in its size."""
        return self.rooms.get(limit, PLENTY)

    def to_dict(self) -> dict[str, Any]:
        """Plain data, as kept."""
        plain = dict(vars(self)) | {"u": self.u.tolist(), "rooms": [[asdict(limit), room] for limit, room in self.rooms.items()]}
        return plain | {"value": self.values[0]}

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> Point:
        """Rebuild what `to_dict` wrote."""
        data = {k: v for k, v in data.items() if k != "value"}
        return cls(**data | {"u": np.array(data["u"]), "rooms": {Limit(**limit): room for limit, room in data["rooms"]}})


class Ended(Exception):
    """Stopped from outside, or out of solves."""


class Search:
    """The solves of one Aim, each from the nearest one that stands. Raises ScanError where there is nothing to turn or to aim at.

    known: Points of an earlier search that was broken off; tell(Point): hears of each new solve.
    """

    def __init__(
        self,
        plan: Plan,
        aim: Aim,
        start: Start | None = None,
        watch: Watch = UNWATCHED,
        known: list | tuple = (),
        tell: Callable = lambda point: None,
        most: int | None = None,
    ) -> None:
        self.plan, self.aim, self.watch, self.tell, self.begin = plan, aim, watch, tell, start
        self.rows = gauge_rows(plan.project)
        found = next((g for g in self.rows if g["id"] == aim.gauge), None)
        if found is None:
            raise ScanError("The aim is no gauge of the project: choose one, or turn a result into a gauge first.")
        self.row = found
        self.sign = 1.0 if aim.highest else -1.0
        self.knobs = knobs_of(plan, aim)
        self.most = most or gone_on(most_for(len(self.knobs)), len(known))
        self.low, self.high = (np.array([k[end] for k in self.knobs]) for end in ("low", "high"))
        self.whole = np.array([k["dimension"] == "count" for k in self.knobs])
        self.touching = rest_on(plan, self.rows)
        self.limits = self._limits()
        self.known = {_key(p.u): self.adopted(p) for p in known}
        self.seen = {limit: None for p in self.known.values() for limit in p.rooms}  # limits met so far, in order
        self.starts = []
        self.derived: dict[tuple, tuple | None] = {}  # slopes at points, by derivatives
        self.solves = len(known)  # those of an earlier search too
        self.looks = self.climbs = 0  # places that were looked at first; climbs that began

    def _limits(self) -> list[tuple]:
        """[(gauge row, Limit)] of the gauges' own limits and those of the aim."""
        own = [(g["id"], n, g[n]) for g in self.rows for n in ("at_least", "at_most") if g[n] is not None and not self.aim.alone]
        by_id = {g["id"]: g for g in self.rows}
        return [
            (by_id[id_], Limit(id_, kind, value, difference_of(by_id[id_]["dimension"]), abs(value) or 1.0))
            for id_, kind, value in (*own, *self.aim.limits)
        ]

    @property
    def present(self) -> np.ndarray:
        """u of the process as it is; outside 0 to 1 where a knob stands outside its range."""
        return np.array([(k["now"] - k["low"]) / (k["high"] - k["low"]) for k in self.knobs])

    def snapped(self, u: np.ndarray) -> np.ndarray:
        """u inside the ranges, with knobs that count whole things on whole numbers."""
        u = np.clip(np.asarray(u, float), 0.0, 1.0)
        if self.whole.any():
            values = np.clip(np.round(self.low + u * (self.high - self.low)), np.ceil(self.low), np.floor(self.high))
            u = np.where(self.whole, (values - self.low) / (self.high - self.low), u)
        return u

    def at(self, u: np.ndarray) -> Point:
        """The Point at u. Raises Ended."""
        u = self.snapped(u)
        key = _key(u)
        if key in self.known:
            return self.known[key]
        if self.watch.ended() or len(self.known) >= self.most:
            raise Ended
        values = (self.low + u * (self.high - self.low)).tolist()
        overrides = dict(zip((k["address"] for k in self.knobs), values, strict=True))
        near = min(self.starts, key=lambda s: float(np.abs(s[0] - u).sum()), default=(None, self.begin))[1]
        solution = self.plan.run_from(near, overrides, self.watch, explain=False, rooms=True)
        if self.watch.ended():
            raise Ended
        self.solves += 1
        point = self.known[key] = self._point(u, values, solution)
        if point.solved:
            self.starts = [*self.starts[-40:], (u, solution.start)]
        self.seen |= dict.fromkeys(point.rooms)
        self.tell(point)
        return point

    def _point(self, u: np.ndarray, values: list, solution: Solution) -> Point:
        if not usable(solution):
            return Point(u, values, False, why=next((m.what for m in solution.messages if m.level == "error"), "It did not solve."))
        gauges = {g["id"]: finite(solution.gauges.get(g["id"])) for g in self.rows}
        rooms = self._gauge_rooms(gauges)
        for r in solution.rooms:
            if r.place.id in self.touching and r.code.value not in self.aim.passing:
                limit = Limit(r.holds, r.code.value, 0.0, r.dimension, CLEAR.get(r.dimension, 1.0))
                rooms[limit] = min(r.distance / limit.size, PLENTY)
        doubts = [c for c in doubts_of(solution, self.touching) if c not in self.aim.passing]
        account = solution.overall.get("account", {"parts": ()})
        media = {p["of"]: p["name"] for p in account["parts"] if p["what"] in ("heating", "cooling") and p["rate"] is not None}
        return Point(u, values, True, gauges[self.row["id"]], gauges, rooms, doubts, point_warnings(solution, self.plan), media=media)

    def _gauge_rooms(self, gauges: Any) -> dict[Limit, float]:
        """{Limit: room} of gauges' readings."""
        rooms = {}
        for g, limit in self.limits:
            reads = gauges[g["id"]]
            sign = 1.0 if limit.kind == "at_least" else -1.0
            rooms[limit] = -1.0 if reads is None else sign * (reads - limit.value) / limit.size
        return rooms

    def adopted(self, point: Point) -> Point:
        """A Point of another search of the same process and knobs, seen with the aim and the limits of this one."""
        if not point.solved:
            return point
        doubts = {limit: room for limit, room in point.rooms.items() if limit.is_doubt}
        return replace(point, reads=point.gauges[self.row["id"]], rooms=self._gauge_rooms(point.gauges) | doubts)

    def slopes(self, u: np.ndarray, sharply: bool = False) -> tuple[np.ndarray, dict]:
        """(d reads/du, shape (d,); {Limit: d room/du, shape (d,)}) by derivatives of the process. Raises Ended.

        Where a doubt is in sight, or a unit has no derivatives, by differences that stay in the ranges; sharply: by two points a knob,
        to the second order, and not by one.
        """
        here = self.at(u)
        known = self._derived(here)
        if known is not None:
            return known
        df, rooms = np.zeros(len(u)), {limit: np.zeros(len(u)) for limit in self.seen}
        for k in np.flatnonzero(~self.whole):
            sides = []
            for step in (STEP, -STEP, 2.0 * STEP, -2.0 * STEP) if sharply else (STEP, -STEP):
                if len(sides) <= sharply and (there := self._beside(here, k, step)) is not None:
                    sides.append((step, there))
            if not sides:
                continue
            weights = _weights([step for step, _ in sides])
            df[k] = sum(w * (there.reads - here.reads) for w, (_, there) in zip(weights, sides, strict=True))
            for limit, slope in rooms.items():
                slope[k] = sum(w * (there.room(limit) - here.room(limit)) for w, (_, there) in zip(weights, sides, strict=True))
        return df, rooms

    def _derived(self, here: Point) -> tuple[np.ndarray, dict] | None:
        """Slopes at a Point without further solves; None where they cannot be had so."""
        key = _key(here.u)
        if key in self.derived:
            return self.derived[key]
        start = next((s for u, s in reversed(self.starts) if _key(u) == key), None)
        in_sight = any(limit.is_doubt and here.room(limit) < PLENTY for limit in self.seen)
        if start is None or in_sight or here.reads is None:
            return None
        limits = [limit for limit in self.seen if not limit.is_doubt]
        reads = {g["id"]: g["reads"] for g in self.rows}
        addresses = {k["address"]: v for k, v in zip(self.knobs, here.values, strict=True)}
        asked = [reads[id_] for id_ in (self.aim.gauge, *(limit.of for limit in limits))]
        found = sensitivities(self.plan, start, addresses, (self.high - self.low).tolist(), asked, self.watch)
        if found is None:
            self.derived[key] = None
            return None
        by_u = np.where(self.whole, 0.0, found * (self.high - self.low))
        signs = {"at_least": 1.0, "at_most": -1.0}
        rooms = {limit: signs[limit.kind] * row / limit.size for limit, row in zip(limits, by_u[1:], strict=True)}
        self.derived[key] = by_u[0], rooms | {limit: np.zeros(len(here.u)) for limit in self.seen if limit.is_doubt}
        return self.derived[key]

    def _beside(self, here: Point, k: Any, step: float) -> Point | None:
        """The Point a step of one knob away, or None where it is out of range or cannot be read."""
        moved = here.u.copy()
        moved[k] += step
        there = self.at(moved) if 0.0 <= moved[k] <= 1.0 and here.reads is not None else None
        return there if there is not None and there.solved and there.reads is not None else None

    @property
    def here(self) -> Point | None:
        """The Point of the process as it is, where that was solved and its knobs stand in their ranges."""
        inside = ((self.present >= 0.0) & (self.present <= 1.0)).all()
        return self.known.get(_key(self.snapped(self.present))) if inside else None

    @property
    def span(self) -> float:
        """How far apart the readings are that the knobs brought about where the figures stand, inside the limits where they can be met."""
        trusted = [p for p in self.known.values() if p.trusted]
        reads = [p.reads for p in ([p for p in trusted if p.inside] or trusted) if p.reads is not None]
        return max(reads) - min(reads) if reads else 0.0

    def size(self, reads: float) -> float:
        """What a change of the aim is counted in at a reading: what the knobs can do, or what is left of it, or to all of it, if less.

        Where nearly everything is reached, as in the purity of a product, the impurity counts.
        """
        span = self.span
        left = [span, *(v for v in (abs(reads), abs(1.0 - reads) if self.row["dimension"] == "fraction" else span) if v > 0.0)]
        return max(min(left), NOISE * abs(reads), 1e-300)

    @property
    def best(self) -> Point | None:
        """The best Point found, if any meets all limits."""
        return max((p for p in self.known.values() if p.inside), key=self.rank, default=None)

    def rank(self, point: Point) -> float:
        """A number that is higher where the aim reads better."""
        return -np.inf if point.reads is None else self.sign * point.reads


def knobs_of(plan: Plan, aim: Aim) -> list[dict[str, Any]]:
    """The knobs that an Aim turns, as {"knob", "label", "address", "dimension", "low", "high", "now"}, SI. Raises ScanError."""
    free, held = movable(plan)
    if aim.knobs:
        lost = next((k for k in aim.knobs if k not in {f["knob"] for f in free}), None)
        if lost is not None:
            label, why = held.get(lost, (lost, "it is no knob of the project"))
            raise ScanError(f"{label} cannot be turned: {why}. Leave it out, or free it.")
        free = [f for f in free if f["knob"] in aim.knobs]
    if not free:
        why = "".join(f" {label}: {words}." for label, words in held.values())
        raise ScanError(f"No knob can be turned: make an input a knob first (◇ beside it in the inspector).{why}")
    for f in free:
        f["low"], f["high"] = aim.ranges.get(f["knob"], (f["low"], f["high"]))
        bounds = plan.bounds[f["address"]]
        if not bounds.low <= f["low"] < f["high"] <= bounds.high:
            raise ScanError(f"The range of {f['label']} is none that it can take: its low end must lie below its high end.")
    return free


def gone_on(most: int, known: int) -> int:
    """Solves that a search may take which begins with some known ones: as many as ever, and as many again where those were used up."""
    return most * (1 + known // most)


def most_for(knobs: int) -> int:
    """Solves that a search over so many knobs may take."""
    return max(MOST_SOLVES, KNOB_SOLVES * knobs)


def _weights(steps: list[float]) -> list[float]:
    """Of differences from a point, by which they make its slope: one step to the first order, two to the second."""
    if len(steps) == 1:
        return [1.0 / steps[0]]
    a, b = steps
    return [b / (a * (b - a)), -a / (b * (b - a))]


def _key(u: np.ndarray) -> tuple:
    return tuple(np.round(u, 12))
