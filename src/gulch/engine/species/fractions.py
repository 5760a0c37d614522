"""Petroleum fractions as pseudo-components: what follows from a mean boiling point and a density.

Riazi & Daubert, Ind. Eng. Chem. Res. 26 (1987) 755 (molar mass) and Oil & Gas J., Aug. 25 (1986) 50 (carbon to hydrogen); Kesler & Lee,
Hydrocarbon Process. 55 (3) (1976) 153 (critical constants, heat capacity of the ideal gas); Lee & Kesler, AIChE J. 21 (1975) 510 (acentric
factor).

Notation: boiling [K] at 1 atm; gravity: specific gravity at 15.6 degC, density over that of water; K: Watson's factor; M [g/mol].
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.species.databank import SpeciesError
from gulch.engine.species.heat_capacity import fit
from gulch.engine.species.records import Datum

if TYPE_CHECKING:
    from gulch.engine.species.records import Fit

WATER_AT_60F = 999.02  # kg/m3
LIGHTEST, HEAVIEST = 9.5, 14.0  # Watson's factor of what hydrocarbons can be: fused aromatics and paraffins
COLDEST, HOTTEST = 300.0, 920.0  # K, boiling points between which the correlations were made
CARBON, HYDROGEN = 12.011, 1.008  # g/mol
EXPANSION = 613.97  # kg2/(m6 K): thermal expansion at 15 degC times density squared (ASTM D 1250, crude oils)
BY_KESLER_LEE = "Kesler & Lee (1976), from boiling point and density"
BY_LEE_KESLER = "Lee & Kesler (1975), from boiling point and density"


def watson(boiling: float, gravity: float) -> float:
    """Watson's characterisation factor: the cube root of the boiling point [R] over the gravity."""
    return float((1.8 * boiling) ** (1.0 / 3.0) / gravity)


def molar_mass(boiling: float, gravity: float) -> float:
    """Molar mass [g/mol] (Riazi & Daubert 1987)."""
    exponent = 2.097e-4 * boiling - 7.78712 * gravity + 2.08476e-3 * boiling * gravity
    return float(42.965 * math.exp(exponent) * boiling**1.26007 * gravity**4.98308)


def carbon_to_hydrogen(boiling: float, gravity: float) -> float:
    """Mass of carbon over that of hydrogen (Riazi & Daubert 1986)."""
    exponent = 7.176e-3 * boiling + 30.06242 * gravity - 7.35e-3 * boiling * gravity
    return float(8.7743e-10 * math.exp(exponent) * boiling**-0.98445 * gravity**-18.2753)


def critical_constants(boiling: float, gravity: float) -> tuple[float, float]:
    """Critical temperature [K] and pressure [Pa] (Kesler & Lee 1976)."""
    tc = 189.8 + 450.6 * gravity + (0.4244 + 0.1174 * gravity) * boiling + (0.1441 - 1.0069 * gravity) * 1e5 / boiling
    ln_pc = 5.689 - 0.0566 / gravity
    ln_pc -= (0.43639 + 4.1216 / gravity + 0.21343 / gravity**2) * 1e-3 * boiling
    ln_pc += (0.47579 + 1.182 / gravity + 0.15302 / gravity**2) * 1e-6 * boiling**2
    ln_pc -= (2.4505 + 9.9099 / gravity**2) * 1e-10 * boiling**3
    return float(tc), 1e5 * math.exp(ln_pc)


def acentric_factor(boiling: float, tc: float, pc: float, K: float) -> float:
    """Acentric factor: Lee & Kesler (1975) below 0.8 of the critical temperature tc [K], Kesler & Lee (1976) above; pc [Pa]."""
    r = boiling / tc
    if r > 0.8:
        return float(-7.904 + 0.1352 * K - 0.007465 * K**2 + 8.359 * r + (1.408 - 0.01063 * K) / r)
    above = -math.log(pc / 101325.0) - 5.92714 + 6.09648 / r + 1.28862 * math.log(r) - 0.169347 * r**6
    return float(above / (15.2518 - 15.6875 / r - 13.4721 * math.log(r) + 0.43577 * r**6))


def gas_heat_capacity(T: np.ndarray, K: float, omega: float, M: float) -> np.ndarray:
    """Heat capacity of the ideal gas [J/(mol K)] at T [K], shape (n,) (Kesler & Lee 1976)."""
    a0, a1, a2 = -1.41779 + 0.11828 * K, -(6.99724 - 8.69326 * K + 0.27715 * K**2) * 1e-4, -2.2582e-6
    b0, b1, b2 = 1.09223 - 2.48245 * omega, -(3.434 - 7.14 * omega) * 1e-3, -(7.2661 - 9.2561 * omega) * 1e-7
    c = ((12.8 - K) * (10.0 - K) / (10.0 * omega)) ** 2
    return np.asarray(M * (a0 + a1 * T + a2 * T**2 - c * (b0 + b1 * T + b2 * T**2)))


def checked(boiling: float, density: float, name: str) -> float:
    """The specific gravity of a fraction of a boiling point [K] and a density at 15 degC [kg/m3]. Raises SpeciesError where they clash."""
    gravity = density / WATER_AT_60F
    if not COLDEST <= boiling <= HOTTEST:
        raise SpeciesError(
            f"{name}: a boiling point of {boiling - 273.15:.4g} °C is beyond what the correlations of fractions were made for "
            f"({COLDEST - 273.15:.3g} to {HOTTEST - 273.15:.3g} °C)."
        )
    K = watson(boiling, gravity)
    if not LIGHTEST <= K <= HEAVIEST:
        usual = [WATER_AT_60F * watson(boiling, 1.0) / k for k in (13.0, 10.0)]
        raise SpeciesError(
            f"{name}: a density of {density:.4g} kg/m3 at 15 °C contradicts its boiling point of {boiling - 273.15:.4g} °C "
            f"(Watson’s factor {K:.3g}): petroleum fractions that boil there have {usual[0]:.3g} to {usual[1]:.3g} kg/m3."
        )
    return gravity


def formula_of(boiling: float, density: float, name: str) -> str:
    """The formula with whole atoms that comes nearest to a fraction's molar mass and carbon to hydrogen. Raises SpeciesError."""
    gravity = checked(boiling, density, name)
    M, ratio = molar_mass(boiling, gravity), carbon_to_hydrogen(boiling, gravity)
    carbon = max(1, round(M * ratio / (1.0 + ratio) / CARBON))
    hydrogen = min(max(1, round((M - CARBON * carbon) / HYDROGEN)), 2 * carbon + 2)
    return f"C{carbon}H{hydrogen}"


def at_25(density: float) -> float:
    """Density [kg/m3] at 25 degC from that at 15 degC (ASTM D 1250-80, crude oils)."""
    step = EXPANSION / density**2 * 10.0
    return density * math.exp(-step * (1.0 + 0.8 * step))


def complete(found: dict[str, Any]) -> Fit | None:
    """Fill in what of a fraction was not typed; returns the heat capacity of its ideal gas. Raises SpeciesError."""
    name, boiling, density = found["name"], found["boiling_point"], found["liquid_density"]
    if boiling is None or density is None:
        raise SpeciesError(f"{name} is a petroleum fraction: type its boiling point and its density at 15 °C.")
    gravity = checked(boiling.value, density.value, name)
    tc, pc = critical_constants(boiling.value, gravity)
    K = watson(boiling.value, gravity)
    omega = acentric_factor(boiling.value, tc, pc, K)  # its own: the heat capacity was correlated with no other
    found["liquid_density"] = Datum(at_25(density.value), "as typed, brought from 15 to 25 °C by ASTM D 1250", typed=True)
    for field, value in (("critical_temperature", tc), ("critical_pressure", pc)):
        found[field] = found[field] or Datum(value, BY_KESLER_LEE)
    tc, pc = found["critical_temperature"].value, found["critical_pressure"].value
    found["acentric_factor"] = found["acentric_factor"] or Datum(acentric_factor(boiling.value, tc, pc, K), BY_LEE_KESLER)
    T = np.linspace(255.0, 1000.0, 40)
    cp = gas_heat_capacity(T, K, omega, 1000.0 * found["molar_mass"].value)
    return fit(T, cp, BY_KESLER_LEE)
