"""One phase of known composition: enthalpy, entropy, volume, fugacity coefficients.

Notation: T [K], P [Pa]; n, x, y, z, h, s, ln_k, phi: one number a species, shape (n,); par: shape (n, N_COLUMNS); kij, aij:
shape (n, n). Enthalpy [J/mol], entropy [J/(mol K)], volume [m3/mol].
"""

from __future__ import annotations

import math

import numpy as np

from gulch.engine.phases.kernels.compiling import chapter
from gulch.engine.phases.kernels.constants import B_, IDEAL, LIQUID, P0, VAPOUR, Array, R
from gulch.engine.phases.kernels.cubic import attraction, compressibility, cubic_constants, cubic_ln_phi
from gulch.engine.phases.kernels.ideal_gas import ideal_gas, ln_psat, rackett_volume

kernel = chapter(__name__)


@kernel
def phase_properties(kind: int, T: float, P: float, x: Array, name: int, par: Array, kij: Array) -> tuple:
    """Molar enthalpy [J/mol], entropy [J/(mol K)] and volume [m3/mol] of one phase."""
    n = x.size
    h_ig, s_ig = np.empty(n), np.empty(n)
    ideal_gas(T, par, h_ig, s_ig)
    h = 0.0
    s = 0.0
    for i in range(n):
        if x[i] > 0.0:
            h += x[i] * h_ig[i]
            s += x[i] * (s_ig[i] - R * math.log(x[i]))
    if kind == IDEAL:
        if name == VAPOUR:
            return h, s - R * math.log(P / P0), R * T / P
        v = 0.0
        for i in range(n):
            ln_p, slope = ln_psat(T, par, i)
            h -= x[i] * R * T * T * slope
            s -= x[i] * R * (ln_p - math.log(P0) + T * slope)
            v += x[i] * rackett_volume(T, par, i)
        return h, s, v
    d1, d2 = cubic_constants(kind)
    q, dq, aij = np.empty(n), np.empty(n), np.empty((n, n))
    attraction(T, par, kij, q, dq, aij)
    a = 0.0
    da = 0.0
    b = 0.0
    for i in range(n):
        b += x[i] * par[i, B_]
        for j in range(n):
            a += x[i] * x[j] * aij[i, j]
            da += x[i] * x[j] * (1.0 - kij[i, j]) * (dq[i] * q[j] + q[i] * dq[j])
    rt = R * T
    A, B = a * P / (rt * rt), b * P / rt
    # The flash chose the stable root: choosing by Gibbs energy again gives the same one.
    Z = compressibility(A, B, d1, d2, 0)
    log_term = math.log((Z + d1 * B) / (Z + d2 * B)) / (b * (d1 - d2))
    h += rt * (Z - 1.0) + (T * da - a) * log_term
    s += R * math.log(Z - B) + da * log_term - R * math.log(P / P0)
    return h, s, Z * rt / P


@kernel
def ln_phi_phase(kind: int, T: float, P: float, x: Array, name: int, par: Array, kij: Array) -> Array:
    """ln fugacity coefficients of one phase of composition x (zeros allowed)."""
    n = x.size
    out = np.zeros(n)
    if kind == IDEAL:
        if name == LIQUID:
            for i in range(n):
                out[i] = ln_psat(T, par, i)[0] - math.log(P)
        return out
    d1, d2 = cubic_constants(kind)
    q, dq, aij = np.empty(n), np.empty(n), np.empty((n, n))
    attraction(T, par, kij, q, dq, aij)
    cubic_ln_phi(T, P, x, par, aij, d1, d2, name, out)
    return out
