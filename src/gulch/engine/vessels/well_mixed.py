"""A stirred tank in the extents of its reactions, with the slopes of where it stands.

Notation: xi: extents [mol/s], shape (m,); p: number of what is asked; slopes of xi: shape (m, p).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.chemistry.kernels.rates import Rates
from gulch.engine.compiling import Cube, Matrix, Places, Vector, Ways, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import assign
from gulch.engine.fluids.constants import FOUND, NOT_FOUND
from gulch.engine.fluids.linear import factor, substitute
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.vessels.course import Vessel, change, change_slopes, room_of

kernel = chapter(__name__)


@kernel
def tank_newton(
    mix: Mixture, vessel: Vessel, size: float, laws: Rates, per: Places, asked: Ways, pivots: Vector, xi: Vector, J: Matrix, F: Matrix
) -> bool:
    """Newton's method on xi = size d xi/ds from what stands in xi; leaves the slopes of d xi/ds in J and F. Whether it settled."""
    m, n = laws.nu.shape
    x, f, step, trial, left = np.empty(n), np.empty(m), np.empty(m), np.empty(m), np.empty(m)
    M, order, room = np.empty((m, m)), np.empty(m, np.int64), room_of(m, n, asked.shape[0])
    total = 0.0
    for i in range(n):
        total += vessel.n0[i]
    change(mix, vessel, 0.0, xi, laws, per, x, f)
    for _ in range(60):
        change_slopes(mix, vessel, 0.0, xi, laws, per, asked, pivots, x, J, F, room)
        before = 0.0
        for r in range(m):
            for c in range(m):
                M[r, c] = -size * J[r, c]
            M[r, r] += 1.0
            step[r] = size * f[r] - xi[r]
            before = max(before, abs(step[r]))
        if not factor(M, order):
            return False
        substitute(M, order, step)
        length, moved = 1.0, 0.0
        for i in range(n):  # no amount may pass zero
            change_of, have = 0.0, vessel.n0[i]
            for r in range(m):
                change_of += step[r] * laws.nu[r, i]
                have += xi[r] * laws.nu[r, i]
            if change_of < 0.0:
                length = min(length, 0.98 * max(have, 0.0) / -change_of)
        for r in range(m):
            moved = max(moved, abs(step[r]))
        if not math.isfinite(moved):
            return False
        if moved <= 1e-13 * total:
            return True
        for _ in range(25):
            size_left = 0.0
            for r in range(m):
                trial[r] = xi[r] + length * step[r]
            change(mix, vessel, 0.0, trial, laws, per, x, left)
            for r in range(m):
                size_left = max(size_left, abs(size * left[r] - trial[r]))
            if size_left < before or size_left < 1e-13 * total:
                break
            length *= 0.5
        assign(xi, trial)
        assign(f, left)
        if length == 1.0 and moved <= 1e-11 * total:
            return True
    return False


@kernel.entry
def mixed(
    vessel: Vessel, size: float, laws: Rates, per: Places, asked: Ways, pivots: Vector, want: bool, xi: Vector, slopes: Matrix,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> int:  # fmt: skip
    """A stirred tank of `size` in units of s: its extents, begun from what stands in xi, and their slopes by the implicit function theorem.

    Where Newton's method does not settle the size is raised in steps from nothing.
    """
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    m, p = slopes.shape
    J, F, right, order = np.empty((m, m)), np.empty((m, p)), np.empty(m), np.empty(m, np.int64)
    if not tank_newton(mix, vessel, size, laws, per, asked, pivots, xi, J, F):
        at, step, start = 0.0, 1e-3, np.zeros(m)
        while at < 1.0:
            assign(xi, start)
            trying = min(1.0, at + step)
            if tank_newton(mix, vessel, size * trying, laws, per, asked, pivots, xi, J, F):
                at = trying
                assign(start, xi)
                step *= 3.0
            else:
                step *= 0.3
                if step < 1e-9:
                    return NOT_FOUND
    if want:
        for r in range(m):
            for c in range(m):
                J[r, c] *= -size
            J[r, r] += 1.0
        if not factor(J, order):
            return NOT_FOUND
        for q in range(p):
            for r in range(m):
                right[r] = size * F[r, q]
            substitute(J, order, right)
            for r in range(m):
                slopes[r, q] = right[r]
    return FOUND
