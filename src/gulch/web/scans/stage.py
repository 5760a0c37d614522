"""Scans: a knob over a range."""

from gulch.engine.flowsheet.places import About
from gulch.web.projects.stages import Stage
from gulch.web.scans import actions  # noqa: F401  (registers the edits)
from gulch.web.scans.presenter import scan_page
from gulch.web.scans.swings import SwingsPage, move_knobs


class Scans(Stage):
    name, label, template = "scans", "Scans", "workspace/_scans.html"
    about = frozenset({About.SCAN})
    styles = ("scans",)

    def ask(self, space):
        return move_knobs(space)

    def context(self, space, session, answers):
        return {"page": scan_page(space), "swings": SwingsPage(space, answers) if answers is not None else None}


STAGE = Scans()
