"""Sizing: which volume for a conversion."""

from gulch.engine.flowsheet.places import About
from gulch.web.projects.stages import Stage
from gulch.web.sizing.presenter import SizingPage


class Sizing(Stage):
    name, label, template = "sizing", "Sizing", "workspace/_sizing.html"
    about = frozenset({About.SIZING})

    def context(self, space, session):
        return {"sizing": SizingPage(space)}


STAGE = Sizing()
