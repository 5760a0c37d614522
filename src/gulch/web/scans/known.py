"""What workers have found for a page beside the solve, or that they are still at it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from gulch.web.projects import solving

if TYPE_CHECKING:
    from gulch.engine.work.tasks import MoveKnobs, SampleData
    from gulch.web.projects.workspace import Workspace


@dataclass(frozen=True)
class Known:
    """found: the answer's plain data; trouble: why there is none, as a sentence; pending: whether it is being worked on."""

    found: dict | None = None
    trouble: str = ""
    pending: bool = False


def known(space: Workspace, task: MoveKnobs | SampleData, name: str) -> Known:
    """What is known of a task on what is shown; workers begin on it where nothing is. name: the page's, one job a project."""
    if not space.fresh:
        return Known(trouble="The process is not solved as it is: mend it first.")
    row = space.row
    outcome, pending = solving.answer(row, task, (name, row.pk))
    if outcome is None:
        return Known(pending=pending)
    data = outcome.data()
    if "messages" in data:  # broken off
        return Known(trouble=data["messages"][0]["what"])
    return Known(data.get("found"), data.get("trouble", ""))
