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
from gulch.engine.phases.kernels.constants import DORTMUND, GROUP_Q, GROUP_R, NRTL, PAIR_A, PAIR_ALPHA, PAIR_B, Array
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
def ln_gamma_nrtl(x: Array, tau: Array, weight: Array, ln_gamma: Array) -> None:
    """Fill ln gamma by NRTL."""
    n = x.size
    below, mean = np.zeros(n), np.zeros(n)
    for j in range(n):
        for k in range(n):
            w = x[k] * weight[k, j]
            below[j] += w
            mean[j] += w * tau[k, j]
        mean[j] /= below[j]
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
