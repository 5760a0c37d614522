"""Petroleum fractions, and heats of reaction of lumps that no databank knows."""

from __future__ import annotations

from gulch.engine.chemistry import EquationError, resolve_equation
from gulch.engine.document import Project, SpeciesData, SpeciesEntry
from gulch.engine.project.edit.whole import EditError, fresh, slug
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.species.fractions import formula_of


def add_fraction(project: Project, name: str, boiling_point: str, density: str) -> str:
    """Add a petroleum fraction by its boiling point and its density at 15 °C; returns its id. Raises EditError."""
    name = name.strip()[:80]
    if not name:
        raise EditError("The fraction has no name: type one.")
    formula = fraction_formula(name, boiling_point, density)
    data = SpeciesData(fraction=True, boiling_point=boiling_point, liquid_density=density, formula=formula)
    id_ = slug(name, "s")
    used = {s.id for s in project.species}
    id_ = fresh(id_[:36], used) if id_ in used else id_
    project.species.append(SpeciesEntry(id=id_, name=name if name != id_ else None, data=data))
    return id_


def fraction_formula(name: str, boiling_point: str, density: str) -> str:
    """The formula of a fraction by its boiling point and density as typed. Raises EditError."""
    try:
        return formula_of(parse(boiling_point, "temperature"), parse(density, "density"), name)
    except (QuantityError, SpeciesError) as error:
        raise EditError(str(error)) from None


def set_reaction_heat(project: Project, id_: str, text: str) -> str:
    """Give a reaction of lumps its heat at 25 °C, of gases, by the formation enthalpy of the one lump that lacks one, or had it so before.

    Returns the id of that species. Raises EditError.
    """
    reaction = project.reaction(id_)
    if reaction is None:
        raise EditError("The reaction is gone: reload the page.")
    try:
        wanted = parse(text, "molar energy")
        nu = resolve_equation(reaction.equation, project.entries()).nu(len(project.species))
        known = [lookup(*s.key).formation_enthalpy for s in project.species]
    except (QuantityError, EquationError, SpeciesError) as error:
        raise EditError(str(error)) from None
    lumps = [i for i, s in enumerate(project.species) if nu[i] and s.data is not None and s.data.formula and not s.cas]
    lacking = [i for i, v in enumerate(nu) if v and known[i] is None]
    if not set(lacking) <= set(lumps):
        missing = next(project.species[i].shown for i in lacking if i not in lumps)
        raise EditError(f"{missing} has no formation enthalpy: type it in its panel first.")
    if len(lacking) > 1:
        names = " and ".join(project.species[i].shown for i in lacking)
        raise EditError(
            f"{names} have no formation enthalpy: type that of all but one of them in their panels. "
            "For lumps that are neither burnt nor made of other species, 0 kJ/mol will do."
        )
    if not lumps:
        raise EditError("All its species have data of their own: its heat follows from their formation enthalpies.")
    at = lacking[0] if lacking else max(lumps, key=lambda i: (nu[i] > 0.0, i))
    others = sum(float(v) * d.value for i, (v, d) in enumerate(zip(nu, known, strict=True)) if v and i != at and d is not None)
    entry = project.species[at]
    assert entry.data is not None  # lumps have data
    entry.data.formation_enthalpy = f"{(wanted - others) / float(nu[at]) / 1000.0:.10g} kJ/mol"
    return entry.id
