"""Splits of a cubic mixture in two phases: successive substitution, Newton's method, the lowest Gibbs energy.

Michelsen, Fluid Phase Equilib. 9 (1982) 21; Michelsen & Mollerup, Thermodynamic Models, 2nd ed., ch. 10.

Notation: T [K], P [Pa]; n, x, y, z, h, s, ln_k, phi: one number a species, shape (n,); par: shape (n, N_COLUMNS); kij, aij:
shape (n, n).
"""

from __future__ import annotations

import math

import numpy as np

from gulch.engine.phases.kernels.compiling import chapter
from gulch.engine.phases.kernels.constants import Array
from gulch.engine.phases.kernels.cubic import cubic_ln_phi, cubic_ln_phi_derivatives
from gulch.engine.phases.kernels.linear import solve_symmetric
from gulch.engine.phases.kernels.stability import find_instability

kernel = chapter(__name__)


@kernel
def rachford_rice(z: Array, K: Array, start: float) -> float:
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


@kernel
def k_values(ln_k: Array, K: Array) -> None:
    """K from ln K into K, kept between e^-300 and e^300."""
    for i in range(K.size):
        K[i] = math.exp(min(max(ln_k[i], -300.0), 300.0))


@kernel
def split(z: Array, K: Array, beta: float, x: Array, y: Array) -> None:
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
def two_phase(T: float, P: float, z: Array, ln_k: Array, par: Array, aij: Array, d1: float, d2: float, x: Array, y: Array) -> float:
    """Converge a two-phase split from ln_k: substitution, then Newton on the Gibbs energy.

    Changes ln_k, x, y in place. Returns beta of the `y` phase, or -1.0 when one phase
    vanished or both became alike.
    """
    n = z.size
    phi_x, phi_y = np.empty(n), np.empty(n)
    step, last, K = np.empty(n), np.zeros(n), np.empty(n)
    beta = -1.0
    norm_before = 0.0
    smallest = 0.0
    next_newton = 1
    for it in range(400):
        k_values(ln_k, K)
        beta = rachford_rice(z, K, beta)
        if beta <= 0.0 or beta >= 1.0:
            return -1.0
        split(z, K, beta, x, y)
        Zx, _, _ = cubic_ln_phi(T, P, x, par, aij, d1, d2, 0, phi_x)
        Zy, _, _ = cubic_ln_phi(T, P, y, par, aij, d1, d2, 0, phi_y)
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
            done = newton_split(T, P, z, ln_k, beta, Zx, Zy, par, aij, d1, d2, x, y)
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
        norm_before = norm
    return beta


@kernel
def newton_split(
    T: float,
    P: float,
    z: Array,
    ln_k: Array,
    beta: float,
    Zx: float,
    Zy: float,
    par: Array,
    aij: Array,
    d1: float,
    d2: float,
    x: Array,
    y: Array,
) -> float:
    """Newton on the mole numbers of the `y` phase; returns beta or -1.0 when it did not help."""
    n = z.size
    phi_x, phi_y = np.empty(n), np.empty(n)
    Jx, Jy, H = np.empty((n, n)), np.empty((n, n)), np.empty((n, n))
    g, v, dv, scale = np.empty(n), np.empty(n), np.empty(n), np.empty(n)
    xs, ys = x.copy(), y.copy()
    for i in range(n):
        v[i] = beta * y[i]
    before = 1e300
    gibbs_before = 1e300
    length = 1.0
    halvings = 0
    for _ in range(24):
        Zx, _, _ = cubic_ln_phi(T, P, xs, par, aij, d1, d2, 0, phi_x)
        Zy, _, _ = cubic_ln_phi(T, P, ys, par, aij, d1, d2, 0, phi_y)
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
            cubic_ln_phi_derivatives(T, P, xs, Zx, par, aij, d1, d2, Jx)
            cubic_ln_phi_derivatives(T, P, ys, Zy, par, aij, d1, d2, Jy)
            for i in range(n):
                scale[i] = math.sqrt(xs[i] * ys[i] / z[i]) * math.sqrt(beta * (1.0 - beta))
            # Scaled so, the ideal part is about the unit matrix: shifting towards it is damping.
            shift = 0.0
            solved = False
            for _try in range(5):
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
                shift = 0.2 if shift == 0.0 else 3.0 * shift
            if not solved:
                return -1.0
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


@kernel
def gibbs_of_split(beta: float, x: Array, y: Array, T: float, P: float, par: Array, aij: Array, d1: float, d2: float) -> float:
    """Mixing and residual Gibbs energy of a split over RT, to compare splits."""
    n = x.size
    phi = np.empty(n)
    total = 0.0
    cubic_ln_phi(T, P, x, par, aij, d1, d2, 0, phi)
    for i in range(n):
        total += (1.0 - beta) * x[i] * (math.log(x[i]) + phi[i])
    cubic_ln_phi(T, P, y, par, aij, d1, d2, 0, phi)
    for i in range(n):
        total += beta * y[i] * (math.log(y[i]) + phi[i])
    return total


@kernel
def split_from_trial(
    T: float, P: float, z: Array, d: Array, w: Array, ln_k: Array, par: Array, aij: Array, d1: float, d2: float, x: Array, y: Array
) -> float:
    """Start a split from an unstable trial composition w against the rest."""
    n = z.size
    phi = np.empty(n)
    cubic_ln_phi(T, P, w, par, aij, d1, d2, 0, phi)
    for i in range(n):
        ln_k[i] = d[i] - math.log(z[i]) - phi[i]
    beta = two_phase(T, P, z, ln_k, par, aij, d1, d2, x, y)
    if beta > 0.0:
        return beta
    # The trial may be far from the final phase: feed a little of it and let the split grow.
    share = 0.5
    for i in range(n):
        share = min(share, 0.9 * z[i] / w[i])
    for i in range(n):
        rest = (z[i] - share * w[i]) / (1.0 - share)
        ln_k[i] = math.log(w[i]) - math.log(max(rest, 1e-300))
    return two_phase(T, P, z, ln_k, par, aij, d1, d2, x, y)


@kernel
def lowest_split(
    T: float, P: float, z: Array, beta: float, ln_k: Array, par: Array, aij: Array, d1: float, d2: float, x: Array, y: Array
) -> tuple:
    """Test a converged split for stability; restart from what lies below it, keep the lowest."""
    n = z.size
    phi, d, w = np.empty(n), np.empty(n), np.empty(n)
    x2, y2, k2 = np.empty(n), np.empty(n), np.empty(n)
    third = 0
    for _ in range(3):
        ref = x if beta < 0.5 else y
        other = y if beta < 0.5 else x
        Zr, Ar, Br = cubic_ln_phi(T, P, ref, par, aij, d1, d2, 0, phi)
        for i in range(n):
            d[i] = math.log(ref[i]) + phi[i]
        # Two dense phases: a vapour may be missing.
        dense = Zr < 0.35
        if dense:
            Zo, _, _ = cubic_ln_phi(T, P, other, par, aij, d1, d2, 0, phi)
            dense = Zo < 0.35
        if not find_instability(T, P, d, ref, par, aij, d1, d2, dense, w):
            return beta, 0
        third = 1
        best = gibbs_of_split(beta, x, y, T, P, par, aij, d1, d2)
        improved = False
        for against in (0, 1):
            partner = x if against == 0 else y
            for i in range(n):
                k2[i] = math.log(w[i]) - math.log(partner[i])
            b2 = two_phase(T, P, z, k2, par, aij, d1, d2, x2, y2)
            if 0.0 < b2 < 1.0:
                g2 = gibbs_of_split(b2, x2, y2, T, P, par, aij, d1, d2)
                if g2 < best - 1e-12:
                    best = g2
                    beta = b2
                    improved = True
                    for i in range(n):
                        x[i] = x2[i]
                        y[i] = y2[i]
                        ln_k[i] = k2[i]
        if not improved:
            return beta, third
    return beta, third
