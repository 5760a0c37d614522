"""Stirred tank: extents at given temperature and pressure.

Notation: T [K], P [Pa]; n0: feed [mol/s], shape (n,); extents [mol/s], shape (m,).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.chemistry.kernels.pellet import weaken
from gulch.engine.chemistry.kernels.rates import P_ON, Rates, rates_in
from gulch.engine.compiling import Cube, Matrix, Places, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import assign, copied, fill, fractions, sum_of
from gulch.engine.fluids.bracket import bracket, narrow, place_of
from gulch.engine.fluids.constants import FOUND, NOT_FOUND
from gulch.engine.fluids.linear import eliminate
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.fluids.phase import properties, volume_of

NARROW, SMALL = 1e-9, 1e-12  # a temperature is found within [K]; or where its excess is that of what it is at both ends
BESIDE, MOST_LOOKS = 1e-3, 80  # K beside a steady state at which its slope is taken

kernel = chapter(__name__)


@kernel
def tank_residual(
    xi: Vector,
    T: float,
    P: float,
    n0: Vector,
    size: float,
    by_time: bool,
    mix: Mixture,
    phase: int,
    laws: Rates,
    per: Places,
    counted: Vector,
    x: Vector,
    out: Vector,
) -> float:
    """xi - (rate times volume) of a stirred tank with outlet n0 + xi @ nu. Returns the volume [m3], negative where a flow is.

    size: volume [m3], or residence time [s] when by_time; counted: how much of what rates count on is in 1 m3 of
    tank, shape (4,).
    """
    nu = laws.nu
    m, n = nu.shape
    total = 0.0
    for i in range(n):
        value = n0[i]
        for r in range(m):
            value += xi[r] * nu[r, i]
        if value < 0.0:
            return -1.0
        x[i] = value
        total += value
    for i in range(n):
        x[i] /= total
    v = volume_of(mix, T, P, x, phase)
    volume = size * total * v if by_time else size
    rates = rates_in(mix, T, P, x, v, phase, laws)
    if laws.pellet[P_ON] > 0.0:
        weaken(mix, T, P, x, v, phase, laws, rates, np.empty(m))
    for r in range(m):
        out[r] = xi[r] - volume * counted[per[r]] * rates[r]
    return volume


@kernel
def tank_at(
    mix: Mixture,
    T: float,
    P: float,
    n0: Vector,
    size: float,
    by_time: bool,
    phase: int,
    laws: Rates,
    per: Places,
    counted: Vector,
    xi: Vector,
) -> tuple[int, Vector, float]:
    """Extents [mol/s] of a stirred tank at T and P: Newton's method, the volume raised in steps where it fails.

    xi: start, inside; shape (m,). Returns (outcome, xi, volume).
    """
    nu = laws.nu
    m, n = nu.shape
    x, out, shifted = np.empty(n), np.empty(m), np.empty(m)
    J, change, trial = np.empty((m, m)), np.empty(m), np.empty(m)
    flow = sum_of(n0)
    reached, trying = 0.0, 1.0
    best = copied(xi)
    for _ in range(60):
        now = copied(best)
        good = False
        part = size * trying
        volume = tank_residual(now, T, P, n0, part, by_time, mix, phase, laws, per, counted, x, out)
        if volume < 0.0:
            fill(now, 0.0)
            volume = tank_residual(now, T, P, n0, part, by_time, mix, phase, laws, per, counted, x, out)
        for _ in range(60):
            norm = 0.0
            for r in range(m):
                norm += out[r] * out[r]
            for c in range(m):
                step = 1e-7 * flow
                moved = copied(now)
                moved[c] += step
                test = tank_residual(moved, T, P, n0, part, by_time, mix, phase, laws, per, counted, x, shifted)
                if test < 0.0:
                    step = -step
                    moved[c] = now[c] + step
                    test = tank_residual(moved, T, P, n0, part, by_time, mix, phase, laws, per, counted, x, shifted)
                    if test < 0.0:
                        step = 1e-3 * step
                        moved[c] = now[c] + step
                        test = tank_residual(moved, T, P, n0, part, by_time, mix, phase, laws, per, counted, x, shifted)
                for r in range(m):
                    J[r, c] = (shifted[r] - out[r]) / step if test >= 0.0 else (1.0 if r == c else 0.0)
            for r in range(m):
                change[r] = -out[r]
            eliminate(J, change)
            length = 1.0
            for i in range(n):  # no flow may pass zero
                dn, have = 0.0, n0[i]
                for r in range(m):
                    dn += change[r] * nu[r, i]
                    have += now[r] * nu[r, i]
                if dn < 0.0:
                    length = min(length, 0.98 * have / -dn)
            moved_by = 0.0
            taken = False
            for _ in range(30):
                for r in range(m):
                    trial[r] = now[r] + length * change[r]
                volume = tank_residual(trial, T, P, n0, part, by_time, mix, phase, laws, per, counted, x, shifted)
                if volume >= 0.0:
                    norm_trial = 0.0
                    for r in range(m):
                        norm_trial += shifted[r] * shifted[r]
                    if norm_trial < norm or norm_trial < 1e-28 * flow * flow:
                        taken = True
                        break
                length *= 0.5
            if not taken:
                good = norm < 1e-18 * flow * flow
                break
            for r in range(m):
                moved_by = max(moved_by, abs(trial[r] - now[r]))
                now[r] = trial[r]
                out[r] = shifted[r]
            if moved_by < 1e-13 * flow:
                good = True
                for r in range(m):  # a large step cut short is no answer: it is stuck at a flow of zero
                    good = good and abs(change[r]) < 1e-8 * flow
                break
        else:  # rounding keeps the last digits moving
            good = norm < 1e-18 * flow * flow
        if good:
            best = now
            reached = trying
            if trying >= 1.0:
                return FOUND, best, volume
            trying = min(1.0, max(3.0 * trying, trying + 0.05))
        else:
            trying = 0.5 * (reached + trying) if reached > 0.0 else 0.1 * trying
            if trying - reached < 1e-9:
                break
    return NOT_FOUND, best, 0.0


@kernel.entry
def tank(
    T: float, P: float, n0: Vector, size: float, by_time: bool, phase: int, laws: Rates, per: Places, counted: Vector, xi: Vector,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[int, Vector, float]:  # fmt: skip
    """`tank_at` as Python calls it."""
    return tank_at(Mixture(kind, vapour, active, par, pairs, groups), T, P, n0, size, by_time, phase, laws, per, counted, xi)


@kernel
def enthalpy_flow(mix: Mixture, T: float, P: float, n: Vector, phase: int) -> float:
    """Enthalpy flow [W] of amounts n [mol/s] held in one phase."""
    return properties(mix, T, P, fractions(n), phase)[0] * sum_of(n)


@kernel
def heat_of_contents(
    mix: Mixture, T: float, P: float, n0: Vector, size: float, by_time: bool, phase: int, laws: Rates, per: Places, counted: Vector,
    xi: Vector,
) -> float:  # fmt: skip
    """Enthalpy flow [W] of what a tank holds at T and P, begun from extents xi and leaving its own there; nan where it is not found."""
    outcome, found, _ = tank_at(mix, T, P, n0, size, by_time, phase, laws, per, counted, xi)
    if outcome != FOUND:
        return math.nan
    assign(xi, found)
    n = np.empty(n0.size)
    for i in range(n.size):
        n[i] = n0[i]
        for r in range(xi.size):
            n[i] += xi[r] * laws.nu[r, i]
        n[i] = max(n[i], 0.0)
    return enthalpy_flow(mix, T, P, n, phase)


@kernel.entry
def balanced_between(
    low: float, high: float, fed: float, conductance: float, coolant: float,
    P: float, n0: Vector, size: float, by_time: bool, phase: int, laws: Rates, per: Places, counted: Vector, xi: Vector,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[int, float, float, Vector]:  # fmt: skip
    """(outcome, temperature [K] at which a tank gives off what heat it is fed, by how much its excess grows there [W/K], extents).

    low, high: temperatures between which it does; fed: enthalpy flow of the feed with what heat is given [W]; conductance [W/K] of a wall
    to a coolant [K]. The excess is what is fed less what leaves.
    """
    mix, now = Mixture(kind, vapour, active, par, pairs, groups), copied(xi)
    f_low = fed + conductance * (coolant - low) - heat_of_contents(mix, low, P, n0, size, by_time, phase, laws, per, counted, now)
    f_high = fed + conductance * (coolant - high) - heat_of_contents(mix, high, P, n0, size, by_time, phase, laws, per, counted, now)
    if not f_low * f_high <= 0.0:
        return NOT_FOUND, low, 0.0, now
    search, T = bracket(low, f_low, high, f_high), low if f_low == 0.0 else high
    for _ in range(MOST_LOOKS):
        if f_low == 0.0 or f_high == 0.0:
            break
        T = place_of(search)
        f = fed + conductance * (coolant - T) - heat_of_contents(mix, T, P, n0, size, by_time, phase, laws, per, counted, now)
        if not narrow(search, T, f) >= NARROW or abs(f) <= SMALL * (abs(f_low) + abs(f_high)):
            break
    above = heat_of_contents(mix, T + BESIDE, P, n0, size, by_time, phase, laws, per, counted, now)
    below = heat_of_contents(mix, T - BESIDE, P, n0, size, by_time, phase, laws, per, counted, now)
    return FOUND, T, (below - above) / (2.0 * BESIDE) - conductance, now


@kernel.entry
def heats_over(
    temperatures: Vector, P: float, n0: Vector, size: float, by_time: bool, phase: int, laws: Rates, per: Places, counted: Vector,
    xi: Vector,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[Vector, Vector, Vector]:  # fmt: skip
    """(enthalpy flow [W] of the feed held in one phase, of the contents, last extents) of a tank at several temperatures.

    Each is begun from the last; nan where the contents are not found. Shapes (k,), (k,), (m,).
    """
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    of_feed, of_contents, now = np.empty(temperatures.size), np.empty(temperatures.size), copied(xi)
    for k in range(temperatures.size):
        T = temperatures[k]
        of_feed[k] = enthalpy_flow(mix, T, P, n0, phase)
        of_contents[k] = heat_of_contents(mix, T, P, n0, size, by_time, phase, laws, per, counted, now)
    return of_feed, of_contents, now
