"""What known liquids have beyond their phase model: volume, enthalpy, entropy.

A translation after Peneloux, Rauzy & Freze, Fluid Phase Equilib. 8 (1982) 7, for the volume, and the same for heats: each species brings
what its pure saturated liquid lacks, in proportion to its share, and fugacities are left alone, so that equilibria are. Entropy goes with
enthalpy by ds = dh/T. Outside the temperatures where a liquid is known what it lacks at their end is taken.

Notation: T [K]; par: shape (n, N_COLUMNS); x: mole fractions, shape (n,).
"""

from __future__ import annotations

from gulch.engine.compiling import Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.constants import (
    B_,
    DILUTED,
    ENTROPY0,
    HEAT0,
    HEAT_LOW,
    HEAT_STEP,
    N_NODE,
    N_VOLUME,
    P0,
    SLOPE0,
    VOLUME0,
    VOLUME_HIGH,
    VOLUME_LOW,
    R,
)
from gulch.engine.fluids.ideal_gas import ln_psat, rackett_volume

kernel = chapter(__name__)

HEAVY, LIGHT = 2.0, 3.2  # volumes over b from which a phase is no longer a plain liquid, and up to which it is one in part


@kernel.part
def lacked_volume(T: float, par: Matrix, i: int) -> float:
    """What the liquid volume [m3/mol] of species i lacks."""
    t = 1e-3 * min(max(T, par[i, VOLUME_LOW]), par[i, VOLUME_HIGH])
    total = 0.0
    for k in range(N_VOLUME - 1, -1, -1):
        total = total * t + par[i, VOLUME0 + k]
    return total


@kernel.part
def liquid_volume(T: float, par: Matrix, i: int) -> float:
    """Volume [m3/mol] of the saturated liquid of species i under models that have none of their own."""
    return rackett_volume(T, par, i) + lacked_volume(T, par, i)


@kernel
def lacked_heat(T: float, par: Matrix, i: int) -> tuple[float, float]:
    """What enthalpy [J/mol] and entropy [J/(mol K)] of liquid species i lack: cubic between temperatures where it is known.

    Of a model without an equation of state: what a liquid has beyond the ideal gas at T and P0.
    """
    low, step = par[i, HEAT_LOW], par[i, HEAT_STEP]
    if step <= 0.0:
        return 0.0, 0.0
    place = min(max((T - low) / step, 0.0), N_NODE - 1.0)
    j = min(int(place), N_NODE - 2)
    u = place - j
    v = 1.0 - u
    at_left, at_right, by_left, by_right = v * v * (1.0 + 2.0 * u), u * u * (1.0 + 2.0 * v), step * u * v * v, -step * u * u * v
    left, right = par[i, SLOPE0 + j], par[i, SLOPE0 + j + 1]
    h = at_left * par[i, HEAT0 + j] + at_right * par[i, HEAT0 + j + 1] + by_left * left + by_right * right
    t = low + j * step
    s = at_left * par[i, ENTROPY0 + j] + at_right * par[i, ENTROPY0 + j + 1] + by_left * left / t + by_right * right / (t + step)
    return h, s


@kernel.part
def pure_liquid_heat(T: float, P: float, par: Matrix, i: int) -> tuple[float, float]:
    """Enthalpy [J/mol] and entropy [J/(mol K)] of liquid species i beyond the ideal gas at T and P [Pa], without an equation of state.

    Where no heat is known, by the slope of its vapour pressure (Clausius & Clapeyron).
    """
    if par[i, HEAT_STEP] > 0.0:
        h, s = lacked_heat(T, par, i)
        return h, s + R * math.log(P / P0)
    ln_p, slope = ln_psat(T, par, i)
    return -R * T * T * slope, -R * (ln_p - par[i, DILUTED] - math.log(P) + T * slope)


@kernel
def lacked(T: float, par: Matrix, x: Vector, v: float) -> tuple[float, float, float]:
    """What a phase of volume v [m3/mol] by a cubic equation lacks: enthalpy, entropy, volume; nothing for a gas.

    It fades where a liquid becomes as light as near its critical point, so that there is no step.
    """
    b = 0.0
    for i in range(x.size):
        b += x[i] * par[i, B_]
    if v >= LIGHT * b:
        return 0.0, 0.0, 0.0
    u = min((LIGHT - v / b) / (LIGHT - HEAVY), 1.0)
    u *= u * (3.0 - 2.0 * u)
    h, s, volume = 0.0, 0.0, 0.0
    for i in range(x.size):
        dh, ds = lacked_heat(T, par, i)
        h += x[i] * dh
        s += x[i] * ds
        volume += x[i] * lacked_volume(T, par, i)
    return u * h, u * s, u * volume
