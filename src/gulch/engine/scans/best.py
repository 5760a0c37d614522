"""The best operating point: what a search found, the limits that hold it and what each is worth, how flat the top is, and its proof."""

from __future__ import annotations

import math
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict, dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.project.unsure import anything_unsure
from gulch.engine.scans.answer import excluding
from gulch.engine.scans.climb import LEAST, SAME, beginnings, climb, distance, looks
from gulch.engine.scans.grid import ScanError
from gulch.engine.scans.search import INSIDE, Aim, Ended, Point, Search
from gulch.engine.scans.sure import BEST_SAMPLES, band, unsure_of
from gulch.engine.scans.windows import limit_broken
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.explain import Plan
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.settle import Watch

HOLDS = 2e-4  # of its size, within which a limit is sat on
AROUND = 0.01  # of a range: how far beside the best point its proof is solved
FLAT = 0.01  # of what the knobs move the aim by: what may be lost where the top is called flat
FLAT_SOLVES = 5  # a side
STILL = 1e-8  # of a reading: what solves of one state may differ by, so that nothing is said to have moved it


@dataclass
class Optimum:
    """What a search found. SI. knobs: [{"knob", "label", "address", "dimension", "low", "high", "now"}].

    values: of the knobs at the best point; reads, readings: of the aim and of all gauges there; None where no point meets all limits.
    now: the aim as things are.
    holds: [{"of", "kind", "at", "dimension", "worth"}]: limits and doubts that it sits on, with what the aim would gain for one
    SI unit that they give way; ends: the same for knobs at an end of their range, of: the address, kind: low or high.
    flat: {address: [low, high]} of each knob, the others following, with at most FLAT of `span` lost, which is what the knobs moved the
    aim by; peaks: where other climbs ended; around: solves beside the best point, better: those among them that were inside and better.
    looks, climbs: places looked at first, and climbs, on which the answer rests.
    jumps: [{"address", "way", "at", "of", "medium", "then"}]: the medium of a unit (of) reaches no further than the knob's value at, above
    or below which another is needed, None where none has a price.
    hidden: {"values", "reads", "doubts"} of the best point that only doubts keep out, where it reads better than the best.
    excluding, nearest: where no point meets all limits, which exclude which, and the point that misses them least.
    """

    gauge: str
    highest: bool
    dimension: str
    knobs: list
    now: float | None = None
    values: list | None = None
    reads: float | None = None
    readings: dict = field(default_factory=dict)
    band: dict = field(default_factory=dict)  # {gauge: [low, high]} that unsure data leave at the best point
    samples: int = 0  # of which the band is
    holds: list = field(default_factory=list)
    ends: list = field(default_factory=list)
    flat: dict = field(default_factory=dict)
    jumps: list = field(default_factory=list)
    peaks: list = field(default_factory=list)
    span: float = 0.0
    around: int = 0
    better: int = 0
    looks: int = 0
    climbs: int = 0
    hidden: dict | None = None
    excluding: list = field(default_factory=list)
    nearest: dict | None = None
    solves: int = 0
    failed: int = 0
    doubtful: int = 0
    ended: str = ""  # "stopped" or "out of solves", where the search is not complete

    def to_dict(self) -> dict[str, Any]:
        """Plain data."""
        return asdict(self)


def best(
    plan: Plan,
    aim: Aim,
    start: Start | None = None,
    watch: Watch = UNWATCHED,
    known: list[Point] | tuple = (),
    tell: Callable = lambda point: None,
    most: int | None = None,
) -> Optimum:
    """Turn the knobs of a prepared process for the best reading of a gauge inside all limits: an Optimum.

    known: Points of the same search broken off earlier; tell(Point): hears of each new solve; most: solves in all, by the number of
    knobs unless given, and as many again where those known have used them up.
    The same question has the same answer. Raises ScanError with a sentence where there is nothing to turn, to aim at, or no answer.
    """
    search = Search(plan, aim, start, watch, known, tell, most)
    out = Optimum(aim.gauge, aim.highest, search.row["dimension"], search.knobs)
    peaks: list[Point] = []
    try:
        peaks += highest(search)
        top = search.best
        while top is not None and _prove(search, top, out):  # a neighbour was better
            climb(search, search.best or top)
            if search.best is top:
                break
            top = search.best
    except Ended:
        out.ended = ending(watch)
    _told(search, out, peaks)
    return out


def ending(watch: Watch) -> str:
    """Why a search is not complete."""
    return "stopped" if watch.ended() else "out of solves"


def highest(search: Search) -> list[Point]:
    """Where the climbs of a search ended. Raises Ended, ScanError where nothing moves the aim."""
    _refuse_held(search)
    spread = looks(search)
    _refuse_still(search, spread)
    begins = beginnings(search, spread)
    search.climbs = len(begins)
    tops = [climb(search, begin) for begin in begins]
    return [top for top in tops if top is not None]


def _refuse_held(search: Search) -> None:
    """An aim that a target holds is what the target says, whatever turns."""
    target = next((t for t in search.plan.project.targets if t.on and t.gauge == search.aim.gauge), None)
    if target is not None:
        raise ScanError(f"{search.row['label']} is held by a target, so it does not depend on the knobs: choose another aim.")


def _refuse_still(search: Search, found: list[Point]) -> None:
    """An aim that no knob moves has no best point."""
    reads = [p.reads for p in found if p.reads is not None]
    if not any(p.solved for p in found):
        why = next((p.why for p in found if p.why), "")
        raise ScanError(f"The process solves nowhere in the ranges of its knobs. {why} Narrow the ranges to where it does.")
    if len(reads) < 2:
        raise ScanError(f"{search.row['label']} has no value in the ranges of the knobs: choose another aim.")
    if max(reads) - min(reads) <= STILL * max(abs(r) for r in reads):
        names = ", ".join(k["label"] for k in search.knobs)
        raise ScanError(f"No knob moves {search.row['label']}; it does not depend on {names}: choose another aim, or other knobs.")


def _prove(search: Any, top: Any, out: Any) -> bool:
    """Solve beside the best point; whether one of them is better."""
    gain = LEAST * search.size(top.reads)
    out.around, out.better, out.jumps = 0, 0, []
    for k in np.flatnonzero(~search.whole):
        for step in (AROUND, -AROUND):
            moved = top.u.copy()
            moved[k] += step
            if not 0.0 <= moved[k] <= 1.0:
                continue
            there = search.at(moved)
            out.around += 1
            out.better += there.inside and search.sign * (there.reads - top.reads) > gain
            out.jumps += _jumps(search, top, there, k, step)
    return out.better > 0


def _jumps(search: Search, top: Point, there: Point, k: Any, step: float) -> list[dict[str, Any]]:
    """Units that beside the best point need another heating or cooling medium than there, so that the price jumps."""
    if not there.solved or search.rank(there) > search.rank(top):
        return []
    way = {"address": search.knobs[k]["address"], "way": "above" if step > 0.0 else "below", "at": top.values[k]}
    return [
        way | {"of": unit, "medium": medium, "then": there.media.get(unit)}
        for unit, medium in top.media.items()
        if there.media.get(unit) != medium and (unit in there.media or there.reads is None)
    ]


def _told(search: Search, out: Optimum, peaks: list[Point]) -> None:
    """Write down what the search found."""
    top, points = search.best, list(search.known.values())
    out.now = search.here.reads if search.here is not None else None
    out.span, out.looks, out.climbs = search.span, search.looks, search.climbs
    out.hidden = _hidden(search, points)
    out.failed, out.doubtful = sum(not p.solved for p in points), sum(bool(p.doubts) for p in points)
    if top is None:
        solved = [p for p in points if p.trusted]
        near = min(solved, key=lambda p: p.off, default=None)
        out.nearest = None if near is None else {"values": near.values, "reads": near.reads, "gauges": near.gauges}
        limited = [g for g in search.rows if g["at_least"] is not None or g["at_most"] is not None]
        if solved and not out.ended:
            solved = _reached(search, limited)
        out.excluding = excluding([{"solved": True, "gauges": p.gauges} for p in solved], limited) if solved else []
        out.solves = search.solves
        return
    out.values, out.reads, out.readings = top.values, top.reads, top.gauges
    try:
        others: list[Point] = []
        for p in sorted((p for p in peaks if p.inside), key=search.rank, reverse=True):
            if all(_apart(search, p, q) for q in (top, *others)):
                others.append(p)
        out.peaks = [{"values": p.values, "reads": p.reads} for p in others]
        _held(search, top, out)
        if not out.ended:
            out.flat = _flat(search, top, out.span)
            out.band, out.samples = _band(search, top), BEST_SAMPLES
    except Ended:
        out.ended = out.ended or "out of solves"
    out.solves = search.solves


def _hidden(search: Search, points: list[Point]) -> dict[str, Any] | None:
    """The best point that only doubts keep out, where it reads better than the best that they do not."""
    top, own = search.best, [p for p in points if p.solved and p.reads is not None and p.doubts]
    out = [p for p in own if all(room >= 0.0 for limit, room in p.rooms.items() if not limit.is_doubt)]
    found = max(out, key=search.rank, default=None)
    if found is None or (top is not None and search.rank(found) <= search.rank(top) + LEAST * search.size(top.reads)):
        return None
    return {"values": found.values, "reads": found.reads, "doubts": found.doubts}


def _apart(search: Search, one: Point, other: Point) -> bool:
    """Whether two tops are peaks of their own: they lie apart, and it goes down between them."""
    if distance(one.u, other.u) <= SAME:
        return False
    between = search.at(0.5 * (one.u + other.u))
    down = min(search.rank(one), search.rank(other)) - LEAST * search.size(one.reads)
    return not between.inside or search.rank(between) < down


def _reached(search: Search, limited: list[dict[str, Any]]) -> list[Point]:
    """The trusted points, with those at which each limit that none of them meets is missed least when nothing else counts."""
    points = {key: p for key, p in search.known.items() if p.trusted}
    for g in limited:
        for kind, highest in (("at_least", True), ("at_most", False)):
            if g[kind] is None or any(limit_broken({"gauges": p.gauges}, g) is None for p in points.values()):
                continue
            aim = replace(search.aim, gauge=g["id"], highest=highest, limits=(), alone=True)
            by = Search(search.plan, aim, search.begin, search.watch, list(search.known.values()), search.tell, search.most)
            by.starts = search.starts
            with suppress(Ended):
                climb(by, by.best) if by.best is not None else None
            search.solves += by.solves - len(search.known)
            points |= {key: p for key, p in by.known.items() if p.trusted}
    return list(points.values())


def _held(search: Search, top: Point, out: Optimum) -> None:
    """Fill in which limits and ends hold the best point and what each is worth.

    The multipliers of its conditions (Karush, Kuhn and Tucker) by non-negative least squares: what the aim gains for a unit of room.
    """
    df, slopes = search.slopes(top.u, sharply=True)
    limits = [limit for limit, room in top.rooms.items() if room < HOLDS]
    ends = [k for k in np.flatnonzero(~search.whole) if top.u[k] < INSIDE or top.u[k] > 1.0 - INSIDE]
    inward = [(1.0 if top.u[k] < 0.5 else -1.0) * np.eye(top.u.size)[k] for k in ends]
    normals = np.array([*(slopes[limit] for limit in limits), *inward]).reshape(-1, top.u.size)
    gain = search.sign * df
    worth = scipy.optimize.nnls(normals.T, -gain)[0] if normals.size else np.zeros(0)
    least = 1e-6 * search.size(top.reads)
    for limit, m in zip(limits, worth, strict=False):
        if m > least:
            out.holds.append(
                {"of": limit.of, "kind": limit.kind, "at": limit.value, "dimension": limit.dimension, "worth": float(m / limit.size)}
            )
    for k, m in zip(ends, worth[len(limits) :], strict=True):
        knob = search.knobs[k]
        own = {"of": knob["address"], "kind": "low" if top.u[k] < 0.5 else "high", "dimension": knob["dimension"]}
        out.ends.append(own | {"at": top.values[k], "worth": float(m / (knob["high"] - knob["low"])) if m > least else 0.0})


def _flat(search: Any, top: Any, span: Any) -> dict[str, list[float]]:
    """{address: [low, high]} of the points found that are inside and lose at most FLAT of the span, the other knobs following.

    How far each knob may go is estimated by the slopes at the top (a linear programme), and solved there or on the way back.
    """
    for direction in _outermost(search, top, span):
        low, high, share = 0.0, 1.0, 1.0
        for _ in range(FLAT_SOLVES):
            there = search.at(top.u + share * direction)
            lost = _loss(there, top, span)
            fine = there.inside and lost <= FLAT
            low, high = (share, high) if fine else (low, share)
            if fine and (share == 1.0 or lost > 0.9 * FLAT):
                break
            guess = 0.98 * share * math.sqrt(FLAT / lost) if there.inside and lost > 0.0 else 0.5 * (low + high)
            share = min(max(guess, low + 0.1 * (high - low)), high - 0.1 * (high - low))
    fine = np.array([p.values for p in search.known.values() if p.inside and _loss(p, top, span) <= FLAT])
    return {k["address"]: [float(fine[:, i].min()), float(fine[:, i].max())] for i, k in enumerate(search.knobs)}


def _band(search: Search, top: Point) -> Any:
    """The band of every gauge at the best point; {} where no datum is unsure."""
    plan = search.plan
    data = unsure_of(plan) if anything_unsure(plan.project) else []
    at = dict(zip((k["address"] for k in search.knobs), top.values, strict=True))
    near = min(search.starts, key=lambda s: float(np.abs(s[0] - top.u).sum()), default=(None, None))[1]
    return band(plan, data, at, near, search.rows, search.watch, BEST_SAMPLES) if data else {}


def _loss(point: Any, top: Any, span: Any) -> float:
    """Share of the span that another point loses."""
    return math.inf if point.reads is None else abs(point.reads - top.reads) / max(span, 1e-300)


def _outermost(search: Search, top: Point, span: float) -> Iterator:
    """Directions in which each knob goes down and up as far as limits and loss allow by their slopes, each of shape (d,)."""
    df, slopes = search.slopes(top.u)
    rows = [-slope for slope in slopes.values()] + [-search.sign * df]
    room = [max(top.room(limit), 0.0) for limit in slopes] + [FLAT * span]
    bounds = [(0.0, 0.0) if whole else (-u, 1.0 - u) for u, whole in zip(top.u, search.whole, strict=True)]
    for k in np.flatnonzero(~search.whole):
        for way in (-1.0, 1.0):
            found = scipy.optimize.linprog(-way * np.eye(top.u.size)[k], A_ub=np.array(rows), b_ub=room, bounds=bounds)
            if found.status == 0 and abs(found.x[k]) > 1e-4:
                yield found.x
