"""How far the phases of a flashed mixture are from one more: the least distance of a trial phase above their tangent plane.

The stability test (`stability`) stops where it has its answer; here each trial is followed to the end, so that the distance changes
smoothly through zero. Michelsen, Fluid Phase Equilib. 9 (1982) 1.

Notation: x, y, w, d: one number a species, shape (n,); fluid: a `fluid.Fluid`, a mixture prepared at T [K] and P [Pa].
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.fluid import first_ln_k, phase_ln_phi, prepared, pure_ln_phi
from gulch.engine.fluids.mixture import Fluid, Mixture
from gulch.engine.fluids.stability import farther, stepped

kernel = chapter(__name__)


@kernel
def followed(fluid: Fluid, d: Vector, x: Vector, y: Vector, w: Vector) -> float:
    """Distance [-, in RT] above the plane d where a trial phase w comes to rest; inf where that is one of the phases x and y."""
    n = d.size
    ln_phi, ln_w = np.empty(n), np.empty(n)
    last = np.zeros(n)
    for i in range(n):
        ln_w[i] = math.log(max(w[i], 1e-300))
    norm_before = 0.0
    distance = np.inf
    for it in range(200):
        total = 0.0
        for i in range(n):
            w[i] = math.exp(ln_w[i])
            total += w[i]
        to_x, to_y = 0.0, 0.0
        for i in range(n):
            w[i] /= total
            to_x += abs(w[i] - x[i])
            to_y += abs(w[i] - y[i])
        if min(to_x, to_y) < 1e-4:
            return np.inf
        phase_ln_phi(fluid, w, 0, ln_phi)
        distance, norm, dot = stepped(total, w, d, ln_phi, ln_w, last)
        if norm < 1e-16:
            return distance
        factor = farther(it, dot, norm_before)
        for i in range(n):
            ln_w[i] += factor * last[i]
        norm_before = norm
    return distance


@kernel.entry
def further_phase_distance(
    T: float, P: float, x: Vector, y: Vector, kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix
) -> float:
    """Least distance [-, in RT] of a further phase above the tangent plane of two phases x and y; inf where no trial rests.

    Negative where a further phase is indicated.
    """
    n = x.size
    fluid = prepared(Mixture(kind, vapour, active, par, pairs, groups), T, P)
    d, w, ln_k = np.empty(n), np.empty(n), np.empty(n)
    phase_ln_phi(fluid, x, 0, d)
    for i in range(n):
        d[i] += math.log(x[i])
    least = np.inf
    first_ln_k(fluid, x, ln_k)
    for sign in (1.0, -1.0):
        for i in range(n):
            w[i] = x[i] * math.exp(min(max(sign * ln_k[i], -200.0), 200.0))
        least = min(least, followed(fluid, d, x, y, w))
    for k in range(n):
        if min(d[k] - pure_ln_phi(fluid, k), 50.0) < math.log(0.03):
            continue  # far above the plane
        for j in range(n):
            w[j] = 1e-4 * x[j]
        w[k] = 1.0
        least = min(least, followed(fluid, d, x, y, w))
    return least
