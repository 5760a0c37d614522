"""Sizing: which volume for a conversion."""

from gulch.engine.project.places import About
from gulch.web.projects.stages import Stage
from gulch.web.sizing import actions  # noqa: F401  (registers the edits)
from gulch.web.sizing.answers import size
from gulch.web.sizing.presenter import SizingPage


class Sizing(Stage):
    name, label, template = "sizing", "Sizing", "workspace/_sizing.html"
    about = frozenset({About.SIZING})
    styles = ("sizing",)

    def ask(self, space):
        return size(space)

    def context(self, space, session, answers):
        return {"sizing": SizingPage(space, answers)}


STAGE = Sizing()
