"""What is said of one solved point of a scan."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from gulch.engine.declared.told import Code
from gulch.engine.flowsheet.graph import behind
from gulch.engine.project.couplings import readings
from gulch.engine.project.places import About

if TYPE_CHECKING:
    from gulch.engine.explain import Plan
    from gulch.engine.flowsheet.solution import Solution


def usable(solution: Solution) -> bool:
    """Whether a point's figures count: everything solved and every target met."""
    return solution.solved and all(t.met for t in solution.targets)


def rest_on(plan: Plan, gauges: list) -> set[str]:
    """Ids of what the readings of some gauges (rows of a Grid) rest on: a doubt elsewhere does not touch them."""
    known = readings(plan.project)
    parts = [a for g in gauges for a in (known[g["reads"]].parts or (g["reads"],))]
    return behind(plan.project, [a for a in parts if not a.startswith("gauge.")], tuple(plan.ties.values()), tuple(plan.targets.values()))


def doubts_of(solution: Solution, touching: set[str]) -> list[str]:
    """Codes of the doubts about figures that rest on some feeds, units and streams, each code once."""
    return touched(doubted_of(solution), touching)


def doubted_of(solution: Solution) -> list[list[str]]:
    """[code, id of what it is about] of every doubt, whatever rests on it: kept with a point for gauges thought of later."""
    return sorted([code, id_] for code, id_ in {(m.code.value, m.place.id) for m in solution.messages if m.code is not Code.NONE})


def touched(doubted: list[list[str]], touching: set[str]) -> list[str]:
    """Codes of those of some doubts that are about one of some feeds, units and streams, each once."""
    return sorted({code for code, id_ in doubted if id_ in touching})


def point_warnings(solution: Solution, plan: Plan) -> list[str]:
    """What the process would say of a point: the warnings that its solve found, without those of gauges on their limits."""
    return [m.what for m in solution.messages[len(plan.messages) :] if m.level == "warning" and m.place.about is not About.GAUGE]


def finite(value: float | None) -> float | None:
    """A number, or None where it is none."""
    return value if value is not None and math.isfinite(value) else None
