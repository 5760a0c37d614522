"""The notebook: a printable report of what was chosen for it."""

from gulch.engine.flowsheet.notebook import pieces_of
from gulch.web.notebook import actions  # noqa: F401  (registers the edits)
from gulch.web.notebook.presenter import NotebookPage
from gulch.web.projects.stages import Stage
from gulch.web.variants.answers import solved_variants


class Notebook(Stage):
    name, label = "notebook", "Notebook"
    template, aside = "workspace/_notebook.html", "workspace/_notebook_aside.html"
    styles = ("paper", "notebook")

    def ask(self, space):
        return solved_variants(space) if space.whole.variants and any(p.what == "variants" for p in pieces_of(space.whole)) else None

    def context(self, space, session, answers):
        return {"notebook": self.page(space, answers)}

    def page(self, space, answers):
        """What page and files are made of."""
        return NotebookPage(space, answers)


STAGE = Notebook()
