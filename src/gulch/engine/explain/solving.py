"""A plan that says what is missing before it computes, and what is doubtful after."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.explain.checks import check
from gulch.engine.explain.diagnosis import explain_loop, unmet_target
from gulch.engine.explain.phase_doubts import phase_doubts
from gulch.engine.flowsheet import plan
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.flowsheet.closing.account import Account
    from gulch.engine.flowsheet.closing.targets import Edge, Jump
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.flowsheet.solution import LoopOutcome, Solution, TargetOutcome
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.project.couplings import Target
    from gulch.engine.project.messages import Message
    from gulch.engine.settle import LoopResult, Watch


class Plan(plan.Plan):
    """A Project prepared for repeated solves, checked before and explained after."""

    def checked(self, project: Project) -> list[Message]:
        return check(project)

    def doubts(self, run: Run, overlooked: dict[str, float | None]) -> list[Message]:
        return list(phase_doubts(run, overlooked))

    def of_loop(self, account: Account, found: LoopResult, outcome: LoopOutcome, *moved: np.ndarray) -> list[Message]:
        return explain_loop(account, found, outcome, *moved)

    def of_target(self, target: Target, outcome: TargetOutcome, why: str | None, jump: Jump | None, edges: list[Edge]) -> Message:
        return unmet_target(self, target, outcome, why, jump, edges)


def solve(document: Project, start: Start | None = None, watch: Watch = UNWATCHED, max_passes: int | None = None) -> Solution:
    """Solve a Project; returns a Solution, and never raises for an unsolved process.

    start: `Solution.start` of an earlier solve; watch: a settle.Watch, which may end it; max_passes: in place of the document's.
    """
    return Plan(document).run(start=start, watch=watch, max_passes=max_passes)
