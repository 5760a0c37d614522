"""Dew and bubble points.

Newton's method on ln sum(z K) or ln sum(z/K) in T, the incipient phase following by substitution: a tenth of what flashes take, but not
tested for stability (Michelsen & Mollerup, Thermodynamic Models, 2nd ed., ch. 12).

Notation: T [K], P [Pa]; z, other, weights: one number a species, shape (n,); mix: a `fluid.Mixture`.
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.constants import IDEAL, LIQUID, OMEGA, PC, PREDICTIVE_SRK, T_HIGH, T_LOW, TC, VAPOUR
from gulch.engine.fluids.flash import present_part, spread
from gulch.engine.fluids.fluid import phase_ln_phi, prepared
from gulch.engine.fluids.ideal_gas import ln_psat
from gulch.engine.fluids.mixture import Fluid, Mixture

kernel = chapter(__name__)

ALIKE = 0.02  # of all ln K: both phases became one


@kernel
def rising(mix: Mixture, fluid: Fluid, dew: bool, z: Vector, other: Vector, weights: Vector) -> tuple[float, float]:
    """(what rises with temperature through zero at the boundary, largest |ln K|), beside a phase of composition other.

    weights become z K at a bubble point and z/K at a dew point: in proportion to the incipient phase.
    """
    n = z.size
    liquid, vapour = np.empty(n), np.zeros(n)
    if mix.kind == IDEAL:
        for i in range(n):
            liquid[i] = ln_psat(fluid.T, mix.par, i)[0] - math.log(fluid.P)
    elif dew:
        phase_ln_phi(fluid, other, LIQUID, liquid)
        phase_ln_phi(fluid, z, VAPOUR, vapour)
    else:
        phase_ln_phi(fluid, z, LIQUID, liquid)
        phase_ln_phi(fluid, other, VAPOUR, vapour)
    sign = -1.0 if dew else 1.0
    total, largest = 0.0, 0.0
    for i in range(n):
        ln_k = liquid[i] - vapour[i]
        largest = max(largest, abs(ln_k))
        weights[i] = z[i] * math.exp(min(max(sign * ln_k, -200.0), 200.0))
        total += weights[i]
    return sign * math.log(total), largest


@kernel
def wilsons_boundary(mix: Mixture, dew: bool, P: float, z: Vector, guess: float, other: Vector) -> float:
    """The boundary by Wilson's K values (1968), from a guess; other becomes its incipient phase."""
    sign, T = (-1.0 if dew else 1.0), guess
    for _ in range(30):
        total, slope = 0.0, 0.0
        for i in range(z.size):
            steep = 5.373 * (1.0 + mix.par[i, OMEGA])
            ln_k = math.log(mix.par[i, PC] / P) + steep * (1.0 - mix.par[i, TC] / T)
            other[i] = z[i] * math.exp(sign * min(max(ln_k, -100.0), 100.0))
            total += other[i]
            slope += other[i] * steep * mix.par[i, TC]
        step = sign * math.log(total) * total * T * T / slope
        T -= min(max(step, -0.2 * T), 0.2 * T)
        if abs(step) < 1e-3 * T:
            break
    whole = 0.0
    for i in range(z.size):
        whole += other[i]
    for i in range(z.size):
        other[i] /= whole
    return guess if abs(guess - T) < 15.0 else T


@kernel
def boundary(mix: Mixture, dew: bool, P: float, z: Vector, guess: float, known: bool, other: Vector) -> tuple[bool, float]:
    """(found, T) of the dew point, or the bubble point, of fractions z; other becomes the incipient phase, and is near it if known."""
    n = z.size
    T, slope, before_T, before_f = guess, 0.0, 0.0, 0.0
    weights, moved = np.empty(n), np.empty(n)
    one_equation = mix.kind != IDEAL and mix.kind <= PREDICTIVE_SRK
    if known:
        T = guess
    elif one_equation:
        T = wilsons_boundary(mix, dew, P, z, guess, other)
    else:
        for i in range(n):
            other[i] = z[i]
    for _ in range(60):
        fluid = prepared(mix, T, P)
        f, largest = rising(mix, fluid, dew, z, other, weights)
        total, changed = 0.0, 0.0
        for i in range(n):
            total += weights[i]
        for i in range(n):
            changed = max(changed, abs(weights[i] / total - other[i]))
            other[i] = weights[i] / total
        if not math.isfinite(f):
            return False, T
        if abs(f) < 1e-12 and changed < 1e-10:
            return not (one_equation and largest < ALIKE) and T_LOW < T and T < T_HIGH, T
        if slope == 0.0 or changed > 1e-3:
            h = 1e-5 * T
            there = rising(mix, prepared(mix, T + h, P), dew, z, other, moved)[0]
            slope = (there - rising(mix, fluid, dew, z, other, moved)[0]) / h
        elif before_T != T and (f - before_f) / (T - before_T) > 0.0:
            slope = (f - before_f) / (T - before_T)
        if not slope > 0.0:
            return False, T
        before_T, before_f = T, f
        T -= min(max(f / slope, -0.1 * T), 0.1 * T)
    return False, T


@kernel.entry
def boundary_of(
    dew: bool, P: float, n: Vector, guess: float, beside: Vector,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[bool, float, Vector, Vector]:  # fmt: skip
    """(found, T [K], x, y) at the dew point, or the bubble point, of amounts n of any scale at P; compositions on all species.

    beside: the incipient phase nearby, shape (n,), or nothing.
    """
    at, z, mix = present_part(n, Mixture(kind, vapour, active, par, pairs, groups))
    other = np.empty(z.size)
    found, T, known = False, guess, beside.size == n.size
    for i in range(z.size if known else 0):
        other[i] = beside[at[i]]
        known = known and other[i] > 0.0
    if z.size > 1:
        found, T = boundary(mix, dew, P, z, guess, known, other)
    x, y = spread(other if dew else z, at, n.size), spread(z if dew else other, at, n.size)
    return found, T, x, y
