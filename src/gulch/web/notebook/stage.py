"""The notebook: a printable report of what was chosen for it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.project.notebook import pieces_of
from gulch.web.measured.answers import fit_answer
from gulch.web.notebook import actions  # noqa: F401  (registers the edits)
from gulch.web.notebook.presenter import NotebookPage
from gulch.web.notebook.studies import Asked
from gulch.web.projects.stages import Stage
from gulch.web.scans.sure import sure_of
from gulch.web.scans.swings import swings_of
from gulch.web.sizing.answers import size
from gulch.web.variants.answers import solved_variants

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace
    from gulch.web.sessions import SessionStore


class Notebook(Stage):
    name, label = "notebook", "Notebook"
    template, aside = "workspace/_notebook.html", "workspace/_notebook_aside.html"
    styles = ("paper", "notebook")
    turns = False

    def ask(self, space: Workspace) -> Asked:
        wanted = {p.what for p in pieces_of(space.whole)}
        return Asked(
            solved_variants(space) if space.whole.variants and "variants" in wanted else None,
            swings_of(space) if "swings" in wanted else None,
            sure_of(space) if "sure" in wanted else None,
            size(space) if "sizing" in wanted else None,
            [fit_answer(space, f) for f in space.document.fits] if "measured" in wanted else None,
        )

    def context(self, space: Workspace, session: SessionStore, answers: Asked) -> dict[str, NotebookPage]:
        return {"notebook": self.page(space, answers)}

    def page(self, space: Workspace, answers: Asked) -> NotebookPage:
        """What page and files are made of."""
        return NotebookPage(space, answers)


STAGE = Notebook()
