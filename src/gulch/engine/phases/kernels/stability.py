"""Stability test of a phase by its tangent plane.

Michelsen, Fluid Phase Equilib. 9 (1982) 1; start values: Wilson (1968).

Notation: T [K], P [Pa]; n, x, y, z, h, s, ln_k, phi: one number a species, shape (n,); par: shape (n, N_COLUMNS); kij, aij:
shape (n, n). w: trial composition, shape (n,).
"""

from __future__ import annotations

import math

import numpy as np

from gulch.engine.phases.kernels.compiling import chapter
from gulch.engine.phases.kernels.constants import OMEGA, PC, TC, Array
from gulch.engine.phases.kernels.cubic import cubic_ln_phi, pure_ln_phi

kernel = chapter(__name__)


@kernel
def wilson_ln_k(T: float, P: float, par: Array, ln_k: Array) -> None:
    """ln K by Wilson's equation (1968) into ln_k."""
    for i in range(par.shape[0]):
        ln_k[i] = math.log(par[i, PC] / P) + 5.373 * (1.0 + par[i, OMEGA]) * (1.0 - par[i, TC] / T)


@kernel
def tangent_trial(T: float, P: float, d: Array, z: Array, w: Array, par: Array, aij: Array, d1: float, d2: float) -> bool:
    """Follow one trial phase, mole numbers w (changed in place), from the tangent plane d.

    Returns True when a composition below the plane is found (w then holds it, normalised).
    """
    n = z.size
    ln_phi = np.empty(n)
    ln_w = np.empty(n)
    last = np.zeros(n)
    step = np.zeros(n)
    for i in range(n):
        ln_w[i] = math.log(max(w[i], 1e-300))
    norm_before = 0.0
    for it in range(60):
        total = 0.0
        for i in range(n):
            w[i] = math.exp(ln_w[i])
            total += w[i]
        for i in range(n):
            w[i] /= total
        cubic_ln_phi(T, P, w, par, aij, d1, d2, 0, ln_phi)
        distance = 1.0
        norm = 0.0
        dot = 0.0
        for i in range(n):
            new = d[i] - ln_phi[i]
            step[i] = new - ln_w[i]
            distance += total * w[i] * (-step[i] - 1.0)
            norm += step[i] * step[i]
            dot += step[i] * last[i]
        if distance < -1e-9:
            away = 0.0
            for i in range(n):
                away += abs(w[i] - z[i])
            if away > 1e-5:
                return True
        if norm < 0.1 * distance or norm < 1e-18:
            return False  # near a stationary point the distance is right to the order of the norm
        factor = 1.0
        if it % 4 == 3 and norm_before > 0.0:
            gain = dot / norm_before  # dominant eigenvalue of the substitution
            if 0.0 < gain < 0.98:
                factor = 1.0 / (1.0 - gain)
        trivial = 0.0
        for i in range(n):
            ln_w[i] += factor * step[i]
            last[i] = step[i]
            trivial += (ln_w[i] - math.log(z[i])) ** 2
        norm_before = norm
        if trivial < 1e-6:
            return False
    return False


@kernel
def find_instability(
    T: float, P: float, d: Array, ref: Array, par: Array, aij: Array, d1: float, d2: float, thorough: bool, w: Array
) -> bool:
    """Search a trial phase below the tangent plane d through composition ref.

    With thorough, Wilson-like vapour and liquid trials come first; the trials that start
    from a nearly pure species are always made where that species' activity is not small.
    """
    n = ref.size
    if thorough:
        ln_k = np.empty(n)
        wilson_ln_k(T, P, par, ln_k)
        for sign in (1.0, -1.0):
            for i in range(n):
                w[i] = ref[i] * math.exp(min(max(sign * ln_k[i], -200.0), 200.0))
            if tangent_trial(T, P, d, ref, w, par, aij, d1, d2):
                return True
    for i in range(n):
        activity = math.exp(min(d[i] - pure_ln_phi(T, P, par, aij, d1, d2, i), 50.0))
        if activity > 0.3 and ref[i] < 0.95:
            for j in range(n):
                w[j] = 1e-4 * ref[j]
            w[i] = 1.0
            if tangent_trial(T, P, d, ref, w, par, aij, d1, d2):
                return True
    return False
