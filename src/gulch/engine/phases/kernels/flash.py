"""Flashes at temperature and pressure.

Notation: T [K], P [Pa]; n, x, y, z, h, s, ln_k, phi: one number a species, shape (n,); par: shape (n, N_COLUMNS); kij, aij:
shape (n, n).
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from gulch.engine.phases.kernels.compiling import chapter
from gulch.engine.phases.kernels.constants import IDEAL, LIQUID, MW, VAPOUR, Array
from gulch.engine.phases.kernels.cubic import attraction, cubic_constants, cubic_ln_phi, phase_name
from gulch.engine.phases.kernels.ideal_gas import ln_psat
from gulch.engine.phases.kernels.phase import phase_properties
from gulch.engine.phases.kernels.split import (
    gibbs_of_split,
    k_values,
    lowest_split,
    rachford_rice,
    split,
    split_from_trial,
    two_phase,
)
from gulch.engine.phases.kernels.stability import find_instability, wilson_ln_k

kernel = chapter(__name__)


@kernel
def cubic_flash(kind: int, T: float, P: float, z: Array, par: Array, kij: Array, ln_k: Array, warm: bool, x: Array, y: Array) -> tuple:
    """PT flash of a cubic model; z positive and summing to 1.

    ln_k: start values when warm, and the result. x, y: heavier and lighter phase.
    Returns (beta, name of x, name of y, third): beta the share of the lighter phase,
    0.0 or 1.0 when there is one phase (whose name stands in both), third = 1 when the
    stability test of the final split still finds a further phase.
    """
    n = z.size
    d1, d2 = cubic_constants(kind)
    q, dq, aij = np.empty(n), np.empty(n), np.empty((n, n))
    attraction(T, par, kij, q, dq, aij)
    phi = np.empty(n)
    d = np.empty(n)
    Z, A, B = cubic_ln_phi(T, P, z, par, aij, d1, d2, 0, phi)
    g_single = 0.0
    for i in range(n):
        d[i] = math.log(z[i]) + phi[i]
        g_single += z[i] * d[i]
    beta = -1.0
    if n > 1:
        if not warm:
            wilson_ln_k(T, P, par, ln_k)
        beta = two_phase(T, P, z, ln_k, par, aij, d1, d2, x, y)
        if beta > 0.0 and gibbs_of_split(beta, x, y, T, P, par, aij, d1, d2) > g_single - 1e-13:
            beta = -1.0
        if beta < 0.0:
            w = np.empty(n)
            if find_instability(T, P, d, z, par, aij, d1, d2, True, w):
                beta = split_from_trial(T, P, z, d, w, ln_k, par, aij, d1, d2, x, y)
    third = 0
    if beta > 0.0:
        beta, third = lowest_split(T, P, z, beta, ln_k, par, aij, d1, d2, x, y)
    if beta <= 0.0 or beta >= 1.0:
        name = phase_name(A, B, Z, kind)
        for i in range(n):
            x[i] = z[i]
            y[i] = z[i]
        return (1.0 if name == VAPOUR else 0.0), name, name, third
    Zx, Ax, Bx = cubic_ln_phi(T, P, x, par, aij, d1, d2, 0, phi)
    Zy, Ay, By = cubic_ln_phi(T, P, y, par, aij, d1, d2, 0, phi)
    mass_x = 0.0
    mass_y = 0.0
    for i in range(n):
        mass_x += x[i] * par[i, MW]
        mass_y += y[i] * par[i, MW]
    if mass_y / Zy > mass_x / Zx:  # the lighter phase is y by definition
        for i in range(n):
            x[i], y[i] = y[i], x[i]
            ln_k[i] = -ln_k[i]
        beta = 1.0 - beta
        Zx, Zy, Ax, Ay, Bx, By = Zy, Zx, Ay, Ax, By, Bx
    # The lighter of two phases leaves as vapour unless it is as dense as a liquid well below its
    # critical point (2.6 b: saturated liquid at about 0.97 of the critical temperature).
    name_y = VAPOUR
    if phase_name(Ay, By, Zy, kind) == LIQUID and Zy / By < 2.6:
        name_y = LIQUID
    return beta, LIQUID, name_y, third


@kernel
def ideal_flash(T: float, P: float, z: Array, par: Array, ln_k: Array, x: Array, y: Array) -> tuple:
    """PT flash by Raoult's law, K = Psat/P; same results as `cubic_flash`."""
    n = z.size
    for i in range(n):
        ln_k[i] = ln_psat(T, par, i)[0] - math.log(P)
    if n == 1:
        beta = 2.0 if ln_k[0] > 0.0 else -1.0
    else:
        K = np.empty(n)
        k_values(ln_k, K)
        beta = rachford_rice(z, K, -1.0)
        if 0.0 < beta < 1.0:
            split(z, K, beta, x, y)
    if 0.0 < beta < 1.0:
        return beta, LIQUID, VAPOUR, 0
    for i in range(n):
        x[i] = z[i]
        y[i] = z[i]
    if beta >= 1.0:
        return 1.0, VAPOUR, VAPOUR, 0
    return 0.0, LIQUID, LIQUID, 0


@kernel
def flash(kind: int, T: float, P: float, z: Array, par: Array, kij: Array, ln_k: Array, warm: bool) -> tuple:
    """PT flash with properties. Returns (beta, name_x, name_y, third, x, y, props).

    props: h, s, v of the whole, then h, s, v of the x phase, then of the y phase (molar).
    """
    n = z.size
    x, y = np.empty(n), np.empty(n)
    if kind == IDEAL:
        beta, name_x, name_y, third = ideal_flash(T, P, z, par, ln_k, x, y)
    else:
        beta, name_x, name_y, third = cubic_flash(kind, T, P, z, par, kij, ln_k, warm, x, y)
    props = np.empty(9)
    if beta < 1.0:
        props[3], props[4], props[5] = phase_properties(kind, T, P, x, name_x, par, kij)
    if beta > 0.0:
        props[6], props[7], props[8] = phase_properties(kind, T, P, y, name_y, par, kij)
    for k in range(3):
        if beta <= 0.0:
            props[6 + k] = props[3 + k]
        elif beta >= 1.0:
            props[3 + k] = props[6 + k]
        props[k] = (1.0 - beta) * props[3 + k] + beta * props[6 + k]
    return beta, name_x, name_y, third, x, y, props


@kernel
def present_part(n: Array, par: Array, kij: Array) -> tuple:
    """(positions of what is present, its fractions, parameters and k_ij) of amounts n with zeros among them."""
    count, total = 0, 0.0
    for i in range(n.size):
        if n[i] > 0.0:
            count += 1
            total += n[i]
    at, z = np.empty(count, np.int64), np.empty(count)
    if count == n.size:
        for i in range(count):
            at[i] = i
            z[i] = n[i] / total
        return at, z, par, kij
    k = 0
    for i in range(n.size):
        if n[i] > 0.0:
            at[k] = i
            z[k] = n[i] / total
            k += 1
    par_c, kij_c = np.empty((count, par.shape[1])), np.empty((count, count))
    for a in range(count):
        for c in range(par.shape[1]):
            par_c[a, c] = par[at[a], c]
        for b in range(count):
            kij_c[a, b] = kij[at[a], at[b]]
    return at, z, par_c, kij_c


@kernel
def spread(x: Array, at: Array, size: int) -> Array:
    """Values of what is present on all species, zero elsewhere."""
    if x.size == size:
        return x
    out = np.zeros(size)
    for k in range(x.size):
        out[at[k]] = x[k]
    return out


@kernel
def flash_amounts(kind: int, T: float, P: float, n: Array, par: Array, kij: Array) -> Any:
    """`flash` of amounts n of any scale, zeros allowed; compositions on all species."""
    at, z, par_c, kij_c = present_part(n, par, kij)
    beta, name_x, name_y, third, x, y, props = flash(kind, T, P, z, par_c, kij_c, np.empty(z.size), False)
    return beta, name_x, name_y, third, spread(x, at, n.size), spread(y, at, n.size), props


@kernel
def enthalpies(kind: int, T: Array, P: float, n: Array, par: Array, kij: Array) -> Any:
    """Molar enthalpy [J/mol] of amounts n flashed at several temperatures T [K], shape (m,)."""
    at, z, par_c, kij_c = present_part(n, par, kij)
    out = np.empty(T.size)
    for k in range(T.size):
        out[k] = flash(kind, T[k], P, z, par_c, kij_c, np.empty(z.size), False)[6][0]
    return out
