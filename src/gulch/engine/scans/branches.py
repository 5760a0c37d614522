"""The steady states of loops over the knob of a scan: every branch with its gauges, and where the scan's points leave theirs."""

from __future__ import annotations

import itertools
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.flowsheet.branching import branches_along, lighting
from gulch.engine.quantities import along, show
from gulch.engine.scans.grid import Listed
from gulch.engine.scans.points import finite, usable
from gulch.engine.scans.record import keep, read, recorded
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.explain import Plan
    from gulch.engine.flowsheet.branching import Branches, BranchState
    from gulch.engine.flowsheet.solution import Solution
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.scans.grid import Grid
    from gulch.engine.settle import Watch

FAR = 40.0  # K that a loop's tear may change by from one point to the next, beyond which shorter steps are taken
SHORTEST = 0.01  # of the way between two points, below which a step is not shortened
AWAY = 1.0  # K by which the whole process may miss a state that was followed, and still stand in it
HAPPENS = {"ignition": "ignites", "extinction": "goes out", "fold": "turns back"}


def branched(plan: Plan) -> bool:
    """Whether points of a scan hang on the points before them, because a loop may have more states than one."""
    return bool(lighting(plan))


def along_branch(plan: Plan, address: str, before: tuple[float, Solution], to: float, more: dict[str, float], watch: Watch) -> Solution:
    """The Solution with an input at `to`, from the one at another value: by shorter steps where a loop goes from one state to another.

    before: (the input's value, the Solution there); more: further inputs that are overridden. Where a state ceases to exist on the way the
    last step is taken all the same, and ends in another.
    """
    at, here, step = before[0], before[1], to - before[0]
    least, tears = abs(step) * SHORTEST, [t for g in lighting(plan) for t in g.tears]

    def solved(value: float) -> Solution:
        return plan.run_from(here.start, more | {address: value}, watch, explain=False)

    while True:
        there = solved(at + step if abs(step) < abs(to - at) else to)
        strays = _strays(tears, here, there)
        if not strays and abs(step) >= abs(to - at) or watch.ended():
            return there
        if strays:
            if abs(step) <= least:
                return solved(to)
            step *= 0.5
        else:
            at, here = at + step, there


def _strays(tears: list[str], before: Solution, there: Solution) -> bool:
    """Whether a loop left its state: another temperature of a tear, or a state that does not last after one that did."""
    if not there.solved:
        return True
    gains = [{t: lo.gain for lo in s.loops for t in lo.tears} for s in (before, there)]
    for tear in tears:
        one, other = (s.streams[tear].temperature if tear in s.streams else None for s in (before, there))
        if one is None or other is None or abs(other - one) > FAR:
            return True
        was, now = (g.get(tear) or 0.0 for g in gains)
        if now > 1.0 >= was:
            return True
    return False


def branches(plan: Plan, grid: Grid, start: Start | None = None, watch: Watch = UNWATCHED) -> list[dict[str, Any]]:
    """Curves of states of loops over the knob of a scan, those of one state for each of its values left out.

    Each is {"tear", "closed", "cut": why it ends inside the range, "arcs": [{"stable", "points"}], "folds": points with a "kind":
    ignition, extinction or fold}; a point is {"value", "values", "temperature" of the tear, "solved", "gauges", "record"}. SI.
    """
    if len(grid.axes) > 1 or isinstance(grid, Listed) or not branched(plan):
        return []
    axis = grid.axes[0]
    if start is None:
        start = plan.run(watch=watch, explain=False).start
    ends = float(axis.values[0]), float(axis.values[-1])
    found = branches_along(plan, axis.address, *ends, start, watch)
    if sum(len(b.branches) for b in found) < 2:
        return []
    return [_with_gauges(plan, grid, b, start, watch) for b in found]


def _with_gauges(plan: Plan, grid: Grid, found: Branches, start: Start, watch: Watch) -> dict[str, Any]:
    """A curve of states as plain data, the whole process solved in each."""
    which, known = recorded(plan.project), {}

    def point(state: BranchState) -> dict[str, Any]:
        if id(state) not in known:  # a fold belongs to two branches
            known[id(state)] = _point(plan, grid, found.tear, state, start, watch, which)
        return known[id(state)]

    return {
        "tear": found.tear,
        "closed": found.closed,
        "cut": found.cut,
        "arcs": [{"stable": b.stable, "points": [point(s) for s in b.states]} for b in found.branches],
        "folds": [point(f.at) | {"kind": f.kind} for f in found.folds],
    }


def _point(plan: Plan, grid: Grid, tear: str, state: BranchState, start: Start, watch: Watch, which: tuple[str, ...]) -> dict[str, Any]:
    """The whole process solved in a state of a loop."""
    own = state.start
    begin = replace(start, tears=start.tears | own.tears, branches=start.branches | own.branches, jacobians=own.jacobians, secants=[])
    out = {"value": state.knob, "values": [state.knob], "temperature": state.temperature, "solved": False}
    solution = plan.run(start=begin, overrides={grid.axes[0].address: state.knob}, watch=watch, explain=False)
    there = solution.streams.get(tear)
    if usable(solution) and there is not None and abs((there.temperature or np.inf) - state.temperature) < AWAY:
        out |= {"solved": True, "record": keep(solution, which, plan.molar_mass)}
    return out | {"gauges": {g["id"]: finite(solution.gauges.get(g["id"])) if out["solved"] else None for g in grid.gauges}}


def jumps(plan: Plan, grid: Grid, points: list[dict[str, Any]], found: list[dict[str, Any]]) -> dict[int, str]:
    """{index of a point: a sentence} where the points of a scan, walked both ways from where the knob stands, leave their branch."""
    out, now = {}, plan.inputs.get(grid.axes[0].address, -np.inf)
    for curve in found:
        stands = [_arc_of(p, curve, recorded(plan.project)) for p in points]
        for i, (a, b) in enumerate(itertools.pairwise(stands), 1):
            if a is not None and b is not None and a != b:
                beyond = i if points[i]["value"] > now else i - 1
                out[beyond] = _jump(plan.project.display, grid, curve, points[i - 1 : i + 1])
    return out


def _arc_of(point: dict[str, Any], curve: dict[str, Any], which: tuple[str, ...]) -> int | None:
    """On which arc of a curve a point of a scan lies, by the temperature of the tear; None where on none of them."""
    T = read(point["record"], which).get(f"{curve['tear']}.temperature") if point.get("record") else None
    near: list[tuple[float, int]] = []
    for k, arc in enumerate(curve["arcs"]):
        x, y = (np.array([p[name] for p in arc["points"]]) for name in ("value", "temperature"))
        order = np.argsort(x)
        if T is not None and x.min() <= point["value"] <= x.max():
            near.append((abs(T - float(np.interp(point["value"], x[order], y[order]))), k))
    away, k = min(near, default=(np.inf, -1))
    return k if away < 10.0 * AWAY else None


def _jump(display: str, grid: Grid, curve: dict[str, Any], pair: list[dict[str, Any]]) -> str:
    """What is said where a scan leaves a branch between two of its points."""
    axis = grid.axes[0]
    low, high = sorted(p["value"] for p in pair)
    fold = next((f for f in curve["folds"] if low <= f["value"] <= high), None)
    told = f"{curve['tear']}: the branch of steady states run before ends"
    if fold is None:
        return f"{told} between these points."
    at = show(fold["value"], axis.dimension, along(display, axis.to_dict()), 5)
    return f"{told} at {axis.label} {at}, where the loop {HAPPENS[fold['kind']]}."
