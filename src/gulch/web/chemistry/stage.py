"""Chemistry: species, phase model, reactions, sets."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.project.places import About
from gulch.web.chemistry import actions  # noqa: F401  (registers the edits)
from gulch.web.chemistry.presenter import ChemistryPage
from gulch.web.chemistry.trials import shown_of
from gulch.web.projects.stages import Stage

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace
    from gulch.web.sessions import SessionStore


class Chemistry(Stage):
    name, label = "chemistry", "Chemistry"
    template, aside = "workspace/_chemistry.html", "workspace/_species_detail.html"

    about = frozenset({About.SPECIES, About.REACTION, About.SET, About.CHEMISTRY, About.PHASE_MODEL, About.MEASURES})
    styles = ("inspector", "chemistry")
    turns = False

    def context(self, space: Workspace, session: SessionStore, answers: None) -> dict[str, Any]:
        chem = ChemistryPage(space)
        return {"chem": chem, "t": shown_of(space.row, space.document)}


STAGE = Chemistry()
