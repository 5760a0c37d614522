"""Chemistry: species, phase model, reactions, sets."""

from gulch.engine.project.places import About
from gulch.web.chemistry import actions  # noqa: F401  (registers the edits)
from gulch.web.chemistry.pairs import boil
from gulch.web.chemistry.presenter import ChemistryPage
from gulch.web.projects.stages import Stage


class Chemistry(Stage):
    name, label = "chemistry", "Chemistry"
    template, aside = "workspace/_chemistry.html", "workspace/_species_detail.html"

    about = frozenset({About.SPECIES, About.REACTION, About.SET, About.CHEMISTRY, About.PHASE_MODEL, About.MEASURES})
    styles = ("inspector", "chemistry")

    def ask(self, space):
        return boil(space)

    def context(self, space, session, answers):
        chem = ChemistryPage(space)
        return {"chem": chem, "pair": chem.pairs.detail(answers)}


STAGE = Chemistry()
