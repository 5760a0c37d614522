"""What is said of one solved point of a scan."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from gulch.engine.flowsheet.places import About
from gulch.engine.units.base import Code

if TYPE_CHECKING:
    from gulch.engine.flowsheet.plan import Plan
    from gulch.engine.flowsheet.solution import Solution


def usable(solution: Solution) -> bool:
    """Whether a point's figures count: everything solved and every target met."""
    return solution.solved and all(t.met for t in solution.targets)


def doubts_of(solution: Solution) -> list[str]:
    """Codes of the doubts about a Solution's figures, each once."""
    return sorted({m.code.value for m in solution.messages if m.code is not Code.NONE})


def point_warnings(solution: Solution, plan: Plan) -> list[str]:
    """What the process would say of a point: the warnings that its solve found, without those of gauges on their limits."""
    return [m.what for m in solution.messages[len(plan.messages) :] if m.level == "warning" and m.place.about is not About.GAUGE]


def finite(value: float | None) -> float | None:
    """A number, or None where it is none."""
    return value if value is not None and math.isfinite(value) else None
