"""Flashes at temperature and pressure.

Notation: x, y, z, n, ln_k, phi: one number a species, shape (n,); mix: a `fluid.Mixture`; fluid: it prepared at T [K] and P [Pa].
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Places, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import fill
from gulch.engine.fluids.constants import IDEAL, LIQUID, MW, TC, UNIFAC, UNKNOWN_TC, VAPOUR, R
from gulch.engine.fluids.fluid import first_ln_k, named, phase_ln_phi, prepared
from gulch.engine.fluids.ideal_gas import ln_psat
from gulch.engine.fluids.liquid import lacked
from gulch.engine.fluids.lowest import lowest_split
from gulch.engine.fluids.mixture import Fluid, Mixture, part_of
from gulch.engine.fluids.phase import properties
from gulch.engine.fluids.split import (
    gibbs_of_split,
    k_values,
    rachford_rice,
    split,
    split_from_trial,
    two_phase,
)
from gulch.engine.fluids.stability import VAPOUR_AND_LIQUID, find_instability

kernel = chapter(__name__)

Flashed = tuple[float, float, int, int, int, Vector, Vector, Vector, Vector]
ACTIVE = 0.3  # activity from which a species may be the heart of a second phase, beside trials of vapour and liquid


@kernel
def split_flash(
    mix: Mixture, T: float, P: float, z: Vector, ln_k: Vector, warm: bool, x: Vector, y: Vector, w: Vector
) -> tuple[float, float, int, int, int]:
    """PT flash of a model in which phases are not ideal; z positive and summing to 1.

    ln_k: start values when warm, and the result. x, y, w: heaviest and lightest phase and the one between.
    Returns (beta, share of w, name of x, name of y, third): beta the share of the lightest phase, 0.0 or 1.0 when there is one phase
    (whose name stands in both); third = 1 when the stability test still finds a further phase.
    """
    n = z.size
    fluid = prepared(mix, T, P)
    phi, phis = np.empty(n), np.empty((2, n + 1))
    d = np.empty(n)
    Z, A, B, name = phase_ln_phi(fluid, z, 0, phi)
    g_single = 0.0
    for i in range(n):
        d[i] = math.log(z[i]) + phi[i]
        g_single += z[i] * d[i]
    beta = -1.0
    if n > 1:
        if not warm:
            first_ln_k(fluid, z, ln_k)
        beta = two_phase(fluid, z, ln_k, x, y, phis)
        if beta > 0.0 and gibbs_of_split(beta, x, y, phis) > g_single - 1e-13:
            beta = -1.0
        if beta < 0.0 and find_instability(fluid, d, z, z, VAPOUR_AND_LIQUID, ACTIVE, w):
            beta = split_from_trial(fluid, z, d, w, ln_k, x, y, phis)
    third, middle = 0, 0.0
    if beta > 0.0:
        beta, middle, third = lowest_split(fluid, z, beta, ln_k, x, y, phis, w)
    if middle == 0.0:
        fill(w, 0.0)
    if beta <= 0.0 or (beta >= 1.0 and middle == 0.0):
        name = named(fluid, Z, A, B, name)
        for i in range(n):
            x[i] = z[i]
            y[i] = z[i]
        return (1.0 if name == VAPOUR else 0.0), 0.0, name, name, third
    if middle == 0.0:
        if density(fluid, y, phis[1, n]) > density(fluid, x, phis[0, n]):  # the lighter phase is y by definition
            exchange(x, y)
            for i in range(n):
                ln_k[i] = -ln_k[i]
            beta = 1.0 - beta
    else:
        beta, middle = by_density(fluid, beta, middle, x, y, w)
    return beta, middle, LIQUID, lighter_name(fluid, y), third


@kernel.part
def density(fluid: Fluid, x: Vector, Z: float) -> float:
    """Mass density [kg/m3] of a phase of compressibility Z."""
    mass = 0.0
    for i in range(x.size):
        mass += x[i] * fluid.par[i, MW]
    v = Z * R * fluid.T / fluid.P
    return mass / (v + lacked(fluid.T, fluid.par, x, v)[2] if fluid.kind < UNIFAC else v)


@kernel.part
def exchange(x: Vector, y: Vector) -> None:
    """Let two arrays change places."""
    for i in range(x.size):
        x[i], y[i] = y[i], x[i]


@kernel
def by_density(fluid: Fluid, beta: float, middle: float, x: Vector, y: Vector, w: Vector) -> tuple[float, float]:
    """Put three phases in order, y the lightest and x the heaviest; returns (share of y, share of w)."""
    heavy = 1.0 - beta - middle
    for _ in range(2):
        if dense(fluid, w) > dense(fluid, x):
            exchange(w, x)
            middle, heavy = heavy, middle
        if dense(fluid, y) > dense(fluid, w):
            exchange(y, w)
            beta, middle = middle, beta
    return beta, middle


@kernel.part
def dense(fluid: Fluid, x: Vector) -> float:
    """Mass density [kg/m3] of a composition in its stable phase."""
    Z, _, _, _ = phase_ln_phi(fluid, x, 0, np.empty(x.size))
    return density(fluid, x, Z)


@kernel
def lighter_name(fluid: Fluid, y: Vector) -> int:
    """Name of the lightest of several phases.

    It leaves as vapour unless it is as dense as a liquid well below its critical point (2.6 b: saturated liquid at about 0.97 of the
    critical temperature).
    """
    Z, A, B, name = phase_ln_phi(fluid, y, 0, np.empty(y.size))
    if name != 0:
        return name
    return LIQUID if named(fluid, Z, A, B, 0) == LIQUID and Z / B < 2.6 else VAPOUR


@kernel
def ideal_flash(T: float, P: float, z: Vector, par: Matrix, ln_k: Vector, x: Vector, y: Vector) -> tuple[float, int, int, int]:
    """PT flash by Raoult's law, K = Psat/P; same results as `split_flash`."""
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


@kernel.part
def hot(T: float, par: Matrix) -> bool:
    """Whether T lies above every critical temperature, where nothing condenses whatever an equation finds."""
    hottest = 0.0
    for i in range(par.shape[0]):
        if par[i, TC] <= UNKNOWN_TC:
            return False
        hottest = max(hottest, par[i, TC])
    return hottest < T


@kernel
def flash(mix: Mixture, T: float, P: float, z: Vector, ln_k: Vector, warm: bool) -> Flashed:
    """PT flash with properties. Returns (beta, middle, name_x, name_y, third, x, y, w, props).

    props: h, s, v of the whole, then of the x phase, of the y phase and of the w phase (molar); w is a phase where middle is above 0.
    """
    n = z.size
    x, y, w = np.empty(n), np.empty(n), np.zeros(n)
    middle = 0.0
    if hot(T, mix.par):
        beta, name_x, name_y, third = 1.0, VAPOUR, VAPOUR, 0
        for i in range(n):
            x[i] = y[i] = z[i]
    elif mix.kind == IDEAL:
        beta, name_x, name_y, third = ideal_flash(T, P, z, mix.par, ln_k, x, y)
    else:
        beta, middle, name_x, name_y, third = split_flash(mix, T, P, z, ln_k, warm, x, y, w)
    props = np.zeros(12)
    if beta < 1.0:
        props[3], props[4], props[5] = properties(mix, T, P, x, name_x)
    if beta > 0.0:
        props[6], props[7], props[8] = properties(mix, T, P, y, name_y)
    if middle > 0.0:
        props[9], props[10], props[11] = properties(mix, T, P, w, LIQUID)
    for k in range(3):
        if beta <= 0.0:
            props[6 + k] = props[3 + k]
        elif beta >= 1.0:
            props[3 + k] = props[6 + k]
        props[k] = (1.0 - beta - middle) * props[3 + k] + beta * props[6 + k] + middle * props[9 + k]
    return beta, middle, name_x, name_y, third, x, y, w, props


@kernel
def present_part(n: Vector, mix: Mixture) -> tuple[Places, Vector, Mixture]:
    """(positions of what is present, its fractions, its Mixture) of amounts n with zeros among them."""
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
        return at, z, mix
    k = 0
    for i in range(n.size):
        if n[i] > 0.0:
            at[k] = i
            z[k] = n[i] / total
            k += 1
    return at, z, part_of(mix, at)


@kernel.part
def spread(x: Vector, at: Places, size: int) -> Vector:
    """Values of what is present on all species, zero elsewhere."""
    if x.size == size:
        return x
    out = np.zeros(size)
    for k in range(x.size):
        out[at[k]] = x[k]
    return out


@kernel.entry
def flash_amounts(
    T: float, P: float, n: Vector, kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix
) -> Flashed:
    """`flash` of amounts n of any scale, zeros allowed; compositions on all species. parts: fields of the Mixture."""
    at, z, mix = present_part(n, Mixture(kind, vapour, active, par, pairs, groups))
    beta, middle, name_x, name_y, third, x, y, w, props = flash(mix, T, P, z, np.empty(z.size), False)
    size = n.size
    return beta, middle, name_x, name_y, third, spread(x, at, size), spread(y, at, size), spread(w, at, size), props


@kernel.entry
def enthalpies(T: Vector, P: float, n: Vector, kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix) -> Vector:
    """Molar enthalpy [J/mol] of amounts n flashed at several temperatures T [K], shape (m,)."""
    at, z, mix = present_part(n, Mixture(kind, vapour, active, par, pairs, groups))
    out = np.empty(T.size)
    for k in range(T.size):
        out[k] = flash(mix, T[k], P, z, np.empty(z.size), False)[8][0]
    return out
