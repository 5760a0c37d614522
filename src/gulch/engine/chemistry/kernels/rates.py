"""Reaction rates of a pack of rate laws at one state.

Notation: T [K], P [Pa], v [m3/mol]; x: mole fractions, shape (n,); nu: shape (m, n); rates, shape (m,), in mol/s per m3 or
kg.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Vector, Ways, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.constants import LIQUID, R
from gulch.engine.fluids.ideal_gas import ideal_gas
from gulch.engine.fluids.mixture import Mixture, only
from gulch.engine.fluids.phase import ln_phi as ln_phi_of


class Rates(NamedTuple):
    """A set of m rate laws over n species, packed by `chemistry.rates.pack`."""

    ways: Ways  # whole numbers, (m, 9): columns W_…
    numbers: Matrix  # (m, 12): columns N_…
    nu: Matrix  # (m, n)
    forward: Matrix  # orders, (m, n)
    reverse: Matrix
    adsorption: Cube  # (m, A, 5): species, ln K0, energy/R, power of T, exponent
    table: Cube  # of K, (m, 2, K): T [K], ln K
    programs: Cube  # instructions of formulas, (m, L, 3)
    pellet: Vector  # of a catalyst, (8,): columns P_…


W_LAW, W_BASIS, W_REVERSE, W_SOURCE, W_QUOTIENT, W_ADSORPTION, W_TABLE, W_PROGRAM, W_PER = range(9)
# P_ON: whether rates by bed, catalyst or surface are weakened at all; P_LENGTH [m]: volume over surface; P_FILM [m/s]: coefficient of
# mass transfer to it, 0: without resistance; P_BED [m3], P_CATALYST [kg], P_SURFACE [m2]: in 1 m3 of pellets, in the order of PER_BED …
P_ON, P_SHAPE, P_LENGTH, P_DIFFUSIVITY, P_ACTIVITY, P_FILM, P_BED, P_CATALYST, P_SURFACE = range(9)
POWER, FORMULA = 0, 1
CONCENTRATION, PARTIAL_PRESSURE, FUGACITY, MOLE_FRACTION, LIQUID_ACTIVITY = range(5)
IRREVERSIBLE, OWN_REVERSE, FROM_EQUILIBRIUM = 0, 1, 2
FROM_GIBBS, FROM_COEFFICIENTS, FROM_TABLE = 0, 1, 2
N_LN_K, N_POWER, N_E, N_LN_KR, N_POWER_R, N_E_R, N_A, N_B, N_C, N_D, N_SCALE, N_EXPONENT = range(12)
# Instructions of a formula.
(PUSH, PUSH_T, PUSH_P, PUSH_C, PUSH_PP, PUSH_X, ADD, SUBTRACT, MULTIPLY, DIVIDE, RAISE, NEGATE, EXP, LN, SQRT, LOWEST, HIGHEST,
 TANH, LOG10) = range(19)  # fmt: skip
VANISHING = 1e-9  # mole fraction below which a reactant of an order under one slows its reaction down
PER_FLUID, PER_BED, PER_CATALYST, PER_SURFACE = 0, 1, 2, 3  # what a rate counts on

kernel = chapter(__name__)


@kernel
def run_program(program: Matrix, length: int, T: float, P: float, v: float, x: Vector) -> float:
    """Value of a formula: a stack of numbers; SI throughout."""
    stack = np.empty(40)
    top = -1
    for k in range(length):
        op = int(program[k, 0])
        arg = program[k, 1]
        if op <= PUSH_X:
            top += 1
            if op == PUSH:
                stack[top] = arg
            elif op == PUSH_T:
                stack[top] = T
            elif op == PUSH_P:
                stack[top] = P
            elif op == PUSH_C:
                stack[top] = x[int(arg)] / v
            elif op == PUSH_PP:
                stack[top] = x[int(arg)] * P
            else:
                stack[top] = x[int(arg)]
        elif (op >= NEGATE and op <= SQRT) or op >= TANH:
            value = stack[top]
            if op == NEGATE:
                value = -value
            elif op == EXP:
                value = math.exp(min(value, 700.0))
            elif op == LN:
                value = math.log(max(value, 1e-300))
            elif op == TANH:
                value = math.tanh(value)
            elif op == LOG10:
                value = math.log10(max(value, 1e-300))
            else:
                value = math.sqrt(max(value, 0.0))
            stack[top] = value
        else:
            b = stack[top]
            top -= 1
            a = stack[top]
            if op == ADD:
                a = a + b
            elif op == SUBTRACT:
                a = a - b
            elif op == MULTIPLY:
                a = a * b
            elif op == DIVIDE:
                a = a / b if b != 0.0 else 0.0
            elif op == RAISE:
                a = max(a, 0.0) ** b if b != math.floor(b) else a**b
            elif op == LOWEST:
                a = min(a, b)
            else:
                a = max(a, b)
            stack[top] = a
    return stack[0]


@kernel.part
def ln_quantities(basis: int, T: float, P: float, v: float, ln_phi: Vector, ln_pure: Vector, scale: float, i: int) -> float:
    """What ln q_i holds besides ln x_i."""
    if basis == CONCENTRATION:
        return -math.log(v * scale)
    if basis == PARTIAL_PRESSURE:
        return math.log(P / scale)
    if basis == FUGACITY:
        return ln_phi[i] + math.log(P / scale)
    if basis == LIQUID_ACTIVITY:
        return ln_phi[i] - ln_pure[i]
    return 0.0


@kernel.part
def between_points(T: float, temperatures: Vector, ln_k: Vector) -> float:
    """ln K at T [K] on straight lines over 1/T (van 't Hoff), the last lines drawn on beyond the ends.

    temperatures: rising [K], shape (n,); ln_k: shape (n,).
    """
    n = temperatures.size
    if n == 1:
        return ln_k[0]
    at = 1
    while at < n - 1 and temperatures[at] < T:
        at += 1
    x0, x1 = 1.0 / temperatures[at - 1], 1.0 / temperatures[at]
    w = (1.0 / T - x0) / (x1 - x0)
    return (1.0 - w) * ln_k[at - 1] + w * ln_k[at]


@kernel.part
def needed(ways: Ways) -> tuple[bool, bool, bool]:
    """Whether any rate counts on ln phi, on that of the pure liquids, on Gibbs energies."""
    need_phi, need_pure, need_gibbs = False, False, False
    for r in range(ways.shape[0]):
        if ways[r, W_BASIS] == FUGACITY:
            need_phi = True
        if ways[r, W_REVERSE] == FROM_EQUILIBRIUM:
            if ways[r, W_QUOTIENT] == FUGACITY or ways[r, W_QUOTIENT] == LIQUID_ACTIVITY:
                need_phi = True
            if ways[r, W_QUOTIENT] == LIQUID_ACTIVITY:
                need_pure = True
            if ways[r, W_SOURCE] == FROM_GIBBS:
                need_gibbs = True
    return need_phi, need_pure, need_gibbs


@kernel
def ln_phi_of_pure(mix: Mixture, T: float, P: float, n: int) -> Vector:
    """ln phi of each species as a pure liquid, shape (n,)."""
    out, one = np.empty(n), np.ones(1)
    for i in range(n):
        out[i] = ln_phi_of(only(mix, i), T, P, one, LIQUID)[0]
    return out


@kernel.part
def ln_k_of(r: int, T: float, ways: Ways, numbers: Matrix, nu: Matrix, table: Cube, h: Vector, s: Vector) -> float:
    """ln K of reaction r; h, s: of the ideal gases [J/mol, J/(mol K)], shape (n,), where it is of Gibbs energies."""
    if ways[r, W_SOURCE] == FROM_GIBBS:
        ln_k = 0.0
        for i in range(nu.shape[1]):
            if nu[r, i] != 0.0:
                ln_k -= nu[r, i] * (h[i] - T * s[i]) / (R * T)
        return ln_k
    if ways[r, W_SOURCE] == FROM_COEFFICIENTS:
        return numbers[r, N_A] + numbers[r, N_B] / T + numbers[r, N_C] * math.log(T) + numbers[r, N_D] * T
    count = ways[r, W_TABLE]
    return between_points(T, table[r, 0, :count], table[r, 1, :count])


@kernel
def rates_in(mix: Mixture, T: float, P: float, x: Vector, v: float, phase: int, laws: Rates) -> Vector:
    """Rates of all reactions of a pack at mole fractions x and molar volume v [m3/mol] of one phase.

    Returns mol/s per m3 of fluid, m3 of bed or kg of catalyst, as each law counts; shape (m,).
    """
    ways, numbers, nu, forward, reverse, adsorption, table, programs, _ = laws  # a Rates
    m, n = nu.shape
    out = np.zeros(m)
    need_phi, need_pure, need_gibbs = needed(ways)
    ln_phi, ln_pure, h, s = x, x, x, x  # nobody reads them where they are not needed, and room costs more than a rate
    if need_phi:
        ln_phi = ln_phi_of(mix, T, P, x, phase)
    if need_pure:
        ln_pure = ln_phi_of_pure(mix, T, P, n)
    if need_gibbs:
        h, s = np.empty(n), np.empty(n)
        ideal_gas(T, mix.par, h, s)
    ln_t = math.log(T)
    for r in range(m):
        if ways[r, W_LAW] == FORMULA:
            rate = run_program(programs[r], ways[r, W_PROGRAM], T, P, v, x)
            for i in range(n):
                if nu[r, i] < 0.0 and rate > 0.0:
                    rate *= x[i] / (x[i] + VANISHING)
            out[r] = rate
            continue
        basis = ways[r, W_BASIS]
        ln_forward = numbers[r, N_LN_K] + numbers[r, N_POWER] * ln_t - numbers[r, N_E] / T
        ahead, back = True, ways[r, W_REVERSE] != IRREVERSIBLE
        ln_reverse = 0.0
        if ways[r, W_REVERSE] == OWN_REVERSE:
            ln_reverse = numbers[r, N_LN_KR] + numbers[r, N_POWER_R] * ln_t - numbers[r, N_E_R] / T
        elif back:
            ln_reverse = ln_forward - ln_k_of(r, T, ways, numbers, nu, table, h, s)
        stop = 1.0
        for i in range(n):
            order, order_back = forward[r, i], reverse[r, i]
            through = nu[r, i] if ways[r, W_REVERSE] == FROM_EQUILIBRIUM else 0.0
            if nu[r, i] < 0.0 and order < 1.0:
                stop *= x[i] / (x[i] + VANISHING)
            if order == 0.0 and order_back == 0.0 and through == 0.0:
                continue
            ln_x = math.log(x[i]) if x[i] > 1e-300 else -690.0
            ln_q = ln_quantities(basis, T, P, v, ln_phi, ln_pure, 1.0, i)
            if order != 0.0:
                if x[i] <= 1e-300 and order > 0.0:
                    ahead = False
                ln_forward += order * (ln_x + ln_q)
            if ways[r, W_REVERSE] == OWN_REVERSE and order_back != 0.0:
                if x[i] <= 1e-300 and order_back > 0.0:
                    back = False
                ln_reverse += order_back * (ln_x + ln_q)
            elif ways[r, W_REVERSE] == FROM_EQUILIBRIUM:
                total = order + through
                if total > 0.0 and x[i] <= 1e-300:
                    back = False
                if total != 0.0:
                    ln_reverse += total * ln_x
                ln_reverse += order * ln_q
                if through != 0.0:
                    ln_reverse += through * ln_quantities(ways[r, W_QUOTIENT], T, P, v, ln_phi, ln_pure, numbers[r, N_SCALE], i)
        rate = stop * math.exp(min(ln_forward, 690.0)) if ahead else 0.0
        if back:
            rate -= math.exp(min(ln_reverse, 690.0))
        if ways[r, W_ADSORPTION] > 0:
            covered = 1.0
            for k in range(ways[r, W_ADSORPTION]):
                i = int(adsorption[r, k, 0])
                if x[i] > 0.0:
                    ln_q = math.log(x[i]) + ln_quantities(basis, T, P, v, ln_phi, ln_pure, 1.0, i)
                    covered += math.exp(
                        min(
                            adsorption[r, k, 1] + adsorption[r, k, 3] * math.log(T) - adsorption[r, k, 2] / T + adsorption[r, k, 4] * ln_q,
                            600.0,
                        )
                    )
            rate /= covered ** numbers[r, N_EXPONENT]
        out[r] = rate
    return out


@kernel.entry
def reaction_rates(
    T: float, P: float, x: Vector, v: float, phase: int, laws: Rates,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> Vector:  # fmt: skip
    """`rates_in` as Python calls it, with the fields of the Mixture."""
    return rates_in(Mixture(kind, vapour, active, par, pairs, groups), T, P, x, v, phase, laws)
