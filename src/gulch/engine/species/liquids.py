"""Volumes of saturated liquids from published correlations and tables."""

from __future__ import annotations

import math

from gulch.engine.species.kept import kept

# In order of trust; what the reference library calls them, and what they are called here.
VOLUME_SOURCES = {
    "HEOS_FIT": "fit to a reference equation of state",
    "DIPPR_PERRY_8E": "Perry's Handbook, 8th ed., table 2-32",
    "VDI_PPDS": "VDI Heat Atlas",
    "VDI_TABULAR": "VDI Heat Atlas, table",
    "CRC_INORG_L": "CRC Handbook",
    "CRC_INORG_L_CONST": "CRC Handbook",
    "RACKETTFIT": "Rackett's equation with fitted constant, API Technical Data Book",
    "HTCOSTALDFIT": "COSTALD (Hankinson & Thomson, 1979)",
}


@kept
def saturated_volume(cas: str, tc: float, pc: float, T: float) -> tuple | None:
    """(molar volume [m3/mol] of the saturated liquid at T [K], source) of a species, or None where no source reaches T.

    tc, pc: critical constants [K], [Pa].
    """
    from thermo.volume import VolumeLiquid  # slow to load, and needed once per machine and species

    book = VolumeLiquid(CASRN=cas, Tc=tc, Pc=pc)
    for method, source in VOLUME_SOURCES.items():
        if method in book.all_methods and book.test_method_validity(T, method):
            value = book.calculate(T, method)
            if value is not None and math.isfinite(value) and value > 0.0:
                return float(value), source
    return None
