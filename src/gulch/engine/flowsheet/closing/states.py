"""All steady states of a loop that heats itself: how hot it comes back, as a function of how hot it is sent in.

The loop is opened at one tear and fed at a temperature, all else closed; where it comes back as hot as it was sent is a steady state
(van Heerden, Ind. Eng. Chem. 45 (1953) 1242). A state is stable where what comes back rises less than what is sent, and no other change
of a pass grows.

Notation: x: the vector of unknowns, shape (n,); slopes: scaled derivatives of a pass, shape (n, n); excess: temperature that comes
back less that sent [K].
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from gulch.engine.flowsheet.closing.roots import root_between
from gulch.engine.flowsheet.solution import LoopState, LoopStates
from gulch.engine.flowsheet.start import Start
from gulch.engine.phases import Stream, StreamTrouble
from gulch.engine.phases.tangent import Tangent
from gulch.engine.settle import PassFailed, Reason, Slopes, settle
from gulch.engine.settle.newton import growing
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.flowsheet.closing.loop import Loop
    from gulch.engine.settle import LoopResult

BELOW, COLDEST, HOTTEST = 10.0, 150.0, 1500.0  # K: from that much below the coldest stream, up to the hottest, states are looked for
LOOKS = 25  # temperatures looked at
NEAR = 0.02  # K, to which a state is bracketed before the whole loop is closed
CLOSER = 10  # looks more, round a place where the excess nearly vanishes
TOLERANCE = 1e-8  # of the unknowns while one tear is held
PASSES = 40  # at each look
MOST_PASSES, FEW_PASSES = 800, 250  # of all looks together; where a search went astray
SAME = 0.05  # K within which two states are one
APART = 40.0  # K from where a state was chosen to the nearest, from which it is doubted to be that state
CHANGED = ("streams", "done", "taken", "near", "returned", "outside", "inputs", "given")  # of a run, by a pass
BRANCH = 0.05  # of the temperature, within which a state is that of a start nearby


class Look(NamedTuple):
    """The loop fed at a temperature [K], by how much hotter it comes back [K], and the unknowns that then close."""

    T: float
    excess: float
    x: np.ndarray


def heats_itself(loop: Loop) -> bool:
    """Whether a loop can have more states than one, as far as that is known: what it makes or passes on grows with its temperature."""
    plan, run = loop.plan, loop.run
    units = [(KINDS[plan.units[u].kind], run.given[u]) for u in loop.group.units]
    return bool(loop.group.tears) and any(kind.lights(given) for kind, given in units)


class Return:
    """A Loop opened at one of its tears, the one of which the slowest change is most of warmth.

    begun: passes made before; most: that may be made.
    """

    def __init__(self, loop: Loop, found: LoopResult, most: int = MOST_PASSES) -> None:
        self.loop, self.found, self.begun, self.most = loop, found, loop.passes, most
        u = loop.unknowns
        self.k = int(np.argmax(np.abs(u.warmths(found.mode)))) if found.mode is not None else 0
        self.tear, self.at = loop.group.tears[self.k], int(u.warmths(np.arange(u.size))[self.k])
        self.known: np.ndarray | None = None

    def stream(self, x: np.ndarray, T: float) -> Stream:
        """The tear's amounts at T [K]."""
        u, loop = self.loop.unknowns, self.loop
        P = loop.pressures.held.get(self.tear, float(u.pressures(x)[self.k]))
        return Stream.at_temperature(loop.plan.model, u.flows(x)[self.k].copy(), T, P)

    def look(self, T: float, x: np.ndarray) -> Look | None:
        """The loop fed at T, all else closed from x; None where it does not close."""
        loop, at, excess = self.loop, self.at, 0.0
        if loop.passes - self.begun > self.most:
            return None

        def passed(x: np.ndarray) -> np.ndarray:
            nonlocal excess
            x[at] = self.stream(x, T).warmth
            out = loop.one_pass(x)
            excess, out[at] = loop.run.streams[self.tear].T - T, x[at]
            return out

        def slopes(x: np.ndarray, rough: bool) -> np.ndarray | None:
            found = loop.derived_at(x, rough)
            return None if found is None else self.held(found, x, T)

        try:
            found = settle(
                passed,
                x.copy(),
                scale=loop.scale,
                floor=loop.floor,
                ceiling=loop.ceiling,
                tol=TOLERANCE,
                max_passes=PASSES,
                slopes=Slopes(slopes, self.known),
                watch=loop.run.watch,
            )
        except (PassFailed, StreamTrouble):
            return None
        if not found.reason.settled:
            return None
        self.known = found.slopes
        return Look(T, excess, found.tear)

    def held(self, slopes: np.ndarray, x: np.ndarray, T: float) -> np.ndarray:
        """Scaled derivatives of a pass whose tear keeps its temperature: its warmth follows its amounts."""
        u, scale, model = self.loop.unknowns, self.loop.scale, self.loop.plan.model
        columns = u.parts(np.arange(x.size))[self.k][: u.n]
        stream = self.stream(x, T)
        moves = Tangent(stream, np.eye(u.n), np.zeros(u.n), T=np.zeros(u.n))
        by_n = (moves.H - model.formed - stream.warmth) / stream.total * scale[columns] / scale[self.at]
        out = slopes.copy()
        out[:, columns] += np.outer(out[:, self.at], by_n)
        out[self.at], out[:, self.at] = 0.0, 0.0
        return out

    def looks(self) -> list[Look]:
        """Looks over the range of temperatures, from the answer outwards, coldest first."""
        loop, here = self.loop, self.temperature(self.found)
        streams = [loop.run.streams[s] for u in loop.group.units for s in loop.plan.entering[u] if s in loop.run.streams]
        low = max(min(s.T for s in streams if not s.is_empty) - BELOW, COLDEST)
        grid = np.linspace(low, max(HOTTEST, here + BELOW), LOOKS).tolist()
        out = []
        for side in ([T for T in grid if here <= T], [T for T in grid if here > T][::-1]):
            x = self.found.tear
            for T in side:
                if loop.run.watch.ended():
                    break
                seen = self.look(T, x)
                if seen is not None:
                    out.append(seen)
                    x = seen.x
        return self.closer(sorted(out, key=lambda s: s.T))

    def closer(self, seen: list[Look]) -> list[Look]:
        """With looks between, where the excess comes near to zero and turns: two states may lie there."""
        out = list(seen)
        for a, b, c in zip(seen, seen[1:], seen[2:], strict=False):
            if a.excess * b.excess <= 0.0 or b.excess * c.excess <= 0.0 or abs(b.excess) > min(abs(a.excess), abs(c.excess)):
                continue
            low, best, high = a, b, c
            for _ in range(CLOSER):
                wide = (low, best) if best.T - low.T > high.T - best.T else (best, high)
                there = self.look(0.5 * (wide[0].T + wide[1].T), best.x)
                if there is None:
                    break
                out.append(there)
                if there.excess * b.excess <= 0.0:
                    break
                ends = (low, there, best, high) if there.T < best.T else (low, best, there, high)
                j = min((1, 2), key=lambda j: abs(ends[j].excess))
                low, best, high = ends[j - 1], ends[j], ends[j + 1]
        return sorted(out, key=lambda s: s.T)

    def roots(self, seen: list[Look]) -> list[LoopResult]:
        """LoopResults of all steady states between looks, coldest first."""
        out = []
        for a, b in itertools.pairwise(seen):
            if a.excess * b.excess <= 0.0:
                found = self.root(a, b)
                if found is not None:
                    out.append(found)
        return out

    def root(self, a: Look, b: Look) -> LoopResult | None:
        """LoopResult of the steady state between two looks; None where the search ends elsewhere."""
        last = a

        def value(T: float) -> float | None:
            nonlocal last
            there = self.look(T, last.x)
            last = there or last
            return None if there is None else there.excess

        bracket = root_between(value, a.T, a.excess, b.T, b.excess, NEAR)
        if bracket is None:
            return None
        x = last.x.copy()
        if self.loop.passes - self.begun > self.most:
            return None
        x[self.at] = self.stream(x, 0.5 * (bracket.a + bracket.b)).warmth
        try:
            found = self.loop.search(x)
        except PassFailed:
            return None
        return found if found.reason.settled and a.T - SAME <= self.temperature(found) <= b.T + SAME else None

    def stable(self, found: LoopResult) -> bool:
        """Whether no change of a pass grows by itself: no eigenvalue that is real and above 1."""
        return found.slopes is None or growing(found.slopes) is None

    def temperature(self, found: LoopResult) -> float:
        """Temperature [K] of the tear in an answer."""
        return self.loop.torn(found.tear, self.k).T


def rescued(loop: Loop, found: LoopResult) -> LoopResult:
    """A steady state of a Loop whose search did not settle, the coldest unless the user chose another; the search where there is none."""
    if loop.targets or not heats_itself(loop) or found.reason in (Reason.CANCELLED, Reason.OUT_OF_TIME):
        return found
    opened = Return(loop, found, FEW_PASSES)
    try:
        states = opened.roots(opened.looks())
    except (PassFailed, StreamTrouble):
        return found
    if not states:
        return found
    try:
        restore(loop, states[0])
    except PassFailed:
        return found
    return states[0]


def others(loop: Loop, found: LoopResult, most: int = MOST_PASSES) -> list[LoopResult]:
    """LoopResults of all steady states with the knobs where they are, but the one found; most: passes that may be made."""
    slope, loop.slope = loop.slope, None
    try:
        opened = Return(loop, found, most)
        here = opened.temperature(found)
        return [s for s in opened.roots(opened.looks()) if abs(opened.temperature(s) - here) > SAME]
    except (PassFailed, StreamTrouble):
        return []
    finally:
        loop.slope = slope


def settle_on(loop: Loop, found: LoopResult) -> LoopResult:
    """The LoopResult to be shown of a settled Loop: the state the user chose, or the one found; what was seen goes to `loop.states`."""
    if loop.targets or not heats_itself(loop):
        return found
    chosen = next((t for s in loop.group.tears if (t := loop.plan.states.get(s)) is not None), None)
    explained = loop.run.explain
    if chosen is None and not explained:
        return found
    opened = Return(loop, found)
    at = opened.temperature(found)
    before = loop.run.start.branches.get(opened.tear)
    if not explained and before is not None and abs(at - before) < BRANCH * at:
        loop.branches[opened.tear] = at
        return found
    passes, slope, steps, history = loop.passes, loop.slope, loop.steps, loop.history
    loop.slope, loop.steps, loop.history = None, [], []
    again, last = _standing(loop), loop.last
    try:
        seen = opened.looks()
        states = opened.roots(seen)
    finally:
        loop.passes, loop.slope, loop.steps, loop.history = passes, slope, steps, history
    wanted = _picked(opened, states, chosen, found)
    again()  # from where a look ended the same pass may begin too far away to be made again
    mine = wanted
    if wanted is not found or last is None or not np.array_equal(last[0], found.iterates[-1][0]):
        try:
            restore(loop, wanted)
        except PassFailed:
            again()
            mine = found
    loop.branches[opened.tear] = opened.temperature(mine)
    if explained and states and (len(states) > 1 or chosen is not None):
        loop.states = _told(opened, states, mine, seen)
        away = abs(chosen[1] - opened.temperature(mine)) if chosen is not None and chosen[1] is not None else 0.0
        loop.states.missing = away > APART or mine is not wanted
    return mine


def _picked(opened: Return, states: list, chosen: tuple | None, found: LoopResult) -> LoopResult:
    """The state that a choice, (rank, temperature [K]), asks for; the one found where there is none."""
    if not states or chosen is None:
        return found
    rank, near = chosen
    if rank == "hottest":
        return states[-1]
    if rank == "coldest" or near is None:
        return states[0]
    return min(states, key=lambda s: abs(opened.temperature(s) - near))


def _standing(loop: Loop) -> Callable[[], None]:
    """Lets the run and the loop stand where they stand now, whatever passes were made: nothing is computed."""
    run, guesses, last = loop.run, dict(loop.guesses), loop.last
    kept = {name: dict(getattr(run, name)) for name in CHANGED}
    memory, context = {unit: dict(left) for unit, left in run.memory.items()}, run.context

    def again() -> None:
        for name, value in kept.items():
            setattr(run, name, dict(value))
        run.memory, run.context = {unit: dict(left) for unit, left in memory.items()}, context
        loop.guesses, loop.last = dict(guesses), last

    return again


def restore(loop: Loop, found: LoopResult) -> None:
    """Let the run stand where an answer has it."""
    before = loop.passes
    loop.one_pass(found.iterates[-1][0])
    loop.passes = before


def _told(opened: Return, states: list, mine: LoopResult, seen: list[Look]) -> LoopStates:
    """The LoopStates of a loop with the gauges of each, from solves of the whole process."""
    loop, run = opened.loop, opened.loop.run
    out = []
    here = opened.temperature(mine)
    for found in states:
        T = opened.temperature(found)
        if out and T - out[-1].temperature < SAME:
            continue
        there = loop.plan.run(start=_start_at(loop, opened, found, T), overrides=run.changed, watch=run.watch, explain=False)
        out.append(LoopState(T, found.gain, opened.stable(found), abs(T - here) < SAME, dict(there.gauges), there.solved))
    return LoopStates(opened.tear, out, [s.T for s in seen], [s.excess for s in seen], run.watch.ended() is not None)


def _start_at(loop: Loop, opened: Return, found: LoopResult, T: float) -> Start:
    """From where the whole process settles in a state of a loop."""
    start = Start(branches=loop.run.start.branches | {opened.tear: T}, knobs=dict(loop.run.start.knobs), ties=dict(loop.run.start.ties))
    start.tears = dict(loop.run.start.tears)
    start.tears |= loop.tear_starts(found.tear)
    return start
