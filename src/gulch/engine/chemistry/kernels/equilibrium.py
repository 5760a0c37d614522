"""Chemical equilibrium: Newton's method on extents and on element potentials.

Smith & Missen, Chemical Reaction Equilibrium Analysis (1982), ch. 4 and 6; Gordon & McBride, NASA RP-1311 (1994), ch. 2
for the element potentials, the condensed species and the damping.

Notation: T [K], P [Pa]; n, ln_n: shape (n,); nu: shape (m, n); extents: shape (m,); A: atoms, shape (elements, n).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Places, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import copied, fill, fill_rows, fractions, sum_of
from gulch.engine.fluids.constants import FOUND, MAX_NEWTON, NOT_FOUND, P0
from gulch.engine.fluids.linear import eliminate
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.fluids.phase import ln_phi as ln_phi_of

TRACE = 100.0  # amounts are followed down to e^-100 (about 1e-43) of what reacts

kernel = chapter(__name__)


@kernel
def newton_extents(n0: Vector, nu: Matrix, move: Matrix, target: Vector, still: float, x: Vector) -> tuple[int, Vector, Vector, float]:
    """Newton's method on nu @ ln(n/N) = target with n = n0 + x @ move above zero and N = sum(n) + still.

    nu, move: shape (m, k); with move = nu this minimises a convex Gibbs energy. x: start inside, shape (m,).
    The amounts are carried along beside the extents, so that a trace keeps its figures where n0 + x @ move rounds.
    Returns (outcome, x, n, largest error in ln K).
    """
    m, k = nu.shape
    same = True
    for r in range(m):
        for i in range(k):
            if nu[r, i] != move[r, i]:
                same = False
    order, order_move = np.empty(m), np.empty(m)
    for r in range(m):
        order[r], order_move[r] = sum_of(nu[r]), sum_of(move[r])
    g, H = np.empty(m), np.empty((m, m))
    n, trial = np.empty(k), np.empty(k)
    worst = np.inf
    dn, step, scale = np.empty(k), np.empty(m), np.empty(m)
    for i in range(k):
        n[i] = n0[i]
        for r in range(m):
            n[i] += x[r] * move[r, i]
        n[i] = max(n[i], 1e-300)
    for _ in range(MAX_NEWTON):
        total = still
        for i in range(k):
            total += n[i]
        worst = 0.0
        norm = 0.0
        for r in range(m):
            g[r] = -target[r]
            for i in range(k):
                if nu[r, i] != 0.0:
                    g[r] += nu[r, i] * math.log(n[i] / total)
            worst = max(worst, abs(g[r]))
            norm += g[r] * g[r]
        for r in range(m):
            for q in range(m):
                H[r, q] = -order[r] * order_move[q] / total
                for i in range(k):
                    H[r, q] += nu[r, i] * move[q, i] / n[i]
        for r in range(m):
            scale[r] = math.sqrt(abs(H[r, r])) if H[r, r] != 0.0 else 1.0
        for r in range(m):
            for q in range(m):
                H[r, q] /= scale[r] * scale[q]
        for r in range(m):
            step[r] = -g[r] / scale[r]
        eliminate(H, step)
        for r in range(m):
            step[r] /= scale[r]
        length = 1.0
        largest = 0.0
        for i in range(k):
            dn[i] = 0.0
            for r in range(m):
                dn[i] += step[r] * move[r, i]
            if dn[i] < 0.0:
                length = min(length, -0.95 * n[i] / dn[i])
        decrease = 0.0
        for r in range(m):
            decrease += g[r] * step[r]
        for _ in range(60):
            low = np.inf
            total_trial = still
            for i in range(k):
                trial[i] = n[i] + length * dn[i]
                low = min(low, trial[i])
                total_trial += trial[i]
            if low > 0.0:
                along = 0.0
                norm_trial = 0.0
                for r in range(m):
                    gr = -target[r]
                    for i in range(k):
                        if nu[r, i] != 0.0:
                            gr += nu[r, i] * math.log(trial[i] / total_trial)
                    along += gr * step[r]
                    norm_trial += gr * gr
                if same:
                    if along <= 1e-3 * abs(decrease):
                        break
                elif norm_trial < norm:
                    break
            length *= 0.5
        relative = 0.0
        for i in range(k):
            relative = max(relative, abs(length * dn[i]) / n[i])
            largest = max(largest, abs(length * dn[i]))
            n[i] = max(n[i] + length * dn[i], 1e-300)
        for r in range(m):
            x[r] += length * step[r]
        if worst < 1e-11 or relative < 1e-14:
            return FOUND, x, n, worst
        if largest < 1e-16 * total and worst < 1e-8 or largest < 1e-30 * total:
            return FOUND, x, n, worst  # complete to rounding: a constant this large or small leaves nothing to resolve
    if worst < 1e-8:
        return FOUND, x, n, worst
    return NOT_FOUND, x, n, worst


@kernel.entry
def free_extents(n0: Vector, nu: Matrix, move: Matrix, target: Vector, still: float, x: Vector) -> tuple[int, Vector, Vector, float]:
    """`newton_extents` as Python calls it."""
    return newton_extents(n0, nu, move, target, still, x)


@kernel.entry
def newton_elements(
    A: Matrix, b: Vector, g: Vector, still: float, ln_n: Vector, a_solid: Matrix, g_solid: Vector, n_solid: Vector
) -> tuple[int, Vector, Vector, Vector, float]:
    """Element-potential iteration on ln n.

    A: atoms, shape (E, k), independent rows; b: shape (E,); g: standard potentials over RT with the fugacity
    terms, shape (k,); still: amount of gas that takes no part. a_solid, g_solid: the same for pure condensed species, shapes
    (E, s) and (s,), of amounts n_solid, shape (s,), changed (may come out negative: such a one does not form).
    Returns (outcome, ln n, potentials, n_solid, element error).
    """
    E, k = A.shape
    solids = g_solid.size
    size = E + 1 + solids
    potentials = np.zeros(E)
    closure, moved = np.inf, np.inf
    n = np.empty(k)
    mu, d = np.empty(k), np.empty(k)
    M, right, scale = np.zeros((size, size)), np.zeros(size), np.empty(size)
    for _ in range(MAX_NEWTON):
        total = 0.0
        for i in range(k):
            n[i] = math.exp(ln_n[i])
            total += n[i]
        ln_total = math.log(total + still)
        fill_rows(M, 0.0)
        fill(right, 0.0)
        for i in range(k):
            mu[i] = g[i] + ln_n[i] - ln_total
            for e in range(E):
                mu[i] -= potentials[e] * A[e, i]
        for e in range(E):
            An = 0.0
            for i in range(k):
                An += A[e, i] * n[i]
                right[e] += A[e, i] * n[i] * mu[i]
            for f in range(E):
                for i in range(k):
                    M[e, f] += A[e, i] * n[i] * A[f, i]
            M[e, E] = An
            M[E, e] = An
            right[e] += b[e] - An
            for j in range(solids):
                M[e, E + 1 + j] = a_solid[e, j]
                M[E + 1 + j, e] = a_solid[e, j]
                right[e] -= a_solid[e, j] * n_solid[j]
                right[E + 1 + j] -= a_solid[e, j] * potentials[e]
        M[E, E] = -still
        for i in range(k):
            right[E] += n[i] * mu[i]
        for e in range(E):  # what only solids hold has no gas to be scaled by
            scale[e] = math.sqrt(M[e, e]) if M[e, e] > 1e-300 else math.sqrt(total + still)
        scale[E] = math.sqrt(total + still)
        for j in range(solids):
            right[E + 1 + j] += g_solid[j]
            scale[E + 1 + j] = 1.0 / math.sqrt(total + still)
        for r in range(size):
            right[r] /= scale[r]
            for c in range(size):
                M[r, c] /= scale[r] * scale[c]
        solved = eliminate(M, right)
        for r in range(size):
            solved[r] /= scale[r]
        d_total = solved[E]
        largest, length = 5.0 * abs(d_total), 1.0
        ln_gas = math.log(total)
        for i in range(k):
            d[i] = d_total - mu[i]
            for e in range(E):
                d[i] += solved[e] * A[e, i]
            # steps of the large species are limited to e^2, small ones may not grow past 1e-4 of the whole at once
            if ln_n[i] - ln_gas > -18.42:
                largest = max(largest, abs(d[i]))
            elif d[i] > 0.0:
                length = min(length, (ln_gas - ln_n[i] - 9.2103404) / max(d[i], 1e-300))
        if largest > 2.0:
            length = min(length, 2.0 / largest)
        floor = ln_gas - TRACE
        moved, traces = 0.0, 0.0
        for i in range(k):
            moved = max(moved, n[i] * abs(d[i]) / total)
            ln_n[i] = max(ln_n[i] + length * d[i], floor)
            if ln_n[i] > floor + 3.0:
                traces = max(traces, abs(d[i]))
        for e in range(E):
            potentials[e] += solved[e]
        for j in range(solids):
            moved = max(moved, abs(solved[E + 1 + j]) / (total + abs(n_solid[j])))
            n_solid[j] += length * solved[E + 1 + j]
        closure = 0.0
        for e in range(E):
            have = 0.0
            for j in range(solids):
                have += a_solid[e, j] * n_solid[j]
            for i in range(k):
                have += A[e, i] * math.exp(ln_n[i])
            closure = max(closure, abs(have - b[e]) / b[e])
        if length == 1.0 and moved < 1e-13 and closure < 1e-11 and traces < 1e-9:
            return FOUND, ln_n, potentials, n_solid, closure
    # Elements in the exact ratio of one species leave a direction without curvature: the caller puts the rest right.
    return NOT_FOUND, ln_n, potentials, n_solid, moved


@kernel
def moving(start: Vector, nu: Matrix, move: Matrix, at: Places) -> tuple[Vector, Matrix, Matrix]:
    """start, nu and move of the species at some positions alone."""
    m, k = nu.shape[0], at.size
    nu_t, move_t, start_t = np.empty((m, k)), np.empty((m, k)), np.empty(k)
    for c in range(k):
        start_t[c] = start[at[c]]
        for r in range(m):
            nu_t[r, c] = nu[r, at[c]]
            move_t[r, c] = move[r, at[c]]
    return start_t, nu_t, move_t


@kernel.entry
def extents_in_phase(
    T: float, P: float, start: Vector, nu: Matrix, move: Matrix, at: Places, target: Vector, x: Vector, phase: int, max_outer: int,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[int, Vector, Vector, Vector, int, float]:  # fmt: skip
    """Equilibrium of reactions in one phase with constants for f/P0, fugacities updated round Newton's method.

    start: amounts at x = 0, shape (n,); nu, move: shape (m, n); at: positions of the species that move; target: ln K.
    Returns (outcome, x, n, ln_phi, passes, error): outcome NOT_FOUND with passes = max_outer when the fugacities
    do not come to rest. parts: fields of the Mixture.
    """
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    m, n_all, k = nu.shape[0], start.size, at.size
    ln_p = math.log(P / P0)
    ln_phi = np.zeros(n_all)
    start_t, nu_t, move_t = moving(start, nu, move, at)
    still, size = max(sum_of(start) - sum_of(start_t), 0.0), 0.0
    for i in range(n_all):
        size += abs(start[i])
    n = copied(start)
    effective = np.empty(m)
    error = 0.0
    for outer in range(1, max_outer + 1):
        for r in range(m):
            effective[r] = target[r]
            for i in range(n_all):
                effective[r] -= nu[r, i] * (ln_phi[i] + ln_p)
        outcome, x, traced, error = newton_extents(start_t, nu_t, move_t, effective, still, x)
        if outcome != FOUND:
            return NOT_FOUND, x, n, ln_phi, outer, error
        for c in range(k):
            value = start_t[c]
            for r in range(m):
                value += x[r] * move_t[r, c]
            n[at[c]] = value if value > 1e-8 * size else traced[c]
        latest = ln_phi_of(mix, T, P, fractions(n), phase)
        change = 0.0
        for i in range(n_all):
            change = max(change, abs(latest[i] - ln_phi[i]))
        ln_phi = latest
        if change < 1e-11:
            return FOUND, x, n, ln_phi, outer, error
    return NOT_FOUND, x, n, ln_phi, max_outer, error


@kernel.entry
def ln_quotients(n: Vector, nu: Matrix, ln_phi: Vector, ln_p: float) -> Vector:
    """ln of the products of f/P0 of each reaction, shape (m,); ln_p: ln P/P0. Infinite where a species is used up."""
    total = sum_of(n)
    out = np.zeros(nu.shape[0])
    for i in range(n.size):
        ln_a = (math.log(n[i] / total) if n[i] > 0.0 else -np.inf) + ln_phi[i] + ln_p
        for r in range(nu.shape[0]):
            if nu[r, i] != 0.0:
                out[r] += nu[r, i] * ln_a
    return out
