"""Chemistry: species, phase model, reactions, sets."""

from gulch.web.chemistry import actions  # noqa: F401  (registers the edits)
from gulch.web.chemistry.presenter import ChemistryPage
from gulch.web.projects.stages import Stage


class Chemistry(Stage):
    name, label = "chemistry", "Chemistry"
    template, aside = "workspace/_chemistry.html", "workspace/_species_detail.html"

    def owns(self, where, document):
        named = where in {x.id for x in (*document.reactions, *document.reaction_sets)}
        return named or where in ("species", "chemistry", "phase_model", "measures")

    def context(self, space, session):
        return {"chem": ChemistryPage(space)}


STAGE = Chemistry()
