"""Loops: how they converged, targets and ties."""

from gulch.engine.project.places import About
from gulch.web.loops import actions  # noqa: F401  (registers the edits)
from gulch.web.loops.presenter import LoopsPage
from gulch.web.projects.stages import Stage


class Loops(Stage):
    name, label, template = "loops", "Loops", "workspace/_loops.html"
    about = frozenset({About.LOOP, About.TIE, About.TARGET, About.TEAR, About.CLOSING})
    styles = ("loops",)

    def context(self, space, session, answers):
        return {"page": LoopsPage(space)}


STAGE = Loops()
