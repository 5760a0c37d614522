"""Splits of a mixture in two phases: successive substitution, Newton's method, the lowest Gibbs energy.

Michelsen, Fluid Phase Equilib. 9 (1982) 21; Michelsen & Mollerup, Thermodynamic Models, 2nd ed., ch. 10.

Notation: x, y, z, n, ln_k, phi: one number a species, shape (n,); mix: a `fluid.Mixture`; fluid: it prepared at T [K] and P [Pa].
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import copied
from gulch.engine.fluids.constants import ELECTROLYTES
from gulch.engine.fluids.derivatives import ln_phi_derivatives
from gulch.engine.fluids.fluid import phase_ln_phi
from gulch.engine.fluids.linear import solve_symmetric
from gulch.engine.fluids.mixture import Fluid

kernel = chapter(__name__)

MOST_BACKS = 12
LEAST_SHIFT = 1e-5  # of a Hessian that is not positive definite, scaled so that its ideal part is about the unit matrix


@kernel
def rachford_rice(z: Vector, K: Vector, start: float) -> float:
    """Vapour share solving sum z (K-1)/(1 + beta (K-1)) = 0, from a start value.

    Returns -1.0 when there is no vapour, 2.0 when there is no liquid.
    """
    n = z.size
    g0 = 0.0
    g1 = 0.0
    for i in range(n):
        g0 += z[i] * (K[i] - 1.0)
        g1 += z[i] * (1.0 - 1.0 / K[i])
    if g0 <= 0.0:
        return -1.0
    if g1 >= 0.0:
        return 2.0
    low, high = 0.0, 1.0
    beta = start if 0.0 < start < 1.0 else g0 / (g0 - g1)
    for _ in range(100):
        g = 0.0
        dg = 0.0
        for i in range(n):
            k1 = K[i] - 1.0
            q = k1 / (1.0 + beta * k1)
            g += z[i] * q
            dg -= z[i] * q * q
        if g > 0.0:
            low = beta
        else:
            high = beta
        new = beta - g / dg
        if not (low < new < high):
            if abs(g) < 1e-15:
                return beta
            new = 0.5 * (low + high)
        if abs(new - beta) < 1e-14 * (1.0 + beta) and abs(new - beta) < 1e-10 * beta:
            return new
        beta = new
    return beta


@kernel.part
def k_values(ln_k: Vector, K: Vector) -> None:
    """K from ln K into K, kept between e^-300 and e^300."""
    for i in range(K.size):
        K[i] = math.exp(min(max(ln_k[i], -300.0), 300.0))


@kernel.part
def split(z: Vector, K: Vector, beta: float, x: Vector, y: Vector) -> None:
    """Compositions x and y of a split with vapour share beta, from feed z and K; each sums to 1."""
    sx = 0.0
    sy = 0.0
    for i in range(z.size):
        x[i] = z[i] / (1.0 + beta * (K[i] - 1.0))
        y[i] = K[i] * x[i]
        sx += x[i]
        sy += y[i]
    for i in range(z.size):
        x[i] /= sx
        y[i] /= sy


@kernel
def two_phase(fluid: Fluid, z: Vector, ln_k: Vector, x: Vector, y: Vector, phis: Matrix) -> float:
    """Converge a two-phase split from ln_k: substitution, then Newton on the Gibbs energy.

    Changes ln_k, x, y and phis, shape (2, n + 1), in place: ln phi of x and of y, each with its Z at the end. Returns beta of the
    `y` phase, or -1.0 when one phase vanished or both became alike.
    """
    n = z.size
    phi_x, phi_y = phis[0], phis[1]
    step, last, K = np.empty(n), np.zeros(n), np.empty(n)
    beta = -1.0
    norm_before = 0.0
    smallest = 0.0
    next_newton, backs, moved = 1, 0, 1.0
    for it in range(400):
        k_values(ln_k, K)
        beta = rachford_rice(z, K, beta)
        if beta <= 0.0 or beta >= 1.0:
            # of salts in water that boils off a step leads far beyond: half of it back
            if fluid.kind != ELECTROLYTES or backs == MOST_BACKS or it == 0:
                return -1.0
            backs, moved = backs + 1, 0.5 * moved
            for i in range(n):
                ln_k[i] -= moved * last[i]
            continue
        split(z, K, beta, x, y)
        phis[0, n], _, _, _ = phase_ln_phi(fluid, x, 0, phi_x)
        phis[1, n], _, _, _ = phase_ln_phi(fluid, y, 0, phi_y)
        norm = 0.0
        dot = 0.0
        alike = 0.0
        for i in range(n):
            step[i] = phi_x[i] - phi_y[i] - ln_k[i]
            norm += step[i] * step[i]
            dot += step[i] * last[i]
            alike += ln_k[i] * ln_k[i]
        if alike < 1e-10:
            return -1.0
        if norm < 1e-24:
            return beta
        if it >= next_newton and beta > 1e-9 and beta < 1.0 - 1e-9:
            done = newton_split(fluid, z, ln_k, beta, x, y, phis)
            if done >= 0.0:
                return done
            next_newton = it + 5
            if it > 30 and smallest > 0.0 and norm >= smallest and norm < 1e-16:
                return beta  # rounding: no further improvement possible
        smallest = norm if smallest == 0.0 else min(smallest, norm)
        factor = 1.0
        if it % 5 == 4 and norm_before > 0.0:
            gain = dot / norm_before
            if 0.0 < gain < 0.95:
                factor = 1.0 / (1.0 - gain)
        for i in range(n):
            ln_k[i] += factor * step[i]
            last[i] = step[i]
        norm_before, moved = norm, factor
    return beta


@kernel
def newton_split(fluid: Fluid, z: Vector, ln_k: Vector, beta: float, x: Vector, y: Vector, phis: Matrix) -> float:
    """Newton on the mole numbers of the `y` phase; returns beta or -1.0 when it did not help. Arrays as in `two_phase`."""
    n = z.size
    phi_x, phi_y = np.empty(n), np.empty(n)
    Jx, Jy, H = np.empty((n, n)), np.empty((n, n)), np.empty((n, n))
    g, v, dv, scale = np.empty(n), np.empty(n), np.empty(n), np.empty(n)
    xs, ys = copied(x), copied(y)
    for i in range(n):
        v[i] = beta * y[i]
    before = 1e300
    gibbs_before = 1e300
    length = 1.0
    eased = 0.0
    halvings = 0
    for _ in range(24):
        Zx, _, _, name_x = phase_ln_phi(fluid, xs, 0, phi_x)
        Zy, _, _, name_y = phase_ln_phi(fluid, ys, 0, phi_y)
        worst = 0.0
        gibbs = 0.0
        for i in range(n):
            gx = math.log(xs[i]) + phi_x[i]
            gy = math.log(ys[i]) + phi_y[i]
            g[i] = gy - gx
            gibbs += beta * ys[i] * gy + (1.0 - beta) * xs[i] * gx
            worst = max(worst, abs(g[i]))
        if worst < 1e-12 or (worst < 1e-10 and worst >= 0.5 * before):
            for i in range(n):
                ln_k[i] = phi_x[i] - phi_y[i]
                x[i] = xs[i]
                y[i] = ys[i]
                phis[0, i] = phi_x[i]
                phis[1, i] = phi_y[i]
            phis[0, n] = Zx
            phis[1, n] = Zy
            return beta
        if gibbs > gibbs_before + 1e-12 * abs(gibbs):
            # uphill: take half the step back
            halvings += 1
            if halvings > 6:
                return -1.0
            length *= 0.5
            beta = 0.0
            for i in range(n):
                v[i] -= length * dv[i]
                beta += v[i]
        else:
            halvings = 0
            before = worst
            gibbs_before = gibbs
            ln_phi_derivatives(fluid, xs, Zx, name_x, Jx)
            ln_phi_derivatives(fluid, ys, Zy, name_y, Jy)
            for i in range(n):
                scale[i] = math.sqrt(xs[i] * ys[i] / z[i]) * math.sqrt(beta * (1.0 - beta))
            # Scaled so, the ideal part is about the unit matrix: shifting towards it is damping.
            shift = 0.0
            solved = False
            for _try in range(10):
                for i in range(n):
                    for j in range(n):
                        H[i, j] = (Jy[i, j] - 1.0) / beta + (Jx[i, j] - 1.0) / (1.0 - beta)
                        if i == j:
                            H[i, j] += 1.0 / (beta * ys[i]) + 1.0 / ((1.0 - beta) * xs[i])
                        H[i, j] *= scale[i] * scale[j]
                    H[i, i] += shift
                    dv[i] = g[i] * scale[i]
                if solve_symmetric(H, dv, n):
                    solved = True
                    break
                shift = max(LEAST_SHIFT, 0.1 * eased) if shift == 0.0 else 8.0 * shift
            if not solved:
                return -1.0
            eased = shift
            length = 1.0
            for i in range(n):
                dv[i] *= scale[i]
                if dv[i] < 0.0 and v[i] + length * dv[i] <= 0.0:
                    length = min(length, -0.9 * v[i] / dv[i])
                if dv[i] > 0.0 and v[i] + length * dv[i] >= z[i]:
                    length = min(length, 0.9 * (z[i] - v[i]) / dv[i])
            beta = 0.0
            for i in range(n):
                v[i] += length * dv[i]
                beta += v[i]
        if not (0.0 < beta < 1.0):
            return -1.0
        for i in range(n):
            liquid = z[i] - v[i]
            if v[i] <= 0.0 or liquid <= 0.0:
                return -1.0
            ys[i] = v[i] / beta
            xs[i] = liquid / (1.0 - beta)
    return -1.0


@kernel.part
def gibbs_of_split(beta: float, x: Vector, y: Vector, phis: Matrix) -> float:
    """Mixing and residual Gibbs energy of a split over RT, to compare splits; phis as in `two_phase`."""
    total = 0.0
    for i in range(x.size):
        total += (1.0 - beta) * x[i] * (math.log(x[i]) + phis[0, i])
        total += beta * y[i] * (math.log(y[i]) + phis[1, i])
    return total


@kernel
def split_from_trial(fluid: Fluid, z: Vector, d: Vector, w: Vector, ln_k: Vector, x: Vector, y: Vector, phis: Matrix) -> float:
    """Start a split from an unstable trial composition w against the rest."""
    n = z.size
    phi = np.empty(n)
    phase_ln_phi(fluid, w, 0, phi)
    for i in range(n):
        ln_k[i] = d[i] - math.log(z[i]) - phi[i]
    beta = two_phase(fluid, z, ln_k, x, y, phis)
    if beta > 0.0:
        return beta
    # The trial may be far from the final phase: feed a little of it and let the split grow.
    share = 0.5
    for i in range(n):
        share = min(share, 0.9 * z[i] / w[i])
    for i in range(n):
        rest = (z[i] - share * w[i]) / (1.0 - share)
        ln_k[i] = math.log(w[i]) - math.log(max(rest, 1e-300))
    return two_phase(fluid, z, ln_k, x, y, phis)
