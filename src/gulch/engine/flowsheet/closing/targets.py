"""Bringing gauges to what they must read: knobs and loops in one search where that works, knobs outside where not.

Notation: x: the vector of unknowns, shape (size,), as `unknowns` packs it; knobs, errors: shape (targets,); slope: (targets,
targets).
"""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.flowsheet.closing.branches import Follower
from gulch.engine.flowsheet.closing.jacobian import answers
from gulch.engine.flowsheet.closing.loop import valueless
from gulch.engine.flowsheet.closing.roots import edge_between, root_between
from gulch.engine.flowsheet.closing.states import heats_itself, others
from gulch.engine.settle import PassFailed, Reason

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from gulch.engine.flowsheet.closing.branches import Curve
    from gulch.engine.flowsheet.closing.loop import Loop
    from gulch.engine.settle import LoopResult

LOOSE = 1e-4  # tolerance of the loops while sensitivities are measured
QUICK_PASSES = 40  # of the first search over everything
STEP = 0.02  # of a knob's range, to measure a sensitivity
FAR = 10.0  # scaled error given to knobs where nothing can be computed
LOOKS = 9  # positions of a knob over its range that are looked at first; then those between, twice
HALVINGS = 30  # to the edge beyond which a gauge has no value
NEAREST = 3  # of the positions nearer than their neighbours, round which is looked closely
JUMP = 1e-5  # of a target's size, left on both sides of a position, by which its gauge jumps there
MOST_LOST = 24  # positions of a knob at which the loops may fail to settle before its search is given up
MET = 1e-6  # remaining error of a target, on its value or on what its knob can change


class Lost(Exception):
    """The loops do not settle where a target's search looks."""


class Valueless(Lost):
    """The loops settle, but a target's gauge has no value there."""


class Jump(NamedTuple):
    """Where a gauge jumps over what it should read: the knob, and the errors on its lower and upper side."""

    at: float
    below: float
    above: float


class Edge(NamedTuple):
    """Where a gauge comes to have a value: the knob, and whether there is none below it, or none above."""

    at: float
    below: bool


class Aim:
    """The search of the targets of a Loop. closest: {target: how it could not be met}."""

    def __init__(self, loop: Loop) -> None:
        self.loop, self.targets, self.knobs = loop, loop.targets, loop.unknowns.knobs
        self.closest = {}
        self.jump: Jump | None = None  # where the only target's gauge jumps over what it should read
        self.edges: list[Edge] = []  # of where the only target's gauge has a value
        self.flat = False  # the only target's gauge reads the same over the knob's whole range
        self.last: LoopResult | None = None  # the last search of the loops that did not settle

    def close(self, x: np.ndarray) -> LoopResult:
        """Close loops and targets together; where that fails, the targets outside and the loops inside. Returns LoopResult."""
        loop = self.loop
        kept = loop.run.start.slope_of(loop.group.targets)
        if kept is not None:
            loop.slope = kept
            found = self.together(x, loop.kept_secants())
            if found is not None:
                return found
        try:
            x, secants = self.glimpse(x)
            if np.linalg.cond(loop.slope * loop.ranges) < 1e8:
                found = self.together(x, secants, QUICK_PASSES)
                if found is not None:
                    return found
            found = on_branches(self)
            if found is not None:
                return found
            x, secants = self.measure(x)
            if self.useless():
                return self.off_the_plateau(x)
            found = self.together(x, secants)
            if found is not None:
                return found
        except (Lost, PassFailed):
            if loop.spent():
                raise
            if loop.slope is None and loop.method != "automatic":
                return self.last_or_raise()  # the method asked for does not settle the loops, whatever the knobs
        return self.apart(x)

    def together(self, x: np.ndarray, secants: tuple | None, max_passes: int | None = None) -> LoopResult | None:
        """One search over everything; None unless it settles with every target met."""
        try:
            found = self.loop.search(x, secants=secants, max_passes=max_passes)
        except PassFailed:
            return None
        if found.reason in (Reason.CANCELLED, Reason.OUT_OF_TIME):
            return found
        return found if found.reason.settled and self.met().all() else None

    def met(self) -> np.ndarray:
        """Which targets read what they must, shape (m,)."""
        loop = self.loop
        reach = np.abs(loop.slope) @ loop.ranges if loop.slope is not None else np.zeros(len(self.targets))
        wanted = np.array([abs(t.wanted) for t in self.targets])
        return np.abs(loop.residual) <= MET * np.maximum(wanted, 0.1 * reach)

    def settled_at(self, x: np.ndarray, knobs: np.ndarray, tol: float | None = None, secants: tuple | None = None) -> tuple:
        """(LoopResult, residuals) with the knobs held. Raises Lost when the loops do not settle there."""
        loop = self.loop
        loop.slope, slope = None, loop.slope
        try:
            x = x.copy()
            self.knobs(x)[:] = knobs
            found = loop.search(x, tol=tol, secants=secants)
        except PassFailed:
            raise Lost from None
        finally:
            loop.slope = slope
        if not found.reason.settled:
            self.last = found
            raise Lost
        if not np.isfinite(loop.residual).all():
            k = int(np.argmin(np.isfinite(loop.residual)))
            loop.trouble = (self.targets[k].node, valueless(loop, k, found.tear))
            raise Valueless
        return found, loop.residual.copy()

    # Sensitivities

    def glimpse(self, x: np.ndarray) -> tuple:
        """As `measure`, from derivatives of the pass; where there are none, from one pass for each knob.

        What that sets going in the loops is followed along the secants at hand.
        """
        loop = self.loop
        loop.slope, loop.records = None, []
        found, r0 = self.settled_at(x, self.knobs(x).copy(), LOOSE)
        base, k0 = found.tear, self.knobs(x)
        known = answers(loop, found.iterates[-1][0], rough=True) if loop.method == "automatic" else None
        if known is not None:
            return self.aimed_from(base, k0, r0, known[0], list(known[1].T))
        pairs = list(itertools.pairwise(loop.records[-9:]))
        dx, dg, dr = (
            np.array([getattr(b, name) - getattr(a, name) for a, b in pairs]).reshape(-1, width).T
            for name, width in (("x", x.size), ("passed", x.size), ("residual", len(k0)))
        )
        df = (dg - dx) / loop.scale[:, None]
        slope, moved = np.zeros((len(k0), len(k0))), []
        for j in range(len(k0)):
            h = self.step_of(j, k0[j])
            x = base.copy()
            self.knobs(x)[j] += h
            f = (loop.one_pass(x) - x) / loop.scale
            weights = -np.linalg.lstsq(df, f, rcond=1e-8)[0] if df.size else np.zeros(0)
            slope[:, j] = (loop.residual - r0 + dr @ weights) / h
            moved.append(f * loop.scale / h)
        return self.aimed_from(base, k0, r0, slope, moved)

    def step_of(self, j: int, k: float, share: float = STEP) -> float:
        """Step of a knob for its sensitivity, away from the nearer end of its range."""
        t = self.targets[j]
        return share * self.loop.ranges[j] * (1.0 if k <= 0.5 * (t.low + t.high) else -1.0)

    def measure(self, x: np.ndarray) -> tuple:
        """Sensitivities of the gauges to the knobs with the loops closed; (where to start, secants) for the search."""
        loop = self.loop
        loop.slope, loop.records = None, []
        k0 = self.knobs(x).copy()
        found, r0 = self.settled_at(x, k0, LOOSE)
        base = found.tear
        slope, moved = np.zeros((len(k0), len(k0))), []
        for j in range(len(k0)):
            k, h = k0.copy(), self.step_of(j, k0[j])
            k[j] += h
            there, r = self.settled_at(base, k, LOOSE, found.secants)
            slope[:, j] = (r - r0) / h
            moved.append((there.tear - base) / h)
        return self.aimed_from(base, k0, r0, slope, moved)

    def aimed_from(self, base: np.ndarray, k0: np.ndarray, r0: np.ndarray, slope: np.ndarray, moved: list) -> tuple:
        """(start, secants) of the search over everything, from sensitivities of the gauges and of the unknowns."""
        loop = self.loop
        loop.slope = slope
        step = np.linalg.lstsq(slope * loop.ranges, r0, rcond=1e-10)[0] * loop.ranges
        k1 = np.clip(k0 - np.clip(step, -0.3 * loop.ranges, 0.3 * loop.ranges), loop.low, loop.high)
        x = base + sum((m * (b - a) for m, a, b in zip(moved, k0, k1, strict=True)), np.zeros_like(base))
        self.knobs(x)[:] = k1
        return np.clip(x, loop.floor, loop.ceiling), self.learnt()

    def learnt(self) -> tuple | None:
        """Secants of the whole system from the passes made with fixed knobs, now that the sensitivities are known."""
        loop, dx, df = self.loop, [], []
        for a, b in itertools.pairwise(loop.records[-9:]):
            change = ((b.passed - b.x) - (a.passed - a.x)) / loop.scale
            self.knobs(change)[:] = -np.linalg.lstsq(loop.slope * loop.ranges, b.residual - a.residual, rcond=1e-10)[0]
            dx.append((b.x - a.x) / loop.scale)
            df.append(change)
        return (np.array(dx).T, np.array(df).T) if dx else None

    def nearby(self, found: LoopResult) -> None:
        """Sensitivities beside the closest point."""
        loop = self.loop
        known = answers(loop, found.iterates[-1][0]) if loop.method == "automatic" else None
        if known is not None:
            loop.slope = known[0]
            return
        residual, k0 = loop.residual.copy(), self.knobs(found.tear).copy()
        slope = np.zeros_like(loop.slope)
        for j in range(len(self.targets)):
            k, h = k0.copy(), self.step_of(j, k0[j], 0.005)
            k[j] += h
            try:
                slope[:, j] = (self.settled_at(found.tear, k, secants=found.secants)[1] - residual) / h
            except Lost:
                slope[:, j] = loop.slope[:, j]
        loop.slope, loop.residual = slope, residual

    # Where the knobs do not answer

    def useless(self) -> bool:
        """Whether some knob moves no gauge, or some gauge is moved by no knob, or two targets are the same question."""
        reach = np.abs(self.loop.slope) * self.loop.ranges
        size = np.maximum(np.array([abs(t.wanted) for t in self.targets]), 1e-12)
        for j, target in enumerate(self.targets):
            if reach[j].sum() < 1e-7 * size[j]:
                self.closest[target.id] = "unmoved"
        if not self.closest and np.linalg.matrix_rank(reach / reach.sum(axis=1, keepdims=True), tol=1e-5) < len(reach):
            self.closest.update(dict.fromkeys((t.id for t in self.targets), "same"))
        return bool(self.closest)

    def off_the_plateau(self, x: np.ndarray) -> LoopResult:
        """Where some gauge does not answer at the start: look over the knobs' whole ranges before giving up."""
        reasons, start = dict(self.closest), x.copy()
        if self.met().all():
            self.closest.clear()
            return self.fixed(x)
        if "same" in reasons.values():
            return self.fixed(x)
        if len(self.targets) == 1:
            self.closest.clear()
            found = self.apart(x)
            if not self.met().all() and self.flat:
                self.closest.update(reasons)
            return found
        for j, target in enumerate(self.targets):
            if target.id not in reasons:
                continue
            for k in np.linspace(target.low, target.high, LOOKS)[1:-1]:
                self.knobs(x)[j] = k
                try:
                    x, secants = self.measure(x)
                except (Lost, PassFailed):
                    continue
                self.closest.clear()
                if not self.useless():
                    return self.together(x, secants) or self.apart(x)
        self.closest.update(reasons)
        return self.fixed(start)

    def fixed(self, x: np.ndarray) -> LoopResult:
        """The loops alone, with the knobs where they are."""
        try:
            return self.settled_at(x, self.knobs(x))[0]
        except Lost:
            return self.last_or_raise()

    def last_or_raise(self) -> Any:
        """What the last search of the loops ended with, where none settled. Raises PassFailed."""
        if self.last is None:
            raise PassFailed
        return self.last

    def apart(self, x: np.ndarray) -> LoopResult:
        """Targets outside, loops inside, each bounded: slow and sure. Ends at the closest point when there is no answer."""
        if self.loop.slope is None:
            self.loop.slope = np.zeros((len(self.targets),) * 2)
        outside = Outside(self, x)
        found = outside.search()
        if found is None:  # nowhere did the loops settle
            return self.last_or_raise()
        try:
            found, self.loop.residual = self.settled_at(found.tear, self.knobs(found.tear), secants=found.secants)
            self.nearby(found)
            self.settled_at(found.tear, self.knobs(found.tear), secants=found.secants)  # the streams, as reported
        except Lost:
            return self.last_or_raise()
        return found


def on_branches(aim: Aim) -> LoopResult | None:
    """The targets met in a steady state that the search does not come to by itself; None where none meets them."""
    loop, slope = aim.loop, aim.loop.slope
    for x in elsewhere(aim) if heats_itself(loop) else ():
        try:
            begin, secants = aim.glimpse(x)
            found = aim.together(begin, secants, QUICK_PASSES)
        except (Lost, PassFailed):
            continue
        if found is not None:
            return found
    loop.slope = slope
    return None


def elsewhere(aim: Aim) -> Iterator[np.ndarray]:
    """Unknowns from which the targets may be met: where a curve of states meets the only one, else every state as the knobs stand."""
    loop = aim.loop
    try:  # from where the knobs began: where they ended a state may have ceased to be
        here = aim.settled_at(loop.begin, aim.knobs(loop.begin))[0]
    except (Lost, PassFailed):
        return
    if len(aim.targets) > 1:
        yield from (s.tear for s in others(loop, here))
        return
    curves: list[Curve] = []
    for state in itertools.chain([here], _lazily(others, loop, here)):
        if not any(c.passes(state.tear, loop.scale) for c in curves):
            follower = Follower(loop)
            curves.append(follower.follow(state.tear))
            yield from (s.x for s in follower.met(curves[-1]))


def _lazily(find: Callable, *of: Any) -> Iterator:
    """What is found, looked for only when it is asked for."""
    yield from find(*of)


class Outside:
    """The targets' knobs searched outside, each position with the loops settled anew from the last one."""

    def __init__(self, aim: Aim, x: np.ndarray) -> None:
        self.aim, self.loop = aim, aim.loop
        self.x, self.secants, self.lost = x, None, 0
        self.best: tuple[float, LoopResult] | None = None  # (size of the error, LoopResult)
        self.tried: set = set()  # pairs of positions that bracket, but between which nothing can be computed
        wanted = np.array([abs(t.wanted) for t in aim.targets])
        self.weight = np.maximum(wanted, np.abs(self.loop.slope) @ self.loop.ranges)
        self.weight[self.weight <= 0.0] = 1.0

    def search(self) -> LoopResult | None:
        """LoopResult at the best position found, or None where the loops settled nowhere."""
        try:
            if len(self.aim.targets) == 1:
                self.one()
            else:
                self.several()
        except (Lost, PassFailed):
            pass
        return self.best[1] if self.best else None

    def at(self, k: np.ndarray) -> np.ndarray:
        """Residuals at knobs k, shape (m,). Raises Lost, or PassFailed where it has to end."""
        loop = self.loop
        if loop.spent():
            raise PassFailed
        try:
            found, r = self.aim.settled_at(self.x, np.clip(k, loop.low, loop.high), secants=self.secants)
        except Valueless:
            raise
        except Lost:
            self.lost += 1
            if self.lost > MOST_LOST:
                raise PassFailed from None  # enough: the loops are at fault, not the knob
            raise
        self.x, self.secants = found.tear, found.secants
        size = float(np.linalg.norm(r / self.weight))
        if self.best is None or size < self.best[0]:
            self.best = (size, found)
        return r

    def several(self) -> None:
        """Bounded least squares of all targets."""
        loop = self.loop

        def away(u: Any) -> Any:
            try:
                return self.at(loop.low + u * loop.ranges) / self.weight
            except Lost:
                return np.full(len(self.weight), FAR)  # a point that cannot be computed is no place to end

        u0 = np.clip((self.aim.knobs(self.x) - loop.low) / loop.ranges, 0.02, 0.98)
        scipy.optimize.least_squares(away, u0, bounds=(0.0, 1.0), diff_step=1e-3, xtol=1e-12, ftol=1e-14, gtol=1e-14, max_nfev=40)

    def value(self, k: float) -> Any:
        """The only target's residual at its knob, or None."""
        try:
            return float(self.at(np.array([k]))[0])
        except Lost:
            return None

    def one(self) -> None:
        """Search one knob over its whole range: bracket, then close in; the closest value where nothing brackets. Raises Lost."""
        low, high, target = self.loop.low[0], self.loop.high[0], self.aim.targets[0]
        middle = float(np.clip(self.loop.run.inputs[target.address], low, high))
        known: dict[float, float | None] = {}
        for looks in (LOOKS, 2 * LOOKS - 1, 4 * LOOKS - 3):  # each has the points of the one before
            points = [low + (high - low) * (j / (looks - 1)) for j in range(looks)]
            for k in sorted((k for k in points if k not in known), key=lambda k: abs(k - middle)):
                known[k] = self.value(k)
                if self.crossed(known, 1e-11 * (high - low)):
                    return
            if looks == LOOKS:
                self.edges(known)
                if self.crossed(known, 1e-11 * (high - low)):
                    return
                if self.flat_over(known):
                    return
        self.least(known, 1e-7 * (high - low))

    def crossed(self, known: dict, tolerance: float) -> bool:
        """Whether two neighbours of the known residuals bracket the target, which then is closed in on, or jumped over."""
        got = sorted(k for k in known if known[k] is not None)
        if any(known[k] == 0.0 for k in got):
            return True
        for a, b in itertools.pairwise(got):
            if known[a] * known[b] > 0.0 or (a, b) in self.tried:
                continue
            self.tried.add((a, b))
            found = root_between(self.value, a, known[a], b, known[b], tolerance)
            if found is None:
                continue
            if min(abs(found.f_a), abs(found.f_b)) > JUMP * self.weight[0] and abs(found.b - found.a) <= 10.0 * tolerance:
                # a jump between the ends is no root: the search ends beside it, and the target is not met
                self.aim.jump, self.best = Jump(found.a, found.f_a, found.f_b), None
                self.value(found.a if abs(found.f_a) <= abs(found.f_b) else found.b)
            return True
        return False

    def edges(self, known: dict) -> None:
        """Add the outermost positions that have a residual, beside those where there is none."""
        for a, b in itertools.pairwise(sorted(known)):
            if (known[a] is None) != (known[b] is None):
                inside, outside = (b, a) if known[a] is None else (a, b)
                k, f = edge_between(self.value, inside, known[inside], outside, HALVINGS)
                known[k] = f
                self.aim.edges.append(Edge(k, outside < inside))

    def flat_over(self, known: dict) -> bool:
        """Whether the gauge reads the same wherever it has a value. Raises Lost where it has none."""
        values = [v for v in known.values() if v is not None]
        if not values:
            raise Lost
        size = max(abs(self.aim.targets[0].wanted), max(abs(v) for v in values), 1e-300)
        self.aim.flat = max(values) - min(values) < 1e-7 * size
        return self.aim.flat

    def least(self, known: dict, tolerance: float) -> None:
        """Come as near as can be: round each of the nearest positions that are nearer than their neighbours."""
        good = sorted(k for k in known if known[k] is not None)
        sizes = [abs(known[k]) for k in good]
        lows = [j for j in range(len(good)) if sizes[j] <= min(sizes[max(j - 1, 0) : j + 2])]

        def away(k: float) -> float:
            found = self.value(k)
            return np.inf if found is None else abs(found)

        for j in sorted(lows, key=lambda j: sizes[j])[:NEAREST]:
            a, b = good[max(j - 1, 0)], good[min(j + 1, len(good) - 1)]
            if a < b:
                scipy.optimize.minimize_scalar(away, bounds=(a, b), method="bounded", options={"xatol": tolerance, "maxiter": 40})
