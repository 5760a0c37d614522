"""Ideal gas: enthalpy, entropy, heat capacity; vapour pressure and volume of saturated liquids.

Notation: T [K]; h [J/mol], s and cp [J/(mol K)], ln of Pa, m3/mol: one number a species, shape (n,); par: shape (n,
N_COLUMNS).
"""

from __future__ import annotations

from gulch.engine.compiling import Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.constants import CP0, H_CONST, PC, S_CONST, TC, THETAS, VP0, VP_TMAX, VP_TMIN, ZRA, R

kernel = chapter(__name__)


@kernel
def ideal_gas(T: float, par: Matrix, h: Vector, s: Vector) -> None:
    """Fill molar enthalpy h (elements basis) and entropy s (at 1 bar) of every species."""
    n = par.shape[0]
    ln_t = math.log(T)
    for i in range(n):
        h[i] = par[i, H_CONST] + R * par[i, CP0] * T
        s[i] = par[i, S_CONST] + R * par[i, CP0] * ln_t
    for k in range(THETAS.size):
        u = THETAS[k] / T
        e = math.expm1(u)
        energy = THETAS[k] / e
        entropy = u / e - math.log1p(-math.exp(-u))
        for i in range(n):
            w = par[i, CP0 + 1 + k]
            if w != 0.0:
                h[i] += R * w * energy
                s[i] += R * w * entropy


@kernel.entry
def ideal_gas_of(T: float, par: Matrix, h: Vector, s: Vector) -> None:
    """`ideal_gas` as Python calls it."""
    ideal_gas(T, par, h, s)


@kernel.part
def ideal_gas_cp(T: float, par: Matrix, i: int) -> float:
    """Ideal-gas heat capacity of species i [J/(mol K)], a sum of Einstein functions."""
    cp = par[i, CP0]
    for k in range(THETAS.size):
        u = THETAS[k] / T
        e = math.exp(-u)
        cp += par[i, CP0 + 1 + k] * u * u * e / (1.0 - e) ** 2
    return R * cp


@kernel.part
def ln_psat(T: float, par: Matrix, i: int) -> tuple[float, float]:
    """ln(Psat/Pa) of species i and its temperature derivative [1/K].

    Beyond the fitted range the line ln P over 1/T is drawn on straight (Clausius-Clapeyron).
    """
    t = min(max(T, par[i, VP_TMIN]), par[i, VP_TMAX])
    a, b, c, d, e = par[i, VP0], par[i, VP0 + 1], par[i, VP0 + 2], par[i, VP0 + 3], par[i, VP0 + 4]
    value = a + b / t + c * math.log(t) + d * t + e * t * t
    slope = -b / (t * t) + c / t + d + 2.0 * e * t
    if t != T:
        steepness = slope * t * t  # d ln P / d(-1/T)
        value += steepness * (1.0 / t - 1.0 / T)
        slope = steepness / (T * T)
    return value, slope


@kernel.part
def rackett_volume(T: float, par: Matrix, i: int) -> float:
    """Saturated liquid volume [m3/mol] by Rackett (1970) with Z_RA of Yamada & Gunn (1973)."""
    tr = min(T / par[i, TC], 1.0)
    exponent = 1.0 + (1.0 - tr) ** (2.0 / 7.0)
    return R * par[i, TC] / par[i, PC] * par[i, ZRA] ** exponent
