"""Stability test of a phase by its tangent plane.

Michelsen, Fluid Phase Equilib. 9 (1982) 1.

Notation: x, y, z, n, ln_k, phi: one number a species, shape (n,); mix: a `fluid.Mixture`; fluid: it prepared at T [K] and P [Pa].
w: trial composition, shape (n,).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.fluid import first_ln_k, phase_ln_phi, pure_ln_phi
from gulch.engine.fluids.mixture import Fluid

kernel = chapter(__name__)

SAME = 0.03  # sum of differences of mole fractions, below which a trial goes to a phase that is there already,
CALM = 0.1  # where its steps shrink so fast as well
ALIKE = 1e-3  # likewise, where it is there already
NO_MORE, VAPOUR_AND_LIQUID, HALF_LIQUID = 0, 1, 2  # trials besides those of nearly pure species
TRACE = math.log(1e-4)  # of the other species in a trial that is nearly pure


@kernel.part
def stepped(total: float, w: Vector, d: Vector, ln_phi: Vector, ln_w: Vector, last: Vector) -> tuple[float, float, float]:
    """(distance above the plane d in RT, norm of the step, its product with the step before) of a trial phase; last is the step then."""
    distance, norm, dot = 1.0, 0.0, 0.0
    for i in range(w.size):
        step = d[i] - ln_phi[i] - ln_w[i]
        distance += total * w[i] * (-step - 1.0)
        norm += step * step
        dot += step * last[i]
        last[i] = step
    return distance, norm, dot


@kernel.part
def farther(it: int, dot: float, norm_before: float) -> float:
    """By what a step is made longer: every fourth by the dominant eigenvalue of the substitution, where it creeps."""
    if it % 4 == 3 and norm_before > 0.0:
        gain = dot / norm_before
        if 0.0 < gain < 0.98:
            return 1.0 / (1.0 - gain)
    return 1.0


@kernel
def tangent_trial(fluid: Fluid, d: Vector, z: Vector, other: Vector, ln_w: Vector, w: Vector) -> bool:
    """Follow one trial phase, logarithms of mole numbers ln_w (changed), from the tangent plane d of phases z and other.

    Returns True when a composition below the plane is found, which w then holds.
    """
    n = z.size
    ln_phi = np.empty(n)
    last = np.zeros(n)
    norm_before = 0.0
    for it in range(60):
        total = 0.0
        for i in range(n):
            w[i] = math.exp(max(ln_w[i], -690.0))
            total += w[i]
        to_z, to_other = 0.0, 0.0
        for i in range(n):
            w[i] /= total
            to_z += abs(w[i] - z[i])
            to_other += abs(w[i] - other[i])
        phase_ln_phi(fluid, w, 0, ln_phi)
        distance, norm, dot = stepped(total, w, d, ln_phi, ln_w, last)
        if distance < -1e-9 and to_z > 1e-5:
            return True
        # near a stationary point the distance is right to the order of the norm
        if norm < 0.1 * distance or norm < 1e-18 or to_z < ALIKE or (min(to_z, to_other) < SAME and norm < CALM * norm_before):
            return False
        factor = farther(it, dot, norm_before)
        for i in range(n):
            ln_w[i] += factor * last[i]
        norm_before = norm
    return False


@kernel
def find_instability(fluid: Fluid, d: Vector, ref: Vector, other: Vector, trials: int, active: float, w: Vector) -> bool:
    """Search a trial phase below the tangent plane d through composition ref; other: a second phase on it, or ref again.

    trials: NO_MORE, or VAPOUR_AND_LIQUID, or HALF_LIQUID (half the way to a liquid), which come first; trials that start from a nearly
    pure species are made where that species' activity is above active.
    """
    n = ref.size
    ln_ref, ln_w = np.empty(n), np.empty(n)
    for i in range(n):
        ln_ref[i] = math.log(ref[i])
    if trials != NO_MORE:
        ln_k = np.empty(n)
        first_ln_k(fluid, ref, ln_k)
        for sign in (1.0, -1.0):
            if sign > 0.0 and trials == HALF_LIQUID:
                continue
            far = 0.5 * sign if trials == HALF_LIQUID else sign
            for i in range(n):
                ln_w[i] = ln_ref[i] + min(max(far * ln_k[i], -200.0), 200.0)
            if tangent_trial(fluid, d, ref, other, ln_w, w):
                return True
    least = math.log(active)
    for i in range(n):
        if ref[i] < 0.95 and d[i] - pure_ln_phi(fluid, i) > least:
            for j in range(n):
                ln_w[j] = ln_ref[j] + TRACE
            ln_w[i] = 0.0
            if tangent_trial(fluid, d, ref, other, ln_w, w):
                return True
    return False
