"""A mixture prepared at a temperature and pressure, and the fugacity coefficients of one phase of it, whatever its model.

Models in one equation choose among the roots of a cubic; activity models have one expression for the liquid and one for the
vapour, and choose between them in the same way, by the lower Gibbs energy. So all that follows treats them alike.

Predictive SRK: Holderbaum & Gmehling, Fluid Phase Equilib. 70 (1991) 251. Henry's law in mixed solvents, with the solvents'
share that Gibbs-Duhem demands: Prausnitz, Lichtenthaler & de Azevedo, Molecular Thermodynamics, 3rd ed., ch. 10.

Notation: T [K], P [Pa]; x, z, ln_phi: one number a species, shape (n,).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.activity import (
    group_areas,
    held,
    ln_gamma_groups,
    pair_factors,
    pure_groups,
)
from gulch.engine.fluids.arrays import copied
from gulch.engine.fluids.association import dimer_ln_phi, dimer_roots
from gulch.engine.fluids.constants import (
    B_,
    DILUTED,
    DISSOLVED,
    DORTMUND,
    ELECTROLYTES,
    HENRY,
    HENRY_HIGH,
    HENRY_LOW,
    IDEAL,
    ION0,
    IONIC,
    IONS,
    LIQUID,
    MOLAR_KG,
    NRTL,
    OMEGA,
    PC,
    PENG_ROBINSON,
    PREDICTIVE_SRK,
    SOAVE_REDLICH_KWONG,
    SOLVENT,
    TC,
    UNIFAC,
    VAPOUR,
    R,
)
from gulch.engine.fluids.cubic import (
    attraction,
    compressibility,
    cubic_constants,
    cubic_ln_phi,
    phase_name,
    residual_gibbs,
)
from gulch.engine.fluids.electrolytes import ionic_ln_phi
from gulch.engine.fluids.ideal_gas import ln_psat
from gulch.engine.fluids.ions import DENSEST, HCL, LEAST_WATER, NAOH
from gulch.engine.fluids.liquid import liquid_volume
from gulch.engine.fluids.mixture import (
    ALONE,
    INFINITE,
    LN_LIQUID,
    MENDED,
    N_OWN,
    NOWHERE,
    PURE_GROUPS,
    ROOT,
    VOLUME,
    Fluid,
    Mixture,
    molecular_ln_phi,
)

kernel = chapter(__name__)

A1 = -0.64663  # of the mixing rule of predictive SRK
WATERY = 0.5  # mole fraction of water from which a liquid holds what is dissolved in water


@kernel.part
def wilson_ln_k(T: float, P: float, par: Matrix, ln_k: Vector) -> None:
    """ln K by Wilson's equation (1968) into ln_k."""
    for i in range(par.shape[0]):
        ln_k[i] = math.log(par[i, PC] / P) + 5.373 * (1.0 + par[i, OMEGA]) * (1.0 - par[i, TC] / T)


@kernel.part
def prepared(mix: Mixture, T: float, P: float) -> Fluid:
    """The Fluid of a Mixture at T and P."""
    return prepared_for(mix, T, P, 0)


@kernel
def prepared_for(mix: Mixture, T: float, P: float, name: int) -> Fluid:
    """The Fluid of a Mixture at T and P for a phase of that name, 0 for any; a vapour needs nothing of an activity model's liquid."""
    kind, par = mix.kind, mix.par
    liquids = kind < UNIFAC or name != VAPOUR or par[0, DILUTED] != 0.0  # beside salts both phases are looked at
    n, g = par.shape[0], mix.groups.shape[1]
    d1, d2 = cubic_constants(PENG_ROBINSON if kind == PENG_ROBINSON else SOAVE_REDLICH_KWONG)
    aij = np.empty((n, n))
    own, groups = aij, aij
    if kind < UNIFAC or mix.vapour != IDEAL:
        attraction(T, par, mix.pairs, np.empty(n), np.empty(n), aij)
    if kind >= PREDICTIVE_SRK:
        own = np.zeros((N_OWN + 3 * n, n))
    if kind >= UNIFAC:
        dimer_roots(T, par, own[ROOT])
    if not liquids:
        return Fluid(kind, mix.vapour, mix.active, T, P, d1, d2, par, aij, own, groups)
    if kind >= PREDICTIVE_SRK and kind <= DORTMUND:
        groups = np.empty((2 * n, g))
        group_areas(T, mix.groups[:n], mix.groups[n], mix.groups[n + 1 :], groups)
        pure_groups(groups, own[PURE_GROUPS])
    if kind == PREDICTIVE_SRK:
        for i in range(n):
            own[ALONE, i] = aij[i, i] / (par[i, B_] * R * T) - math.log(par[i, B_]) / A1
    if kind >= NRTL:
        pair_factors(kind, T, par, mix.pairs, own[N_OWN : N_OWN + n], own[N_OWN + n : N_OWN + 2 * n])
    if kind >= UNIFAC:
        ln_T, ln_P = math.log(T), math.log(P)
        for i in range(n):
            for j in range(n):
                if par[j, DISSOLVED] > 0.0 or (par[i, DISSOLVED] == 0.0 and mix.pairs[HENRY_HIGH, i, j] == 0.0):
                    continue
                a, b, c = mix.pairs[HENRY, i, j], mix.pairs[HENRY + 1, i, j], mix.pairs[HENRY + 2, i, j]
                t = held(T, mix.pairs[HENRY_LOW, i, j], mix.pairs[HENRY_HIGH, i, j])
                value = a + b / t + c * (ln_T if t == T else math.log(t))
                own[N_OWN + 2 * n + i, j] = value - (ln_P if par[i, DISSOLVED] > 0.0 else 0.0)
                if par[i, DISSOLVED] == 0.0:
                    own[MENDED, 0] = 1.0
        for i in range(n):
            own[VOLUME, i] = liquid_volume(T, par, i)
            own[LN_LIQUID, i] = ln_pure_liquid(T, P, mix.vapour, par, aij, own, i)
    fluid = Fluid(kind, mix.vapour, mix.active, T, P, d1, d2, par, aij, own, groups)
    if kind == ELECTROLYTES:
        dilute = np.empty(n)
        for i in range(n):
            dilute[i] = par[i, SOLVENT]
        molecular_ln_phi(fluid, dilute, own[INFINITE])
    return fluid


@kernel
def ln_pure_liquid(T: float, P: float, vapour: int, par: Matrix, aij: Matrix, own: Matrix, i: int) -> float:
    """ln(f/P) of species i as a pure liquid: vapour pressure, its vapour's fugacity coefficient, Poynting's factor."""
    ln_p = ln_psat(T, par, i)[0]
    p = math.exp(min(ln_p, 25.0))
    if vapour == IDEAL:
        ln_phi = pure_dimer_ln_phi(p, own[ROOT, i])
    else:
        rt = R * T
        A, B = aij[i, i] * p / (rt * rt), par[i, B_] * p / rt
        Z = compressibility(A, B, 1.0, 0.0, VAPOUR)
        ln_phi = residual_gibbs(Z, A, B, 1.0, 0.0)
    return ln_p - math.log(P) + ln_phi + own[VOLUME, i] * (P - p) / (R * T)


@kernel.part
def pure_dimer_ln_phi(P: float, root: float) -> float:
    """ln of the share of monomers in a vapour of one acid: p + K p² = P."""
    if root == 0.0:
        return 0.0
    k = root * root * P
    return math.log(2.0 / (1.0 + math.sqrt(1.0 + 4.0 * k)))


@kernel.part
def named(fluid: Fluid, Z: float, A: float, B: float, name: int) -> int:
    """VAPOUR or LIQUID of a phase that `phase_ln_phi` returned."""
    if name != 0:
        return name
    return phase_name(A, B, Z, PENG_ROBINSON if fluid.kind == PENG_ROBINSON else SOAVE_REDLICH_KWONG)


@kernel
def pure_ln_phi(fluid: Fluid, i: int) -> float:
    """ln of the fugacity coefficient of species i alone, in its stable phase."""
    rt = R * fluid.T
    A = fluid.aij[i, i] * fluid.P / (rt * rt)
    B = fluid.par[i, B_] * fluid.P / rt
    lower = fluid.par[i, DILUTED] * fluid.par[i, SOLVENT]
    if fluid.kind < UNIFAC:
        Z = compressibility(A, B, fluid.d1, fluid.d2, 0)
        return residual_gibbs(Z, A, B, fluid.d1, fluid.d2) + (lower if named(fluid, Z, A, B, 0) == LIQUID else 0.0)
    if fluid.vapour == IDEAL:
        vapour = pure_dimer_ln_phi(fluid.P, fluid.own[ROOT, i])
    else:
        vapour = residual_gibbs(compressibility(A, B, 1.0, 0.0, VAPOUR), A, B, 1.0, 0.0)
    return vapour if fluid.par[i, DISSOLVED] > 0.0 else min(vapour, fluid.own[LN_LIQUID, i] + lower)


@kernel.part
def first_ln_k(fluid: Fluid, z: Vector, ln_k: Vector) -> None:
    """First values of ln K: Wilson's equation, or those of the activity model at the feed's composition."""
    if fluid.kind < UNIFAC:
        wilson_ln_k(fluid.T, fluid.P, fluid.par, ln_k)
    else:
        liquid_ln_phi(fluid, z, ln_k)


@kernel.part
def liquid_ln_phi(fluid: Fluid, x: Vector, ln_phi: Vector) -> float:
    """Fill ln(gamma f/P) of a liquid under an activity model, of what was put in where some of it dissociates; returns P v/(R T)."""
    if fluid.kind == ELECTROLYTES:
        return watery_ln_phi(fluid, x, ln_phi)
    return molecular_ln_phi(fluid, x, ln_phi)


@kernel
def watery_ln_phi(fluid: Fluid, x: Vector, ln_phi: Vector) -> float:
    """`liquid_ln_phi` of a mixture in which there may be water for ions, or too little of it."""
    water, salts = 0.0, 0.0
    for i in range(x.size):
        water += x[i] * fluid.par[i, SOLVENT]
        salts += x[i] * (fluid.par[i, ION0 + NAOH] + fluid.par[i, ION0 + HCL])
    if water > LEAST_WATER and salts < DENSEST * MOLAR_KG * water:
        return ionic_ln_phi(fluid, x, ln_phi)
    Z = molecular_ln_phi(fluid, x, ln_phi)
    for i in range(x.size):
        if fluid.par[i, IONIC] == IONS:
            ln_phi[i] = NOWHERE  # there is nothing to be ions in
    return Z


@kernel.part
def vapour_ln_phi(fluid: Fluid, y: Vector, ln_phi: Vector) -> tuple[float, float, float]:
    """Fill ln phi of the vapour beside an activity model's liquid; returns Z, A, B."""
    if fluid.vapour != IDEAL:
        return cubic_ln_phi(fluid.T, fluid.P, y, fluid.par, fluid.aij, 1.0, 0.0, VAPOUR, ln_phi)
    associates = False
    for i in range(y.size):
        associates = associates or fluid.own[ROOT, i] > 0.0
        ln_phi[i] = 0.0
    return (dimer_ln_phi(fluid.P, y, fluid.own[ROOT], ln_phi) if associates else 1.0), 0.0, 0.0


@kernel
def predictive_attraction(fluid: Fluid, x: Vector, partial: Vector) -> tuple[float, float]:
    """(b [m3/mol], alpha = a/(b R T)) of predictive SRK's mixing rule; fills partial with d(n alpha)/d n_i."""
    n = x.size
    ln_gamma_groups(x, fluid.par, fluid.groups, fluid.own[PURE_GROUPS], partial)
    b, alpha = 0.0, 0.0
    for i in range(n):
        b += x[i] * fluid.par[i, B_]
    ln_b, per_b = math.log(b), 1.0 / b
    for i in range(n):
        value = fluid.own[ALONE, i] + (partial[i] + ln_b) / A1
        alpha += x[i] * value
        partial[i] = value + (fluid.par[i, B_] * per_b - 1.0) / A1
    return b, alpha


@kernel.part
def predictive_ln_phi(fluid: Fluid, x: Vector, want: int, ln_phi: Vector) -> tuple[float, float, float]:
    """Fill ln phi of predictive SRK; returns Z, A, B."""
    n = x.size
    rt = R * fluid.T
    b, alpha = predictive_attraction(fluid, x, ln_phi)
    B = b * fluid.P / rt
    A = alpha * B
    Z = compressibility(A, B, 1.0, 0.0, want)
    log_term = math.log((Z + B) / Z)
    ln_zb = math.log(Z - B)
    for i in range(n):
        ln_phi[i] = fluid.par[i, B_] / b * (Z - 1.0) - ln_zb - ln_phi[i] * log_term
    return Z, A, B


@kernel
def other_ln_phi(fluid: Fluid, x: Vector, want: int, ln_phi: Vector) -> tuple[float, float, float, int]:
    """`phase_ln_phi` of models beside the plain cubic equations."""
    if fluid.kind == PREDICTIVE_SRK:
        Z, A, B = predictive_ln_phi(fluid, x, want, ln_phi)
        return Z, A, B, 0
    if want == LIQUID:
        return liquid_ln_phi(fluid, x, ln_phi), 0.0, 0.0, LIQUID
    if want == VAPOUR:
        Z, A, B = vapour_ln_phi(fluid, x, ln_phi)
        return Z, A, B, VAPOUR
    other = np.empty(x.size)
    Z_liquid = liquid_ln_phi(fluid, x, other)
    Z, A, B = vapour_ln_phi(fluid, x, ln_phi)
    apart = 0.0
    for i in range(x.size):
        apart += x[i] * (other[i] - ln_phi[i])
    if apart >= 0.0:
        return Z, A, B, VAPOUR
    for i in range(x.size):
        ln_phi[i] = other[i]
    return Z_liquid, 0.0, 0.0, LIQUID


@kernel.part
def plain_ln_phi(fluid: Fluid, x: Vector, want: int, ln_phi: Vector) -> tuple[float, float, float, int]:
    """`phase_ln_phi` of what holds no salts; want: VAPOUR or LIQUID."""
    if fluid.kind < PREDICTIVE_SRK:
        Z, A, B = cubic_ln_phi(fluid.T, fluid.P, x, fluid.par, fluid.aij, fluid.d1, fluid.d2, want, ln_phi)
        return Z, A, B, 0
    return other_ln_phi(fluid, x, want, ln_phi)


@kernel.part
def dilution(fluid: Fluid, x: Vector) -> float:
    """ln of the factor by which dissolved salts lower the fugacities in a liquid of composition x: they are where the water is."""
    water = 0.0
    for i in range(x.size):
        water += x[i] * fluid.par[i, SOLVENT]
    return fluid.par[0, DILUTED] if water > WATERY else 0.0


@kernel
def phase_ln_phi(fluid: Fluid, x: Vector, want: int, ln_phi: Vector) -> tuple[float, float, float, int]:
    """Fill ln fugacity coefficients of composition x in the phase wanted: VAPOUR, LIQUID, or 0 for that of lower Gibbs energy.

    Returns (Z, A, B, name); the name is 0 where density has to tell it (`named`). Beside dissolved salts both phases are looked at, in
    turn: the code that computes one stands here but once, for it is long to compile.
    """
    salty = fluid.par[0, DILUTED] != 0.0
    Z, A, B, name = 0.0, 0.0, 0.0, 0
    Z_vapour, A_vapour, B_vapour, name_vapour = 0.0, 0.0, 0.0, 0
    vapour = ln_phi
    for turn in range(2 if salty else 1):
        Z, A, B, name = plain_ln_phi(fluid, x, (VAPOUR if turn == 0 else LIQUID) if salty else want, ln_phi)
        if salty:
            name = named(fluid, Z, A, B, name)
            if name == LIQUID:
                lower = dilution(fluid, x)
                for i in range(x.size):
                    ln_phi[i] += lower
            if turn == 0:
                Z_vapour, A_vapour, B_vapour, name_vapour = Z, A, B, name
                vapour = copied(ln_phi)
    if not salty:
        return Z, A, B, name
    apart = 0.0
    for i in range(x.size):
        apart += x[i] * (ln_phi[i] - vapour[i])
    if want == VAPOUR or (want == 0 and apart >= 0.0):
        for i in range(x.size):
            ln_phi[i] = vapour[i]
        return Z_vapour, A_vapour, B_vapour, name_vapour
    return Z, A, B, name
