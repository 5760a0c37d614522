"""Process: the map over the ledger, and the inspector."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.web.process import actions  # noqa: F401  (registers the edits)
from gulch.web.process.curves import Curves
from gulch.web.projects.stages import Stage

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace
    from gulch.web.sessions import SessionStore


class Process(Stage):
    name, label = "process", "Process"
    template, aside = "workspace/_process.html", "workspace/_inspector.html"
    styles = ("map", "ledger", "inspector")

    def context(self, space: Workspace, session: SessionStore, answers: Any) -> dict[str, Curves]:
        return {"curves": Curves(space, space.select)}


STAGE = Process()
