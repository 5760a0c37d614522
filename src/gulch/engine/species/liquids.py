"""Volumes and heats of saturated liquids from published correlations and tables."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

from gulch.engine.species.kept import kept

if TYPE_CHECKING:
    from thermo.heat_capacity import HeatCapacityLiquid
    from thermo.phase_change import EnthalpyVaporization
    from thermo.volume import VolumeLiquid

T_LIQUID = 298.15  # K, at which liquids are known best
HIGHEST, TOP_CP = 0.9, 0.8  # of the critical temperature: up to where courses are read, and heat capacities
POINTS = 12
ODD = 1.15  # ratio to the others at 25 degC beyond which a heat capacity is not believed
PAIRED = 1.25  # formation data over heat of vaporisation from which molecules stay paired in the vapour

# In order of trust; what the reference library calls them, and what they are called here.
REFERENCE, PERRY, VDI, VDI_TABLE = (
    "fit to a reference equation of state",
    "Perry's Handbook, 8th ed.",
    "VDI Heat Atlas",
    "VDI Heat Atlas, table",
)
VOLUME_SOURCES = {
    "HEOS_FIT": REFERENCE,
    "DIPPR_PERRY_8E": f"{PERRY}, table 2-32",
    "VDI_PPDS": VDI,
    "VDI_TABULAR": VDI_TABLE,
    "CRC_INORG_L": "CRC Handbook",
    "CRC_INORG_L_CONST": "CRC Handbook",
    "RACKETTFIT": "Rackett's equation with fitted constant, API Technical Data Book",
    "HTCOSTALDFIT": "COSTALD (Hankinson & Thomson, 1979)",
}
VAPORISATION_SOURCES = {
    "HEOS_FIT": REFERENCE,
    "VDI_PPDS": VDI,
    "DIPPR_PERRY_8E": f"{PERRY}, table 2-150",
    "VDI_TABULAR": VDI_TABLE,
    "Fit 2023": "fit to published measurements",
    "CRC_HVAP_298": "CRC Handbook, at 25 °C",
    "CRC_HVAP_TB": "CRC Handbook, at the boiling point",
}
HEAT_CAPACITY_SOURCES = {
    "HEOS_FIT": REFERENCE,
    "ZABRANSKY_QUASIPOLYNOMIAL_C": "Zábranský et al. (1996)",
    "ZABRANSKY_QUASIPOLYNOMIAL": "Zábranský et al. (1996)",
    "ZABRANSKY_QUASIPOLYNOMIAL_SAT": "Zábranský et al. (1996)",
    "ZABRANSKY_SPLINE_C": "Zábranský et al. (1996)",
    "ZABRANSKY_SPLINE": "Zábranský et al. (1996)",
    "ZABRANSKY_SPLINE_SAT": "Zábranský et al. (1996)",
    "VDI_TABULAR": VDI_TABLE,
    "Fit 2023": "fit to published measurements",
    "CRCSTD": "CRC Handbook, at 25 °C",
    "POLING_CONST": "Poling et al. (2001), at 25 °C",
}


class Course(NamedTuple):
    """A property of a saturated liquid over temperature: points (T [K], value in SI) from the coldest on, and their source."""

    points: tuple
    source: str

    def at(self, T: float) -> float | None:
        """The value at T [K] where it is one of the points."""
        return next((value for t, value in self.points if t == T), None)


@kept
def saturated_volumes(cas: str, tc: float, pc: float) -> Course | None:
    """Course of the molar volume [m3/mol] of a saturated liquid, 25 degC among its points where it is known there; None if unknown.

    tc, pc: critical constants [K], [Pa].
    """
    from thermo.volume import VolumeLiquid  # slow to load, and needed once per machine and species

    return _course(VolumeLiquid(CASRN=cas, Tc=tc, Pc=pc), VOLUME_SOURCES, tc, HIGHEST)


@kept
def heats(cas: str, tc: float, pc: float, omega: float, tb: float, mw: float) -> tuple:
    """Heat of vaporisation [J/mol] and heat capacity [J/(mol K)] of a saturated liquid: two Courses or None; and its anchor or None.

    The anchor is the heat of vaporisation to an ideal gas at 25 degC [J/mol] from formation data, given where it is so much above the
    measured heat that the molecules of the vapour must be paired, as those of carboxylic acids are: measured heats do not count then.
    tc, pc, omega: critical constants [K], [Pa], acentric factor; tb: boiling point [K]; mw: molar mass [kg/mol].
    """
    from chemicals.reaction import Hfg, Hfl
    from thermo.heat_capacity import HeatCapacityLiquid
    from thermo.phase_change import EnthalpyVaporization

    vaporised = _course(EnthalpyVaporization(CASRN=cas, Tb=tb, Tc=tc, Pc=pc, omega=omega), VAPORISATION_SOURCES, tc, HIGHEST)
    book = HeatCapacityLiquid(CASRN=cas, MW=1e3 * mw, Tc=tc, omega=omega)
    capacity = _course(book, _plausible(book), tc, TOP_CP)
    gas, liquid = Hfg(cas, "CRC"), Hfl(cas, "CRC")
    anchor = None if gas is None or liquid is None else float(gas - liquid)
    at_25 = vaporised.at(T_LIQUID) if vaporised else None
    paired = anchor is not None and at_25 is not None and anchor > PAIRED * at_25
    return vaporised, capacity, anchor if paired else None


def _plausible(book: HeatCapacityLiquid) -> dict[str, str]:
    """The sources of a heat capacity without those that stand alone against the others at 25 degC."""
    found = {}
    for method in HEAT_CAPACITY_SOURCES:
        value = _value(book, method, T_LIQUID)
        if value is not None:
            found[method] = value
    if len(found) < 3:
        return HEAT_CAPACITY_SOURCES
    middle = sorted(found.values())[len(found) // 2]
    return {m: words for m, words in HEAT_CAPACITY_SOURCES.items() if m not in found or 1.0 / ODD < found[m] / middle < ODD}


def _value(book: HeatCapacityLiquid | EnthalpyVaporization | VolumeLiquid, method: str, T: float) -> float | None:
    """What a method of the reference library says at T, or None where it does not reach."""
    if method not in book.all_methods:
        return None
    low, high = book.T_limits.get(method, (T, T))
    if low - 0.01 > T or high + 0.01 < T or not book.test_method_validity(T, method):
        return None
    try:
        value = book.calculate(T, method)
    except ArithmeticError:  # beside constants that somebody typed
        return None
    real = isinstance(value, float | int) and math.isfinite(value)
    return float(value) if real and value > 0.0 else None


def _course(
    book: HeatCapacityLiquid | EnthalpyVaporization | VolumeLiquid, sources: dict[str, str], tc: float, highest: float
) -> Course | None:
    """Course by the first source that has something to say at 25 degC, or else anywhere."""
    names = [m for m in sources if m in book.all_methods]
    names.sort(key=lambda m: _value(book, m, T_LIQUID) is None)
    for method in names:
        low, high = book.T_limits.get(method, (T_LIQUID, T_LIQUID))
        low, high = (T_LIQUID, T_LIQUID) if sources[method].endswith("°C") else (max(low, 0.3 * tc), min(high, highest * tc))
        if low > highest * tc:  # a critical temperature was typed that the source knows nothing of
            continue
        T = {low + (high - low) * i / (POINTS - 1) for i in range(POINTS)} if high > low else {low}
        if low <= T_LIQUID <= high:
            T.add(T_LIQUID)
        points = [(t, value) for t in sorted(T) if (value := _value(book, method, t)) is not None]
        if points:
            return Course(tuple(points), sources[method])
    return None
