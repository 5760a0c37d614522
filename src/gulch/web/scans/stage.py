"""Scans: a knob over a range."""

from gulch.engine.flowsheet.places import About
from gulch.web.projects.stages import Stage
from gulch.web.scans import actions  # noqa: F401  (registers the edits)
from gulch.web.scans.presenter import scan_page


class Scans(Stage):
    name, label, template = "scans", "Scans", "workspace/_scans.html"
    about = frozenset({About.SCAN})
    styles = ("scans",)

    def context(self, space, session, answers):
        return {"page": scan_page(space)}


STAGE = Scans()
