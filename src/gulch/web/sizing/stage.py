"""Sizing: which volume for a conversion."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.project.places import About
from gulch.web.projects.stages import Stage
from gulch.web.sizing import actions  # noqa: F401  (registers the edits)
from gulch.web.sizing.answers import RegionAnswer, attain, size
from gulch.web.sizing.presenter import SizingPage
from gulch.web.sizing.region import RegionPage

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace
    from gulch.web.sessions import SessionStore
    from gulch.web.sizing.answers import SizingAnswer


REGION = "region"  # selected: what can be had at all


class Sizing(Stage):
    name, label, template = "sizing", "Sizing", "workspace/_sizing.html"
    about = frozenset({About.SIZING})
    styles = ("sizing",)
    turns = False

    def ask(self, space: Workspace) -> SizingAnswer | RegionAnswer:
        return attain(space) if space.select == REGION else size(space)

    def context(self, space: Workspace, session: SessionStore, answers: SizingAnswer | RegionAnswer) -> dict[str, Any]:
        if isinstance(answers, RegionAnswer):
            return {"region": RegionPage(space, answers)}
        return {"sizing": SizingPage(space, answers)}


STAGE = Sizing()
