"""Activity coefficients of liquids: UNIFAC, modified UNIFAC (Dortmund), NRTL, Wilson.

Fredenslund, Jones & Prausnitz, AIChE J. 21 (1975) 1086; Weidlich & Gmehling, Ind. Eng. Chem. Res. 26 (1987) 1372; Renon &
Prausnitz, AIChE J. 14 (1968) 135; Wilson, J. Am. Chem. Soc. 86 (1964) 127.

Notation: T [K]; x, ln_gamma: one number a species, shape (n,); tau, weight: shape (n, n); counts: groups of each species, shape
(n, g); area: of groups, shape (g,); areas: shape (2 n, g); pure: of each species alone, sum of ln Gamma over its groups, shape (n,).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import fill, fill_rows
from gulch.engine.fluids.constants import (
    DISSOLVED,
    GROUP_Q,
    GROUP_R,
    GROUP_SIZE,
    LN_SHAPE,
    LN_SIZE,
    NRTL,
    PAIR_A,
    PAIR_ALPHA,
    PAIR_B,
    WILSON,
)
from gulch.engine.fluids.liquid import liquid_volume

kernel = chapter(__name__)

STEEPEST = 100.0
GROUP_LOW, GROUP_HIGH = 250.0, 450.0  # K, between which published courses of groups are followed: few of their data lie outside
LETS_GO = 50.0  # K over which a course comes to rest beyond its end, so that neither enthalpies nor heat capacities jump there


@kernel.part
def held(T: float, low: float, high: float) -> float:
    """T within low and high; outside a temperature that comes to rest LETS_GO beyond, for courses that mean nothing there."""
    if high < T:
        away = (T - high) / LETS_GO
        return high + LETS_GO * away / math.sqrt(1.0 + away * away)
    if low > T:
        away = (low - T) / LETS_GO
        return low - LETS_GO * away / math.sqrt(1.0 + away * away)
    return T


@kernel
def group_areas(T: float, counts: Matrix, area: Vector, group_pairs: Matrix, areas: Matrix) -> None:
    """Fill what groups bring at T: rows of areas own_ik of each species (n rows), then rows of reach_ik = sum_m own_im psi_mk.

    psi_mk = exp(-(a + b t + c t²)/T), t being T `held` where there are data; group_pairs: g rows each of a [K], b and c [1/K]. With s_k =
    sum_i x_i reach_ik/q and theta_k = sum_i x_i own_ik/q the working equations need no more than these: a mixture of few species costs
    n g steps instead of g².
    """
    n, g = counts.shape
    per_T, t = 1.0 / T, held(T, GROUP_LOW, GROUP_HIGH)
    first, second = t * per_T, t * t * per_T
    for i in range(n):
        for k in range(g):
            areas[i, k] = counts[i, k] * area[k]
            areas[n + i, k] = 0.0
    for m in range(g):
        for k in range(g):
            value = group_pairs[m, k] * per_T + group_pairs[g + m, k] * first + group_pairs[2 * g + m, k] * second
            psi = math.exp(-value) if value != 0.0 else 1.0  # subgroups of one main group are alike
            for i in range(n):
                areas[n + i, k] += areas[i, m] * psi


@kernel
def pure_groups(areas: Matrix, pure: Vector) -> None:
    """Fill the sum of ln Gamma over the groups of each species alone, -sum_k own_k ln(reach_k/q); areas as `group_areas` left them."""
    n, g = pure.size, areas.shape[1]
    for i in range(n):
        pure[i] = 0.0
        q = 0.0
        for k in range(g):
            q += areas[i, k]
        for k in range(g):
            if 0.0 < areas[i, k] < q:  # a group among its like has none
                pure[i] -= areas[i, k] * math.log(areas[n + i, k] / q)


@kernel.part
def summed(x: Vector, par: Matrix, areas: Matrix, near: Matrix) -> tuple[float, float, float, float]:
    """Sums over the species that have groups: of x R, x Q, x size and x; near, of zeros, takes those of x own and of x reach by group."""
    n = x.size
    r, q, sizes, with_groups = 0.0, 0.0, 0.0, 0.0
    for i in range(n):
        if par[i, GROUP_Q] == 0.0:
            continue
        with_groups += x[i]
        r += x[i] * par[i, GROUP_R]
        q += x[i] * par[i, GROUP_Q]
        sizes += x[i] * par[i, GROUP_SIZE]
        for k in range(areas.shape[1]):
            near[0, k] += x[i] * areas[i, k]
            near[1, k] += x[i] * areas[n + i, k]
    return r, q, sizes, with_groups


@kernel
def ln_gamma_groups(x: Vector, par: Matrix, areas: Matrix, pure: Vector, ln_gamma: Vector) -> None:
    """Fill ln gamma by groups; areas as `group_areas` left them. A species without groups mixes ideally with all others."""
    n, g = x.size, areas.shape[1]
    near = np.zeros((2, g))
    fill(ln_gamma, 0.0)
    r, q, sizes, with_groups = summed(x, par, areas, near)
    if with_groups == 0.0:
        return
    for k in range(g):
        ratio = near[0, k] / near[1, k]
        near[0, k] = math.log(near[1, k] / q)
        near[1, k] = ratio
    size, shape = with_groups / sizes, q / r
    ln_size, ln_shape = math.log(size), math.log(shape)
    for i in range(n):
        qi = par[i, GROUP_Q]
        if qi == 0.0:
            continue
        ratio = par[i, GROUP_R] / qi * shape
        value = 1.0 - par[i, GROUP_SIZE] * size + par[i, LN_SIZE] + ln_size
        value -= 5.0 * qi * (1.0 - ratio + par[i, LN_SHAPE] + ln_shape) + pure[i] - qi
        for k in range(g):
            value -= areas[i, k] * near[0, k] + areas[n + i, k] * near[1, k]
        ln_gamma[i] = value


@kernel
def pair_factors(kind: int, T: float, par: Matrix, pairs: Cube, tau: Matrix, weight: Matrix) -> None:
    """Fill tau and weight = exp(-alpha tau) of NRTL, also beneath electrolytes; for Wilson weight_ij = v_j/v_i exp(-tau_ij)."""
    n = par.shape[0]
    for i in range(n):
        for j in range(n):
            value = pairs[PAIR_A, i, j] + pairs[PAIR_B, i, j] / T if i != j else 0.0
            tau[i, j] = min(max(value, -STEEPEST), STEEPEST)  # searches look at temperatures far below any liquid
            if kind != WILSON:
                weight[i, j] = math.exp(-pairs[PAIR_ALPHA, i, j] * tau[i, j])
            elif i == j:
                weight[i, j] = 1.0
            else:
                weight[i, j] = math.exp(-tau[i, j]) * liquid_volume(T, par, j) / liquid_volume(T, par, i)


@kernel.part
def nrtl_means(x: Vector, tau: Matrix, weight: Matrix) -> tuple[Vector, Vector]:
    """NRTL's sums of weights around each species, and the mean of tau there: both of shape (n,)."""
    n = x.size
    below, mean = np.zeros(n), np.zeros(n)
    for j in range(n):
        sum_, of_tau = 0.0, 0.0
        for k in range(n):
            w = x[k] * weight[k, j]
            sum_ += w
            of_tau += w * tau[k, j]
        below[j], mean[j] = sum_, of_tau / sum_
    return below, mean


@kernel
def ln_gamma_nrtl(x: Vector, tau: Matrix, weight: Matrix, ln_gamma: Vector) -> None:
    """Fill ln gamma by NRTL."""
    n = x.size
    below, mean = nrtl_means(x, tau, weight)
    for j in range(n):
        below[j] = x[j] / below[j]
    for i in range(n):
        value = mean[i]
        for j in range(n):
            value += below[j] * weight[i, j] * (tau[i, j] - mean[j])
        ln_gamma[i] = value


@kernel
def ln_gamma_wilson(x: Vector, weight: Matrix, ln_gamma: Vector) -> None:
    """Fill ln gamma by Wilson's equation."""
    n = x.size
    below = np.zeros(n)
    for i in range(n):
        for j in range(n):
            below[i] += x[j] * weight[i, j]
    for i in range(n):
        ln_gamma[i] = 1.0 - math.log(below[i])
        below[i] = x[i] / below[i]
    for i in range(n):
        value = ln_gamma[i]
        for k in range(n):
            value -= below[k] * weight[k, i]
        ln_gamma[i] = value


@kernel
def mend(x: Vector, par: Matrix, lacks: Matrix, ln_gamma: Vector) -> None:
    """Add to ln gamma what a model lacks of pairs: lacks_ij at infinite dilution of i in j, nothing of j in i.

    Excess Gibbs energy over R T of sum_ij lacks_ij x_i x_j² (a suffix of Margules' equation: Smith, Van Ness & Abbott, 7th ed., eq. 12.9).
    """
    n = x.size
    for i in range(n):
        for j in range(n):
            lack = lacks[i, j]
            if lack == 0.0 or par[i, DISSOLVED] + par[j, DISSOLVED] > 0.0:
                continue
            all_ = 2.0 * lack * x[i] * x[j] * x[j]
            for m in range(n):
                ln_gamma[m] -= all_
            ln_gamma[i] += lack * x[j] * x[j]
            ln_gamma[j] += 2.0 * lack * x[i] * x[j]


@kernel
def mended_derivatives(x: Vector, par: Matrix, lacks: Matrix, out: Matrix) -> None:
    """Add to `gamma_derivatives` what `mend` adds to ln gamma."""
    n = x.size
    first = np.empty(n)
    for i in range(n):
        for j in range(n):
            lack = lacks[i, j]
            if lack == 0.0 or par[i, DISSOLVED] + par[j, DISSOLVED] > 0.0:
                continue
            fill(first, 0.0)
            first[i], first[j] = x[j] * x[j], 2.0 * x[i] * x[j]
            value = x[i] * x[j] * x[j]
            for a in range(n):
                for b in range(n):
                    out[a, b] += lack * (6.0 * value - 2.0 * (first[a] + first[b]))
            out[i, j] += lack * 2.0 * x[j]
            out[j, i] += lack * 2.0 * x[j]
            out[j, j] += lack * 2.0 * x[i]


@kernel.part
def gamma_derivatives(kind: int, x: Vector, par: Matrix, areas: Matrix, tau: Matrix, weight: Matrix, out: Matrix) -> None:
    """Fill out[i, j] = d ln gamma_i / d n_j at one mole in all; areas for models by groups, tau and weight for the others."""
    if kind == NRTL:
        nrtl_derivatives(x, tau, weight, out)
    elif kind == WILSON:
        wilson_derivatives(x, weight, out)
    else:
        group_derivatives(x, par, areas, out)


@kernel
def nrtl_derivatives(x: Vector, tau: Matrix, weight: Matrix, out: Matrix) -> None:
    """`gamma_derivatives` of NRTL."""
    n = x.size
    below, mean = nrtl_means(x, tau, weight)
    share = np.empty((n, n))  # weight_ij over the sum around j
    for i in range(n):
        for j in range(n):
            share[i, j] = weight[i, j] / below[j]
    for i in range(n):
        for m in range(i + 1):
            value = share[m, i] * (tau[m, i] - mean[i]) + share[i, m] * (tau[i, m] - mean[m])
            for j in range(n):
                value -= x[j] * share[i, j] * share[m, j] * (tau[i, j] + tau[m, j] - 2.0 * mean[j])
            out[i, m] = out[m, i] = value


@kernel
def wilson_derivatives(x: Vector, weight: Matrix, out: Matrix) -> None:
    """`gamma_derivatives` of Wilson's equation."""
    n = x.size
    below = np.zeros(n)
    for i in range(n):
        for j in range(n):
            below[i] += x[j] * weight[i, j]
    share = np.empty((n, n))  # weight_ij over the sum of i
    for i in range(n):
        for j in range(n):
            share[i, j] = weight[i, j] / below[i]
    for i in range(n):
        for j in range(i + 1):
            value = 1.0 - share[i, j] - share[j, i]
            for k in range(n):
                value += x[k] * share[k, i] * share[k, j]
            out[i, j] = out[j, i] = value


@kernel
def group_derivatives(x: Vector, par: Matrix, areas: Matrix, out: Matrix) -> None:
    """`gamma_derivatives` by groups: zero for species without groups; areas as `group_areas` left them.

    The residual part is -(sum_k (own_ik reach_jk + own_jk reach_ik)/s_k - q_i q_j - sum_k theta_k reach_ik reach_jk/s_k²)/q (derived
    from the working equations of UNIFAC).
    """
    n, g = x.size, areas.shape[1]
    near, per_s = np.zeros((2, g)), np.empty(g)
    r, q, sizes, with_groups = summed(x, par, areas, near)
    if with_groups == 0.0:
        fill_rows(out, 0.0)
        return
    for k in range(g):
        near[0, k] /= near[1, k]
        per_s[k] = q / near[1, k]
    for i in range(n):
        qi = par[i, GROUP_Q]
        for j in range(i + 1):
            qj = par[j, GROUP_Q]
            if qi == 0.0 or qj == 0.0:
                out[i, j] = out[j, i] = 0.0
                continue
            sum_ = -qi * qj
            for k in range(g):
                own_i, own_j, reach_i, reach_j = areas[i, k], areas[j, k], areas[n + i, k], areas[n + j, k]
                sum_ += (own_i * reach_j + own_j * reach_i - near[0, k] * reach_i * reach_j) * per_s[k]
            ratio = par[i, GROUP_R] / qi * q / r
            first, moves = par[i, GROUP_SIZE] / sizes * with_groups, par[j, GROUP_SIZE] / sizes
            value = (1.0 - first) * (1.0 / with_groups - moves) - 5.0 * qi * (1.0 - ratio) * (qj / q - par[j, GROUP_R] / r)
            out[i, j] = out[j, i] = value - sum_ / q
