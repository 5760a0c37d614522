"""How the fugacity coefficients of one phase change with its composition, whatever its model.

Notation: T [K], P [Pa]; x: shape (n,); out: shape (n, n).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.activity import gamma_derivatives, group_derivatives, mended_derivatives
from gulch.engine.fluids.arrays import fill_rows
from gulch.engine.fluids.constants import B_, DISSOLVED, ELECTROLYTES, IDEAL, LIQUID, PREDICTIVE_SRK, VAPOUR, R
from gulch.engine.fluids.cubic import cubic_ln_phi_derivatives
from gulch.engine.fluids.fluid import A1, phase_ln_phi, predictive_attraction
from gulch.engine.fluids.mixture import MENDED, N_OWN, ROOT, Fluid

kernel = chapter(__name__)


@kernel
def liquid_derivatives(fluid: Fluid, x: Vector, out: Matrix) -> None:
    """`ln_phi_derivatives` of a liquid under an activity model."""
    n = x.size
    alone, solvent = np.empty(n), 0.0
    for i in range(n):
        alone[i] = x[i] if fluid.par[i, DISSOLVED] == 0.0 else 0.0
        solvent += alone[i]
    if solvent <= 0.0:
        fill_rows(out, 0.0)
        return
    for i in range(n):
        alone[i] /= solvent
    gamma_derivatives(fluid.kind, alone, fluid.par, fluid.groups, fluid.own[N_OWN : N_OWN + n], fluid.own[N_OWN + n : N_OWN + 2 * n], out)
    henry = fluid.own[N_OWN + 2 * n :]
    if fluid.own[MENDED, 0] > 0.0:
        mended_derivatives(alone, fluid.par, henry, out)
    for i in range(n):
        for j in range(n):
            out[i, j] = 0.0 if fluid.par[i, DISSOLVED] + fluid.par[j, DISSOLVED] > 0.0 else out[i, j] / solvent
    for d in range(n):
        if fluid.par[d, DISSOLVED] == 0.0:
            continue
        mean, share = 0.0, x[d] / (solvent * solvent)
        for j in range(n):
            mean += alone[j] * henry[d, j]
        for i in range(n):
            if fluid.par[i, DISSOLVED] > 0.0:
                continue
            out[d, i] = out[i, d] = (henry[d, i] - mean) / solvent
            for j in range(n):
                if fluid.par[j, DISSOLVED] == 0.0:
                    out[i, j] -= share * (henry[d, i] + henry[d, j] - 2.0 * mean)


@kernel
def vapour_derivatives(fluid: Fluid, y: Vector, out: Matrix) -> None:
    """`ln_phi_derivatives` of an ideal vapour, zero but for dimers, where ln phi is differenced."""
    associates = False
    for i in range(y.size):
        associates = associates or fluid.own[ROOT, i] > 0.0
    if associates:
        differenced(fluid, y, VAPOUR, out)
    else:
        fill_rows(out, 0.0)


@kernel
def differenced(fluid: Fluid, x: Vector, name: int, out: Matrix) -> None:
    """`ln_phi_derivatives` by differences."""
    n = x.size
    here, there, moved = np.empty(n), np.empty(n), np.empty(n)
    phase_ln_phi(fluid, x, name, here)
    for j in range(n):
        step = 1e-6 if name == VAPOUR else max(1e-12, 1e-4 * x[j])
        for i in range(n):
            moved[i] = (x[i] + (step if i == j else 0.0)) / (1.0 + step)
        phase_ln_phi(fluid, moved, name, there)
        for i in range(n):
            out[i, j] = (there[i] - here[i]) / step
    for i in range(n):
        for j in range(i):
            out[i, j] = out[j, i] = 0.5 * (out[i, j] + out[j, i])


@kernel
def predictive_derivatives(fluid: Fluid, x: Vector, Z: float, out: Matrix) -> None:
    """`ln_phi_derivatives` of predictive SRK, of the phase with compressibility Z."""
    n = x.size
    rt = R * fluid.T
    group_derivatives(x, fluid.par, fluid.groups, out)
    partial = np.empty(n)
    b, alpha = predictive_attraction(fluid, x, partial)
    B = b * fluid.P / rt
    A = alpha * B
    log_term = math.log((Z + B) / Z)
    slope = 3.0 * Z * Z - 2.0 * Z + A - B - B * B
    for j in range(n):
        db = fluid.par[j, B_] - b
        dB = db * fluid.P / rt
        dA = (partial[j] - alpha) * B + alpha * dB
        dZ = -((Z - B) * dA - (Z + 2.0 * B * Z + A) * dB) / slope
        d_log = (dZ + dB) / (Z + B) - dZ / Z
        for i in range(n):
            bi = fluid.par[i, B_]
            d_partial = (out[i, j] + db / b - bi * db / (b * b)) / A1
            out[i, j] = bi / b * dZ - bi * db / (b * b) * (Z - 1.0) - (dZ - dB) / (Z - B) - d_partial * log_term - partial[i] * d_log


@kernel
def ln_phi_derivatives(fluid: Fluid, x: Vector, Z: float, name: int, out: Matrix) -> None:
    """Fill out[i, j] = d ln phi_i / d n_j at one mole in all, of a phase that `phase_ln_phi` returned with that Z and name."""
    if fluid.kind < PREDICTIVE_SRK or (name == VAPOUR and fluid.vapour != IDEAL):
        d1, d2 = (fluid.d1, fluid.d2) if fluid.kind < PREDICTIVE_SRK else (1.0, 0.0)
        cubic_ln_phi_derivatives(fluid.T, fluid.P, x, Z, fluid.par, fluid.aij, d1, d2, out)
        return
    if fluid.kind == PREDICTIVE_SRK:
        predictive_derivatives(fluid, x, Z, out)
    elif fluid.kind == ELECTROLYTES and name == LIQUID:
        differenced(fluid, x, name, out)
    elif name == LIQUID:
        liquid_derivatives(fluid, x, out)
    else:
        vapour_derivatives(fluid, x, out)
