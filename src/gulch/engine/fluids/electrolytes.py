"""A liquid with weak electrolytes: fugacities of what was put in, from what of it is free and what ions.

`ions` says what both do to one another and where that is from. Every species is counted as put in; what is left of it in the liquid, and
how its ions stand, is found for each composition. Notation as there, and x, ln_phi: one number a species, shape (n,); P [Pa].
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.constants import A_MOLECULE, ION0, IONIC, KEPT, MOLAR_KG, N_BASIS, P0, SOLVENT
from gulch.engine.fluids.ions import (
    CARBAMATE,
    CL,
    CO3,
    DENSEST,
    DRIEST,
    ENOUGH,
    HCL,
    HCO3,
    HS,
    HSO3,
    K_C,
    K_CARBAMATE,
    K_CC,
    K_N,
    K_S,
    K_SO,
    K_SOO,
    K_SS,
    K_W,
    MOST_TURNS,
    N_ION,
    N_K,
    NA,
    NAOH,
    NH3,
    NH4,
    OH,
    SO3,
    WATER,
    H,
    S,
    dissociation,
    ionic_activities,
    ln_k_hydrogen_chloride,
    neutral,
)
from gulch.engine.fluids.mixture import INFINITE, LN_LIQUID, Fluid, molecular_ln_phi

kernel = chapter(__name__)

FARTHEST = 40.0  # ln of an activity coefficient among molecules, beyond which nothing is meant
DEEPEST = 250.0  # and of water among ions
OF_WATER, OF_KG = N_ION + 4, N_ION + 5  # after ln gamma of ions and of molecules: ln a of water, ln of how much is left [kg]
N_ACTIVITY = N_ION + 6
SHORTEST, LONGEST = 0.03, 1.5  # part of a step that is taken
NONE = 1e-60  # of a molality whose logarithm is asked for
LEAST = 1e-200  # of an amount: what is not there has a fugacity coefficient all the same


@kernel
def ionic_ln_phi(fluid: Fluid, x: Vector, ln_phi: Vector) -> float:
    """`liquid_ln_phi` of weak electrolytes in water: fugacities of what is left of each beside its ions, over what was put in."""
    m, free, ln_g, ln_f, mixed = np.empty(N_ION), np.empty(4), np.empty(N_ION), np.empty(4), np.empty(4)
    Z, ions_on_water, kg, molecules = speciate(fluid, x, m, free, ln_g, ln_f, mixed, ln_phi)
    ln_a = np.empty(N_BASIS)
    for b in range(4):
        ln_a[NH3 + b] = math.log(max(free[b], NONE)) + ln_f[b] + mixed[b]
    ln_a[HCL] = math.log(max(m[H], NONE)) + math.log(max(m[CL], NONE)) + ln_g[H] + ln_g[CL]
    ln_a[NAOH] = math.log(max(m[NA], NONE)) + math.log(max(m[OH], NONE)) + ln_g[NA] + ln_g[OH]
    ln_a[WATER] = mixed_water(fluid, ln_phi) + math.log(kg / (MOLAR_KG * molecules)) + ions_on_water
    ln_n = math.log(molecules)
    for i in range(x.size):
        if fluid.par[i, IONIC] == 0.0:
            ln_phi[i] -= ln_n
            continue
        ln_x = math.log(max(x[i], LEAST))
        if fluid.par[i, SOLVENT] > 0.0:
            ln_phi[i] += math.log(kg / (MOLAR_KG * molecules)) + ions_on_water - ln_x
        elif fluid.par[i, IONIC] == A_MOLECULE:
            for b in range(4):
                if fluid.par[i, ION0 + NH3 + b] > 0.0:
                    ln_phi[i] += math.log(max(free[b] * kg, NONE)) + ln_f[b] - ln_n - ln_x
        else:
            ln_phi[i] = -ln_x - math.log(fluid.P)
            volatile = fluid.par[i, ION0 + HCL] == 1.0 and fluid.par[i, ION0 + NAOH] + fluid.par[i, ION0 + NH3] == 0.0
            ln_phi[i] -= ln_k_hydrogen_chloride(fluid.T) if volatile else KEPT - math.log(P0)
            for b in range(N_BASIS):
                ln_phi[i] += fluid.par[i, ION0 + b] * ln_a[b]
    return Z


@kernel.part
def mixed_water(fluid: Fluid, ln_phi: Vector) -> float:
    """ln gamma of water among the molecules, of which ln_phi says all."""
    for i in range(ln_phi.size):
        if fluid.par[i, SOLVENT] > 0.0:
            return ln_phi[i] - fluid.own[LN_LIQUID, i]
    return 0.0


@kernel
def speciate(
    fluid: Fluid, x: Vector, m: Vector, free: Vector, ln_g: Vector, ln_f: Vector, mixed: Vector, ln_phi: Vector
) -> tuple[float, float, float, float]:
    """What of amounts x, adding up to 1, is free in water and what is ions: fills what `ions` calls m, free, ln_g and ln_f (by ions).

    mixed: ln gamma of the free molecules by other molecules; ln_phi: of the molecules alone. Returns P v/(R T), ln a of water by ions, the
    water that is left [kg], and moles of molecules. Activities in turn: each from the composition that the last ones gave.
    """
    n = x.size
    amounts, totals, k, ln_k, alone = np.zeros(N_BASIS), np.empty(N_BASIS), np.empty(N_K), np.empty(N_K), np.empty(n)
    at, apart, last = np.zeros(N_ACTIVITY), np.empty(N_ACTIVITY), np.zeros(N_ACTIVITY)
    water = 0.0
    for i in range(n):
        water += x[i] * fluid.par[i, SOLVENT]
        for b in range(N_BASIS):
            amounts[b] += max(x[i], LEAST) * fluid.par[i, ION0 + b]
    for b in range(1, N_BASIS):
        amounts[b] = max(amounts[b], LEAST)
    least = max(DRIEST, (amounts[NAOH] + amounts[HCL]) / (DENSEST * MOLAR_KG))
    dissociation(fluid.T, ln_k)
    at[OF_KG] = math.log(MOLAR_KG * max(water, least))
    kg, ions_on_water, ln_h, Z, molecules, share = 0.0, 0.0, -16.0, 0.0, 1.0, 1.0
    for turn in range(MOST_TURNS):
        kg = math.exp(at[OF_KG])
        for b in range(N_BASIS):
            totals[b] = amounts[b] / kg
        effective(ln_k, at, k)
        ln_h = neutral(ln_h, totals, k, m, free)
        left = amounts[WATER] + amounts[NAOH] - kg * (m[OH] + m[HCO3] + m[CO3] + m[HSO3] + m[SO3])
        left = max(left, least, 0.2 * kg / MOLAR_KG)
        Z, molecules = among_molecules(fluid, x, kg, left, free, alone, mixed, ln_phi)
        ions_on_water = max(ionic_activities(fluid.T, m, free, ln_g, ln_f), -DEEPEST)
        of_water = mixed_water(fluid, ln_phi) + math.log(left / molecules)
        for i in range(N_ION):
            apart[i] = ln_g[i] - at[i]
        for b in range(4):
            apart[N_ION + b] = ln_f[b] + mixed[b] - at[N_ION + b]
        apart[OF_WATER] = min(max(of_water, -FARTHEST), FARTHEST) + ions_on_water - at[OF_WATER]
        apart[OF_KG] = math.log(left * MOLAR_KG) - at[OF_KG]
        share = relaxed(share, turn, apart, last)
        change = 0.0
        for i in range(N_ACTIVITY):
            change = max(change, abs(apart[i]))
            at[i] += share * apart[i]
            last[i] = apart[i]
        if change < ENOUGH:
            break
    return Z * molecules, ions_on_water, kg, molecules


@kernel.part
def relaxed(share: float, turn: int, apart: Vector, last: Vector) -> float:
    """The part of a step that is taken, by how the last two steps differ (Irons & Tuck, Int. J. Numer. Meth. Eng. 1 (1969) 275)."""
    if turn == 0:
        return 1.0
    dot, norm = 0.0, 0.0
    for i in range(apart.size):
        d = apart[i] - last[i]
        dot += last[i] * d
        norm += d * d
    found = -share * dot / norm if norm > 0.0 else 1.0
    return min(max(found, SHORTEST), LONGEST) if found > 0.0 else SHORTEST


@kernel.part
def effective(ln_k: Vector, ln_g: Vector, k: Vector) -> None:
    """Fill ln of the constants in molalities: those of activities, less the activity coefficients of ions, molecules and water."""
    n, c, s, o = ln_g[N_ION], ln_g[N_ION + 1], ln_g[N_ION + 2], ln_g[N_ION + 3]
    ln_water = ln_g[OF_WATER]
    k[K_W] = ln_k[K_W] + ln_water - ln_g[H] - ln_g[OH]
    k[K_N] = ln_k[K_N] + ln_water + n - ln_g[NH4] - ln_g[OH]
    k[K_C] = ln_k[K_C] + ln_water + c - ln_g[H] - ln_g[HCO3]
    k[K_CC] = ln_k[K_CC] + ln_g[HCO3] - ln_g[H] - ln_g[CO3]
    k[K_S] = ln_k[K_S] + s - ln_g[H] - ln_g[HS]
    k[K_SS] = ln_k[K_SS] + ln_g[HS] - ln_g[H] - ln_g[S]
    k[K_SO] = ln_k[K_SO] + ln_water + o - ln_g[H] - ln_g[HSO3]
    k[K_SOO] = ln_k[K_SOO] + ln_g[HSO3] - ln_g[H] - ln_g[SO3]
    k[K_CARBAMATE] = ln_k[K_CARBAMATE] - ln_water + n + ln_g[HCO3] - ln_g[CARBAMATE]


@kernel
def among_molecules(
    fluid: Fluid, x: Vector, kg: float, left: float, free: Vector, alone: Vector, mixed: Vector, ln_phi: Vector
) -> tuple[float, float]:
    """Fill ln_phi of the molecules among themselves and ln gamma, at infinite dilution in water zero, of those that dissociate.

    left: moles of water; alone: working space. Returns P v/(R T) and moles of molecules.
    """
    n, molecules = x.size, 0.0
    for i in range(n):
        alone[i] = x[i] if fluid.par[i, IONIC] == 0.0 else 0.0
        if fluid.par[i, SOLVENT] > 0.0:
            alone[i] = left
        elif fluid.par[i, IONIC] == A_MOLECULE:
            for b in range(4):
                alone[i] += fluid.par[i, ION0 + NH3 + b] * free[b] * kg
        molecules += alone[i]
    for i in range(n):
        alone[i] /= molecules
    Z = molecular_ln_phi(fluid, alone, ln_phi)
    for b in range(4):
        mixed[b] = math.log(left / molecules)
        for i in range(n):
            if fluid.par[i, IONIC] == A_MOLECULE and fluid.par[i, ION0 + NH3 + b] > 0.0:
                mixed[b] += ln_phi[i] - fluid.own[INFINITE, i]
        mixed[b] = min(max(mixed[b], -FARTHEST), FARTHEST)
    return Z, molecules
