"""What a feed is typed by: the bases of its amounts, and molar flows from them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.quantities import QuantityError, parse, write
from gulch.engine.species import SpeciesError, lookup

if TYPE_CHECKING:
    from gulch.engine.document import SpeciesEntry

FEED_BASES = {
    "molar": ("flow", "molar flow", "Flow of"),
    "mass": ("mass_flow", "mass flow", "Mass flow of"),
    "mole-fractions": ("fraction", "fraction", "Mole fraction of"),
    "mass-fractions": ("mass_fraction", "fraction", "Mass fraction of"),
    "mole-ratios": ("ratio", "ratio", "Mole ratio of"),
}
OTHER_MEASURE = {"molar": "mass", "mass": "molar"}  # bases whose flows may be turned in the other's measure


def measured_otherwise(text: str, dimension: str, other: str, species: SpeciesEntry, display: str, digits: int = 6) -> str | None:
    """A flow of a species in the other of moles and mass, in the project's unit; None where it or its molar mass cannot be read."""
    try:
        value, mass = parse(text, dimension), lookup(*species.key).molar_mass.value
    except (QuantityError, SpeciesError):
        return None
    return write(value * mass if other == "mass flow" else value / mass, other, display, digits)


def total_dimension(text: str) -> str:
    """Dimension of a feed's typed total: molar or mass flow. Raises QuantityError."""
    try:
        parse(text, "molar flow")
        return "molar flow"
    except QuantityError as error:
        try:
            parse(text, "mass flow")
            return "mass flow"
        except QuantityError:
            raise error from None


def give_way(fractions: np.ndarray, kept: np.ndarray) -> np.ndarray:
    """Fractions that add up to 1, shape (n,): those `kept` (bool, shape (n,)) stay, the others give way in proportion.

    Where the others are nothing, or those kept leave them less than nothing, all are scaled.
    """
    held, rest = float(fractions[kept].sum()), float(fractions[~kept].sum())
    if rest <= 0.0 or held > 1.0:
        return fractions / (held + rest)
    return np.where(kept, fractions, fractions * (1.0 - held) / rest)


def fraction_of(basis: str, tail: str) -> str | None:
    """Species whose fraction the tail of a feed's address names, in a basis of fractions; else None."""
    key, _, species = tail.partition(".")
    return species if key in ("fraction", "mass_fraction") and FEED_BASES[basis][0] == key else None


def feed_amounts(given: dict[str, Any], basis: str, values: dict[str, float], species: list[str], molar_mass: np.ndarray) -> np.ndarray:
    """Molar flows [mol/s] of a feed, shape (n,), from its basis and SI values by address tail.

    given: "to_species" and "total_dimension" as the basis wants them, and "kept": ids of species whose fractions stay as they are.
    """
    key = FEED_BASES[basis][0]
    numbers = np.array([values.get(f"{key}.{s}", 0.0) for s in species])
    if basis == "molar":
        return numbers
    if basis == "mass":
        return numbers / molar_mass
    if basis == "mole-ratios":
        return values["total"] * np.where(np.array(species) == given["to_species"], 1.0, numbers)
    total, dimension = values["total"], given["total_dimension"]
    kept = given.get("kept", ())
    numbers = give_way(numbers, np.isin(species, list(kept))) if kept else numbers / numbers.sum()
    mole = numbers if basis == "mole-fractions" else (numbers / molar_mass) / (numbers / molar_mass).sum()
    return mole * (total if dimension == "molar flow" else total / float(mole @ molar_mass))
