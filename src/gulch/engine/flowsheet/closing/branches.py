"""The curve of a loop's steady states as one knob turns, followed round its folds.

Pseudo-arclength continuation (Keller, in Applications of Bifurcation Theory, Academic Press 1977, p. 359): the knob is one more unknown,
and what is asked for is a state at a distance along the curve's tangent. So the curve is followed where it turns back, and the state
that no pass comes to by itself is reached like any other.

Notation: x: the vector of unknowns, shape (n,), the knob among them; tangent: of the curve in scaled unknowns, of length 1, shape (n,);
rows: scaled derivatives of a pass, shape (n, n), of the knob's entry none.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.flowsheet.closing.jacobian import NO_SLOPES, PassSlopes
from gulch.engine.flowsheet.closing.roots import root_between
from gulch.engine.phases import StreamTrouble
from gulch.engine.settle import PassFailed, Slopes, settle
from gulch.engine.settle.newton import growing

if TYPE_CHECKING:
    from gulch.engine.flowsheet.closing.loop import Loop

FIRST, LONGEST, SHORTEST = 0.02, 0.25, 1e-4  # steps along the curve, in scaled unknowns; the knob's range is 1
TURN = 0.94  # cosine between neighbouring tangents, below which a step is halved
CLOSE = 1e-6  # tolerance of the states on the way
PASSES = 12  # of one step
QUICK = 5  # passes within which a step succeeds that may be longer next time
MOST_STATES, MOST_PASSES = 150, 1500  # of one direction, of a whole curve
FOLD = 1e-3  # of a tangent: how little of the knob it holds at a fold
FOLD_STEPS = 12
CLOSED = 0.5  # of a step, from where a curve began, at which it has closed on itself
LEAST_ROUND = 1.0  # of a curve that does
NEARLY, STILL = 1e-4, 0.1  # of the way between two states, to which one is looked for; of what they miss, that it may
ON_IT = 0.03  # scaled, within which a state lies on a curve


@dataclass
class State:
    """A steady state on the curve: x, its tangent, the knob [SI], whether a disturbance dies away there, whether the curve turns back.

    error: by how much the target whose knob turns is missed there; nan where its gauge has no value.
    """

    x: np.ndarray
    tangent: np.ndarray
    rows: np.ndarray
    knob: float
    stable: bool
    error: float
    fold: bool = False


@dataclass
class Curve:
    """States in the order in which the curve passes them. closed: on itself; cut: a sentence, where an end is none of the knob's range."""

    states: list[State] = field(default_factory=list)
    closed: bool = False
    cut: list[str] = field(default_factory=list)

    def passes(self, x: np.ndarray, scale: np.ndarray) -> bool:
        """Whether a state x lies on it."""
        for a, b in itertools.pairwise(self.states):
            way = (b.x - a.x) / scale
            share = float(np.clip(way @ ((x - a.x) / scale) / max(float(way @ way), 1e-300), 0.0, 1.0))
            if np.linalg.norm((x - a.x) / scale - share * way) < ON_IT:
                return True
        return False


class Follower:
    """Follows the states of a Loop whose target number k turns the knob; its other targets are kept met, its knobs within their ranges."""

    def __init__(self, loop: Loop, k: int = 0) -> None:
        self.loop, self.k = loop, k
        self.at = int(loop.unknowns.knobs(np.arange(loop.unknowns.size))[k])
        self.low, self.high = float(loop.low[k]), float(loop.high[k])
        self.begun = loop.passes
        self.rows: np.ndarray | None = None  # as they were last made
        self.others = [j for j in range(len(loop.targets)) if j != k]

    # One state

    def state(self, x: np.ndarray, base: np.ndarray, along: np.ndarray, distance: float) -> State | None:
        """The state whose distance from `base` along a direction is as asked, searched from x; None where there is none or no pass."""
        loop, at, scale = self.loop, self.at, self.loop.scale

        def passed(x: np.ndarray) -> np.ndarray:
            out = loop.one_pass(x)
            out[at] = x[at] + scale[at] * (distance - float(along @ ((x - base) / scale)))
            self._answer(x, out)
            return out

        def slopes(x: np.ndarray, rough: bool) -> np.ndarray | None:
            found = self.derived(x, rough)
            return None if found is None else self._bordered(found, along)

        known = None if self.rows is None else self._bordered(self.rows, along)
        try:
            found = settle(
                passed,
                np.clip(x, loop.floor, loop.ceiling),
                scale=scale,
                floor=loop.floor,
                ceiling=loop.ceiling,
                tol=max(CLOSE, loop.tolerance),
                max_passes=PASSES,
                slopes=Slopes(slopes, known),
                only=True,
                watch=loop.run.watch,
            )
            if not found.reason.settled:
                return None
            return self._known(found.tear, found.iterates[-1][0], along, float(loop.residual[self.k]))
        except (PassFailed, StreamTrouble):
            return None

    def _known(self, x: np.ndarray, made: np.ndarray, along: np.ndarray, error: float) -> State | None:
        """The State at x, near to which a pass was just made; its tangent goes the way of `along`."""
        rows = self.derived(made, True)
        if rows is None:
            return None
        self.rows = rows
        still = np.ones(x.size, bool)
        still[self.at] = False
        stable = growing(rows[np.ix_(still, still)]) is None
        tangent = np.linalg.lstsq(np.eye(x.size) - self._bordered(rows, along), np.eye(x.size)[self.at], rcond=1e-13)[0]
        return State(x, tangent / np.linalg.norm(tangent), rows, float(x[self.at]), stable, error)

    def _answer(self, x: np.ndarray, out: np.ndarray) -> None:
        """Let the knobs of the other targets go by what those still lack. Raises PassFailed."""
        loop, knobs = self.loop, self.loop.unknowns.knobs
        loop.records.clear()
        for j in self.others:
            if not np.isfinite(loop.residual[j]):
                raise PassFailed
            knobs(out)[j] = knobs(x)[j] - loop.residual[j] * self._weight(j)

    def _weight(self, j: int) -> float:
        return self.loop.ranges[j] / max(abs(self.loop.targets[j].wanted), 1e-12)

    def derived(self, x: np.ndarray, rough: bool) -> np.ndarray | None:
        """Scaled derivatives of the pass just made from x, of everything but the knob; None where a unit has none there."""
        loop = self.loop
        try:
            slopes = PassSlopes(loop, x, rough)
            out = slopes.free()
            knobs = loop.unknowns.knobs(np.arange(x.size))
            residuals = slopes.residuals() if self.others else np.empty((0, x.size))
            for j in self.others:
                out[knobs[j]] = np.eye(x.size)[knobs[j]] - residuals[j] * self._weight(j) * loop.scale / loop.scale[knobs[j]]
            return out
        except NO_SLOPES:
            return None

    def _bordered(self, rows: np.ndarray, along: np.ndarray) -> np.ndarray:
        out = rows.copy()
        out[self.at] = np.eye(rows.shape[0])[self.at] - along
        return out

    # The curve

    def follow(self, x: np.ndarray) -> Curve:
        """The Curve through a state x, both ways to the ends of the knob's range."""
        loop, out = self.loop, Curve()
        slope, loop.slope = loop.slope, None
        try:
            up = np.eye(x.size)[self.at]
            here = self.state(x, x, up, 0.0)
            if here is None:
                return out
            forth = self.walk(here, 1.0, out)
            back = [] if out.closed else self.walk(here, -1.0, out)
            out.states = [*reversed(back), here, *forth]
        finally:
            loop.slope = slope
        return out

    def walk(self, begin: State, way: float, curve: Curve) -> list[State]:
        """The states that follow one, forth (1) or back (-1) along its tangent, folds among them."""
        out, here, step, gone = [], begin, FIRST, 0.0
        while len(out) < MOST_STATES:
            if self.loop.run.watch.ended() or self.loop.passes - self.begun > MOST_PASSES:
                curve.cut.append("it took too many passes")
                return out
            wall = self._wall(here, way * step)
            before = self.loop.passes
            there = self.to_wall(here, wall) if wall is not None else self.onward(here, way * step)
            if there is None or float(there.tangent @ here.tangent) < TURN and step > FIRST:
                step *= 0.5
                if step < SHORTEST:
                    curve.cut.append("no state was found beyond")
                    return out
                continue
            if there.tangent[self.at] * here.tangent[self.at] < 0.0:
                out += self.fold(here, there)
            out.append(there)
            gone += step
            if wall is not None:
                return out
            if gone > LEAST_ROUND and self.distance(there, begin) < CLOSED * step and float(there.tangent @ begin.tangent) > TURN:
                curve.closed = True
                return out
            here = there
            if self.loop.passes - before <= QUICK:
                step = min(1.5 * step, LONGEST)
        curve.cut.append("it took too many steps")
        return out

    def distance(self, a: State, b: State) -> float:
        """Between two states, in scaled unknowns."""
        return float(np.linalg.norm((a.x - b.x) / self.loop.scale))

    def onward(self, here: State, distance: float) -> State | None:
        """The state at a distance along the tangent."""
        return self.state(here.x + distance * here.tangent * self.loop.scale, here.x, here.tangent, distance)

    def _wall(self, here: State, distance: float) -> float | None:
        """The end of the knob's range that a step would pass, or None."""
        to = here.knob + distance * here.tangent[self.at] * self.loop.scale[self.at]
        return self.high if to >= self.high else self.low if to <= self.low else None

    def to_wall(self, here: State, knob: float) -> State | None:
        """The state at an end of the knob's range."""
        up = np.eye(here.x.size)[self.at]
        share = (knob - here.knob) / (here.tangent[self.at] * self.loop.scale[self.at])
        x = here.x + share * here.tangent * self.loop.scale
        there = self.state(x, here.x, up, (knob - here.knob) / self.loop.scale[self.at])
        if there is None or there.tangent @ here.tangent >= 0.0:
            return there
        there.tangent = -there.tangent
        return there

    def fold(self, a: State, b: State) -> list[State]:
        """The state between two at which the curve turns back, by regula falsi on how much of the knob its tangent holds."""
        low, high = (0.0, a.tangent[self.at]), (float(a.tangent @ ((b.x - a.x) / self.loop.scale)), b.tangent[self.at])
        best = None
        for _ in range(FOLD_STEPS):
            s = low[0] - low[1] * (high[0] - low[0]) / (high[1] - low[1])
            there = self.onward(a, s)
            if there is None:
                break
            best, bend = there, there.tangent[self.at]
            if abs(bend) < FOLD:
                break
            low, high = (low, (s, bend)) if bend * low[1] < 0.0 else ((s, bend), high)
        if best is None:
            return []
        best.fold = True
        return [best]

    # On the curve

    def met(self, curve: Curve) -> list[State]:
        """States between neighbours of a Curve that miss the target to different sides, where it is nearly met: those that last first."""
        slope, self.loop.slope = self.loop.slope, None
        try:
            pairs = [(a, b) for a, b in itertools.pairwise(curve.states) if a.error * b.error <= 0.0]
            found = [self._between(a, b) for a, b in pairs]
        finally:
            self.loop.slope = slope
        return sorted((s for s in found if s is not None), key=lambda s: not s.stable)

    def _between(self, a: State, b: State) -> State | None:
        """The state between two at which the target is nearly met, from which a search meets it; None where it jumps there."""
        whole = float(a.tangent @ ((b.x - a.x) / self.loop.scale))
        first = a

        def missed(s: float) -> float | None:
            nonlocal first
            there = self.onward(a, s)
            first = there or first
            return None if there is None or not np.isfinite(there.error) else there.error

        bracket = root_between(missed, 0.0, a.error, whole, b.error, NEARLY * whole)
        return first if bracket is not None and abs(first.error) < STILL * max(abs(a.error), abs(b.error)) else None
