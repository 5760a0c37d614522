"""How results answer to inputs with all loops closed and all targets met: from derivatives of one pass, without a further solve.

Notation: inputs: m addresses; readings: g results or gauges; slopes: d(reading)/d(input), shape (g, m), SI.
"""

from __future__ import annotations

import copy
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.flowsheet import graph
from gulch.engine.flowsheet.closing.begin import NoBeginning
from gulch.engine.flowsheet.closing.jacobian import NO_SLOPES, PassSlopes, reading
from gulch.engine.flowsheet.closing.loop import Loop
from gulch.engine.flowsheet.run import Run
from gulch.engine.flowsheet.solution import Solution
from gulch.engine.project.couplings import Target
from gulch.engine.settle import UNWATCHED, PassFailed

if TYPE_CHECKING:
    from gulch.engine.flowsheet.plan import Plan
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.settle import Watch

TURNED = "~turned-"  # ids of the targets whose knobs are the inputs asked for


def sensitivities(
    plan: Plan, start: Start, values: dict[str, float], ranges: list[float], readings: list[str], watch: Watch = UNWATCHED
) -> np.ndarray | None:
    """Slopes of readings, shape (g, m), where a solve with `values` {address: SI value} ended at `start`.

    ranges: of each input, what it may be moved on, SI. None where a unit has no derivatives there, or nothing joins inputs and readings.
    """
    turned = _turned(plan, values, ranges, readings)
    run = Run(turned, plan.inputs | values, Solution(False, list(plan.species)), start, watch, None, explain=False, turned=values)
    with np.errstate(all="ignore"):
        run.begin()
        try:
            for group in turned.groups:
                if not any(t.startswith(TURNED) for t in group.targets):
                    run.solve(group)
                    continue
                return _of(Loop(run, group), list(values), readings) if not run.failed and _whole(group, values) else None
        except (NoBeginning, PassFailed, np.linalg.LinAlgError, *NO_SLOPES):
            return None
    return None


def _turned(plan: Plan, values: dict[str, float], ranges: list[float], readings: list[str]) -> Plan:
    """A Plan that solves together all that lies between some inputs and some readings."""
    parts = tuple(dict.fromkeys(p for r in readings for p in (plan.known[r].parts if r.startswith("gauge.") else (r,))))
    out, targets = copy.copy(plan), dict(plan.targets)
    for k, ((address, value), width) in enumerate(zip(values.items(), ranges, strict=True)):
        of = plan.bounds[address]
        ends = value - width, value + width
        id_ = f"{TURNED}{k}"
        targets[id_] = Target(id_, "", readings[0], 0.0, "", address, *ends, "", of.label, "", of.dimension, parts)
    out.targets = targets
    out.groups = graph.groups(plan.project, tuple(plan.ties.values()), tuple(targets.values()))
    return out


def _whole(group: graph.Group, values: dict[str, float]) -> bool:
    """Whether all inputs belong to one group: two that have nothing in common are not told together."""
    return sum(t.startswith(TURNED) for t in group.targets) == len(values)


def _of(loop: Loop, inputs: list[str], readings: list[str]) -> np.ndarray | None:
    """Slopes of a Loop from one pass: first what its unknowns do as the knobs turn, then what the readings do along that."""
    x = loop.begin
    loop.one_pass(x)
    knobs = loop.unknowns.knobs(np.arange(x.size))
    moved = np.zeros((x.size, len(knobs)))
    if x.size > len(knobs):
        slopes = PassSlopes(loop, x)
        moved = np.linalg.solve(np.eye(x.size) - slopes.jacobian(), slopes.by_knobs())
    moved[knobs] = np.eye(len(knobs))
    along = PassSlopes(loop, x, along=(moved, loop.ranges))
    rows = along.read_all(readings, lambda run: [reading(r, run) for r in readings])
    own = [j for j, t in enumerate(loop.targets) if not t.id.startswith(TURNED)]
    free = [next(j for j, t in enumerate(loop.targets) if t.id == f"{TURNED}{k}") for k in range(len(inputs))]
    if own:  # their knobs give way so that they stay met
        residuals = along.residuals()[own]
        rows[:, free] -= rows[:, own] @ np.linalg.solve(residuals[:, own], residuals[:, free])
    out = rows[:, free]
    return out if np.isfinite(out).all() else None
