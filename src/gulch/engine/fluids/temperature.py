"""The temperature at which a flashed mixture, or one phase, reaches an enthalpy, an entropy or a vapour fraction.

Notation: x, y, z, n, ln_k, phi: one number a species, shape (n,); mix: a `fluid.Mixture`; fluid: it prepared at T [K] and P [Pa].
The property wanted: J/mol, J/(mol K) or a share.
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Vector, chapter
from gulch.engine.fluids.arrays import fractions, sum_of
from gulch.engine.fluids.constants import (
    ABOVE_RANGE,
    BELOW_RANGE,
    ENTROPY,
    FOUND,
    NOT_FOUND,
    T_HIGH,
    T_LOW,
    VAPOUR,
    VAPOUR_SHARE,
)
from gulch.engine.fluids.flash import Flashed, flash, present_part, spread
from gulch.engine.fluids.ideal_gas import ideal_gas_cp
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.fluids.phase import properties

kernel = chapter(__name__)

BESIDE = 0.05  # K over which a heat capacity is differenced
LEAST, MOST = 100.0, 4000.0  # K between which one phase is looked for
EDGE = 1e-6  # of a vapour share: next to a bubble or dew point


@kernel.part
def property_at(mix: Mixture, T: float, P: float, z: Vector, ln_k: Vector, warm: bool, column: int) -> float:
    """Molar enthalpy, entropy or vapour fraction of the flashed mixture."""
    beta, middle, name_x, name_y, third, x, y, w, props = flash(mix, T, P, z, ln_k, warm)
    if column == VAPOUR_SHARE:  # vapour share, the liquid side counted as zero
        return beta if name_y == VAPOUR else 0.0
    return props[column]


@kernel.part
def temperature_slope(T: float, z: Vector, par: Matrix, column: int) -> float:
    """How enthalpy (column ENTHALPY) or entropy (ENTROPY) of the ideal gas rises with temperature."""
    cp = 0.0
    for i in range(z.size):
        cp += z[i] * ideal_gas_cp(T, par, i)
    return cp / T if column == ENTROPY else cp


@kernel
def temperature_in_phase(
    mix: Mixture, P: float, target: float, column: int, z: Vector, T: float, f: float, name: int, tolerance: float
) -> float:
    """Secant steps in one phase of that name from T, where its error is f: the temperature at the target, 0 if they go astray."""
    slope = temperature_slope(T, z, mix.par, column)
    for _ in range(16):
        step = -f / slope
        T_next = T + step
        if abs(step) > 0.3 * T or T_next <= T_LOW or T_next >= T_HIGH:
            return 0.0
        f_next = properties(mix, T_next, P, z, name)[column] - target
        if abs(f_next) <= 1e-4 * tolerance:
            return T_next
        if abs(f_next) > 0.5 * abs(f) or (f_next - f) * step <= 0.0:
            return T_next if abs(f_next) <= tolerance else 0.0
        slope = (f_next - f) / step
        T, f = T_next, f_next
    return 0.0


@kernel
def near_temperature(
    mix: Mixture, P: float, target: float, column: int, z: Vector, T: float, f: float, tolerance: float
) -> tuple[bool, float]:
    """Secant steps from a start whose error is f, as long as each halves it: (found, T). Most starts are near."""
    ln_k = np.empty(z.size)
    h = 1e-5 * T if f < 0.0 else -1e-5 * T  # what boils takes many times the heat of one phase
    slope = (property_at(mix, T + h, P, z, ln_k, False, column) - target - f) / h
    if slope <= 0.0:
        return False, T
    for _ in range(12):
        step = -f / slope
        if abs(step) > 0.3 * T:
            return False, T
        T_next = T + step
        if T_next <= T_LOW or T_next >= T_HIGH or T_next == T:
            return False, T
        f_next = property_at(mix, T_next, P, z, ln_k, False, column) - target
        if abs(f_next) <= 1e-4 * tolerance:
            return True, T_next  # the loops around it take their differences from what is left here
        if abs(f_next) > 0.5 * abs(f) or (f_next - f) * step <= 0.0:
            return abs(f_next) <= tolerance, T_next
        slope = (f_next - f) / step
        T, f = T_next, f_next
    return False, T


@kernel
def edge_between(
    mix: Mixture, P: float, target: float, z: Vector, low: float, high: float, f_low: float, f_high: float, tolerance: float
) -> tuple[int, float, float]:
    """`solve_temperature` for a vapour share next to nothing, or to everything, between two temperatures.

    Outside the boiling range the share says nothing of how far it is, so secants are drawn through points inside it alone.
    """
    ln_k = np.empty(z.size)
    sign = 1.0 if target < 0.5 else -1.0  # the range lies above a bubble point and below a dew point
    inside, outside = (high, low) if target < 0.5 else (low, high)
    f_inside = f_high if target < 0.5 else f_low
    older, f_older, back = inside, f_inside, 0.0
    for _ in range(200):
        if abs(inside - outside) <= 1e-12 * inside:
            break
        T = 0.5 * (inside + outside)
        if older != inside:
            T_line = inside - f_inside * (inside - older) / (f_inside - f_older) if f_inside != f_older else T
            T_line += back * (inside - outside)
            if (T_line - outside) * (inside - T_line) > 0.0:
                T = T_line
        if inside == T or outside == T:
            break
        f = property_at(mix, T, P, z, ln_k, False, VAPOUR_SHARE) - target
        if abs(f) <= tolerance:
            return FOUND, T, T
        if sign * f < 0.0:  # the line ended outside: the next a little less far
            outside, back = T, min(max(0.01, 4.0 * back), 0.5)
        else:
            older, f_older, inside, f_inside, back = inside, f_inside, T, f, 0.0
    return FOUND, min(inside, outside), max(inside, outside)


@kernel
def solve_temperature(
    mix: Mixture, P: float, target: float, column: int, z: Vector, T: float, f: float, tolerance: float
) -> tuple[int, float, float]:
    """Temperature at which a property of the flashed mixture reaches target, at constant P, from T where its error is f.

    column: ENTHALPY, ENTROPY or VAPOUR_SHARE. All of them rise with temperature.
    Returns (outcome, T below, T above): equal when the property is continuous there; where
    it jumps (a pure species boiling) the two sides of the jump, a few nanokelvin apart.
    """
    n = z.size
    ln_k = np.empty(n)
    if column != VAPOUR_SHARE:
        found, T_near = near_temperature(mix, P, target, column, z, T, f, tolerance)
        if found:
            return FOUND, T_near, T_near
    low, f_low, high, f_high = T, f, T, f
    boils = column == VAPOUR_SHARE and abs(f) < 0.999 and (f > EDGE or f < -EDGE)
    step = (0.0005 if boils else 0.02) * T  # inside a boiling range its ends are near
    for _ in range(80):
        if f_low < 0.0 and f_high >= 0.0 and low < high:
            break
        if f >= 0.0:
            if low <= T_LOW:
                return BELOW_RANGE, low, low
            high, f_high = low, f_low
            low = max(T_LOW, low - step)
            value = property_at(mix, low, P, z, ln_k, False, column)
            f_low = value - target
            f = f_low
        else:
            if high >= T_HIGH:
                return ABOVE_RANGE, high, high
            low, f_low = high, f_high
            high = min(T_HIGH, high + step)
            value = property_at(mix, high, P, z, ln_k, False, column)
            f_high = value - target
            f = f_high
        step *= 2.0
    if not (f_low <= 0.0 <= f_high):
        return NOT_FOUND, low, high
    if column == VAPOUR_SHARE and (target < EDGE or target > 1.0 - EDGE):
        return edge_between(mix, P, target, z, low, high, f_low, f_high, tolerance)
    g_low, g_high = f_low, f_high  # Illinois-scaled ends
    side = 0
    for it in range(200):
        if high - low <= 4e-14 * high:
            break
        T = high - g_high * (high - low) / (g_high - g_low) if g_high != g_low else 0.5 * (low + high)
        if it % 3 == 2 and it > 8 or not (low < T < high):
            T = 0.5 * (low + high)
        if low >= T or high <= T:
            break
        value = property_at(mix, T, P, z, ln_k, False, column)
        f = value - target
        if abs(f) <= tolerance and (column != VAPOUR_SHARE or target > 0.0 and target < 1.0):
            return FOUND, T, T
        if f < 0.0:
            low, g_low, f_low = T, f, f
            if side == -1:
                g_high *= 0.5
            side = -1
        else:
            high, g_high, f_high = T, f, f
            if side == 1:
                g_low *= 0.5
            side = 1
    return FOUND, low, high


@kernel.entry
def in_phase_at(
    h: float, P: float, n: Matrix, phase: int, near: float,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> Vector:  # fmt: skip
    """T [K] of contents n [mol], shape (k, n), held in one phase with enthalpy h [J] each, shape (k,).

    By Newton's method, from near for the first and from the last for the next.
    """
    mix, T = Mixture(kind, vapour, active, par, pairs, groups), near
    out = np.empty(n.shape[0])
    for k in range(out.size):
        x, total = fractions(n[k]), sum_of(n[k])
        for _ in range(40):
            f = properties(mix, T, P, x, phase)[0] * total - h
            slope = (properties(mix, T + BESIDE, P, x, phase)[0] * total - h - f) / BESIDE
            step = min(max(-f / slope, -100.0), 100.0)
            T = min(max(T + step, LEAST), MOST)
            if abs(step) < 1e-9 * T:
                break
        out[k] = T
    return out


@kernel.entry
def flash_amounts_to(
    P: float, target: float, column: int, n: Vector, T_start: float, tolerance: float,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[int, float, float, Flashed]:  # fmt: skip
    """The temperature at which a property (column as in `solve_temperature`) reaches target, of amounts n, and the flash there.

    From a start in one phase the search goes on inside that phase, and one flash judges where it ends.
    Returns (outcome, T below, T above, flash at T above as `flash_amounts` gives it).
    """
    at, z, mix = present_part(n, Mixture(kind, vapour, active, par, pairs, groups))
    T = min(max(T_start, T_LOW), T_HIGH)
    beta, middle, name_x, name_y, third, x, y, w, props = flash(mix, T, P, z, np.empty(z.size), False)
    f = props[column] - target if column != VAPOUR_SHARE else (beta if name_y == VAPOUR else 0.0) - target
    outcome, low, high = FOUND, T, T
    found = column != VAPOUR_SHARE and abs(f) <= 1e-4 * tolerance
    if column != VAPOUR_SHARE and not found and (beta <= 0.0 or beta >= 1.0):
        T_next = temperature_in_phase(mix, P, target, column, z, T, f, name_x, tolerance)
        if T_next > 0.0:
            beta, middle, name_x, name_y, third, x, y, w, props = flash(mix, T_next, P, z, np.empty(z.size), False)
            found, low, high = abs(props[column] - target) <= tolerance, T_next, T_next
    if not found:
        outcome, low, high = solve_temperature(mix, P, target, column, z, T, f, tolerance)
        beta, middle, name_x, name_y, third, x, y, w, props = flash(mix, high, P, z, np.empty(z.size), False)
    size = n.size
    flashed = (beta, middle, name_x, name_y, third, spread(x, at, size), spread(y, at, size), spread(w, at, size), props)
    return outcome, low, high, flashed
