"""Reactions as cards, with their properties."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.chemistry import Ambiguous, reaction_properties, write_equation
from gulch.engine.chemistry.constants import BASIS_UNITS, QUOTIENT_BASES, SOURCES, gibbs_spread
from gulch.engine.chemistry.equations import Unbalanced, UnknownSpecies
from gulch.engine.fluids import R
from gulch.engine.project.reading import constant_of
from gulch.engine.quantities import (
    QuantityError,
)
from gulch.web.chemistry.part import Part
from gulch.web.projects.words import power_text

if TYPE_CHECKING:
    from collections.abc import Iterator

    import numpy as np

    from gulch.engine.document.chemistry import EquilibriumEntry, ReactionEntry
    from gulch.engine.project.messages import Message
    from gulch.web.chemistry.detail import RatePanel


@dataclass
class Properties:
    """What is known of a reaction at the temperature of the page, as text."""

    no_data: str = ""
    dh: str = ""
    heat: str = ""
    ds: str = ""
    dg: str = ""
    k: str = ""
    sure: str = ""
    rate: RatePanel | None = None
    own_k: str = ""
    own_words: str = ""


@dataclass
class ReactionCard:
    """A reaction in the list: what is typed, how it balances, what is wrong with it."""

    id: str
    equation: str
    key: str
    value: str
    reactants: list
    polynomial: str
    value_error: Message | None
    key_error: Message | None
    constant_error: Message | None
    here: bool
    knob: str | None
    problem: str = ""
    balanced: str = ""
    elements: list[tuple] = field(default_factory=list)
    ways: Any = None
    suggestion: str = ""
    offers: list = field(default_factory=list)
    properties: Properties = field(default_factory=Properties)


class ReactionCards(Part):
    """Reactions as cards, with their properties."""

    def reaction_cards(self) -> Iterator[ReactionCard]:
        for r in self.document.reactions:
            card = ReactionCard(
                id=r.id,
                equation=r.equation,
                key=r.conversion.key if r.conversion else "",
                value=r.conversion.value if r.conversion else "",
                reactants=[],
                polynomial=r.conversion.polynomial if r.conversion else "",
                value_error=self.page.space.errors.get(f"{r.id}.conversion"),
                key_error=self.page.space.errors.get(f"{r.id}.key"),
                constant_error=self.page.space.errors.get(f"{r.id}.equilibrium"),
                here=self.page.space.select == r.id,
                knob=next((k.id for k in self.document.knobs if k.input == f"{r.id}.conversion"), None),
            )
            error = self.problems.get(r.id)
            if error is not None:
                card.problem = str(error)
                if isinstance(error, Unbalanced):
                    card.suggestion = error.suggestion
                    card.elements = _elements(error.elements)
                if isinstance(error, UnknownSpecies):
                    card.offers = [(m.cas, m.name, m.formula) for m in error.matches[:5]]
                if isinstance(error, Ambiguous):
                    card.ways = error.ways
            else:
                found = self.resolved[r.id]
                card.balanced = write_equation(found.coefficients, self.shown)
                card.elements = _elements(found.elements)
                card.ways = found.ways
                card.reactants = [(self.names[i], self.names[i] == card.key) for i in found.reactants]
                if self.model is not None:
                    card.properties = self.properties(r)
            yield card

    def properties(self, reaction: ReactionEntry) -> Properties:
        nu = self.nu(reaction.id)
        if any(v and self.model.species[i].formation_enthalpy is None for i, v in enumerate(nu)):
            return Properties(no_data="A formation enthalpy is missing, so nothing is known of its heat.")
        p = reaction_properties(nu, self.model, self.T)
        missing = "– (an entropy is missing)"
        out = Properties(
            dh=self.show(p.dh, "molar energy"),
            heat="releases heat" if p.dh < 0 else "takes up heat",
            ds=self.show(p.ds, "molar entropy") if p.ds is not None else missing,
            dg=self.show(p.dg, "molar energy") if p.dg is not None else missing,
            k=power_text(p.ln_k),
            sure=self.sure(nu),
        )
        if reaction.rate is not None:
            out.rate = self.page.detail.rate_detail(reaction, nu)
        if reaction.equilibrium is not None and reaction.equilibrium.source != "gibbs":
            try:
                constant = constant_of(reaction)
                out.own_k = power_text(constant.ln_k(self.T, nu, self.model))
                out.own_words = f"{SOURCES[constant.source]}; {self.basis_words(reaction.equilibrium, nu)}"
            except QuantityError:
                pass
        return out

    def sure(self, nu: np.ndarray) -> str:
        """How far the sources of the formation data leave K open at the temperature shown, as a sentence."""
        spread = gibbs_spread(nu, self.model, self.T)
        if spread is None or spread.high - spread.low < 50.0:
            return ""
        low, high = (power_text(-g / (R * self.T), 2) for g in (spread.high, spread.low))
        worst = self.document.species[spread.parts[0][0]].shown
        return (
            f"Sources differ by {self.show(spread.high - spread.low, 'molar energy', 2)} in ΔG°, most over {worst}: "
            f"K between {low} and {high}."
        )

    def basis_words(self, entry: EquilibriumEntry, nu: np.ndarray) -> str:
        words = f"{QUOTIENT_BASES[entry.basis]} in the {entry.phase}"
        if entry.basis in BASIS_UNITS:
            order = nu.sum()
            unit = entry.unit or BASIS_UNITS[entry.basis][1]
            words += f", K in ({unit})^{order:g}" if order else f", in {unit} (they cancel)"
        return words


def _elements(elements: dict[str, tuple]) -> list[tuple]:
    return [(e, f"{float(a):g}", f"{float(b):g}", a == b) for e, (a, b) in elements.items()]
