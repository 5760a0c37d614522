"""Plug flow: what changes along the reactor.

Notation: y: flows [mol/s], shape (n,), then enthalpy [W], P² and the coolant's temperature [K]; fixed: numbers by columns
F_….
"""

from __future__ import annotations

import numpy as np

from gulch.engine.chemistry.kernels.pellet import weaken
from gulch.engine.chemistry.kernels.rates import P_ON, Rates, rates_in
from gulch.engine.compiling import Cube, Matrix, Places, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.phases.kernels.mixture import Mixture
from gulch.engine.phases.kernels.phase import properties
from gulch.engine.phases.kernels.temperature import temperature_of

ISOTHERMAL, ADIABATIC, GIVEN_HEAT, COOLED, COCURRENT, COUNTERCURRENT = range(6)
LEVEL, LINEAR, ERGUN = 0, 1, 2
# Numbers of a tube or bed.
F_T, F_HEAT, F_UA, F_CAPACITY, F_DROP, F_AREA, F_DIAMETER, F_VISCOSITY, F_LIMIT, F_P_LOW = range(10)
F_VOID, F_BED, F_BULK, F_SURFACE = range(10, 14)  # how much of what rates count on, in their order
GOES_ON, NO_PRESSURE, TOO_HOT = 0.0, 1.0, 2.0  # how far the integration came, in guess[1]

kernel = chapter(__name__)


@kernel
def state_at(mix: Mixture, y: Vector, phase: int, heat: int, fixed: Vector, x: Vector, guess: Vector) -> tuple[float, float, float, float]:
    """(T, P, total, molar volume) at a point of a plug flow, mole fractions into x; T is nan where none exists."""
    n = x.size
    total = 0.0
    for i in range(n):
        x[i] = max(y[i], 0.0)
        total += x[i]
    for i in range(n):
        x[i] /= total
    P = math.sqrt(max(y[n + 1], 1.0))
    T = fixed[F_T] if heat == ISOTHERMAL else temperature_of(mix, y[n] / total, P, x, phase, guess[0])
    if not math.isfinite(T):
        return T, P, total, 1.0
    guess[0] = T
    return T, P, total, properties(mix, T, P, x, phase)[2]


@kernel.entry
def plug_state(
    y: Vector, phase: int, heat: int, fixed: Vector, x: Vector, guess: Vector,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[float, float, float, float]:  # fmt: skip
    """`state_at` as Python calls it, with the fields of the Mixture."""
    return state_at(Mixture(kind, vapour, active, par, pairs, groups), y, phase, heat, fixed, x, guess)


@kernel.entry
def plug_change(
    y: Vector, phase: int, heat: int, pressure: int, fixed: Vector, laws: Rates, per: Places, mass: Vector, guess: Vector,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> Vector:  # fmt: skip
    """dy/dV of a plug flow. y: flows [mol/s], enthalpy flow [W], P^2 [Pa2], coolant temperature [K].

    per: what each rate counts on, shape (m,); parts: fields of the Mixture. Where the pressure is gone or the temperature
    leaves its limit nothing changes any more; `guess[1]` then keeps NO_PRESSURE or TOO_HOT.
    """
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    nu = laws.nu
    m, n = nu.shape
    out = np.zeros(n + 3)
    x = np.empty(n)
    T, P, total, v = state_at(mix, y, phase, heat, fixed, x, guess)
    if y[n + 1] <= fixed[F_P_LOW] ** 2:
        guess[1] = NO_PRESSURE
        return out
    if not math.isfinite(T) or fixed[F_LIMIT] < T:
        guess[1] = TOO_HOT
        return out
    rates = rates_in(mix, T, P, x, v, phase, laws)
    if laws.pellet[P_ON] > 0.0:
        weaken(mix, T, P, x, v, phase, laws, rates, np.empty(m))
    for r in range(m):
        factor = fixed[F_VOID + per[r]]
        for i in range(n):
            if nu[r, i] != 0.0:
                out[i] += nu[r, i] * rates[r] * factor
    if heat == GIVEN_HEAT:
        out[n] = fixed[F_HEAT]
    elif heat >= COOLED:
        flux = fixed[F_UA] * (y[n + 2] - T)
        out[n] = flux
        if heat == COCURRENT:
            out[n + 2] = -flux / fixed[F_CAPACITY]
        elif heat == COUNTERCURRENT:
            out[n + 2] = flux / fixed[F_CAPACITY]
    if pressure == LINEAR:
        out[n + 1] = -2.0 * P * fixed[F_DROP]
    elif pressure == ERGUN:
        area, e, d = fixed[F_AREA], fixed[F_VOID], fixed[F_DIAMETER]
        u = total * v / area
        w = 0.0
        for i in range(n):
            w += x[i] * mass[i]
        slope = 150.0 * fixed[F_VISCOSITY] * (1.0 - e) ** 2 / (e**3 * d * d) * u + 1.75 * (w / v) * (1.0 - e) / (e**3 * d) * u * u
        out[n + 1] = -2.0 * P * slope / area
    return out
