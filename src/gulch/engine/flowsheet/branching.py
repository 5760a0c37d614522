"""All steady states of a process's loops as one input turns over a range: curves with their folds, each state ready to be solved.

Notation: knob: the input's value [SI]; temperatures [K] of a torn stream of the loop.
"""

from __future__ import annotations

import copy
import itertools
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.flowsheet import graph
from gulch.engine.flowsheet.closing.begin import NoBeginning
from gulch.engine.flowsheet.closing.branches import Curve, Follower
from gulch.engine.flowsheet.closing.loop import Loop
from gulch.engine.flowsheet.closing.states import FEW_PASSES, others
from gulch.engine.flowsheet.run import Run
from gulch.engine.flowsheet.solution import Solution
from gulch.engine.flowsheet.start import Jacobian, Start
from gulch.engine.project.couplings import Target
from gulch.engine.settle import UNWATCHED, PassFailed
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.flowsheet.closing.branches import State
    from gulch.engine.flowsheet.plan import Plan
    from gulch.engine.settle import Watch

WALK = "~walk"  # the target whose knob is the input that turns


@dataclass
class BranchState:
    """A steady state on a branch: the knob, the temperature of the loop's tear, and from where the loop settles in it at once."""

    knob: float
    temperature: float
    start: Start


@dataclass
class Branch:
    """The states between two folds, or between a fold and an end, in order; stable: whether they last by themselves."""

    stable: bool
    states: list[BranchState] = field(default_factory=list)


@dataclass
class Fold:
    """Where a curve of states turns back. kind: "ignition" or "extinction", what happens to a loop that is driven past it; else "fold"."""

    at: BranchState
    kind: str


@dataclass
class Branches:
    """A curve of states of a loop: its branches from one end to the other, the folds between them, and why it ends where it does."""

    tear: str
    branches: list[Branch]
    folds: list[Fold]
    closed: bool = False
    cut: list[str] = field(default_factory=list)


def lighting(plan: Plan) -> list[graph.Group]:
    """Groups of a Plan that may have more states than one: loops with a reactor by rates that is not held at a temperature."""
    given = {u: plan.given(u, plan.inputs) for u in plan.units}
    return [g for g in plan.groups if g.tears and any(KINDS[plan.units[u].kind].lights(given[u]) for u in g.units)]


def branches_along(plan: Plan, address: str, low: float, high: float, start: Start, watch: Watch = UNWATCHED) -> list[Branches]:
    """Every curve of states found of the loops that an input moves, over a range of it, from where a solve left them.

    Besides the curve through the state that runs, those through other states at both ends of the range and where the input stands now.
    """
    out = []
    for group in lighting(plan):
        tear = group.tears[0]
        if graph.reaches(plan.project, address, f"{tear}.temperature", tuple(plan.ties.values())):
            loop = _opened(plan, tear, address, (low, high), start, watch)
            out += [] if loop is None else _followed(loop)
    return out


def _opened(plan: Plan, tear: str, address: str, ends: tuple[float, float], start: Start, watch: Watch) -> Loop | None:
    """The Loop of a torn stream, solved together with all that lies between it and an input; None where it cannot begin."""
    result, of = f"{tear}.temperature", plan.bounds[address]
    walked = copy.copy(plan)
    target = Target(WALK, "", result, 0.0, "", address, *ends, "", of.label, "temperature", of.dimension, (result,))
    walked.targets = plan.targets | {WALK: target}
    walked.groups = graph.groups(plan.project, tuple(plan.ties.values()), tuple(walked.targets.values()))
    run = Run(walked, plan.inputs, Solution(False, list(plan.species)), start, watch, None, explain=False)
    with np.errstate(all="ignore"):
        run.begin()
        for group in walked.groups:
            if WALK in group.targets:
                try:
                    return Loop(run, group) if not run.failed else None
                except NoBeginning:
                    return None
            run.solve(group)
    return None


def _followed(loop: Loop) -> list[Branches]:
    """The curves of a Loop, that of the state at hand first."""
    k = loop.group.targets.index(WALK)
    curves: list[Curve] = []
    with np.errstate(all="ignore"):
        for knob in dict.fromkeys((float(loop.unknowns.knobs(loop.begin)[k]), float(loop.low[k]), float(loop.high[k]))):
            for x in _states_at(loop, k, knob, curves):
                if loop.run.watch.ended():
                    return []
                if any(c.passes(x, loop.scale) for c in curves):
                    continue
                curve = Follower(loop, k).follow(x)
                if curve.states:
                    curves.append(curve)
    return [_told(loop, k, c) for c in curves]


def _states_at(loop: Loop, k: int, knob: float, curves: list[Curve]) -> Iterator[np.ndarray]:
    """Unknowns of the states at a value of the knob, the one that is settled in from what is known first.

    Where the first curve turns back, the others where the knob stands lie on it as a rule, and are looked for at the ends alone.
    """
    near = min((s for c in curves for s in c.states), key=lambda s: abs(s.knob - knob), default=None)
    x = loop.begin.copy() if near is None else near.x.copy()
    loop.unknowns.knobs(x)[k] = knob
    loop.slope = None
    try:
        found = loop.search(x)
    except PassFailed:
        return
    if not found.reason.settled:
        return
    begins = not curves
    yield found.tear
    if not (begins and any(s.fold for c in curves for s in c.states)):
        loop.slope = None
        yield from (s.tear for s in others(loop, found, FEW_PASSES))


def _told(loop: Loop, k: int, curve: Curve) -> Branches:
    """The Branches of a curve, cut at its folds; temperatures are those of the tear whose warmth moves most."""
    u = loop.unknowns
    warmths = np.array([u.warmths(s.x) for s in curve.states])
    j = int(np.argmax(warmths.max(axis=0) - warmths.min(axis=0)))
    tear = loop.group.tears[j]
    out = Branches(tear, [], [], curve.closed, curve.cut)
    piece: list[tuple[State, BranchState]] = []
    for state in curve.states:
        at = {t: float(loop.torn(state.x, i).T) for i, t in enumerate(loop.group.tears)}
        start = Start(tears=loop.tear_starts(state.x), branches=at, jacobians=_known(loop, k, state))
        there = BranchState(state.knob, at[tear], start)
        piece.append((state, there))
        if state.fold:
            out.branches.append(_branch(piece))
            out.folds.append(Fold(there, "fold"))
            piece = [(state, there)]
    out.branches.append(_branch(piece))
    for fold, (a, b) in zip(out.folds, itertools.pairwise(out.branches), strict=True):
        if a.stable != b.stable:
            lasting, other = (a.states[::-1], b.states) if a.stable else (b.states, a.states[::-1])
            hotter = other[min(1, len(other) - 1)].temperature - lasting[min(1, len(lasting) - 1)].temperature
            fold.kind = "ignition" if hotter > 0.0 else "extinction"
    return out


def _known(loop: Loop, k: int, state: State) -> list[Jacobian]:
    """Derivatives of a pass of the loop alone, for searches that begin in a state; none where other targets are closed with it."""
    if len(loop.targets) > 1:
        return []
    u = loop.unknowns
    own = np.arange(u.size) != int(u.knobs(np.arange(u.size))[k])
    names = [name for name in u.names if name != WALK]
    return [Jacobian(names, state.rows[np.ix_(own, own)].tolist(), state.x[own].tolist())]


def _branch(piece: list[tuple[State, BranchState]]) -> Branch:
    inner = [s.stable for s, _ in piece if not s.fold]
    return Branch(2 * sum(inner) > len(inner), [there for _, there in piece])
