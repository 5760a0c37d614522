"""Scans: a knob over a range."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.project.places import About
from gulch.web.projects.stages import Stage
from gulch.web.scans import actions, search_actions, sure_actions, worth_actions  # noqa: F401  (register the edits)
from gulch.web.scans.asked import lines
from gulch.web.scans.best import best_page
from gulch.web.scans.presenter import scan_page
from gulch.web.scans.sure import SureAnswer, SurePage, sample_data
from gulch.web.scans.swings import SwingsAnswer, SwingsPage, move_knobs
from gulch.web.scans.worth import worth_page

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace
    from gulch.web.sessions import SessionStore


class Scans(Stage):
    name, label, template = "scans", "Scans", "workspace/_scans.html"
    about = frozenset({About.SCAN, About.SEARCH, About.PRICES})
    styles = ("scans",)

    def ask(self, space: Workspace) -> SureAnswer | SwingsAnswer | None:
        return sample_data(space) or move_knobs(space)

    def context(self, space: Workspace, session: SessionStore, answers: SureAnswer | SwingsAnswer | None) -> dict[str, Any]:
        return {
            "asked": lines(space),
            "page": scan_page(space, session.get(f"beside-{space.row.pk}", ())),
            "best": best_page(space),
            "worth": worth_page(space),
            "swings": SwingsPage(space, answers) if isinstance(answers, SwingsAnswer) else None,
            "sure": SurePage(space, answers) if isinstance(answers, SureAnswer) else None,
        }


STAGE = Scans()
