"""Rate laws: what a reaction carries, in SI, and how a set of them is packed for the kernels.

Power law r = k prod(q^alpha) - k_r prod(q^beta), divided by (1 + sum K_i q_i^a)^m; q is a concentration [mol/m3],
partial pressure or fugacity [Pa], or mole fraction. With the reverse from the equilibrium constant
r = k prod(q^alpha) (1 - Q/K), which is zero at equilibrium whatever the orders are.
Sources: Levenspiel, Chemical Reaction Engineering; Froment & Bischoff, Chemical Reactor Analysis and Design, ch. 2.

Notation: T [K], P [Pa], v [m3/mol]; x: shape (n,).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry.constants import Constant
from gulch.engine.chemistry.kernels import rates as k
from gulch.engine.chemistry.kernels.pellet import shares_of
from gulch.engine.fluids import LIQUID, P0, VAPOUR, phase_properties
from gulch.engine.quantities import QuantityError, split_text, unit_factor

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.phases.model import PhaseModel

RATE_BASES = {
    "concentration": ("molar concentration", k.CONCENTRATION, "mol/m**3"),
    "partial-pressure": ("partial pressure", k.PARTIAL_PRESSURE, "Pa"),
    "fugacity": ("fugacity", k.FUGACITY, "Pa"),
    "mole-fraction": ("mole fraction", k.MOLE_FRACTION, ""),
}
PER = {"fluid": "volume of fluid", "bed": "volume of bed", "catalyst": "mass of catalyst", "surface": "area of surface"}
_RATE_UNIT = {"fluid": "mol/m**3/s", "bed": "mol/m**3/s", "catalyst": "mol/kg/s", "surface": "mol/m**2/s"}
RATE_DIMENSIONS = {"fluid": "rate", "bed": "rate", "catalyst": "rate per mass", "surface": "rate per area"}
_EXAMPLES = {
    "concentration": {0: "mol/(m3 s)", 1: "1/s", 2: "L/mol/s"},
    "partial-pressure": {1: "mol/(m3 s bar)", 2: "mol/(m3 s bar2)"},
}
_OPS = {
    "push": k.PUSH,
    "T": k.PUSH_T,
    "P": k.PUSH_P,
    "c": k.PUSH_C,
    "p": k.PUSH_PP,
    "x": k.PUSH_X,
    "add": k.ADD,
    "subtract": k.SUBTRACT,
    "multiply": k.MULTIPLY,
    "divide": k.DIVIDE,
    "raise": k.RAISE,
    "negate": k.NEGATE,
    "exp": k.EXP,
    "ln": k.LN,
    "sqrt": k.SQRT,
    "min": k.LOWEST,
    "max": k.HIGHEST,
    "tanh": k.TANH,
    "log10": k.LOG10,
}


@dataclass(frozen=True)
class RateConstant:
    """k = exp(ln_k) T^power exp(-energy/(R T)), in SI; energy [J/mol]."""

    ln_k: float
    power: float = 0.0
    energy: float = 0.0

    @property
    def packed(self) -> tuple:
        """(ln k0, energy/R [K], power of T) as the kernels want them."""
        return self.ln_k, self.energy / k.R, self.power

    def at(self, T: float) -> float:
        """k at T [K]."""
        return math.exp(min(self.ln_k + self.power * math.log(T) - self.energy / (k.R * T), 690.0))


@dataclass(frozen=True)
class RateLaw:
    """One reaction's rate law in SI. forward, backward: orders, shape (n,); adsorption: ((species, RateConstant, power), ...)."""

    basis: str = "concentration"
    per: str = "fluid"
    constant: RateConstant | None = None
    forward: np.ndarray | None = None
    reverse: str = "none"  # none, own, equilibrium
    back: RateConstant | None = None
    backward: np.ndarray | None = None
    adsorption: tuple = ()
    exponent: float = 1.0
    program: tuple = field(default=())  # of a typed formula: ((instruction, argument[, 1 + which of its own numbers]), ...)


def rate_unit(basis: str, per: str, order: float) -> str:
    """SI unit of a rate constant whose orders add to `order`."""
    quantity = RATE_BASES[basis][2]
    return _RATE_UNIT[per] + (f"/({quantity})**{order:.7g}" if quantity and order else "")


def read_rate_constant(text: str, basis: str, per: str, order: float) -> float:
    """SI value of a rate constant typed with its unit, whose orders add to `order`.

    Raises QuantityError that says which unit fits, and which orders the typed unit would fit.
    """
    if not text.strip():
        raise QuantityError(
            f"k is empty: the orders add to {order:g} in {RATE_BASES[basis][0]} and the rate counts on {PER[per]}, "
            f"so it needs {_example(basis, per, order)}."
        )
    value, unit = split_text(text)
    if value <= 0.0:
        raise QuantityError(f"The rate constant “{text}” is not above zero.")
    factor = unit_factor(unit, rate_unit(basis, per, order))
    if factor is not None:
        return value * factor
    fits = next(
        (o for o in (0, 1, 2, 3, 0.5, 1.5, -1, 2.5) if unit_factor(unit, rate_unit(basis, per, float(o))) is not None),
        None,
    )
    other = next(
        (p for p in PER if p != per and _RATE_UNIT[p] != _RATE_UNIT[per] and unit_factor(unit, rate_unit(basis, p, order)) is not None),
        None,
    )
    wanted = _example(basis, per, order)
    words = f"The orders add to {order:g} in {RATE_BASES[basis][0]} and the rate counts on {PER[per]}: k needs {wanted}."
    if fits is not None:
        words += f" “{unit or 'no unit'}” would fit orders that add to {fits:g}."
    elif other is not None:
        words += f" “{unit}” counts on {PER[other]}."
    else:
        words += f" “{unit or 'no unit'}” does not fit."
    raise QuantityError(words)


def _example(basis: Any, per: str, order: Any) -> str:
    if per in ("fluid", "bed") and order in _EXAMPLES.get(basis, {}):
        words = _EXAMPLES[basis][order]
        return f"1/time, for example {words}" if words == "1/s" else f"for example {words}"
    rate = {"catalyst": "mol/(kg s)", "surface": "mol/(m2 s)"}.get(per, "mol/(m3 s)")
    quantity = {"concentration": "(mol/m3)", "mole-fraction": ""}.get(basis, "bar")
    return f"for example {rate}" + (f"/{quantity}^{order:g}" if quantity and order else "")


def pack(reactions: list, constants: list, n: int, pellet: np.ndarray | None = None) -> tuple:
    """(Rates for `kernels.rates.reaction_rates`, what each counts on: PER_FLUID, PER_BED, PER_CATALYST or PER_SURFACE, shape (m,)).

    reactions: objects with .nu and .rate; constants: a Constant per reaction; n: number of species; pellet: that of a catalyst, shape (8,).
    """
    m = len(reactions)
    deepest = max([len(r.rate.adsorption) for r in reactions], default=0)
    longest = max([len(r.rate.program) for r in reactions], default=0)
    points = max([len(c.points[0]) for c in constants], default=0)
    ways, numbers = np.zeros((m, 9), np.int64), np.zeros((m, 12))
    nu, forward, backward = np.zeros((m, n)), np.zeros((m, n)), np.zeros((m, n))
    adsorption, table = np.zeros((m, max(deepest, 1), 5)), np.ones((m, 2, max(points, 1)))
    programs = np.zeros((m, max(longest, 1), 3))
    per = np.zeros(m, np.int64)
    for r, (reaction, constant) in enumerate(zip(reactions, constants, strict=True)):
        law = reaction.rate
        nu[r] = reaction.nu
        per[r] = ways[r, k.W_PER] = list(PER).index(law.per)
        numbers[r, k.N_EXPONENT] = law.exponent
        numbers[r, [k.N_A, k.N_B, k.N_C, k.N_D]] = constant.coefficients
        if law.program:
            ways[r, k.W_LAW], ways[r, k.W_PROGRAM] = k.FORMULA, len(law.program)
            programs[r, : len(law.program)] = [(_OPS[name], argument, own[0] if own else 0.0) for name, argument, *own in law.program]
            continue
        ways[r, k.W_BASIS] = RATE_BASES[law.basis][1]
        numbers[r, [k.N_LN_K, k.N_E, k.N_POWER]] = law.constant.packed
        forward[r] = law.forward
        if law.reverse == "own":
            ways[r, k.W_REVERSE] = k.OWN_REVERSE
            numbers[r, [k.N_LN_KR, k.N_E_R, k.N_POWER_R]] = law.back.packed
            backward[r] = law.backward
        elif law.reverse == "equilibrium":
            ways[r, k.W_REVERSE] = k.FROM_EQUILIBRIUM
            _pack_constant(constant, ways[r], numbers[r], table[r])
        ways[r, k.W_ADSORPTION] = len(law.adsorption)
        for j, (species, strength, power) in enumerate(law.adsorption):
            adsorption[r, j] = species, *strength.packed, power
    return k.Rates(
        ways, numbers, nu, forward, backward, adsorption, table, programs, np.zeros(k.P_SURFACE + 1) if pellet is None else pellet
    ), per


def _pack_constant(constant: Constant, ways: np.ndarray, numbers: np.ndarray, table: np.ndarray) -> None:
    ways[k.W_SOURCE] = {"gibbs": k.FROM_GIBBS, "table": k.FROM_TABLE}.get(constant.source, k.FROM_COEFFICIENTS)
    numbers[[k.N_A, k.N_B, k.N_C, k.N_D]] = constant.coefficients
    count = len(constant.points[0])
    ways[k.W_TABLE] = count
    if count:
        table[0, :count], table[1, :count] = constant.points
    if constant.counts_fugacity:
        ways[k.W_QUOTIENT], numbers[k.N_SCALE] = k.FUGACITY, P0
    elif constant.basis == "activity":
        ways[k.W_QUOTIENT], numbers[k.N_SCALE] = k.LIQUID_ACTIVITY, 1.0
    else:
        ways[k.W_QUOTIENT] = RATE_BASES[constant.basis][1]
        numbers[k.N_SCALE] = constant.scale


def rates(laws: Rates, T: float, P: float, n: np.ndarray, phase: str, model: PhaseModel) -> np.ndarray:
    """Rates of all reactions of a pack in one phase ("vapour" or "liquid") of amounts n, shape (m,).

    mol/s per m3 of fluid, m3 of bed or kg of catalyst, as each law counts.
    """
    code = VAPOUR if phase == "vapour" else LIQUID
    x = n / n.sum()
    v = phase_properties(T, P, x, code, *model.mix)[2]
    if laws.pellet[k.P_ON] > 0.0:
        return shares_of(T, P, x, v, code, laws, np.ones(len(laws.nu)), *model.mix)
    return k.reaction_rates(T, P, x, v, code, laws, *model.mix)


def half_life(rate: float, order: float, concentration: float) -> float | None:
    """Time [s] in which a species of the order falls to half at a rate [mol/(m3 s)] and concentration [mol/m3]; None where it has none."""
    if rate <= 0.0 or concentration <= 0.0:
        return None
    if order == 1.0:
        return math.log(2.0) * concentration / rate
    return concentration / rate * (2.0 ** (order - 1.0) - 1.0) / (order - 1.0)
