"""What the kernels want of a species: its row of numbers."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine import fluids as k
from gulch.engine.fluids.ideal_gas import ideal_gas_of
from gulch.engine.phases.known_liquids import known_volumes

if TYPE_CHECKING:
    from gulch.engine.species.records import Species


def parameters(species: Species, code: int) -> np.ndarray:
    """Kernel row of one species, shape (N_COLUMNS,)."""
    row = np.zeros(k.N_COLUMNS)
    row[k.MW] = species.molar_mass.value
    if species.has_critical:
        _critical(row, species, code)
    elif species.liquid_density:
        # without critical constants the liquid keeps its one volume: V = R Tc/Pc Z, the exponent being 1 at Tr = 1
        row[k.TC], row[k.PC] = k.UNKNOWN_TC, 1e5
        row[k.ZRA] = species.molar_mass.value / species.liquid_density.value * 1e5 / k.R
    cp = species.heat_capacity.coefficients
    row[k.CP0 : k.CP0 + cp.size] = cp
    fit = species.vapour_pressure
    if fit is not None:
        row[k.VP0 : k.VP0 + 5] = fit.coefficients
        row[k.VP_TMIN], row[k.VP_TMAX] = fit.low, fit.high
    # Integration constants: formation enthalpy and absolute entropy at 298.15 K.
    h, s = np.zeros(1), np.zeros(1)
    ideal_gas_of(298.15, row[None, :], h, s)
    row[k.H_CONST] = (species.formation_enthalpy.value if species.formation_enthalpy else 0.0) - h[0]
    row[k.S_CONST] = (species.entropy.value if species.entropy else 0.0) - s[0]
    return row


def _critical(row: np.ndarray, species: Species, code: int) -> None:
    tc, pc = species.critical_temperature.value, species.critical_pressure.value
    w = species.acentric_factor.value
    row[k.TC], row[k.PC], row[k.OMEGA] = tc, pc, w
    row[k.ZRA] = 0.29056 - 0.08775 * w
    if code != k.PENG_ROBINSON:
        # Exact constants of the Redlich-Kwong form; m(omega) of Soave (1972).
        row[k.B_] = 0.08664034996495773 * k.R * tc / pc
        row[k.AC] = 0.42748023354034137 * (k.R * tc) ** 2 / pc
        row[k.M_] = 0.480 + 1.574 * w - 0.176 * w * w
    else:
        row[k.B_] = 0.07779607390388846 * k.R * tc / pc
        row[k.AC] = 0.45723552892138219 * (k.R * tc) ** 2 / pc
        row[k.M_] = 0.37464 + 1.54226 * w - 0.26992 * w * w
    if code != k.PREDICTIVE_SRK:
        known_volumes(row, species, code)
