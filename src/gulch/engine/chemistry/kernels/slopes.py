"""Rates of a pack of rate laws, and how they change with extents and with the numbers in the laws: by formulas, not by differences.

Only ln phi, where a law counts fugacities or activities, is differenced along the extents.

Notation: T [K], P [Pa], v [m3/mol]; x: mole fractions, shape (n,); xi: extents, shape (m,). Along an extent: x_along, shape (m, n), v_along
and ln_p_along, shape (m,), are the derivatives of x, v and ln P. asked: what is asked for, shape (p, 3): reaction, which number of it,
and which species, term or constant that is of; pivots, shape (p,): 1/T [1/K] at which k stays where an energy is turned, ln T where a
power of T is, ln q where an order is.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gulch.engine.chemistry.kernels.rates import (
    ADD,
    CONCENTRATION,
    DIVIDE,
    EXP,
    FORMULA,
    FROM_EQUILIBRIUM,
    FUGACITY,
    HIGHEST,
    IRREVERSIBLE,
    LIQUID_ACTIVITY,
    LN,
    LOG10,
    LOWEST,
    MULTIPLY,
    N_E,
    N_E_R,
    N_EXPONENT,
    N_LN_K,
    N_LN_KR,
    N_POWER,
    N_POWER_R,
    N_SCALE,
    NEGATE,
    OWN_REVERSE,
    PARTIAL_PRESSURE,
    PUSH,
    PUSH_C,
    PUSH_P,
    PUSH_PP,
    PUSH_T,
    PUSH_X,
    RAISE,
    SQRT,
    SUBTRACT,
    TANH,
    VANISHING,
    W_ADSORPTION,
    W_BASIS,
    W_LAW,
    W_PROGRAM,
    W_QUOTIENT,
    W_REVERSE,
    Rates,
    ln_k_of,
    ln_phi_of_pure,
    ln_quantities,
    needed,
)
from gulch.engine.compiling import Matrix, Vector, Ways, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import fill_rows
from gulch.engine.fluids.constants import R
from gulch.engine.fluids.ideal_gas import ideal_gas
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.fluids.phase import ln_phi as ln_phi_of

kernel = chapter(__name__)

A_REACTION, A_WHICH, A_OF = 0, 1, 2  # columns of what is asked
(LN_K, ENERGY, POWER_OF_T, ORDER, LN_KR, ENERGY_R, POWER_R, ORDER_R, LN_STRENGTH, HEAT, STRENGTH_POWER, EXPONENT, CONSTANT, NUMBER,
 CONSTANT_HEAT) = range(15)  # fmt: skip
SMALLEST = 1e-100  # mole fraction: below it nothing is counted
STEP = 1e-5  # of all that is there, by which ln phi is differenced


class Along(NamedTuple):
    """How a state changes with each extent."""

    x: Matrix  # (m, n)
    v: Vector  # (m,)
    ln_p: Vector


@kernel.part
def ln_quantity_along(basis: int, s: int, i: int, x: float, v: float, along: Along, ln_phi: Matrix) -> float:
    """d ln q_i / d xi_s."""
    slope = along.x[s, i] / max(x, SMALLEST)
    if basis == CONCENTRATION:
        return slope - along.v[s] / v
    if basis == PARTIAL_PRESSURE:
        return slope + along.ln_p[s]
    if basis == FUGACITY:
        return slope + along.ln_p[s] + ln_phi[s, i]
    if basis == LIQUID_ACTIVITY:
        return slope + ln_phi[s, i]
    return slope


@kernel
def ln_phi_along(mix: Mixture, T: float, P: float, x: Vector, phase: int, along: Along, out: Matrix) -> None:
    """d ln phi_i / d xi_s, shape (m, n), by central differences."""
    m, n = along.x.shape
    moved = np.empty(n)
    for s in range(m):
        size = abs(along.ln_p[s])
        for i in range(n):
            size = max(size, abs(along.x[s, i]))
        if size <= 0.0:
            for i in range(n):
                out[s, i] = 0.0
            continue
        step = STEP / size
        for i in range(n):
            moved[i] = max(x[i] + step * along.x[s, i], 0.0)
        ahead = ln_phi_of(mix, T, P * math.exp(step * along.ln_p[s]), moved, phase)
        for i in range(n):
            moved[i] = max(x[i] - step * along.x[s, i], 0.0)
        behind = ln_phi_of(mix, T, P * math.exp(-step * along.ln_p[s]), moved, phase)
        for i in range(n):
            out[s, i] = (ahead[i] - behind[i]) / (2.0 * step)


@kernel
def program_slopes(
    program: Matrix, length: int, T: float, P: float, v: float, x: Vector, along: Along, asked: Ways, r: int, slopes: Vector
) -> float:
    """Value of a formula, and its slopes along the extents and with what is asked of reaction r: shape (m + p,)."""
    m, p = along.v.size, asked.shape[0]
    stack, by = np.empty(40), np.zeros((40, m + p))
    top = -1
    for k in range(length):
        op, arg = int(program[k, 0]), program[k, 1]
        if op <= PUSH_X:
            top += 1
            i = int(arg) if op >= PUSH_C else 0
            for s in range(m + p):
                by[top, s] = 0.0
            if op == PUSH:
                stack[top] = arg
                for q in range(p):
                    if asked[q, A_REACTION] == r and asked[q, A_WHICH] == NUMBER and program[k, 2] == asked[q, A_OF] + 1.0:
                        by[top, m + q] = 1.0
            elif op == PUSH_T:
                stack[top] = T
            elif op == PUSH_P:
                stack[top] = P
                for s in range(m):
                    by[top, s] = P * along.ln_p[s]
            elif op == PUSH_C:
                stack[top] = x[i] / v
                for s in range(m):
                    by[top, s] = (along.x[s, i] - x[i] * along.v[s] / v) / v
            elif op == PUSH_PP:
                stack[top] = x[i] * P
                for s in range(m):
                    by[top, s] = P * (along.x[s, i] + x[i] * along.ln_p[s])
            else:
                stack[top] = x[i]
                for s in range(m):
                    by[top, s] = along.x[s, i]
        elif (op >= NEGATE and op <= SQRT) or op >= TANH:
            a = stack[top]
            if op == NEGATE:
                slope = -1.0
                stack[top] = -a
            elif op == EXP:
                slope = math.exp(min(a, 700.0))
                stack[top] = slope
            elif op == LN:
                slope = 1.0 / max(a, 1e-300)
                stack[top] = math.log(max(a, 1e-300))
            elif op == TANH:
                bent = math.tanh(a)
                slope = 1.0 - bent * bent
                stack[top] = bent
            elif op == LOG10:
                slope = 1.0 / (2.302585092994046 * max(a, 1e-300))
                stack[top] = math.log10(max(a, 1e-300))
            else:
                root = math.sqrt(max(a, 0.0))
                slope = 0.5 / max(root, 1e-150)
                stack[top] = root
            for s in range(m + p):
                by[top, s] *= slope
        else:
            b = stack[top]
            top -= 1
            a = stack[top]
            of_a, of_b = 1.0, 1.0
            if op == ADD:
                a = a + b
            elif op == SUBTRACT:
                a, of_b = a - b, -1.0
            elif op == MULTIPLY:
                of_a, of_b = b, a
                a = a * b
            elif op == DIVIDE:
                of_a, of_b = 0.0, 0.0
                if b != 0.0:
                    of_a = 1.0 / b
                    of_b = -a / (b * b)
                    a = a / b
                else:
                    a = 0.0
            elif op == RAISE:
                base = max(a, 0.0) if b != math.floor(b) else a
                a = base**b
                of_a = b * base ** (b - 1.0) if base != 0.0 or b >= 1.0 else 0.0
                of_b = a * math.log(base) if base > 0.0 else 0.0
            elif op == LOWEST:
                of_a, of_b = (1.0, 0.0) if a < b else (0.0, 1.0)
                a = min(a, b)
            elif op == HIGHEST:
                of_a, of_b = (1.0, 0.0) if a > b else (0.0, 1.0)
                a = max(a, b)
            stack[top] = a
            for s in range(m + p):
                by[top, s] = of_a * by[top, s] + (of_b * by[top + 1, s] if of_b != 0.0 else 0.0)
    for s in range(m + p):
        slopes[s] = by[0, s]
    return stack[0]


@kernel
def rates_and_slopes(
    mix: Mixture,
    T: float,
    P: float,
    x: Vector,
    v: float,
    phase: int,
    laws: Rates,
    along: Along,
    asked: Ways,
    pivots: Vector,
    by_extent: Matrix,
    by_number: Matrix,
) -> Vector:
    """As `rates.rates_in`, with d rate_r / d xi_s in by_extent, shape (m, m), and with what is asked in by_number, shape (m, p)."""
    ways, numbers, nu, forward, reverse, adsorption, table, programs, _ = laws  # a Rates
    m, n = nu.shape
    p = asked.shape[0]
    out = np.zeros(m)
    fill_rows(by_extent, 0.0)
    fill_rows(by_number, 0.0)
    need_phi, need_pure, need_gibbs = needed(ways)
    ln_phi, ln_pure, phi_along, h, s_ = x, x, along.x, x, x  # as in `rates_in`
    if need_phi:
        ln_phi = ln_phi_of(mix, T, P, x, phase)
        phi_along = np.empty((m, n))
        ln_phi_along(mix, T, P, x, phase, along, phi_along)
    if need_pure:
        ln_pure = ln_phi_of_pure(mix, T, P, n)
    if need_gibbs:
        h, s_ = np.empty(n), np.empty(n)
        ideal_gas(T, mix.par, h, s_)
    ln_t = math.log(T)
    room = np.empty((4, m + p))
    of_f, of_g, of_d, slopes = room[0], room[1], room[2], room[3]  # slopes of ln forward, ln reverse, of the denominator; of a formula
    for r in range(m):
        if ways[r, W_LAW] == FORMULA:
            rate = program_slopes(programs[r], ways[r, W_PROGRAM], T, P, v, x, along, asked, r, slopes)
            for i in range(n):
                if nu[r, i] < 0.0 and rate > 0.0:
                    stop = x[i] / (x[i] + VANISHING)
                    for s in range(m + p):
                        slopes[s] *= stop
                    for s in range(m):
                        slopes[s] += rate * along.x[s, i] * VANISHING / (x[i] + VANISHING) ** 2
                    rate *= stop
            out[r] = rate
            for s in range(m):
                by_extent[r, s] = slopes[s]
            for a in range(p):
                by_number[r, a] = slopes[m + a]
            continue
        basis, way = ways[r, W_BASIS], ways[r, W_REVERSE]
        ln_f = numbers[r, N_LN_K] + numbers[r, N_POWER] * ln_t - numbers[r, N_E] / T
        ln_g = 0.0
        if way == OWN_REVERSE:
            ln_g = numbers[r, N_LN_KR] + numbers[r, N_POWER_R] * ln_t - numbers[r, N_E_R] / T
        elif way == FROM_EQUILIBRIUM:
            ln_g = ln_f - ln_k_of(r, T, ways, numbers, nu, table, h, s_)
        ln_stop = 0.0
        for s in range(m):
            of_f[s], of_g[s], of_d[s] = 0.0, 0.0, 0.0
        for i in range(n):
            order, back = forward[r, i], reverse[r, i]
            through = nu[r, i] if way == FROM_EQUILIBRIUM else 0.0
            if order == 0.0 and back == 0.0 and through == 0.0 and nu[r, i] >= 0.0:
                continue
            ln_x = math.log(max(x[i], SMALLEST))
            if order != 0.0:
                ln_q = ln_x + ln_quantities(basis, T, P, v, ln_phi, ln_pure, 1.0, i)
                ln_f += order * ln_q
                if way == FROM_EQUILIBRIUM:
                    ln_g += order * ln_q
                for s in range(m):
                    change = order * ln_quantity_along(basis, s, i, x[i], v, along, phi_along)
                    of_f[s] += change
                    if way == FROM_EQUILIBRIUM:
                        of_g[s] += change
            if way == OWN_REVERSE and back != 0.0:
                ln_g += back * (ln_x + ln_quantities(basis, T, P, v, ln_phi, ln_pure, 1.0, i))
                for s in range(m):
                    of_g[s] += back * ln_quantity_along(basis, s, i, x[i], v, along, phi_along)
            if through != 0.0:
                counted = ways[r, W_QUOTIENT]
                ln_g += through * (ln_x + ln_quantities(counted, T, P, v, ln_phi, ln_pure, numbers[r, N_SCALE], i))
                for s in range(m):
                    of_g[s] += through * ln_quantity_along(counted, s, i, x[i], v, along, phi_along)
            if nu[r, i] < 0.0 and order < 1.0:
                ln_stop += ln_x - math.log(x[i] + VANISHING)
                for s in range(m):
                    of_f[s] += along.x[s, i] * (1.0 / max(x[i], SMALLEST) - 1.0 / (x[i] + VANISHING))
        f = math.exp(min(ln_f + ln_stop, 690.0))
        g = math.exp(min(ln_g, 690.0)) if way != IRREVERSIBLE else 0.0
        below, power = 1.0, numbers[r, N_EXPONENT]
        for k in range(ways[r, W_ADSORPTION]):
            i = int(adsorption[r, k, 0])
            if x[i] <= 0.0:
                continue
            ln_q = math.log(x[i]) + ln_quantities(basis, T, P, v, ln_phi, ln_pure, 1.0, i)
            term = math.exp(
                min(adsorption[r, k, 1] + adsorption[r, k, 3] * ln_t - adsorption[r, k, 2] / T + adsorption[r, k, 4] * ln_q, 600.0)
            )
            below += term
            for s in range(m):
                of_d[s] += term * adsorption[r, k, 4] * ln_quantity_along(basis, s, i, x[i], v, along, phi_along)
        over = below**-power
        rate = (f - g) * over
        out[r] = rate
        for s in range(m):
            by_extent[r, s] = (f * of_f[s] - g * of_g[s]) * over - power * rate * of_d[s] / below
        for a in range(p):
            if asked[a, A_REACTION] != r:
                continue
            which, of = asked[a, A_WHICH], asked[a, A_OF]
            with_k = rate if way == FROM_EQUILIBRIUM else f * over  # what k multiplies
            slope = 0.0
            if which == LN_K:
                slope = with_k
            elif which == ENERGY:
                slope = with_k * (pivots[a] - 1.0 / T) / R
            elif which == POWER_OF_T:
                slope = with_k * (ln_t - pivots[a])
            elif which == ORDER:
                ln_q = math.log(max(x[of], SMALLEST)) + ln_quantities(basis, T, P, v, ln_phi, ln_pure, 1.0, of)
                slope = with_k * (ln_q - pivots[a])
            elif which == LN_KR:
                slope = -g * over
            elif which == ENERGY_R:
                slope = -g * over * (pivots[a] - 1.0 / T) / R
            elif which == POWER_R:
                slope = -g * over * (ln_t - pivots[a])
            elif which == ORDER_R:
                ln_q = math.log(max(x[of], SMALLEST)) + ln_quantities(basis, T, P, v, ln_phi, ln_pure, 1.0, of)
                slope = -g * over * (ln_q - pivots[a])
            elif which == EXPONENT:
                slope = -rate * math.log(below)
            elif which == CONSTANT:
                slope = g * over
            elif which == CONSTANT_HEAT:
                slope = g * over * (pivots[a] - 1.0 / T) / R
            elif which in (LN_STRENGTH, HEAT, STRENGTH_POWER):
                i = int(adsorption[r, of, 0])
                if x[i] > 0.0:
                    ln_q = math.log(x[i]) + ln_quantities(basis, T, P, v, ln_phi, ln_pure, 1.0, i)
                    term = math.exp(
                        min(
                            adsorption[r, of, 1] + adsorption[r, of, 3] * ln_t - adsorption[r, of, 2] / T + adsorption[r, of, 4] * ln_q,
                            600.0,
                        )
                    )
                    slope = -power * rate * term / below
                    if which == HEAT:
                        slope *= (pivots[a] - 1.0 / T) / R
                    elif which == STRENGTH_POWER:
                        slope *= ln_q - pivots[a]
            by_number[r, a] = slope
    return out
