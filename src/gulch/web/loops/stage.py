"""Loops: how they converged, targets and ties."""

from gulch.web.loops import actions  # noqa: F401  (registers the edits)
from gulch.web.loops.presenter import LoopsPage
from gulch.web.projects.stages import Stage


class Loops(Stage):
    name, label, template = "loops", "Loops", "workspace/_loops.html"
    completes = True

    def owns(self, where, document):
        return where.startswith("loop-") or where in ("tie", "target", "open", "closing")

    def context(self, space, session):
        return {"page": LoopsPage(space)}


STAGE = Loops()
