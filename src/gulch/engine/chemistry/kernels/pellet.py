"""What a pellet leaves of a rate: the film around it, diffusion inside by the generalised Thiele modulus, and activity that is left.

With e the extent by which the fluid in the pellet is behind that at its surface, D e'' = r(e) for every reaction by itself, and

    phi = L r(0) / sqrt(2 D integral of r de up to where the reaction ends),    eta = tanh(phi)/phi in a slab,

L the pellet's volume over its surface (Bischoff, AIChE J. 11 (1965) 351; Froment & Bischoff, Chemical Reactor Analysis and Design, ch. 3):
for a first order phi = L sqrt(k/D), for the order n with (n + 1)/2 k c^(n − 1). Spheres and cylinders by their own first-order formulas
in 3 phi and 2 phi, which agree with the slab's at both ends.

Notation: T [K], P [Pa], v [m3/mol]; x: shape (n,); rates: shape (m,).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.chemistry.kernels.rates import (
    FORMULA,
    IRREVERSIBLE,
    P_ACTIVITY,
    P_BED,
    P_DIFFUSIVITY,
    P_FILM,
    P_LENGTH,
    P_ON,
    P_SHAPE,
    PER_BED,
    PER_FLUID,
    W_LAW,
    W_PER,
    W_REVERSE,
    Rates,
    rates_in,
)
from gulch.engine.compiling import Cube, Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import fractions
from gulch.engine.fluids.bracket import bracket, narrow, place_of
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.fluids.phase import volume_of

NO_PELLET, SLAB, CYLINDER, SPHERE = 0, 1, 2, 3
LOOKS = 16  # at which it is looked where a reversible reaction comes to rest
# Gauss and Legendre's points and weights on 0 to 1.
POINTS = np.array([0.04691007703066802, 0.23076534494715845, 0.5, 0.7692346550528415, 0.953089922969332])
WEIGHTS = np.array([0.11846344252809454, 0.23931433524968324, 0.28444444444444444, 0.23931433524968324, 0.11846344252809454])

kernel = chapter(__name__)


@kernel.part
def effectiveness(shape: int, phi: float) -> float:
    """Share of the surface's rate that a pellet has at a modulus over its volume by its surface."""
    if phi < 1e-4:
        return 1.0
    if shape == SLAB:
        return math.tanh(phi) / phi
    if shape == SPHERE:
        if phi < 1e-2:
            return 1.0 - 0.6 * phi * phi
        return (1.0 / math.tanh(3.0 * phi) - 1.0 / (3.0 * phi)) / phi
    ratio = 0.0  # I1/I0 of 2 phi by Gauss's continued fraction, from its end
    for k in range(60 + int(2.0 * phi), 0, -1):
        ratio = 1.0 / (k / phi + ratio)
    return ratio / phi


@kernel
def rate_behind(mix: Mixture, T: float, P: float, x: Vector, v: float, phase: int, laws: Rates, r: int, e: float, inside: Vector) -> float:
    """Rate of reaction r where its extent [mol/m3] is e behind the surface's."""
    total = 0.0
    for i in range(x.size):
        inside[i] = max(x[i] / v + laws.nu[r, i] * e, 0.0)
        total += inside[i]
    for i in range(x.size):
        inside[i] /= total
    return rates_in(mix, T, P, inside, 1.0 / total, phase, laws)[r]


@kernel
def integral_behind(
    mix: Mixture, T: float, P: float, x: Vector, v: float, phase: int, laws: Rates, r: int, at: float, inside: Vector
) -> float:
    """Integral of the rate over the extent behind the surface, up to where the reaction ends. at: the rate at the surface."""
    way = 1.0 if at > 0.0 else -1.0
    end = 1e300
    for i in range(x.size):
        used = -way * laws.nu[r, i]
        if used > 0.0:
            end = min(end, x[i] / v / used)
    if end > 1e299 or end <= 0.0:
        return 0.0
    if laws.ways[r, W_LAW] == FORMULA or laws.ways[r, W_REVERSE] != IRREVERSIBLE:
        low, high = 0.0, end
        f_low, f_high = way * at, 0.0
        for k in range(1, LOOKS):  # where it comes to rest
            e = end * k / LOOKS
            f = way * rate_behind(mix, T, P, x, v, phase, laws, r, way * e, inside)
            if f <= 0.0:
                high, f_high = e, f
                break
            low, f_low = e, f
        if high < end:
            search = bracket(low, f_low, high, f_high)
            for _ in range(60):
                e = place_of(search)
                f = way * rate_behind(mix, T, P, x, v, phase, laws, r, way * e, inside)
                if narrow(search, e, f) < 1e-12 * end or abs(f) < 1e-13 * abs(at):
                    break
            end = e
    total = 0.0
    for half in range(2):  # more points towards the end, where an order below one bends
        a, b = (0.0, 0.8 * end) if half == 0 else (0.8 * end, end)
        for k in range(POINTS.size):
            e = a + (b - a) * POINTS[k]
            total += (b - a) * WEIGHTS[k] * max(way * rate_behind(mix, T, P, x, v, phase, laws, r, way * e, inside), 0.0)
    return total


@kernel
def inside_at(
    mix: Mixture, T: float, P: float, x: Vector, v: float, phase: int, laws: Rates, r: int, at: float, by: float, room: Vector
) -> float:
    """Share of the rate `at` a surface that diffusion leaves; by: activity times volumes of what the rate counts on in one of pellet."""
    pellet = laws.pellet
    if int(pellet[P_SHAPE]) == NO_PELLET or at == 0.0:
        return 1.0
    integral = by * integral_behind(mix, T, P, x, v, phase, laws, r, at, room)
    if integral <= 0.0:
        return 1.0
    return effectiveness(int(pellet[P_SHAPE]), pellet[P_LENGTH] * by * abs(at) / math.sqrt(2.0 * pellet[P_DIFFUSIVITY] * integral))


@kernel
def behind_film(
    mix: Mixture, T: float, P: float, x: Vector, v: float, phase: int, laws: Rates, r: int, by: float, e: float, surface: Vector,
    room: Vector,
) -> float:  # fmt: skip
    """What reacts in a pellet [mol/(m3 s)] whose surface is behind the fluid by an extent e [mol/m3] of r; 0 where it turns back."""
    way, total = 1.0 if e >= 0.0 else -1.0, 0.0
    for i in range(x.size):
        surface[i] = max(x[i] / v + laws.nu[r, i] * e, 0.0)
        total += surface[i]
    for i in range(x.size):
        surface[i] /= total
    here = rates_in(mix, T, P, surface, 1.0 / total, phase, laws)[r]
    if way * here <= 0.0:
        return 0.0
    return way * here * inside_at(mix, T, P, surface, 1.0 / total, phase, laws, r, here, by, room)


@kernel
def through_film(mix: Mixture, T: float, P: float, x: Vector, v: float, phase: int, laws: Rates, r: int, at: float, by: float) -> float:
    """Share of the rate `at` the fluid's state that a pellet has behind its film: what passes the film, k_c e/L, is what reacts inside.

    e: extent [mol/m3] by which the surface is behind the fluid.
    """
    way = 1.0 if at > 0.0 else -1.0
    surface, room = np.empty(x.size), np.empty(x.size)
    passes = laws.pellet[P_FILM] / (laws.pellet[P_LENGTH] * by)
    high = 1e300
    for i in range(x.size):
        used = -way * laws.nu[r, i]
        if used > 0.0:
            high = min(high, x[i] / v / used)
    if high > 1e299 or high <= 0.0:
        return 1.0
    e = 0.0
    search = bracket(0.0, behind_film(mix, T, P, x, v, phase, laws, r, by, way * 1e-300, surface, room), high, -passes * high)
    for _ in range(60):
        e = place_of(search)
        f = behind_film(mix, T, P, x, v, phase, laws, r, by, way * e, surface, room) - passes * e
        if narrow(search, e, f) < 3e-14 * high or abs(f) < 1e-13 * passes * high:
            break
    return passes * e / abs(at)


@kernel
def weaken(mix: Mixture, T: float, P: float, x: Vector, v: float, phase: int, laws: Rates, rates: Vector, share: Vector) -> None:
    """Take off the rates at the surface what pellet and age leave of them; fills the share that is left by diffusion."""
    pellet, inside = laws.pellet, np.empty(x.size)
    activity = pellet[P_ACTIVITY]
    for r in range(rates.size):
        share[r] = 1.0
        per = laws.ways[r, W_PER]
        if per == PER_FLUID:
            continue
        by_pellet = activity * pellet[P_BED + per - PER_BED]  # of a volume of pellet
        if rates[r] != 0.0 and by_pellet > 0.0:
            if pellet[P_FILM] > 0.0:
                share[r] = through_film(mix, T, P, x, v, phase, laws, r, rates[r], by_pellet)
            else:
                share[r] = inside_at(mix, T, P, x, v, phase, laws, r, rates[r], by_pellet, inside)
        rates[r] *= activity * share[r]


@kernel.entry
def shares_of(
    T: float, P: float, x: Vector, v: float, phase: int, laws: Rates, share: Vector,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> Vector:  # fmt: skip
    """Rates as a pellet leaves them, shape (m,), with the fields of the Mixture; fills the shares that diffusion leaves."""
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    rates = rates_in(mix, T, P, x, v, phase, laws)
    weaken(mix, T, P, x, v, phase, laws, rates, share)
    return rates


@kernel.entry
def rates_over(
    temperatures: Vector, P: float, n: Matrix, phase: int, laws: Rates,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[Matrix, Vector]:  # fmt: skip
    """(rates as pellets leave them, shape (k, m); molar volumes [m3/mol], shape (k,)) of contents n, shape (k, n), each at a T [K]."""
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    m = laws.nu.shape[0]
    out, volumes, share = np.empty((temperatures.size, m)), np.empty(temperatures.size), np.empty(m)
    for k in range(temperatures.size):
        x = fractions(n[k])
        v = volume_of(mix, temperatures[k], P, x, phase)
        rates = rates_in(mix, temperatures[k], P, x, v, phase, laws)
        if laws.pellet[P_ON] > 0.0:
            weaken(mix, temperatures[k], P, x, v, phase, laws, rates, share)
        for r in range(m):
            out[k, r] = rates[r]
        volumes[k] = v
    return out, volumes
