"""What the chemistry page shows: species, reactions with what follows from their data, sets."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.chemistry import EquationError, resolve_equation
from gulch.engine.document import default_text
from gulch.engine.phases.model import PhaseModel
from gulch.engine.project.reading import model_of
from gulch.engine.quantities import (
    QuantityError,
    parse,
    show,
)
from gulch.engine.species import SpeciesError
from gulch.web.chemistry.cards import ReactionCards
from gulch.web.chemistry.detail import ReactionDetail
from gulch.web.chemistry.sets import Sets
from gulch.web.chemistry.species import SpeciesRows
from gulch.web.measured.pairs import PairPanel
from gulch.web.projects.words import pretty_text

if TYPE_CHECKING:
    import numpy as np

    from gulch.web.projects.workspace import Workspace


class ChemistryPage:
    """The page's parts, computed when the template asks for them. space: the Workspace."""

    def __init__(self, space: Workspace) -> None:
        self.space, self.document, self.display = space, space.document, space.display
        self.names = [s.id for s in self.document.species]
        self.shown = [s.shown for s in self.document.species]
        self.model: PhaseModel | None
        try:
            self.model = model_of(self.document)
        except SpeciesError:
            self.model = None
        try:
            self.T = parse(self.document.reactions_at, "temperature")
            self.T_problem = ""
        except QuantityError as error:
            self.T, self.T_problem = 298.15, str(error)
        self.resolved, self.problems = {}, {}
        for r in self.document.reactions:
            try:
                self.resolved[r.id] = resolve_equation(r.equation, self.document.entries())
            except (EquationError, SpeciesError) as error:
                self.problems[r.id] = error
        self.species = SpeciesRows(self)
        self.cards = ReactionCards(self)
        self.detail = ReactionDetail(self)
        self.sets = Sets(self)

    def show(self, value: float, dimension: str, digits: int = 4, unit: bool = True) -> str:
        return show(value, dimension, self.display, digits, unit=unit)

    @property
    def at_text(self) -> str:
        text = self.document.reactions_at
        untyped = text == type(self.document).model_fields["reactions_at"].default
        return pretty_text(default_text(text, "temperature", self.document.display) if untyped else text)

    @property
    def at_shown(self) -> str:
        return self.show(self.T, "temperature")

    @property
    def boiling(self) -> list[tuple]:
        """Pairs of what can boil, by id."""
        return PairPanel(self.space).choices()

    @property
    def rates_example(self) -> str:
        name = self.document.reactions[0].id if self.document.reactions else "r1"
        return f"reaction\tk0 [1/s]\tE [kJ/mol]\n{name}\t2.5e7\t95"

    def nu(self, id_: str) -> np.ndarray:
        return self.resolved[id_].nu(len(self.names))
