"""What the engine knows of one species."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from gulch.engine.species.elements import element_entropy


@dataclass(frozen=True)
class Datum:
    """One number with its source; `others` holds what further sources give, {source: value}."""

    value: float
    source: str
    others: dict = field(default_factory=dict)
    disputed: bool = False  # its sources form camps, none of which stands above the others
    typed: bool = False  # by the user, in this project

    @property
    def spread(self) -> float:
        """Largest distance between sources, in the unit of the value."""
        values = [self.value, *self.others.values()]
        return max(values) - min(values)


@dataclass(frozen=True)
class Fit:
    """A correlation refitted to one closed form: coefficients, range [K] and worst relative error in it."""

    coefficients: np.ndarray
    low: float
    high: float
    worst: float
    source: str
    estimated: bool = False  # from the atoms, for want of data


METALS = frozenset(
    {"Li", "Na", "K", "Rb", "Cs", "Be", "Mg", "Ca", "Sr", "Ba", "Al", "Ga", "In", "Tl", "Sn", "Pb", "Bi", "Sc", "Y", "La", "Ce", "Ti"}
    | {"Zr", "V", "Cr", "Mo", "W", "Mn", "Fe", "Co", "Ni", "Cu", "Ag", "Au", "Zn", "Cd", "Hg", "Pt", "Pd"}
)
HARDLY = 550.0  # K: boiling point from which a mineral species is mostly meant to stay in a liquid


@dataclass(frozen=True)
class Species:
    """One species. SI units: K, Pa, J/mol, J/(mol K), kg/mol, kg/m3. None where nothing is known.

    A non-volatile species stays with the liquid; its formation data are those of the state it is in.
    """

    cas: str
    name: str
    formula: str
    atoms: dict  # element symbol -> count
    molar_mass: Datum
    critical_temperature: Datum | None
    critical_pressure: Datum | None
    acentric_factor: Datum | None
    formation_enthalpy: Datum | None  # ideal gas, 298.15 K
    entropy: Datum | None  # absolute, ideal gas, 298.15 K, 1 bar
    heat_capacity: Fit
    vapour_pressure: Fit | None
    boiling_point: Datum | None = None
    liquid_density: Datum | None = None  # typed by the user; Rackett's equation else
    non_volatile: bool = False
    dissolves: bool = False  # in water, where it stays in the liquid
    groups: tuple = ()  # structural groups as typed, (name, how often) each; those assigned to its CAS number else
    particles: Datum | None = None  # per formula unit in solution, van 't Hoff's factor; typed, 1 else

    @property
    def hardly_boils(self) -> bool:
        """Whether it is a salt, hydroxide or mineral acid that the databank knows a boiling point of, and most users keep in the liquid."""
        if self.non_volatile or len(self.atoms) < 2 or self.boiling_point is None:
            return False
        ammonium = "C" not in self.atoms and self.atoms.get("N", 0) and self.atoms.get("H", 0) >= 4 and len(self.atoms) > 2
        mineral = "C" not in self.atoms or any(e in METALS for e in self.atoms)
        return bool(ammonium) or (mineral and self.boiling_point.value > HARDLY)

    @property
    def has_critical(self) -> bool:
        return None not in (self.critical_temperature, self.critical_pressure, self.acentric_factor)

    @property
    def formation_gibbs(self) -> float | None:
        """Gibbs energy of formation at 298.15 K and 1 bar [J/mol], or None without an entropy."""
        if self.entropy is None or self.formation_enthalpy is None:
            return None
        elements = [element_entropy(e) for e in self.atoms]
        if None in elements:
            return None
        entropy = self.entropy.value - sum(n * s for n, s in zip(self.atoms.values(), elements, strict=True))
        return self.formation_enthalpy.value - 298.15 * entropy
