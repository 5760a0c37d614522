"""One reaction by itself: where it comes to rest and where it is fastest, over a range.

Notation: T [K], P [Pa]; X: share of the key that is converted; whole: contents at X = 0, towards: what they change by up to X = 1,
shape (n,) each.
"""

from __future__ import annotations

import numpy as np

from gulch.engine.chemistry.kernels.pellet import weaken
from gulch.engine.chemistry.kernels.rates import P_ON, Rates, rates_in
from gulch.engine.compiling import Cube, Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import fractions
from gulch.engine.fluids.bracket import bracket, narrow, place_of
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.fluids.phase import volume_of

kernel = chapter(__name__)

GOLDEN = 0.6180339887498949
NARROW, SMALL = 1e-12, 1e-14  # X is found within; or where the rate is that part of the one at X = 0
NEAR = 1e-5  # K within which the fastest temperature is found
AT_END = 1e-3  # of the range of temperatures: nearer to an end it is the end that is fastest
LEAST = 1e-300  # of a species, so that none is missing


@kernel
def rate_at(mix: Mixture, T: float, P: float, whole: Vector, towards: Vector, X: float, phase: int, laws: Rates) -> float:
    """Rate of the first reaction of laws, as it counts it."""
    n = np.empty(whole.size)
    for i in range(n.size):
        n[i] = max(whole[i] + X * towards[i], LEAST)
    x = fractions(n)
    v = volume_of(mix, T, P, x, phase)
    rates = rates_in(mix, T, P, x, v, phase, laws)
    if laws.pellet[P_ON] > 0.0:
        weaken(mix, T, P, x, v, phase, laws, rates, np.empty(rates.size))
    return rates[0]


@kernel.entry
def at_rest(
    temperatures: Vector, P: float, whole: Vector, towards: Vector, farthest: float, phase: int, laws: Rates,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> Vector:  # fmt: skip
    """X from 0 to farthest at which the reaction stands still at each temperature; an end where it does not turn between, shape (k,)."""
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    out = np.empty(temperatures.size)
    for k in range(temperatures.size):
        T = temperatures[k]
        first = rate_at(mix, T, P, whole, towards, 0.0, phase, laws)
        last = rate_at(mix, T, P, whole, towards, farthest, phase, laws)
        if first <= 0.0 or last >= 0.0:
            out[k] = 0.0 if first <= 0.0 else farthest
            continue
        search, X = bracket(0.0, first, farthest, last), 0.0
        for _ in range(80):
            X = place_of(search)
            f = rate_at(mix, T, P, whole, towards, X, phase, laws)
            if narrow(search, X, f) < NARROW or abs(f) <= SMALL * first:
                break
        out[k] = X
    return out


@kernel.entry
def fastest(
    converted: Vector, P: float, whole: Vector, towards: Vector, low: float, high: float, phase: int, laws: Rates,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> Vector:  # fmt: skip
    """T [K] between low and high at which the reaction is fastest at each X, by golden section; nan where that is an end, shape (k,)."""
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    out = np.empty(converted.size)
    for k in range(converted.size):
        X, a, d = converted[k], low, high
        b, c = d - GOLDEN * (d - a), a + GOLDEN * (d - a)
        at_b = rate_at(mix, b, P, whole, towards, X, phase, laws)
        at_c = rate_at(mix, c, P, whole, towards, X, phase, laws)
        while d - a > NEAR:
            if at_b > at_c:
                d, c, at_c = c, b, at_b
                b = d - GOLDEN * (d - a)
                at_b = rate_at(mix, b, P, whole, towards, X, phase, laws)
            else:
                a, b, at_b = b, c, at_c
                c = a + GOLDEN * (d - a)
                at_c = rate_at(mix, c, P, whole, towards, X, phase, laws)
        T, margin = 0.5 * (a + d), AT_END * (high - low)
        out[k] = T if low + margin < T < high - margin and max(at_b, at_c) > 0.0 else math.nan
    return out
