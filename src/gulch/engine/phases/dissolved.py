"""Henry's constants of gases in water: measured courses, where there are.

Notation: T [K], H [Pa].
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

LOW, HIGH = 274.0, 480.0  # K, over which the courses are taken
T_CRITICAL, P_CRITICAL = 647.096, 22.064e6  # of water

# ln(H/Psat) = A/Tr + B (1 - Tr)^0.355/Tr + C Tr^-0.41 exp(1 - Tr): Fernandez-Prini, Alvarez & Harvey, J. Phys. Chem. Ref. Data
# 32 (2003) 903 (IAPWS G7-04), from memory; checked against solubilities at 25 degC in the tests
COURSES = {
    "7440-37-1": (-8.40954, 4.29587, 10.52779),  # argon
    "1333-74-0": (-4.73284, 6.08954, 6.06066),  # hydrogen
    "7727-37-9": (-9.67578, 4.72162, 11.70585),  # nitrogen
    "7782-44-7": (-9.44833, 4.43822, 11.42005),  # oxygen
    "630-08-0": (-10.52862, 5.13259, 12.01421),  # carbon monoxide
    "124-38-9": (-8.55445, 4.01195, 9.52345),  # carbon dioxide
    "74-82-8": (-10.44708, 4.66491, 12.12986),  # methane
    "74-84-0": (-19.67563, 4.51222, 20.62567),  # ethane
}
# H at 25 degC [mol/(m3 Pa)] and d ln H/d(1/T) [K]: Sander, Atmos. Chem. Phys. 15 (2015) 4399 (from memory)
POINTS = {
    "74-85-1": (4.7e-5, 1900.0),  # ethylene
    "74-86-2": (4.1e-4, 1800.0),  # acetylene
    "10024-97-2": (2.4e-4, 2600.0),  # nitrous oxide
    "10102-43-9": (1.9e-5, 1600.0),  # nitric oxide
}
CURVED = 24.0  # heat capacity of solution over R of small gases in water near 25 degC, where only the slope there is known
WATER_MOLES = 55.3e3  # of liquid water at 25 degC [mol/m3]
SOURCES = {**dict.fromkeys(COURSES, "IAPWS G7-04 (2003)"), **dict.fromkeys(POINTS, "Sander (2015)")}


def _psat(T):
    """Vapour pressure of water [Pa]: Wagner & Pruss, J. Phys. Chem. Ref. Data 31 (2002) 387."""
    t = 1.0 - T / T_CRITICAL
    terms = -7.85951783 * t + 1.84408259 * t**1.5 - 11.7866497 * t**3 + 22.6807411 * t**3.5 - 15.9618719 * t**4 + 1.80122502 * t**7.5
    return P_CRITICAL * math.exp(T_CRITICAL / T * terms)


def measured(cas: str, T: float) -> float | None:
    """Henry's constant [Pa] of a gas in water at T [K] on the mole-fraction basis; None where none is at hand."""
    if cas in COURSES:
        A, B, C = COURSES[cas]
        r = T / T_CRITICAL
        return _psat(T) * math.exp(A / r + B * (1.0 - r) ** 0.355 / r + C * r**-0.41 * math.exp(1.0 - r))
    if cas in POINTS:
        at_25, slope = POINTS[cas]
        u = T / 298.15
        return WATER_MOLES / at_25 * math.exp((slope / 298.15 + CURVED) * (1.0 - 1.0 / u) - CURVED * math.log(u))
    return None


@lru_cache(maxsize=64)
def in_water(cas: str) -> tuple | None:
    """(a, b, c) of ln(H/Pa) = a + b/T + c ln T of a gas in water from LOW to HIGH; None where no course is at hand."""
    if cas not in SOURCES:
        return None
    T = np.linspace(LOW, HIGH, 30)
    values = [math.log(measured(cas, t) or math.nan) for t in T]
    rows = np.column_stack([np.ones_like(T), 1.0 / T, np.log(T)])
    return tuple(np.linalg.lstsq(rows, np.array(values), rcond=None)[0].tolist())
