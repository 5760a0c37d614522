"""A rate law as one line of text: what is computed, and the constants in it as they were typed."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry import EquationError, resolve_equation
from gulch.engine.chemistry.rates import PER
from gulch.engine.project.reading import orders_of
from gulch.engine.quantities import QuantityError
from gulch.engine.species import SpeciesError

if TYPE_CHECKING:
    from gulch.engine.document import Project, RateConstantEntry, RateEntry, ReactionEntry

SYMBOLS = {"concentration": "c", "partial-pressure": "p", "fugacity": "f", "mole-fraction": "x"}


def rate_words(entry: ReactionEntry, project: Project) -> str:
    """The rate law of a reaction in full, '' where it has none, or its equation cannot be read.

    Quantities are concentrations c, partial pressures p, fugacities f or mole fractions x; K is the reaction's equilibrium constant and Q
    the same expression of what is there. Orders that cannot be read are left as the stoichiometric ones.
    """
    e = entry.rate
    if e is None:
        return ""
    if e.law == "formula":
        lines = [line.strip() for part in e.formula.splitlines() for line in part.split(";") if line.strip()]
        rate = lines[-1].partition("rate =")[2].strip() or lines[-1] if lines else "–"
        told = [f"r = {rate}, by {PER[e.per]}", *lines[:-1], *(f"{name} = {text}" for name, text in e.numbers.items())]
        return "; ".join(told)
    try:
        nu = resolve_equation(entry.equation, project.entries()).nu(len(project.species))
    except (EquationError, SpeciesError):
        return ""
    names = {s.id: s.shown for s in project.species}
    ahead = f"k{_product(e, project, e.orders, np.maximum(-nu, 0.0), entry.id)}"
    constants = [f"k = {_constant(e.forward)}"]
    if e.reverse == "equilibrium":
        ahead = f"{ahead} (1 − Q/K)"
        constants.append("K from the reaction’s equilibrium")
    elif e.reverse == "own":
        ahead = f"{ahead} − k′{_product(e, project, e.reverse_orders, np.maximum(nu, 0.0), entry.id)}"
        constants.append(f"k′ = {_constant(e.backward) if e.backward else '–'}")
    if e.adsorption:
        terms = [
            f"K({names.get(a.species, a.species)}) {SYMBOLS[e.basis]}({names.get(a.species, a.species)}){_power(a.power)}"
            for a in e.adsorption
        ]
        ahead = f"[{ahead}] / (1 + {' + '.join(terms)}){_power(e.exponent)}"
        constants += [f"K({names.get(a.species, a.species)}) = {_constant(a.constant)}" for a in e.adsorption]
    return f"r = {ahead}, by {PER[e.per]}; {', '.join(constants)}"


def _product(e: RateEntry, project: Project, typed: dict, usual: np.ndarray, id_: str) -> str:
    """c(A) c(B)^2: each quantity to its order."""
    species, shown = [s.id for s in project.species], [s.shown for s in project.species]
    try:
        orders = orders_of(typed, species, usual, id_)
    except QuantityError:
        orders = usual
    return "".join(f" {SYMBOLS[e.basis]}({s}){_power(f'{n:g}')}" for s, n in zip(shown, orders, strict=True) if n)


def _power(text: str) -> str:
    return "" if text.strip() in ("1", "1.0", "") else f"^{text.replace('-', '−')}"


def _constant(entry: RateConstantEntry) -> str:
    """A constant as typed, with its course over temperature."""
    parts = [entry.k or "–"]
    if entry.at:
        parts.append(f"at {entry.at}")
    if entry.power.strip() not in ("0", "0.0", ""):
        parts.append(f"× T^{entry.power}")
    if entry.energy:
        parts.append(f"with {entry.energy} over temperature")
    return " ".join(parts).replace("degC", "°C").replace("degF", "°F")
