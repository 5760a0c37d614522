"""Splits in three phases: phase shares by a convex minimum, substitution, Newton's method on the Gibbs energy.

Michelsen, Comput. Chem. Eng. 18 (1994) 545 (shares of phases); Michelsen & Mollerup, Thermodynamic Models, 2nd ed., ch. 11.

Notation: z: fractions of the feed, shape (n,); parts: compositions of the phases, shape (3, n); shares: their moles over all moles,
shape (3,); phi: ln fugacity coefficients, shape (3, n); fluid: a `fluid.Fluid`, the mixture prepared at T [K] and P [Pa].
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Flags, Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import assign, assign_rows, copied, copied_rows
from gulch.engine.fluids.derivatives import ln_phi_derivatives
from gulch.engine.fluids.fluid import phase_ln_phi
from gulch.engine.fluids.linear import solve_symmetric
from gulch.engine.fluids.mixture import Fluid
from gulch.engine.fluids.split import LEAST_SHIFT

kernel = chapter(__name__)

PASSES = 400
GONE = -1  # outcome of a split of which a phase vanished


@kernel.part
def objective(z: Vector, weight: Matrix, shares: Vector) -> float:
    """sum(shares) - sum(z ln E), E_i = sum(shares weight_i); weight: shape (3, n). Infinite where there is no phase for a species."""
    total = shares[0] + shares[1] + shares[2]
    for i in range(z.size):
        E = shares[0] * weight[0, i] + shares[1] * weight[1, i] + shares[2] * weight[2, i]
        if E <= 0.0:
            return math.inf
        total -= z[i] * math.log(E)
    return total


@kernel
def moved_along(z: Vector, weight: Matrix, held: Flags, step: Vector, shares: Vector) -> tuple[float, int]:
    """Move the shares that are not held along step, to where one would vanish at most, and by so little that the objective falls.

    Returns (how far, the share that vanished or -1). A full step may overshoot where a phase with much weight is small.
    """
    length, blocking, at = 1.0, -1, 0
    for k in range(3):
        if held[k]:
            continue
        if shares[k] + length * step[at] <= 0.0:
            length, blocking = -shares[k] / step[at] if step[at] != 0.0 else 0.0, k
        at += 1
    before, start, moved = objective(z, weight, shares), copied(shares), 0.0
    for _ in range(30):
        at, moved = 0, 0.0
        for k in range(3):
            if not held[k]:
                shares[k] = max(start[k] + length * step[at], 0.0)
                moved = max(moved, abs(length * step[at]))
                at += 1
        if objective(z, weight, shares) <= before + 1e-14 * abs(before):
            break
        length, blocking = 0.5 * length, -1
    return moved, blocking


@kernel
def phase_shares(z: Vector, phi: Matrix, shares: Vector, E: Vector) -> bool:
    """Shares that minimise sum(shares) - sum(z ln E), E_i = sum(shares/phi_i), from shares; E is filled. True where found."""
    n = z.size
    H, g, step = np.empty((3, 3)), np.empty(3), np.empty(3)
    weight = np.empty((3, n))
    for k in range(3):
        for i in range(n):
            weight[k, i] = math.exp(-phi[k, i])
    held = np.zeros(3, np.bool_)
    for _ in range(100):
        for i in range(n):
            E[i] = shares[0] * weight[0, i] + shares[1] * weight[1, i] + shares[2] * weight[2, i]
        worst = 0.0
        for k in range(3):
            g[k] = 1.0
            for i in range(n):
                g[k] -= z[i] * weight[k, i] / E[i]
            if not held[k]:
                worst = max(worst, abs(g[k]))
        if worst < 1e-9:  # only where the others stand does a step surely lead into a phase that was held at nothing
            for k in range(3):
                if held[k] and g[k] < -1e-10:
                    held[k] = False
                    worst = max(worst, -g[k])
        if worst < 1e-14:
            return True
        free = 0
        for k in range(3):
            if held[k]:
                continue
            other = 0
            for m in range(3):
                if held[m]:
                    continue
                H[free, other] = 0.0
                for i in range(n):
                    H[free, other] += z[i] * weight[k, i] * weight[m, i] / (E[i] * E[i])
                other += 1
            step[free] = g[k]
            free += 1
        for k in range(free):
            H[k, k] *= 1.0 + 1e-12
        if not solve_symmetric(H, step, free):
            return worst < 1e-9
        moved, blocking = moved_along(z, weight, held, step, shares)
        if blocking >= 0:
            shares[blocking] = 0.0
            held[blocking] = True
        elif moved < 1e-16:
            return True
    return False


@kernel
def three_phase(fluid: Fluid, z: Vector, parts: Matrix, shares: Vector) -> int:
    """Converge a split in three phases from parts and shares, which are changed.

    Returns 3, or the position (0, 1, 2) of a phase that vanished or became like another, or GONE where the search came to nothing.
    """
    n = z.size
    phi, E = np.empty((3, n)), np.empty(n)
    new = np.empty(n)
    for it in range(PASSES):
        for k in range(3):
            phase_ln_phi(fluid, parts[k], 0, phi[k])
        if not phase_shares(z, phi, shares, E):
            return GONE
        change = 0.0
        for k in range(3):
            total = 0.0
            for i in range(n):
                new[i] = z[i] * math.exp(-phi[k, i]) / E[i]
                total += new[i]
            for i in range(n):
                new[i] /= total
                if shares[k] > 0.0:
                    change += (math.log(new[i]) - math.log(parts[k, i])) ** 2
                parts[k, i] = new[i]
        if it > 1:
            for k in range(3):
                if shares[k] <= 0.0:
                    return k
                other = (k + 1) % 3
                alike = 0.0
                for i in range(n):
                    alike += (math.log(parts[k, i]) - math.log(parts[other, i])) ** 2
                if alike < 1e-8:
                    return k
        if change < 1e-24:
            return 3
        if it % 4 == 3 and min(shares[0], shares[1], shares[2]) > 1e-9 and newton_three(fluid, z, parts, shares):
            return 3
    return GONE


@kernel
def newton_three(fluid: Fluid, z: Vector, parts: Matrix, shares: Vector) -> bool:
    """Newton's method on the moles of two phases beside the largest; changes parts and shares only where it comes to its end."""
    n = z.size
    ref = 0
    for k in range(1, 3):
        if shares[k] > shares[ref]:
            ref = k
    first, second = (ref + 1) % 3, (ref + 2) % 3
    order = (first, second)
    v, x, b = np.empty((3, n)), copied_rows(parts), copied(shares)
    for k in range(3):
        for i in range(n):
            v[k, i] = b[k] * x[k, i]
    phi, J = np.empty((3, n)), np.empty((3, n, n))
    H, dv, g, scale = np.empty((2 * n, 2 * n)), np.empty(2 * n), np.empty((3, n)), np.empty(2 * n)
    before, gibbs_before, length, eased = 1e300, 1e300, 1.0, 0.0
    halvings = 0
    names, Z = np.zeros(3, np.int64), np.empty(3)
    for _ in range(30):
        gibbs, worst = 0.0, 0.0
        for k in range(3):
            Z[k], _, _, names[k] = phase_ln_phi(fluid, x[k], 0, phi[k])
            for i in range(n):
                g[k, i] = math.log(x[k, i]) + phi[k, i]
                gibbs += v[k, i] * g[k, i]
        for k in order:
            for i in range(n):
                worst = max(worst, abs(g[k, i] - g[ref, i]))
        if worst < 1e-12 or (worst < 1e-10 and worst >= 0.5 * before):
            assign_rows(parts, x)
            assign(shares, b)
            return True
        if gibbs > gibbs_before + 1e-12 * abs(gibbs):
            halvings += 1
            if halvings > 6:
                return False
            length *= 0.5
            for a in range(2):
                for i in range(n):
                    v[order[a], i] -= length * dv[a * n + i]
                    v[ref, i] += length * dv[a * n + i]
        else:
            halvings, before, gibbs_before = 0, worst, gibbs
            for k in range(3):
                ln_phi_derivatives(fluid, x[k], Z[k], names[k], J[k])
            for a in range(2):
                for i in range(n):
                    k = order[a]
                    scale[a * n + i] = math.sqrt(v[k, i] * v[ref, i] / (v[k, i] + v[ref, i]))
            shift, solved = 0.0, False
            for _try in range(10):
                for a in range(2):
                    for i in range(n):
                        for c in range(2):
                            for j in range(n):
                                value = (J[ref, i, j] - 1.0) / b[ref]
                                if i == j:
                                    value += 1.0 / v[ref, i]
                                if a == c:
                                    value += (J[order[a], i, j] - 1.0) / b[order[a]]
                                    if i == j:
                                        value += 1.0 / v[order[a], i]
                                H[a * n + i, c * n + j] = value * scale[a * n + i] * scale[c * n + j]
                        H[a * n + i, a * n + i] += shift
                        dv[a * n + i] = (g[order[a], i] - g[ref, i]) * scale[a * n + i]
                if solve_symmetric(H, dv, 2 * n):
                    solved = True
                    break
                shift = max(LEAST_SHIFT, 0.1 * eased) if shift == 0.0 else 8.0 * shift
            if not solved:
                return False
            eased = shift
            length = 1.0
            for i in range(n):
                out = 0.0
                for a in range(2):
                    dv[a * n + i] *= scale[a * n + i]
                    out += dv[a * n + i]
                    if v[order[a], i] + dv[a * n + i] <= 0.0:
                        length = min(length, -0.9 * v[order[a], i] / dv[a * n + i])
                if v[ref, i] - out <= 0.0:
                    length = min(length, 0.9 * v[ref, i] / out)
            for a in range(2):
                for i in range(n):
                    v[order[a], i] += length * dv[a * n + i]
                    v[ref, i] -= length * dv[a * n + i]
        for k in range(3):
            b[k] = 0.0
            for i in range(n):
                if v[k, i] <= 0.0:
                    return False
                b[k] += v[k, i]
            for i in range(n):
                x[k, i] = v[k, i] / b[k]
    return False
