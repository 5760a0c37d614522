"""Activity coefficients of liquids: UNIFAC, modified UNIFAC (Dortmund), NRTL, Wilson.

Fredenslund, Jones & Prausnitz, AIChE J. 21 (1975) 1086; Weidlich & Gmehling, Ind. Eng. Chem. Res. 26 (1987) 1372; Renon &
Prausnitz, AIChE J. 14 (1968) 135; Wilson, J. Am. Chem. Soc. 86 (1964) 127.

Notation: T [K]; x, ln_gamma: one number a species, shape (n,); tau, weight: shape (n, n); counts: groups of each species, shape
(n, g); area: of groups, shape (g,); psi: shape (g, g); pure: of each species alone, sum of ln Gamma over its groups, shape (n,).
"""

from __future__ import annotations

import math

import numpy as np

from gulch.engine.phases.kernels.compiling import chapter
from gulch.engine.phases.kernels.constants import DORTMUND, GROUP_Q, GROUP_R, NRTL, PAIR_A, PAIR_ALPHA, PAIR_B, WILSON, Array
from gulch.engine.phases.kernels.liquid import liquid_volume

kernel = chapter(__name__)

STEEPEST = 100.0


@kernel
def group_factors(T: float, group_pairs: Array, psi: Array) -> None:
    """Fill psi_mn = exp(-(a + b T + c T²)/T); group_pairs: g rows each of a [K], b and c [1/K]."""
    g = psi.shape[0]
    for m in range(g):
        for k in range(g):
            psi[m, k] = math.exp(-(group_pairs[m, k] / T + group_pairs[g + m, k] + group_pairs[2 * g + m, k] * T))


@kernel
def ln_group_gamma(amounts: Array, area: Array, psi: Array, ln_big: Array) -> None:
    """Fill ln Gamma of every group at their amounts, shape (g,); ln_big likewise."""
    g = area.size
    theta, s = np.empty(g), np.empty(g)
    total = 0.0
    for k in range(g):
        theta[k] = area[k] * amounts[k]
        total += theta[k]
    for k in range(g):
        theta[k] /= total
    for k in range(g):
        s[k] = 0.0
        for m in range(g):
            s[k] += theta[m] * psi[m, k]
    for k in range(g):
        second = 0.0
        for m in range(g):
            second += theta[m] * psi[k, m] / s[m]
        ln_big[k] = area[k] * (1.0 - math.log(s[k]) - second)


@kernel
def pure_groups(counts: Array, area: Array, psi: Array, pure: Array) -> None:
    """Fill the sum of ln Gamma over the groups of each species alone."""
    n, g = counts.shape
    ln_big = np.empty(g)
    for i in range(n):
        pure[i] = 0.0
        any_group = False
        for k in range(g):
            any_group = any_group or counts[i, k] > 0.0
        if any_group:
            ln_group_gamma(counts[i], area, psi, ln_big)
            for k in range(g):
                if counts[i, k] > 0.0:
                    pure[i] += counts[i, k] * ln_big[k]


@kernel
def ln_gamma_groups(kind: int, x: Array, par: Array, groups: Array, pure: Array, ln_gamma: Array) -> None:
    """Fill ln gamma by groups; groups: rows of counts, area and psi. A species without groups mixes ideally with all others."""
    n, g = x.size, groups.shape[1]
    counts = groups[:n]
    amounts, ln_big = np.zeros(g), np.empty(g)
    r, q, r34, with_groups = 0.0, 0.0, 0.0, 0.0
    for i in range(n):
        if par[i, GROUP_Q] == 0.0:
            continue
        with_groups += x[i]
        r += x[i] * par[i, GROUP_R]
        q += x[i] * par[i, GROUP_Q]
        if kind == DORTMUND:
            r34 += x[i] * par[i, GROUP_R] ** 0.75
        for k in range(g):
            amounts[k] += x[i] * counts[i, k]
    if with_groups == 0.0:
        for i in range(n):
            ln_gamma[i] = 0.0
        return
    ln_group_gamma(amounts, groups[n], groups[n + 1 :], ln_big)
    for i in range(n):
        if par[i, GROUP_Q] == 0.0:
            ln_gamma[i] = 0.0
            continue
        volume = par[i, GROUP_R] / r * with_groups
        ratio = volume / (par[i, GROUP_Q] / q * with_groups)
        first = volume if kind != DORTMUND else par[i, GROUP_R] ** 0.75 / r34 * with_groups
        value = 1.0 - first + math.log(first) - 5.0 * par[i, GROUP_Q] * (1.0 - ratio + math.log(ratio)) - pure[i]
        for k in range(g):
            if counts[i, k] > 0.0:
                value += counts[i, k] * ln_big[k]
        ln_gamma[i] = value


@kernel
def pair_factors(kind: int, T: float, par: Array, pairs: Array, tau: Array, weight: Array) -> None:
    """Fill tau and weight = exp(-alpha tau) of NRTL; for Wilson weight_ij = v_j/v_i exp(-tau_ij)."""
    n = par.shape[0]
    for i in range(n):
        for j in range(n):
            value = pairs[PAIR_A, i, j] + pairs[PAIR_B, i, j] / T if i != j else 0.0
            tau[i, j] = min(max(value, -STEEPEST), STEEPEST)  # searches look at temperatures far below any liquid
            if kind == NRTL:
                weight[i, j] = math.exp(-pairs[PAIR_ALPHA, i, j] * tau[i, j])
            elif i == j:
                weight[i, j] = 1.0
            else:
                weight[i, j] = math.exp(-tau[i, j]) * liquid_volume(T, par, j) / liquid_volume(T, par, i)


@kernel
def nrtl_means(x: Array, tau: Array, weight: Array) -> tuple:
    """NRTL's sums of weights around each species, and the mean of tau there: both of shape (n,)."""
    n = x.size
    below, mean = np.zeros(n), np.zeros(n)
    for j in range(n):
        for k in range(n):
            w = x[k] * weight[k, j]
            below[j] += w
            mean[j] += w * tau[k, j]
        mean[j] /= below[j]
    return below, mean


@kernel
def ln_gamma_nrtl(x: Array, tau: Array, weight: Array, ln_gamma: Array) -> None:
    """Fill ln gamma by NRTL."""
    n = x.size
    below, mean = nrtl_means(x, tau, weight)
    for i in range(n):
        value = mean[i]
        for j in range(n):
            value += x[j] * weight[i, j] / below[j] * (tau[i, j] - mean[j])
        ln_gamma[i] = value


@kernel
def ln_gamma_wilson(x: Array, weight: Array, ln_gamma: Array) -> None:
    """Fill ln gamma by Wilson's equation."""
    n = x.size
    below = np.zeros(n)
    for i in range(n):
        for j in range(n):
            below[i] += x[j] * weight[i, j]
    for i in range(n):
        value = 1.0 - math.log(below[i])
        for k in range(n):
            value -= x[k] * weight[k, i] / below[k]
        ln_gamma[i] = value


@kernel
def gamma_derivatives(kind: int, x: Array, par: Array, groups: Array, tau: Array, weight: Array, out: Array) -> None:
    """Fill out[i, j] = d ln gamma_i / d n_j at one mole in all; groups for models by groups, tau and weight for the others."""
    if kind == NRTL:
        nrtl_derivatives(x, tau, weight, out)
    elif kind == WILSON:
        wilson_derivatives(x, weight, out)
    else:
        group_derivatives(kind, x, par, groups, out)


@kernel
def nrtl_derivatives(x: Array, tau: Array, weight: Array, out: Array) -> None:
    """`gamma_derivatives` of NRTL."""
    n = x.size
    below, mean = nrtl_means(x, tau, weight)
    for i in range(n):
        for m in range(n):
            value = weight[m, i] * (tau[m, i] - mean[i]) / below[i] + weight[i, m] * (tau[i, m] - mean[m]) / below[m]
            for j in range(n):
                both = x[j] * weight[i, j] * weight[m, j] / (below[j] * below[j])
                value -= both * (tau[i, j] + tau[m, j] - 2.0 * mean[j])
            out[i, m] = value


@kernel
def wilson_derivatives(x: Array, weight: Array, out: Array) -> None:
    """`gamma_derivatives` of Wilson's equation."""
    n = x.size
    below = np.zeros(n)
    for i in range(n):
        for j in range(n):
            below[i] += x[j] * weight[i, j]
    for i in range(n):
        for j in range(n):
            value = 1.0 - weight[i, j] / below[i] - weight[j, i] / below[j]
            for k in range(n):
                value += x[k] * weight[k, i] * weight[k, j] / (below[k] * below[k])
            out[i, j] = value


@kernel
def group_derivatives(kind: int, x: Array, par: Array, groups: Array, out: Array) -> None:
    """`gamma_derivatives` by groups: zero for species without groups.

    The residual part is -(sum_k (a_ik s_jk + a_jk s_ik)/s_k - q_i q_j - sum_k theta_k s_ik s_jk/s_k²)/q with a_ik the area of group k in
    species i, s_ik = sum_m a_im psi_mk and s_k its mean over the areas of all (derived from the working equations of UNIFAC).
    """
    n, g = x.size, groups.shape[1]
    area, psi = groups[n], groups[n + 1 :]
    own, reach = np.zeros((n, g)), np.zeros((n, g))
    r, q, r34, with_groups = 0.0, 0.0, 0.0, 0.0
    for i in range(n):
        if par[i, GROUP_Q] == 0.0:
            continue
        with_groups += x[i]
        r += x[i] * par[i, GROUP_R]
        q += x[i] * par[i, GROUP_Q]
        if kind == DORTMUND:
            r34 += x[i] * par[i, GROUP_R] ** 0.75
        for m in range(g):
            own[i, m] = groups[i, m] * area[m]
        for m in range(g):
            if own[i, m] > 0.0:
                for k in range(g):
                    reach[i, k] += own[i, m] * psi[m, k]
    if with_groups == 0.0:
        out[:] = 0.0
        return
    theta, s = np.zeros(g), np.zeros(g)
    for i in range(n):
        for k in range(g):
            theta[k] += x[i] * own[i, k] / q
            s[k] += x[i] * reach[i, k] / q
    for i in range(n):
        qi = par[i, GROUP_Q]
        for j in range(i + 1):
            qj = par[j, GROUP_Q]
            if qi == 0.0 or qj == 0.0:
                out[i, j] = out[j, i] = 0.0
                continue
            sum_ = -qi * qj
            for k in range(g):
                sum_ += (own[i, k] * reach[j, k] + own[j, k] * reach[i, k] - theta[k] * reach[i, k] * reach[j, k] / s[k]) / s[k]
            ratio = par[i, GROUP_R] / qi * q / r
            if kind == DORTMUND:
                first, moves = par[i, GROUP_R] ** 0.75 / r34 * with_groups, par[j, GROUP_R] ** 0.75 / r34
            else:
                first, moves = par[i, GROUP_R] / r * with_groups, par[j, GROUP_R] / r
            value = (1.0 - first) * (1.0 / with_groups - moves) - 5.0 * qi * (1.0 - ratio) * (qj / q - par[j, GROUP_R] / r)
            out[i, j] = out[j, i] = value - sum_ / q
