"""Conversion, selectivity and yield, counted on one key reactant and one wanted product for the whole project."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.chemistry import EquationError, resolve_equation
from gulch.engine.declared.base import Counted
from gulch.engine.project.once import once
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.species import SpeciesError
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project

# name -> (label, formula); A key reactant, P wanted product, r moles of A in one mole of P. Reactors declare their own.
OVERALL = {
    "key_conversion": ("Overall conversion", "(A fed − A leaving)/(A fed) over the process"),
    "selectivity": ("Overall selectivity", "r (P leaving − P fed)/(A fed − A leaving) over the process"),
    "yield": ("Overall yield", "r (P leaving − P fed)/(A fed) over the process"),
}


def counting() -> dict[str, tuple[str, str]]:
    """{name: (label, formula)} of what units declare that counts on the key reactant and the wanted product."""
    return {r.key: (r.label, r.meaning) for kind in KINDS.values() for r in kind.results() if r.counted}


def counted(project: Project) -> Counted | None:
    """What a project counts on. Raises QuantityError."""
    m = project.measures
    return Counted(key_per_product(project)[0], m.key, m.product) if m else None


@once
def key_per_product(project: Project) -> tuple:
    """(r, where it comes from): moles of key reactant in one mole of wanted product. Raises QuantityError.

    Untyped, it follows the shortest chain of reactions from the key reactant to the product.
    """
    m = project.measures
    if m.ratio:
        value = parse(m.ratio, "ratio")
        if value <= 0.0:
            raise QuantityError(f"The ratio of key reactant to wanted product is not above zero: {m.ratio}.")
        return value, "as typed"
    entries = project.entries()
    names = [e[0] for e in entries]
    steps = []
    for r in project.reactions:
        try:
            found = resolve_equation(r.equation, entries).coefficients
        except (EquationError, SpeciesError):
            continue
        steps.append((r.id, {names[i]: float(v) for i, v in found.items()}))
    ways, seen = [(m.key, 1.0, [])], {m.key}
    while ways:
        at, ratio, chain = ways.pop(0)
        if at == m.product:
            return ratio, "from " + " and ".join(chain) if chain else "being the same species"
        for id_, nu in steps:
            if nu.get(at, 0.0) >= 0.0:
                continue
            for species, v in nu.items():
                if v > 0.0 and species not in seen:
                    seen.add(species)
                    ways.append((species, ratio * -nu[at] / v, [*chain, id_]))
    return 1.0, "taken as 1: no reaction leads from the one to the other"
