"""One phase of known composition: enthalpy, entropy, volume, fugacity coefficients.

Notation: T [K], P [Pa]; x: mole fractions, shape (n,); name: VAPOUR or LIQUID; mix: a `fluid.Mixture`, and parts its fields one by
one, as the kernels that Python calls take it. Enthalpy [J/mol], entropy [J/(mol K)], volume [m3/mol].
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.constants import B_, DILUTED, HEAT_STEP, IDEAL, LIQUID, P0, PREDICTIVE_SRK, UNIFAC, VAPOUR, R
from gulch.engine.fluids.cubic import attraction, compressibility, cubic_constants, unlike
from gulch.engine.fluids.electrolytes import speciate
from gulch.engine.fluids.fluid import dilution, phase_ln_phi, prepared_for
from gulch.engine.fluids.ideal_gas import ideal_gas, ln_psat
from gulch.engine.fluids.ions import CHARGE, N_ION, H
from gulch.engine.fluids.liquid import lacked, liquid_volume, pure_liquid_heat
from gulch.engine.fluids.mixture import LN_LIQUID, Fluid, Mixture

kernel = chapter(__name__)

STEP = 1e-4  # of T, over which ln phi is differenced where no formula for its slope is at hand


@kernel
def properties(mix: Mixture, T: float, P: float, x: Vector, name: int) -> tuple[float, float, float]:
    """Molar enthalpy [J/mol], entropy [J/(mol K)] and volume [m3/mol] of one phase."""
    n = x.size
    h_ig, s_ig = np.empty(n), np.empty(n)
    ideal_gas(T, mix.par, h_ig, s_ig)
    h = 0.0
    s = 0.0
    for i in range(n):
        if x[i] > 0.0:
            h += x[i] * h_ig[i]
            s += x[i] * (s_ig[i] - R * math.log(x[i]))
    s -= R * math.log(P / P0)
    if mix.kind == IDEAL:
        dh, ds, v = ideal_residuals(mix, T, P, x, name)
    elif mix.kind < PREDICTIVE_SRK:
        # The flash chose the stable root: choosing by Gibbs energy again gives the same one, but beside dissolved salts.
        dh, ds, v = cubic_residuals(mix, T, P, x, name if mix.par[0, DILUTED] != 0.0 else 0)
    else:
        dh, ds, v = differenced_residuals(mix, T, P, x, name)
    return h + dh, s + ds, v


@kernel
def volume_of(mix: Mixture, T: float, P: float, x: Vector, name: int) -> float:
    """The volume that `properties` gives [m3/mol], for whoever needs no more: heats take most models three looks."""
    if mix.kind == IDEAL:
        return ideal_residuals(mix, T, P, x, name)[2]
    if mix.kind < PREDICTIVE_SRK:
        return cubic_residuals(mix, T, P, x, name if mix.par[0, DILUTED] != 0.0 else 0)[2]
    v = level_of(mix, prepared_for(mix, T, P, name), x, name, np.empty(x.size))[1] * R * T / P
    return v + lacked(T, mix.par, x, v)[2] if mix.kind == PREDICTIVE_SRK else v


@kernel.part
def ideal_residuals(mix: Mixture, T: float, P: float, x: Vector, name: int) -> tuple[float, float, float]:
    """What a phase under Raoult's law has beyond an ideal gas at T and P: enthalpy, entropy; and its volume."""
    if name == VAPOUR:
        return 0.0, 0.0, R * T / P
    h, s, v = 0.0, 0.0, 0.0
    for i in range(x.size):
        dh, ds = pure_liquid_heat(T, P, mix.par, i)
        h += x[i] * dh
        s += x[i] * ds
        v += x[i] * liquid_volume(T, mix.par, i)
    return h, s, v


@kernel
def cubic_residuals(mix: Mixture, T: float, P: float, x: Vector, want: int) -> tuple[float, float, float]:
    """Residual enthalpy and entropy, and the volume, by a cubic equation (Michelsen & Mollerup, ch. 4); want as in `compressibility`."""
    n, par = x.size, mix.par
    d1, d2 = cubic_constants(mix.kind)
    q, dq, aij = np.empty(n), np.empty(n), np.empty((n, n))
    attraction(T, par, mix.pairs, q, dq, aij)
    a = 0.0
    da = 0.0
    b = 0.0
    for i in range(n):
        b += x[i] * par[i, B_]
        for j in range(n):
            a += x[i] * x[j] * aij[i, j]
            kij, dk = unlike(T, mix.pairs, i, j)
            da += x[i] * x[j] * ((1.0 - kij) * (dq[i] * q[j] + q[i] * dq[j]) - dk * q[i] * q[j])
    rt = R * T
    A, B = a * P / (rt * rt), b * P / rt
    Z = compressibility(A, B, d1, d2, want)
    log_term = math.log((Z + d1 * B) / (Z + d2 * B)) / (b * (d1 - d2))
    v = Z * rt / P
    dh, ds, dv = lacked(T, par, x, v)
    return rt * (Z - 1.0) + (T * da - a) * log_term + dh, R * math.log(Z - B) + da * log_term + ds, v + dv


@kernel
def differenced_residuals(mix: Mixture, T: float, P: float, x: Vector, name: int) -> tuple[float, float, float]:
    """Residual enthalpy -R T² sum(x d ln phi/dT), entropy h/T - R sum(x ln phi), and the volume, whatever the model.

    Of a liquid under an activity model only what mixing makes of it is differenced where the heats of its species are known.
    """
    ln_phi = np.empty(x.size)
    step = STEP * T
    slope = 0.0
    for sign in (1.0, -1.0):
        moved = prepared_for(mix, T + sign * step, P, name)
        slope += sign * level_of(mix, moved, x, name, ln_phi)[0]
    level, Z = level_of(mix, prepared_for(mix, T, P, name), x, name, ln_phi)
    h = -R * T * T * slope / (2.0 * step)
    s = h / T - R * level
    v = Z * R * T / P
    if mix.kind == PREDICTIVE_SRK:
        dh, ds, dv = lacked(T, mix.par, x, v)
        return h + dh, s + ds, v + dv
    if name == LIQUID:
        for i in range(x.size):
            if mix.par[i, HEAT_STEP] > 0.0:
                dh, ds = pure_liquid_heat(T, P, mix.par, i)
                h += x[i] * dh
                s += x[i] * ds
    return h, s, v


@kernel.part
def level_of(mix: Mixture, fluid: Fluid, x: Vector, name: int, ln_phi: Vector) -> tuple[float, float]:
    """Sum of x ln phi, under an activity model without the pure liquids of known heat; and Z. ln_phi: working space."""
    # a root of a cubic that has but one is the same whatever is wanted
    Z, _, _, _ = phase_ln_phi(fluid, x, name, ln_phi)
    level = 0.0
    for i in range(x.size):
        known = mix.kind >= UNIFAC and name == LIQUID and mix.par[i, HEAT_STEP] > 0.0
        level += x[i] * (ln_phi[i] - (fluid.own[LN_LIQUID, i] if known else 0.0))
    if name == LIQUID and mix.par[0, DILUTED] != 0.0:
        level -= dilution(fluid, x)  # the entropy of mixing with salts is counted where they are
    return level, Z


@kernel.entry
def phase_properties(
    T: float, P: float, x: Vector, name: int, kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix
) -> tuple[float, float, float]:
    """`properties` as Python calls them."""
    return properties(Mixture(kind, vapour, active, par, pairs, groups), T, P, x, name)


@kernel
def ln_phi(mix: Mixture, T: float, P: float, x: Vector, name: int) -> Vector:
    """ln fugacity coefficients of one phase of composition x (zeros allowed)."""
    n = x.size
    out = np.zeros(n)
    if mix.kind == IDEAL:
        if name == LIQUID:
            for i in range(n):
                out[i] = ln_psat(T, mix.par, i)[0] - math.log(P)
        return out
    phase_ln_phi(prepared_for(mix, T, P, name), x, name, out)
    return out


@kernel.entry
def ln_phi_phase(
    T: float, P: float, x: Vector, name: int, kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix
) -> Vector:
    """`ln_phi` as Python calls it."""
    return ln_phi(Mixture(kind, vapour, active, par, pairs, groups), T, P, x, name)


@kernel.entry
def ln_gammas(T: Vector, P: float, x: Matrix, kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix) -> Matrix:
    """ln activity coefficients of an activity model's liquids, shape (k, n), at temperatures of shape (k,) and compositions (k, n)."""
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    n = x.shape[1]
    out, pure, alone = np.empty((T.size, n)), np.zeros(n), np.zeros(n)
    for k in range(T.size):
        if k == 0 or T[k] != T[k - 1]:
            for i in range(n):
                alone[i] = 1.0
                pure[i] = ln_phi(mix, T[k], P, alone, LIQUID)[i]
                alone[i] = 0.0
        mixed = ln_phi(mix, T[k], P, x[k], LIQUID)
        for i in range(n):
            out[k, i] = mixed[i] - pure[i]
    return out


@kernel.entry
def dissociated_in(
    T: float, P: float, x: Vector, kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix
) -> Vector:
    """pH, ionic strength, and molalities [mol/kg] of the ions and of the free molecules in a liquid of composition x."""
    m, free, ln_g, ln_f, mixed, ln_phi_of = np.empty(N_ION), np.empty(4), np.empty(N_ION), np.empty(4), np.empty(4), np.empty(x.size)
    fluid = prepared_for(Mixture(kind, vapour, active, par, pairs, groups), T, P, LIQUID)
    speciate(fluid, x, m, free, ln_g, ln_f, mixed, ln_phi_of)
    out = np.empty(2 + N_ION + 4)
    out[0] = -(math.log(m[H]) + ln_g[H]) / math.log(10.0)
    out[1] = 0.0
    for i in range(N_ION):
        out[2 + i] = m[i]
        out[1] += 0.5 * m[i] * CHARGE[i] * CHARGE[i]
    for b in range(4):
        out[2 + N_ION + b] = free[b]
    return out
