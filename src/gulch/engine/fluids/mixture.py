"""What kernels are told of a list of species, what of it does not hang on composition, and the molecules of a liquid among themselves.

Henry's law in mixed solvents, with the solvents' share that Gibbs-Duhem demands: Prausnitz, Lichtenthaler & de Azevedo, Molecular
Thermodynamics, 3rd ed., ch. 10.

Notation: T [K], P [Pa]; x, ln_phi: one number a species, shape (n,).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Places, Vector, chapter
from gulch.engine.fluids.activity import ln_gamma_groups, ln_gamma_nrtl, ln_gamma_wilson, mend
from gulch.engine.fluids.arrays import assign
from gulch.engine.fluids.constants import DISSOLVED, DORTMUND, WILSON, R

kernel = chapter(__name__)

NOWHERE = 50.0  # ln of a fugacity coefficient that keeps a species out of a liquid


class Mixture(NamedTuple):
    """What the kernels are told of a list of species.

    kind: of the model; vapour: kind of an activity model's vapour, IDEAL or SOAVE_REDLICH_KWONG;
    active: activity from which a species may be the heart of a further phase beside two; par: shape (n, N_COLUMNS); pairs:
    shape (N_PAIR, n, n); groups: rows of g columns each, first how often each species has each group (n rows), then the area of
    each, then a, b and c of psi between them (g rows each). Few arrays, because handing one over costs more than reading it.
    """

    kind: int
    vapour: int
    active: float
    par: Matrix
    pairs: Cube
    groups: Matrix


@kernel
def part_of(mix: Mixture, at: Places) -> Mixture:
    """The Mixture of the species at some positions."""
    n, k = mix.par.shape[0], at.size
    par, pairs = np.empty((k, mix.par.shape[1])), np.empty((mix.pairs.shape[0], k, k))
    groups = np.empty((mix.groups.shape[0] - n + k, mix.groups.shape[1]))
    for a in range(k):
        assign(par[a], mix.par[at[a]])
        assign(groups[a], mix.groups[at[a]])
        for c in range(pairs.shape[0]):
            for b in range(k):
                pairs[c, a, b] = mix.pairs[c, at[a], at[b]]
    for g in range(n, mix.groups.shape[0]):
        assign(groups[k + g - n], mix.groups[g])
    return Mixture(mix.kind, mix.vapour, mix.active, par, pairs, groups)


@kernel
def only(mix: Mixture, i: int) -> Mixture:
    """The Mixture of species i alone."""
    at = np.empty(1, np.int64)
    at[0] = i
    return part_of(mix, at)


class Fluid(NamedTuple):
    """A Mixture at T [K] and P [Pa]: what does not hang on composition, computed once.

    aij: attraction [J m3/mol2], shape (n, n); own: of each species, what the rows named below say, and after them n rows each of tau,
    of weights (NRTL, Wilson) and of ln(H/P); groups: what `group_areas` fills. What a model does not use stands for nothing.
    """

    kind: int
    vapour: int
    active: float
    T: float
    P: float
    d1: float
    d2: float
    par: Matrix
    aij: Matrix
    own: Matrix
    groups: Matrix


# Rows of `own`: ln f/P of the pure liquid, its groups, root of its dimers, volume; of predictive SRK a/(b R T) - ln(b)/A1; of activity
# models first whether ln gamma of any pair is mended; of electrolytes ln phi at infinite dilution in water.
LN_LIQUID, PURE_GROUPS, ROOT, VOLUME, ALONE, MENDED, INFINITE = 0, 1, 2, 3, 4, 4, 5
N_OWN = 6


@kernel
def molecular_ln_phi(fluid: Fluid, x: Vector, ln_phi: Vector) -> float:
    """Fill ln(gamma f/P) of a liquid of molecules under an activity model; returns P v/(R T)."""
    n = x.size
    solvent, v, dissolved = 0.0, 0.0, False
    for i in range(n):
        v += x[i] * fluid.own[VOLUME, i]
        if fluid.par[i, DISSOLVED] == 0.0:
            solvent += x[i]
        else:
            dissolved = True
    Z = fluid.P * v / (R * fluid.T)
    if solvent <= 0.0:
        for i in range(n):
            ln_phi[i] = NOWHERE
        return Z
    alone = np.empty(n)
    for i in range(n):
        alone[i] = x[i] / solvent if fluid.par[i, DISSOLVED] == 0.0 else 0.0
    if fluid.kind <= DORTMUND:
        ln_gamma_groups(alone, fluid.par, fluid.groups, fluid.own[PURE_GROUPS], ln_phi)
    elif fluid.kind == WILSON:
        ln_gamma_wilson(alone, fluid.own[N_OWN + n : N_OWN + 2 * n], ln_phi)
    else:
        ln_gamma_nrtl(alone, fluid.own[N_OWN : N_OWN + n], fluid.own[N_OWN + n : N_OWN + 2 * n], ln_phi)
    henry = fluid.own[N_OWN + 2 * n :]
    if fluid.own[MENDED, 0] > 0.0:
        mend(alone, fluid.par, henry, ln_phi)
    for i in range(n):
        if fluid.par[i, DISSOLVED] == 0.0:
            ln_phi[i] += fluid.own[LN_LIQUID, i]
    if not dissolved:
        return Z
    for i in range(n):
        if fluid.par[i, DISSOLVED] == 0.0:
            continue
        mean = 0.0
        for j in range(n):
            mean += alone[j] * henry[i, j]
        ln_phi[i] = mean
        for j in range(n):
            if fluid.par[j, DISSOLVED] == 0.0:
                ln_phi[j] += x[i] / solvent * (henry[i, j] - mean)
    return Z
