"""Loops: how they converged, targets and ties."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.project.places import About
from gulch.web.loops import actions  # noqa: F401  (registers the edits)
from gulch.web.loops.presenter import LoopsPage
from gulch.web.projects.stages import Stage

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace
    from gulch.web.sessions import SessionStore


class Loops(Stage):
    name, label, template = "loops", "Loops", "workspace/_loops.html"
    about = frozenset({About.LOOP, About.TIE, About.TARGET, About.TEAR, About.CLOSING})
    styles = ("loops",)

    def context(self, space: Workspace, session: SessionStore, answers: Any) -> dict[str, LoopsPage]:
        return {"page": LoopsPage(space)}


STAGE = Loops()
