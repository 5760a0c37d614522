"""Which phase model suits a project, with the reason: from its species, its highest pressure and the groups that are known of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.declared.declarations import Input
from gulch.engine.phases.by_groups import GAS, is_polar
from gulch.engine.phases.model import PHASE_MODELS, WATER
from gulch.engine.phases.pairs.liquids import AMMONIA
from gulch.engine.phases.weak import MADE_OF, MODELLED, MOLECULES
from gulch.engine.quantities import QuantityError, parse, show
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.species.groups import groups_of, missing
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project

MODERATE = 10e5  # Pa, up to which the vapour over an activity model's liquid is near enough to ideal (common practice)
MEANINGS = {
    "ideal": "for liquids whose molecules are alike, at low pressure: Raoult's law, checked by hand in a minute",
    "free-water": "for hydrocarbons with steam at low pressure: Raoult's law, and liquid water as a pure liquid of its own",
    "peng-robinson": "for hydrocarbons and gases at any pressure; water, alcohols and acids only with fitted interaction parameters",
    "soave-redlich-kwong": "for hydrocarbons and gases at any pressure, hydrogen among them; as poor for polar liquids",
    "predictive-srk": "for gases over polar liquids at any pressure: SRK that mixes by structural groups",
    "unifac": "for polar liquids and water beside hydrocarbons at low pressure; two liquids from structural groups",
    "modified-unifac": "for polar liquids that mix, over a wide range of temperature, at low pressure",
    "nrtl": "for liquids with measured parameters, two liquids among them; pairs without are filled from UNIFAC",
    "wilson": "for liquids with measured parameters that mix in all proportions; it cannot split a liquid in two",
    "electrolytes": "for ammonia, carbon dioxide, hydrogen sulfide, sulfur dioxide, hydrogen chloride and caustic in water: "
    "what dissociates, and its pH",
}


@dataclass(frozen=True)
class ModelAdvice:
    """The kind of phase model that suits best, and why."""

    kind: str
    reason: str

    @property
    def label(self) -> str:
        return PHASE_MODELS[self.kind][0]


def advised(project: Project, pressure: float | None = None) -> ModelAdvice | None:
    """The ModelAdvice for a project; None where it has too few species to say, or, of polar ones, no pressure is typed yet.

    pressure: taken where none is typed [Pa].
    """
    try:
        species: list[Any] = [lookup(*s.key) for s in project.species]
    except SpeciesError:
        return None
    liquids = [s for s in species if not s.non_volatile and s.has_critical and s.critical_temperature.value >= GAS]
    names = {id(found): entry.shown for found, entry in zip(species, project.species, strict=True)}
    if len([s for s in species if not s.non_volatile]) < 2:
        return None
    electrolytes = _electrolytes(species)
    if electrolytes:
        shown = " and ".join(names[id(s)] for s in electrolytes[:2]) + (" and others" if len(electrolytes) > 2 else "")
        return ModelAdvice("electrolytes", f"{shown} {'dissociates' if len(electrolytes) == 1 else 'react as ions'} in water")
    polar = [s for s in liquids if is_polar(s)]
    if not polar:
        kinds = ["peng-robinson", "soave-redlich-kwong"]
        if project.phase_model.kind in kinds:  # neither is better for these
            kinds.sort(key=lambda kind: kind != project.phase_model.kind)
        other = f"{PHASE_MODELS[kinds[1]][0]} would do as well"
        return ModelAdvice(kinds[0], f"gases and hydrocarbons, none of which is polar; {other}")
    shown = " and ".join(names[id(s)] for s in polar[:2]) + (" and others" if len(polar) > 2 else "")
    are = f"{shown} {'is' if len(polar) == 1 else 'are'} polar"
    P = highest_pressure(project) or pressure
    if P is None:
        return None
    at, moderate = (show(x, "pressure", project.display, 3) for x in (P, MODERATE))
    if P > MODERATE:
        if all(groups_of(s, "predictive-srk") for s in liquids):
            return ModelAdvice("predictive-srk", f"{are}, at up to {at}: gases and polar liquids in one equation")
        return ModelAdvice("peng-robinson", f"up to {at}, and not every species has groups: type k_ij for {shown}")
    water = any(s.cas == WATER for s in liquids)
    oil = next((s for s in liquids if set(s.atoms) == {"C", "H"}), None)
    if water and oil is not None and known_to(liquids, "unifac"):
        return ModelAdvice("unifac", f"water with {names[id(oil)]} below {moderate}: two liquids")
    for scheme in ("modified-unifac", "unifac"):
        if known_to(liquids, scheme):
            return ModelAdvice(scheme, f"{are}, below {moderate}")
    if known_to(liquids, "predictive-srk"):
        return ModelAdvice("predictive-srk", f"{are}, and its groups are known where those of the others are not")
    return ModelAdvice("nrtl", f"{are}, and some groups are unknown: type measured parameters for those pairs")


def _electrolytes(species: list) -> list:
    """What among species is ions in water, where it is no trifle: a base with an acid, a salt, sulfur dioxide or hydrogen chloride.

    None where no water is, or another liquid that dissolves.
    """
    if not any(s.cas == WATER for s in species) or any(s.non_volatile and s.cas not in MODELLED for s in species):
        return []
    found = [s for s in species if s.cas in MODELLED]
    others = [s for s in species if s.cas not in MODELLED and s.has_critical and s.critical_temperature.value >= GAS and s.cas != WATER]
    bases = [s for s in found if s.cas in MADE_OF or s.cas == AMMONIA]
    acids = [s for s in found if s not in bases]
    strong = [s for s in found if s.cas in MADE_OF or MOLECULES[s.cas] == "SO2"]
    return found if not any(is_polar(s) for s in others) and (strong or (bases and acids)) else []


def known_to(liquids: list, scheme: str) -> bool:
    """Whether a scheme has groups for all liquids and interactions for all their groups."""
    found = [groups_of(s, scheme) for s in liquids]
    return all(found) and not missing([i for f in found for i in f], scheme)


def highest_pressure(project: Project) -> float | None:
    """The highest pressure [Pa] that is typed in feeds and units; None where none is."""
    texts = [s.given.pressure for s in project.streams if s.given is not None]
    for unit in project.units:
        texts += [getattr(unit, d.key, None) for d in KINDS[unit.kind].declared(Input) if d.dimension == "pressure"]
    found = []
    for text in texts:
        try:
            found.append(parse(text, "pressure"))
        except (QuantityError, TypeError, AttributeError):
            continue
    return max(found, default=None)
