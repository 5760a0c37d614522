"""Process: the map over the ledger, and the inspector."""

from gulch.web.process import actions  # noqa: F401  (registers the edits)
from gulch.web.process.curves import Curves
from gulch.web.projects.stages import Stage


class Process(Stage):
    name, label = "process", "Process"
    template, aside = "workspace/_process.html", "workspace/_inspector.html"
    styles = ("map", "ledger", "inspector")

    def context(self, space, session, answers):
        return {"curves": Curves(space, space.select)}


STAGE = Process()
