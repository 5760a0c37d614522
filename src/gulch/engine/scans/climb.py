"""Climbing to the best point inside all limits: looks spread over the ranges, then sequential least squares from the best of them.

Sobol's sequence spreads the looks; a climb solves a quadratic problem with linear limits at each step (SLSQP: Kraft, DFVLR-FB 88-28,
1988). A point that cannot be computed, or that is doubtful for a reason without a distance, is kept away by straight cuts.
"""

from __future__ import annotations

import itertools
import math
from typing import Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.scans.search import Limit, Point, Search

SEED = 1  # of the first looks, so that the same question has the same answer
LOOKS = 8  # a knob, spread over the ranges before any climb
CORNERS = 3  # knobs up to which every corner of their ranges is looked at; of more, each knob's ends alone
CLIMBS = 2  # from the best looks that lie apart
APART = 0.2  # of the ranges' diagonal
SAME = 0.03  # of it, within which two climbs have ended on one peak
ROUNDS = 10  # of one climb
STEPS = 25  # of one round
ROUND_SOLVES = 20  # of one round, for each knob and once more
NEARER = 0.5  # share of what was missed before that a round may leave
NARROW = 5e-3  # of a range: the box in which nothing more is looked for
CLIFF = 1.0  # sizes by which a doubt is passed where slopes tell nothing any more
LEAST = 1e-5  # of the aim's size: a round that gains less is the last


class _Enough(Exception):
    """A round that took more solves than one that comes to something takes."""


def looks(search: Search) -> list[Point]:
    """Points spread over the ranges, at their ends, and the present one. Raises Ended."""
    d = len(search.knobs)
    size = 2 ** int(np.ceil(np.log2(LOOKS * d)))
    present = np.clip(search.present, 0.0, 1.0)
    spread = [present, *scipy.stats.qmc.Sobol(d, seed=SEED).random(size), *_ends(present)]
    search.looks = len(spread)
    return [search.at(u) for u in spread]


def _ends(present: np.ndarray) -> list[np.ndarray]:
    """Corners of the ranges; with many knobs the ends of each, the others as they are."""
    d = present.size
    if d <= CORNERS:
        return [np.array(u) for u in itertools.product((0.0, 1.0), repeat=d)]
    return [np.where(np.arange(d) == k, end, present) for k in range(d) for end in (0.0, 1.0)]


def beginnings(search: Search, found: list[Point]) -> list[Point]:
    """Where climbs begin: the best looks inside that lie apart; without any, those that miss limits least."""
    solved = [p for p in found if p.solved and p.reads is not None]
    inside = sorted((p for p in solved if p.inside), key=search.rank, reverse=True)
    chosen = []
    for p in inside or sorted(solved, key=lambda p: p.off):
        if all(distance(p.u, q.u) > APART for q in chosen):
            chosen.append(p)
        if len(chosen) == CLIMBS:
            break
    return chosen


def distance(u: np.ndarray, v: np.ndarray) -> float:
    """Between two places u and v, shape (d,) each, on the ranges' diagonal."""
    return float(np.linalg.norm(u - v)) / np.sqrt(u.size)


def climb(search: Search, begin: Point, reach: float = 1.0) -> Point | None:
    """The Point where a climb from a point ends; None where it comes inside nowhere. Raises Ended.

    reach: of each range, to either side, within which a round climbs; one that gains nothing narrows it, one that ends at its edge
    is followed by another.
    """
    cuts: list[tuple] = []  # (normal, offset): normal · u <= offset
    here, best = begin, begin if begin.inside else None
    for _ in range(ROUNDS):
        found, settled = _maximised(search, here, cuts, reach)
        top = _eased(search, search.at(found))
        if top.inside and (best is None or search.rank(top) > search.rank(best)):
            on_edge = reach < 1.0 and np.abs(top.u - here.u).max() > 0.99 * reach
            gained = math.inf if best is None else abs(top.reads - best.reads)
            here = best = top
            if gained < LEAST * search.size(top.reads) or (settled and not on_edge):
                break
            continue
        if best is None:
            if not top.solved or top.off > NEARER * here.off:
                break  # it comes inside nowhere near
            here = top
            continue
        if top.solved and not top.trusted and top.off == 0.0:  # doubtful without a distance
            cut = _cut(search, best, top)
            if cut is not None:
                cuts.append((cut[0], float(cut[0] @ cut[1].u)))
                here = cut[1]
                continue
        reach *= 0.3
        if reach < NARROW:
            break
    return _whole(search, best)


def _back(point: Point, slopes: dict[Limit, np.ndarray]) -> np.ndarray:
    """The shortest step by which limits that a point misses are met, by slopes measured beside it."""
    broken = [limit for limit, room in point.rooms.items() if room < limit.clear and limit in slopes]
    matrix = np.array([slopes[limit] for limit in broken])
    return np.linalg.lstsq(matrix, np.array([2.0 * limit.clear - point.rooms[limit] for limit in broken]), rcond=None)[0]


def _whole(search: Any, best: Point | None) -> Point | None:
    """The better of a point and of climbs from one more and one less of each knob that counts whole things."""
    if best is None or not search.whole.any():
        return best
    for k in np.flatnonzero(search.whole):
        one = 1.0 / (search.high[k] - search.low[k])
        for way in (one, -one):
            while 0.0 <= best.u[k] + way <= 1.0:
                moved = best.u.copy()
                moved[k] += way
                there = search.at(moved)
                top = (
                    _eased(search, search.at(_maximised(search, there, [], 1.0)[0])) if there.solved and there.reads is not None else there
                )
                if not top.inside or search.rank(top) <= search.rank(best):
                    break
                best = top
    return best


def _eased(search: Any, top: Point) -> Point:
    """A point a hair outside limits, moved back along their slopes; as it is where that fails."""
    for _ in range(3):
        broken = [limit for limit, room in top.rooms.items() if room < 0.5 * limit.clear]
        if top.inside or not broken or top.off > 1e-3:
            return top
        moved = search.at(top.u + _back(top, search.slopes(top.u)[1]))
        if not moved.solved or moved.reads is None:
            return top
        top = moved
    return top


def _maximised(search: Any, here: Point, cuts: list[tuple], reach: float) -> tuple:
    """(u of the highest reading that limits, distances from doubt and cuts allow, whether it settled), within reach of a point."""
    limits: list[Limit] = list(search.seen)
    scale = search.size(here.reads)
    memory = [here]  # the last point that could be computed
    fallen = [limit for limit in limits if limit.is_doubt and here.room(limit) > -CLIFF]
    most = len(search.known) + ROUND_SOLVES * (here.u.size + 1)

    def looked(u: np.ndarray) -> tuple:
        if len(search.known) > most:
            raise _Enough
        point = search.at(u)
        if point.solved and point.reads is not None and all(point.room(limit) > -CLIFF for limit in fallen):
            memory[0] = point
            return point, 0.0
        return memory[0], 1.0  # not computed, or on another branch of states: far below, so that the search steps back

    def lost(u: np.ndarray) -> float:
        point, down = looked(u)
        return down - search.sign * point.reads / scale

    def rooms(u: np.ndarray) -> np.ndarray:
        point, down = looked(u)
        own = [point.room(limit) - limit.clear - down for limit in limits]
        return np.r_[own, [offset - normal @ u for normal, offset in cuts]]

    def slope(u: np.ndarray) -> np.ndarray:
        return -search.sign * search.slopes(u)[0] / scale

    def room_slopes(u: np.ndarray) -> np.ndarray:
        found = search.slopes(u)[1]
        return np.vstack([*(found.get(limit, np.zeros(u.size)) for limit in limits), *(-normal for normal, _ in cuts)])

    ends = zip(here.u, search.whole, strict=True)
    bounds = [(v, v) if whole else (max(0.0, v - reach), min(1.0, v + reach)) for v, whole in ends]
    constraints = [{"type": "ineq", "fun": rooms, "jac": room_slopes}] if limits or cuts else []
    options = {"ftol": 1e-6, "maxiter": STEPS}
    try:
        found = scipy.optimize.minimize(lost, here.u, jac=slope, bounds=bounds, constraints=constraints, method="SLSQP", options=options)
    except _Enough:
        return memory[0].u, False
    return np.clip(found.x, 0.0, 1.0), bool(found.success)


def _cut(search: Any, good: Point, bad: Point) -> tuple | None:
    """(normal, the last trusted Point) of the border of trust on the way from a point to one beyond it; None where both are one."""
    way = bad.u - good.u
    if np.linalg.norm(way) < 1e-6:
        return None
    share, last = _border(search, good.u, way, 10)
    normal = np.zeros(way.size)
    for k in np.flatnonzero(~search.whole):  # how the border moves along the way when it is approached from beside
        beside = last.u.copy()
        step = 0.02 if beside[k] <= 0.5 else -0.02
        beside[k] += step
        begin = beside - share * way
        if not search.at(begin).trusted:
            continue
        other, _ = _border(search, begin, way, 6, share)
        normal[k] = -(other - share) / step
    along = float(normal @ way)
    return normal + way * (1.0 - along) / float(way @ way), last


def _border(search: Any, begin: np.ndarray, way: np.ndarray, halvings: int, around: float | None = None) -> tuple:
    """(largest trusted share of a way, the Point there), by halving; around: where it is expected."""
    low, high = 0.0, 1.0
    if around is not None:
        a, b = max(0.0, around - 0.1), min(1.0, around + 0.1)
        low = a if search.at(begin + a * way).trusted else low
        high = b if not search.at(begin + b * way).trusted else high
    for _ in range(halvings):
        middle = 0.5 * (low + high)
        if search.at(begin + middle * way).trusted:
            low = middle
        else:
            high = middle
    return low, search.at(begin + low * way)
