"""How a flashed state answers to small changes of amounts, pressure, and temperature or enthalpy, by the implicit function theorem.

The phases of a state have equal fugacities, before a change and after it; so the changes of their amounts and of the temperature solve
linear equations (Michelsen & Mollerup, Thermodynamic Models, 2nd ed., ch. 10, for the matrices; the theorem is any textbook's).
Composition enters by formulas, temperature and pressure of one phase by differences of smooth functions.

Notation: T [K], P [Pa]; m phases of n species; changes come in k columns. Everything extensive: mol/s, W.
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Places, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import fill_rows
from gulch.engine.fluids.constants import DILUTED, ENTHALPY, ENTROPY, IDEAL, P0, PREDICTIVE_SRK, VAPOUR_SHARE, R
from gulch.engine.fluids.derivatives import ln_phi_derivatives
from gulch.engine.fluids.fluid import phase_ln_phi, prepared_for
from gulch.engine.fluids.ideal_gas import ideal_gas
from gulch.engine.fluids.linear import factor, substitute
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.fluids.phase import cubic_residuals, ln_phi, properties

kernel = chapter(__name__)

T_STEP = 1e-4  # of T, over which one phase is differenced
P_STEP = 1e-4  # of P
X_STEP = 1e-4  # of all moles, by which one species is raised and lowered
LEAST = 1e-14  # mole fraction that stands for a species that is not there, so that it has somewhere to go


@kernel.part
def wanted(mix: Mixture, name: int, phases: int) -> int:
    """The phase to ask for: of one that stands alone a cubic equation takes the root of lower Gibbs energy, as its flash did.

    Among several each is asked for by its name: next to a pure species all roots are alike, and a step would take another.
    """
    alone = phases == 1 and mix.kind != IDEAL and mix.kind < PREDICTIVE_SRK and mix.par[0, DILUTED] == 0.0
    return 0 if alone else name


@kernel
def ln_f_slopes(mix: Mixture, T: float, P: float, x: Vector, name: int, want: int, by_n: Matrix, by_T: Vector, by_P: Vector) -> None:
    """Fill d ln f_i/d n_j at one mole in all but for the term of mixing, and d ln f_i/dT, d ln f_i/dP, of one phase.

    want: the phase to ask for, 0 for that of lower Gibbs energy.
    """
    n = x.size
    step = T_STEP * T
    above, below = ln_phi(mix, T + step, P, x, want), ln_phi(mix, T - step, P, x, want)
    for i in range(n):
        by_T[i] = (above[i] - below[i]) / (2.0 * step)
    step = P_STEP * P
    above, below = ln_phi(mix, T, P + step, x, want), ln_phi(mix, T, P - step, x, want)
    for i in range(n):
        by_P[i] = (above[i] - below[i]) / (2.0 * step) + 1.0 / P
    if mix.kind == IDEAL:
        fill_rows(by_n, 0.0)
        return
    fluid = prepared_for(mix, T, P, want)
    Z, A, B, found = phase_ln_phi(fluid, x, want, np.empty(n))
    ln_phi_derivatives(fluid, x, Z, found if found != 0 else name, by_n)


@kernel
def property_slopes(mix: Mixture, T: float, P: float, x: Vector, name: int, want: int, total: float, a: int, out: Cube) -> None:
    """Fill out[:, a] with the partial molar enthalpies, entropies and volumes of `total` moles of phase a, then their slopes by T and P.

    The entropy of mixing is no smooth function of a trace, so its formula is added to what is differenced.
    """
    n = x.size
    moved, here, one, other = np.empty(n), np.empty(3), np.empty(3), np.empty(3)
    smooth(mix, T, P, x, name, want, here)
    for j in range(n):
        central = x[j] > 2.0 * X_STEP  # of a trace forwards only: one step and two
        for turn in range(2):
            step = X_STEP if turn == 0 else (-X_STEP if central else 2.0 * X_STEP)
            for i in range(n):
                moved[i] = (x[i] + (step if i == j else 0.0)) / (1.0 + step)
            found = one if turn == 0 else other
            smooth(mix, T, P, moved, name, want, found)
            for p in range(3):
                found[p] *= 1.0 + step
        for p in range(3):
            slope = one[p] - other[p] if central else 4.0 * one[p] - other[p] - 3.0 * here[p]
            out[p, a, j] = slope / (2.0 * X_STEP)
        out[ENTROPY, a, j] -= R * math.log(x[j])
    for turn in range(2):
        step = T_STEP * T if turn == 0 else P_STEP * P
        dT, dP = (step, 0.0) if turn == 0 else (0.0, step)
        smooth(mix, T + dT, P + dP, x, name, want, one)
        smooth(mix, T - dT, P - dP, x, name, want, other)
        for p in range(3):
            out[p, a, n + turn] = total * (one[p] - other[p]) / (2.0 * step)


@kernel
def smooth(mix: Mixture, T: float, P: float, x: Vector, name: int, want: int, out: Vector) -> None:
    """Molar enthalpy, entropy without that of ideal mixing, and volume of one phase; want: the root of a cubic equation."""
    if mix.kind != IDEAL and mix.kind < PREDICTIVE_SRK:
        h, s = np.empty(x.size), np.empty(x.size)
        ideal_gas(T, mix.par, h, s)
        dh, ds, v = cubic_residuals(mix, T, P, x, want)
        out[0], out[1], out[2] = dh, ds - R * math.log(P / P0), v
        for i in range(x.size):
            out[0] += x[i] * h[i]
            out[1] += x[i] * s[i]
        return
    out[0], out[1], out[2] = properties(mix, T, P, x, name)
    for i in range(x.size):
        if x[i] > 0.0:
            out[1] += R * x[i] * math.log(x[i])


@kernel
def with_traces(mix: Mixture, T: float, P: float, amounts: Matrix, names: Places) -> Matrix:
    """Amounts of the phases, species that are not there given a trace that stands at equilibrium."""
    m, n = amounts.shape
    out, levels = np.empty((m, n)), np.empty((m, n))
    totals, whole = np.zeros(m), 0.0
    for a in range(m):
        for i in range(n):
            out[a, i] = amounts[a, i]
            totals[a] += amounts[a, i]
        whole += totals[a]
    lacking = False
    for i in range(n):
        there = 0.0
        for a in range(m):
            there += amounts[a, i]
        lacking = lacking or there <= LEAST * whole
    if not lacking:
        return out
    x = np.empty(n)
    for a in range(m):
        for i in range(n):
            x[i] = amounts[a, i] / totals[a]
        found = ln_phi(mix, T, P, x, wanted(mix, names[a], m))
        for i in range(n):
            levels[a, i] = found[i]
    for i in range(n):
        there = 0.0
        for a in range(m):
            there += amounts[a, i]
        if there > LEAST * whole:
            continue
        shares, low = 0.0, levels[0, i]
        for a in range(1, m):
            low = min(low, levels[a, i])
        for a in range(m):
            out[a, i] = totals[a] * math.exp(max(low - levels[a, i], -300.0))
            shares += out[a, i]
        for a in range(m):
            out[a, i] *= LEAST * whole / shares
    return out


@kernel
def equations(mix: Mixture, T: float, P: float, amounts: Matrix, names: Places, hold: int, M: Matrix, of: Cube, rest: Matrix) -> None:
    """Fill the equations of all changes: M on those of the first m - 1 phases and of ln T, rest on what is given.

    Unknown are the amounts of all phases but the last, phase by phase, and T; the last phase has what is left. Given are the whole's
    amounts and P. Rows: equal fugacities, and last what is held. of: what `property_slopes` fills, shape (3, m, n + 2).
    """
    m, n = amounts.shape
    size = (m - 1) * n
    slopes, by_T, by_P = np.empty((m * n, n)), np.empty((m, n)), np.empty((m, n))
    x = np.empty(n)
    for a in range(m):
        total = 0.0
        for i in range(n):
            total += amounts[a, i]
        for i in range(n):
            x[i] = amounts[a, i] / total
        want = wanted(mix, names[a], m)
        property_slopes(mix, T, P, x, names[a], want, total, a, of)
        if m == 1:
            continue
        ln_f_slopes(mix, T, P, x, names[a], want, slopes[a * n : (a + 1) * n], by_T[a], by_P[a])
        for i in range(n):
            for j in range(n):
                slopes[a * n + i, j] = (slopes[a * n + i, j] - 1.0 + (1.0 / x[i] if i == j else 0.0)) / total
    fill_rows(M, 0.0)
    fill_rows(rest, 0.0)
    last = m - 1
    for a in range(m - 1):
        for i in range(n):
            row = a * n + i
            for j in range(n):
                M[row, a * n + j] += slopes[row, j]
                for b in range(m - 1):
                    M[row, b * n + j] += slopes[last * n + i, j]
                rest[row, j] = slopes[last * n + i, j]
            M[row, size] = by_T[a, i] - by_T[last, i]
            rest[row, n] = by_P[last, i] - by_P[a, i]
    if hold in (ENTHALPY, ENTROPY):
        for a in range(m):
            M[size, size] += of[hold, a, n]
            rest[size, n] -= of[hold, a, n + 1]
        for j in range(n):
            for a in range(m - 1):
                M[size, a * n + j] = of[hold, a, j] - of[hold, last, j]
            rest[size, j] = -of[hold, last, j]
    elif hold == VAPOUR_SHARE:
        vapour, whole = 0.0, 0.0
        for j in range(n):
            vapour += amounts[0, j]
            for a in range(m):
                whole += amounts[a, j]
        for j in range(n):
            M[size, j] = 1.0
            rest[size, j] = vapour / whole
    else:
        M[size, size] = 1.0


@kernel.entry
def state_slopes(
    T: float, P: float, amounts: Matrix, names: Places, hold: int, moved: Matrix,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[bool, Matrix]:  # fmt: skip
    """Changes of a flashed state in k directions.

    amounts: of each phase [mol/s], shape (m, n), with its name (VAPOUR, LIQUID); hold: what is given beside amounts and P:
    ENTHALPY [W], ENTROPY [W/K], VAPOUR_SHARE (moles of vapour [mol/s] beyond the share), any other number: T [K]. moved: changes of the
    whole's n amounts, of P, and of what is held, shape (n + 2, k).
    Returns (whether they could be had, changes): of each phase its n amounts and its flows of enthalpy, entropy and volume, and of T: shape
    (m (n + 3) + 1, k).
    """
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    m, n = amounts.shape
    k, size = moved.shape[1], (m - 1) * n
    amounts = with_traces(mix, T, P, amounts, names)
    M, of, rest = np.empty((size + 1, size + 1)), np.empty((3, m, n + 2)), np.empty((size + 1, n + 1))
    equations(mix, T, P, amounts, names, hold, M, of, rest)
    scale = np.empty(size + 1)
    scale[size] = T
    for a in range(m - 1):
        for i in range(n):
            scale[a * n + i] = math.sqrt(amounts[a, i] * amounts[m - 1, i] / (amounts[a, i] + amounts[m - 1, i]))
    for r in range(size + 1):
        if r == size:
            for c in range(size + 1):
                M[r, c] *= scale[c]
            continue
        for c in range(size + 1):
            M[r, c] *= scale[r] * scale[c]
    weight = 1.0
    if hold in (ENTHALPY, ENTROPY):  # so that no row is far larger than the others
        weight = 0.0
        for c in range(size + 1):
            weight = max(weight, abs(M[size, c]))
        weight = 1.0 / weight if weight > 0.0 else 1.0
        for c in range(size + 1):
            M[size, c] *= weight
    order = np.empty(size + 1, np.int64)
    out = np.zeros((m * (n + 3) + 1, k))
    if not factor(M, order):
        return False, out
    right = np.empty(size + 1)
    for c in range(k):
        for r in range(size + 1):
            right[r] = 0.0
            for j in range(n + 1):
                right[r] += rest[r, j] * moved[j, c]
        right[size] += moved[n + 1, c]
        for r in range(size):
            right[r] *= scale[r]
        right[size] *= weight
        substitute(M, order, right)
        tell(amounts, of, moved, right, scale, out, c)
    return True, out


@kernel
def tell(amounts: Matrix, of: Cube, moved: Matrix, right: Vector, scale: Vector, out: Matrix, c: int) -> None:
    """Write column c of the changes from the scaled solution `right`."""
    m, n = amounts.shape
    size = (m - 1) * n
    dT = right[size] * scale[size]
    out[m * (n + 3), c] = dT
    for i in range(n):
        left = moved[i, c]
        for a in range(m - 1):
            change = right[a * n + i] * scale[a * n + i]
            out[a * (n + 3) + i, c] = change
            left -= change
        out[(m - 1) * (n + 3) + i, c] = left
    for a in range(m):
        for p in range(3):
            flow = of[p, a, n] * dT + of[p, a, n + 1] * moved[n, c]
            for i in range(n):
                flow += of[p, a, i] * out[a * (n + 3) + i, c]
            out[a * (n + 3) + n + p, c] = flow


@kernel.entry
def fugacity_slopes(
    T: float, P: float, x: Vector, name: int, kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix
) -> Matrix:
    """Of one phase of composition x (none zero): d ln f_i/d n_j at one mole in all, then d ln f_i/dT and d ln f_i/dP: shape (n, n + 2)."""
    n = x.size
    by_n, by_T, by_P, out = np.empty((n, n)), np.empty(n), np.empty(n), np.empty((n, n + 2))
    ln_f_slopes(Mixture(kind, vapour, active, par, pairs, groups), T, P, x, name, name, by_n, by_T, by_P)
    for i in range(n):
        for j in range(n):
            out[i, j] = by_n[i, j] - 1.0 + (1.0 / x[i] if i == j else 0.0)
        out[i, n], out[i, n + 1] = by_T[i], by_P[i]
    return out
