"""Sizing: which volume for a conversion."""

from gulch.web.projects.stages import Stage
from gulch.web.sizing.presenter import SizingPage


class Sizing(Stage):
    name, label, template = "sizing", "Sizing", "workspace/_sizing.html"

    def owns(self, where, document):
        return where == "sizing"

    def context(self, space, session):
        return {"sizing": SizingPage(space)}


STAGE = Sizing()
