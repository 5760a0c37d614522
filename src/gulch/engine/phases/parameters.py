"""What the kernels want of a species: its row of numbers."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.phases import kernels as k
from gulch.engine.phases.kernels.cubic import compressibility, cubic_constants
from gulch.engine.phases.kernels.ideal_gas import ideal_gas
from gulch.engine.species.liquids import saturated_volume

if TYPE_CHECKING:
    from gulch.engine.species.records import Species

T_LIQUID = 298.15  # K, at which liquid densities are known best
LEAST = 1e3  # Pa at which the volume of a liquid is looked at
LIGHTEST = 3.0  # volume over b of what still is a liquid
HIGHEST_REDUCED, LOW_REDUCED = 0.9, 0.7  # of the critical temperature: where 25 degC is too hot, and where one looks then


def parameters(species: Species, code: int) -> np.ndarray:
    """Kernel row of one species, shape (N_COLUMNS,)."""
    row = np.zeros(k.N_COLUMNS)
    row[k.MW] = species.molar_mass.value
    if species.has_critical:
        _critical(row, species, code)
    elif species.liquid_density:
        # without critical constants the liquid keeps its one volume: V = R Tc/Pc Z, the exponent being 1 at Tr = 1
        row[k.TC], row[k.PC] = 1.0, 1e5
        row[k.ZRA] = species.molar_mass.value / species.liquid_density.value * 1e5 / k.R
    cp = species.heat_capacity.coefficients
    row[k.CP0 : k.CP0 + cp.size] = cp
    fit = species.vapour_pressure
    if fit is not None:
        row[k.VP0 : k.VP0 + 5] = fit.coefficients
        row[k.VP_TMIN], row[k.VP_TMAX] = fit.low, fit.high
    # Integration constants: formation enthalpy and absolute entropy at 298.15 K.
    h, s = np.zeros(1), np.zeros(1)
    ideal_gas(298.15, row[None, :], h, s)
    row[k.H_CONST] = (species.formation_enthalpy.value if species.formation_enthalpy else 0.0) - h[0]
    row[k.S_CONST] = (species.entropy.value if species.entropy else 0.0) - s[0]
    return row


def _critical(row, species, code):
    tc, pc = species.critical_temperature.value, species.critical_pressure.value
    w = species.acentric_factor.value
    row[k.TC], row[k.PC], row[k.OMEGA] = tc, pc, w
    row[k.ZRA] = 0.29056 - 0.08775 * w
    T, volume = known_volume(species, tc, pc)
    if volume is not None:
        row[k.ZRA] = (volume * pc / (k.R * tc)) ** (1.0 / (1.0 + (1.0 - T / tc) ** (2.0 / 7.0)))
    if code != k.PENG_ROBINSON:
        # Exact constants of the Redlich-Kwong form; m(omega) of Soave (1972).
        row[k.B_] = 0.08664034996495773 * k.R * tc / pc
        row[k.AC] = 0.42748023354034137 * (k.R * tc) ** 2 / pc
        row[k.M_] = 0.480 + 1.574 * w - 0.176 * w * w
    else:
        row[k.B_] = 0.07779607390388846 * k.R * tc / pc
        row[k.AC] = 0.45723552892138219 * (k.R * tc) ** 2 / pc
        row[k.M_] = 0.37464 + 1.54226 * w - 0.26992 * w * w
    if code in (k.PENG_ROBINSON, k.SOAVE_REDLICH_KWONG):
        translate(row, species, code)


def translate(row: np.ndarray, species: Species, code: int) -> None:
    """Put the translation of a cubic equation's liquid volume into the row of a species, shape (N_COLUMNS,), whose attraction stands."""
    tc, pc = row[k.TC], row[k.PC]
    T, volume = known_volume(species, tc, pc)
    if volume is None:
        return
    own = equation_volume(row, code, T, row[k.OMEGA], tc, pc)
    if own < LIGHTEST * row[k.B_]:  # else what was typed leaves the equation no liquid there
        row[k.SHIFT] = volume - own


def known_volume(species: Species, tc: float, pc: float) -> tuple:
    """(T [K], molar volume [m3/mol] of the liquid there or None): as typed at 25 degC, else from the databank.

    tc, pc: critical constants [K], [Pa]. A gas that is none near 25 degC is looked at where it is a liquid.
    """
    T = T_LIQUID if tc * HIGHEST_REDUCED > T_LIQUID else LOW_REDUCED * tc
    if species.liquid_density and T == T_LIQUID:
        return T, species.molar_mass.value / species.liquid_density.value
    found = saturated_volume(species.cas, tc, pc, T) if species.cas else None
    return T, None if found is None else found[0]


def known_density(species: Species | None) -> tuple | None:
    """(density [kg/m3] of the liquid at 25 degC, source) from the databank; None where it is no liquid there or unknown."""
    if species is None or not species.has_critical or not species.cas or species.non_volatile:
        return None
    tc, pc = (d.value for d in (species.critical_temperature, species.critical_pressure) if d is not None)
    found = saturated_volume(species.cas, tc, pc, T_LIQUID) if tc * HIGHEST_REDUCED > T_LIQUID else None
    return None if found is None else (species.molar_mass.value / found[0], found[1])


def equation_volume(row: np.ndarray, code: int, T: float, w: float, tc: float, pc: float) -> float:
    """Molar volume [m3/mol] of the saturated liquid by a cubic equation at T [K]; row: of the species, shape (N_COLUMNS,).

    At the vapour pressure of Lee & Kesler (1975), which the volume of a liquid hardly hangs on.
    """
    tr = T / tc
    ln_pr = 5.92714 - 6.09648 / tr - 1.28862 * np.log(tr) + 0.169347 * tr**6
    ln_pr += w * (15.2518 - 15.6875 / tr - 13.4721 * np.log(tr) + 0.43577 * tr**6)
    P = max(pc * float(np.exp(min(ln_pr, 0.0))), LEAST)  # far below, roots of a cubic are lost
    d1, d2 = cubic_constants(k.PENG_ROBINSON if code == k.PENG_ROBINSON else k.SOAVE_REDLICH_KWONG)
    u = 1.0 - np.sqrt(tr)
    a = row[k.AC] * (1.0 + u * (row[k.M_] + u * (row[k.M2_] + u * row[k.M3_]))) ** 2
    A, B = a * P / (k.R * T) ** 2, row[k.B_] * P / (k.R * T)
    return float(compressibility(A, B, d1, d2, k.LIQUID) * k.R * T / P)
