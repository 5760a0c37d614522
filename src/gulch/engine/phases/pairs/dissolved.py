"""Henry's constants of gases: in water by published courses, in other solvents by predictive SRK.

Of gases that are liquids under pressure (propane, hydrogen sulfide, …) the same constants say what an activity model's ln gamma lacks.

Notation: T [K], P [Pa], H [Pa] at the solvent's vapour pressure.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine import fluids as k
from gulch.engine.fluids.ideal_gas import ln_psat
from gulch.engine.phases.by_groups import WATER, predictive
from gulch.engine.phases.pairs.source import Dissolving, Pair, Source
from gulch.engine.phases.parameters import parameters

if TYPE_CHECKING:
    from gulch.engine.fluids.mixture import Mixture
    from gulch.engine.species.records import Species

LOW, HIGH = 274.0, 480.0  # K, over which the courses are taken
T_CRITICAL, P_CRITICAL = 647.096, 22.064e6  # of water

# ln(H/Psat) = A/Tr + B (1 - Tr)^0.355/Tr + C Tr^-0.41 exp(1 - Tr): Fernandez-Prini, Alvarez & Harvey, J. Phys. Chem. Ref. Data
# 32 (2003) 903 (IAPWS G7-04)
COURSES = {
    "7440-37-1": (-8.40954, 4.29587, 10.52779),  # argon
    "1333-74-0": (-4.73284, 6.08954, 6.06066),  # hydrogen
    "7727-37-9": (-9.67578, 4.72162, 11.70585),  # nitrogen
    "7782-44-7": (-9.44833, 4.43822, 11.42005),  # oxygen
    "630-08-0": (-10.52862, 5.13259, 12.01421),  # carbon monoxide
    "124-38-9": (-8.55445, 4.01195, 9.52345),  # carbon dioxide
    "74-82-8": (-10.44708, 4.66491, 12.12986),  # methane
    "74-84-0": (-19.67563, 4.51222, 20.62567),  # ethane
    "7783-06-4": (-4.51499, 5.23538, 4.42126),  # hydrogen sulfide
    "7440-59-7": (-3.52839, 7.12983, 4.47770),  # helium
    "7440-01-9": (-3.18301, 5.31448, 5.43774),  # neon
    "7439-90-9": (-8.97358, 3.61508, 11.29963),  # krypton
    "7440-63-3": (-14.21635, 4.00041, 15.60999),  # xenon
}
# H at 25 degC [mol/(m3 Pa)] and d ln H/d(1/T) [K]: Sander, Atmos. Chem. Phys. 15 (2015) 4399
POINTS = {
    "74-85-1": (4.7e-5, 1900.0),  # ethylene
    "74-86-2": (4.1e-4, 1800.0),  # acetylene
    "10024-97-2": (2.4e-4, 2600.0),  # nitrous oxide
    "10102-43-9": (1.9e-5, 1600.0),  # nitric oxide
    "7782-50-5": (9.2e-4, 2300.0),  # chlorine, as molecules
    "7664-41-7": (5.9e-1, 4200.0),  # ammonia, as molecules
    "463-58-1": (2.0e-4, 3000.0),  # carbonyl sulfide
    "75-44-5": (6.0e-4, 3800.0),  # phosgene, which water decomposes
    "74-93-1": (2.6e-3, 2800.0),  # methanethiol
    "74-98-6": (1.5e-5, 2700.0),  # propane
    "106-97-8": (1.2e-5, 3000.0),  # n-butane
    "75-28-5": (9.1e-6, 2700.0),  # isobutane
    "115-07-1": (5.3e-5, 2800.0),  # propylene
    "106-98-9": (4.1e-5, 2900.0),  # 1-butene
    "115-11-7": (4.9e-5, 3000.0),  # isobutene
    "106-99-0": (1.4e-4, 3000.0),  # 1,3-butadiene
    "74-99-7": (8.0e-4, 2300.0),  # propyne
    "75-01-4": (4.1e-4, 2900.0),  # vinyl chloride
    "74-87-3": (1.0e-3, 2700.0),  # methyl chloride
    "74-83-9": (1.5e-3, 2900.0),  # methyl bromide
    "75-00-3": (8.4e-4, 2800.0),  # ethyl chloride
    "115-10-6": (9.9e-3, 3300.0),  # dimethyl ether
    "75-21-8": (6.0e-2, 3200.0),  # ethylene oxide
    "2551-62-4": (2.4e-6, 2700.0),  # sulfur hexafluoride
}
# ln(H kg/(mol atm)) = A/T + B ln T + C T + D, as molecules: Edwards, Maurer, Newman & Prausnitz, AIChE J. 24 (1978) 966
BESIDE_IONS = {"7446-09-5": (-5578.8, -8.76152, 0.0, 68.418)}  # sulfur dioxide, whose dissociation they took away
CURVED = 24.0  # heat capacity of solution over R of small gases in water near 25 degC, where only the slope there is known
BY_COURSE = {"7664-41-7": 5.0}  # that of ammonia: Edwards et al. (1978)
WATER_MOLES = 55.3e3  # of liquid water at 25 degC [mol/m3]
LEAST_LN_H = math.log(1e3)  # of H in Pa: a gas held more firmly reacts with the solvent, which a constant does not tell


def _psat(T: float) -> float:
    """Vapour pressure of water [Pa]: Wagner & Pruss, J. Phys. Chem. Ref. Data 31 (2002) 387."""
    t = 1.0 - T / T_CRITICAL
    terms = -7.85951783 * t + 1.84408259 * t**1.5 - 11.7866497 * t**3 + 22.6807411 * t**3.5 - 15.9618719 * t**4 + 1.80122502 * t**7.5
    return P_CRITICAL * math.exp(T_CRITICAL / T * terms)


def guideline(cas: str, T: float) -> float | None:
    """Henry's constant [Pa] of a gas in water at T [K] by the guideline; None of a gas that it does not treat."""
    if cas not in COURSES:
        return None
    A, B, C = COURSES[cas]
    r = T / T_CRITICAL
    return _psat(T) * math.exp(A / r + B * (1.0 - r) ** 0.355 / r + C * r**-0.41 * math.exp(1.0 - r))


def compiled(cas: str, T: float) -> float | None:
    """Henry's constant [Pa] of a gas in water at T [K] from its value and slope at 25 °C; None of a gas that is not at hand."""
    if cas not in POINTS:
        return None
    at_25, slope = POINTS[cas]
    u, curved = T / 298.15, BY_COURSE.get(cas, CURVED)
    return WATER_MOLES / at_25 * math.exp((slope / 298.15 + curved) * (1.0 - 1.0 / u) - curved * math.log(u))


def beside_ions(cas: str, T: float) -> float | None:
    """Henry's constant [Pa] in water at T [K] of the molecules of a gas that dissociates; None of a gas that is not at hand."""
    if cas not in BESIDE_IONS:
        return None
    a, b, c, d = BESIDE_IONS[cas]
    return 101325.0 / k.MOLAR_KG * math.exp(a / T + b * math.log(T) + c * T + d)


@lru_cache(maxsize=64)
def in_water(cas: str, course: Callable[[str, float], float | None]) -> tuple | None:
    """(a, b, c) of ln(H/Pa) = a + b/T + c ln T of a gas in water from LOW to HIGH along a course; None where it has none."""
    values = [course(cas, t) for t in np.linspace(LOW, HIGH, 30)]
    known = [math.log(v) for v in values if v is not None]
    return tuple(_course(np.linspace(LOW, HIGH, 30), known)) if known else None


def _course(T: np.ndarray, ln_h: list[float]) -> list[float]:
    """(a, b, c) of ln H = a + b/T + c ln T through values, both of shape (m,)."""
    rows = np.column_stack([np.ones_like(T), 1.0 / T, np.log(T)])
    return np.linalg.lstsq(rows, np.array(ln_h), rcond=None)[0].tolist()


def henry(gas: Species, solvent: Species) -> tuple | None:
    """(a, b, c, low, high) of ln(H/Pa) = a + b/T + c ln T of a gas in a solvent between temperatures [K], from predictive SRK.

    At the solvent's vapour pressure: Holderbaum & Gmehling, Fluid Phase Equilib. 70 (1991) 251. Where groups are missing their part of
    the mixing rule is ideal. None where a gas is held more firmly than one that only dissolves can be.
    """
    two = (gas, solvent)
    par = np.array([parameters(s, k.PREDICTIVE_SRK) for s in two])
    mix = predictive(two, par, k.N_PAIR)
    top = min(0.85 * par[1, k.TC], 450.0)
    T = np.linspace(min(max(0.45 * par[1, k.TC], 260.0), top - 20.0), top, 8)
    fit = solvent.vapour_pressure
    ln_p = np.column_stack([np.ones_like(T), 1.0 / T, np.log(T), T, T * T]) @ fit.coefficients
    x = np.array([1e-8, 1.0 - 1e-8])
    values = [k.ln_phi_phase(t, p, x, k.LIQUID, *mix)[0] + math.log(p) for t, p in zip(T, np.exp(ln_p), strict=True)]
    if not np.isfinite(values).all() or min(values) < LEAST_LN_H:
        return None
    return *_course(T, values), float(T[0]), float(T[-1])


def lacking(gas: Species, solvent: Species, mix: Mixture, course: tuple) -> tuple[float, ...] | None:
    """What ln gamma of a gas lacks at infinite dilution in a solvent: (a, b, c, low, high) of a + b/T + c ln T.

    mix: of the two under an activity model, the gas first; course: (a, b, c, low, high) of its ln(H/Pa).
    """
    a, b, c, low, high = course
    T = np.linspace(low, min(high, 0.97 * solvent.critical_temperature.value), 16)
    x = np.array([0.0, 1.0])
    ln_h = a + b / T + c * np.log(T)
    has = []
    for t in T:
        p = math.exp(ln_psat(t, mix.par, 1)[0])
        has.append(k.ln_phi_phase(float(t), p, x, k.LIQUID, *mix)[0] + math.log(p))
    lacks = ln_h - np.array(has)
    return (*_course(T, lacks.tolist()), float(T[0]), float(T[-1])) if np.isfinite(lacks).all() else None


def _in_water(course: Callable[[str, float], float | None]) -> Callable[[Pair], tuple | None]:
    def ask(pair: Pair) -> tuple | None:
        found = in_water(pair.first.cas, course) if pair.second.cas == WATER else None
        return (*found, LOW, HIGH) if found else None

    return ask


def _as_ideal(pair: Dissolving) -> tuple[float, ...]:
    """The gas's vapour pressure, as if the two mixed ideally."""
    T = np.linspace(LOW, HIGH, 30)
    return (*_course(T, [ln_psat(t, pair.row, 0)[0] for t in T]), LOW, HIGH)


# Each gives (a, b, c, low, high) of ln(H/Pa) = a + b/T + c ln T between temperatures [K].
DISSOLVED = (
    Source(
        "Henry's constant: IAPWS G7-04 (2003)",
        "Fernandez-Prini, Alvarez & Harvey, J. Phys. Chem. Ref. Data 32 (2003) 903",
        _in_water(guideline),
        LOW,
        HIGH,
        measured=True,
    ),
    Source(
        "Henry's constant: Edwards et al. (1978)",
        "Edwards, Maurer, Newman & Prausnitz, AIChE J. 24 (1978) 966",
        _in_water(beside_ions),
        LOW,
        HIGH,
        measured=True,
    ),
    Source("Henry's constant: Sander (2015)", "Sander, Atmos. Chem. Phys. 15 (2015) 4399", _in_water(compiled), LOW, HIGH, measured=True),
    Source(
        "Henry's constant by predictive SRK",
        "Holderbaum & Gmehling, Fluid Phase Equilib. 70 (1991) 251",
        lambda pair: henry(pair.first, pair.second),
    ),
    Source("taken as ideal: predictive SRK tells no solubility", "", _as_ideal, unknown=True),
)
