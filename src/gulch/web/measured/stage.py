"""Measured: tables of measurements, and what they say of the rate laws."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.web.measured import actions  # noqa: F401  (registers the edits)
from gulch.web.measured.answers import shown_fit
from gulch.web.measured.pairs import boil
from gulch.web.measured.presenter import MeasuredPage
from gulch.web.projects.stages import Stage

if TYPE_CHECKING:
    from gulch.web.measured.answers import FitAnswer
    from gulch.web.measured.pairs import PairAnswer
    from gulch.web.projects.workspace import Workspace
    from gulch.web.sessions import SessionStore


class Measured(Stage):
    name, label, template = "measured", "Measured", "workspace/_measured.html"
    styles = ("inspector", "scans", "measured")
    turns = False

    def ask(self, space: Workspace) -> tuple[FitAnswer, PairAnswer | None]:
        return shown_fit(space), boil(space)

    def context(self, space: Workspace, session: SessionStore, answers: tuple) -> dict[str, MeasuredPage]:
        return {"measured": MeasuredPage(space, *answers)}


STAGE = Measured()
