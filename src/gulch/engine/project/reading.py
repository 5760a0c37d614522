"""Chemistry as typed, read into what is computed with: phase model, constants, rate laws, conversions."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine import formulas
from gulch.engine.chemistry.constant_units import counted_in
from gulch.engine.chemistry.constants import BASIS_UNITS, Constant
from gulch.engine.chemistry.equations import EquationError, resolve_equation
from gulch.engine.chemistry.rates import RATE_BASES, RateConstant, RateLaw, rate_unit, read_rate_constant
from gulch.engine.fluids import R
from gulch.engine.phases import phase_model
from gulch.engine.quantities import (
    CONSTANT,
    QuantityError,
    compound_unit,
    conversion,
    dimensions_of,
    parse,
    parse_points,
    split_text,
    unit_factor,
)
from gulch.engine.species import SpeciesError

if TYPE_CHECKING:
    from gulch.engine.document import Project, RateConstantEntry, RateEntry, ReactionEntry
    from gulch.engine.formulas import Formula
    from gulch.engine.phases.model import PhaseModel

SI_BASES = ("m", "kg", "s", "K", "mol", "A", "cd")  # in the order of `unit_names.DIMENSION_NAMES`
LARGEST_A, LARGEST_B = 50.0, 20_000.0  # of a + b/T [K]; more is a slip


def model_of(project: Project) -> PhaseModel:
    """The project's PhaseModel. Raises SpeciesError."""
    if not project.species:
        raise SpeciesError("The project has no species yet.")
    position = {s.id: i for i, s in enumerate(project.species)}
    kij = tuple(
        (position[k.pair[0]], position[k.pair[1]], k.value)
        for k in project.phase_model.interaction
        if k.pair[0] in position and k.pair[1] in position
    )
    chosen = project.phase_model
    return phase_model(chosen.kind, tuple(s.key for s in project.species), kij, chosen.vapour, pairs_of(project))


def pairs_of(project: Project) -> tuple:
    """The typed parameters of pairs that count under the project's phase model, as `PhaseModel` takes them; unreadable ones aside."""
    position = {s.id: i for i, s in enumerate(project.species)}
    out: dict[tuple, Any] = {}
    for entry in project.phase_model.pairs:
        if entry.model != project.phase_model.kind or not all(p in position for p in entry.pair):
            continue
        i, j = (position[p] for p in entry.pair)
        try:
            out[i, j], out[j, i] = pair_numbers(entry.pair, entry.a, entry.b)
        except QuantityError:
            continue  # the checks say so
        if entry.alpha is not None:
            out[i, j, "alpha"] = out[j, i, "alpha"] = entry.alpha
    return tuple(out.items())


def pair_numbers(pair: tuple, a: tuple, b: tuple) -> tuple:
    """((a, b [K]) of the first in the second, and the other way round) of what was typed. Raises QuantityError with a sentence."""
    words = " and ".join(pair)
    numbers = [in_kelvin(text, f"b of {words}") for text in b]
    if not all(abs(x) <= LARGEST_A for x in a):
        raise QuantityError(f"a of {words} is dimensionless and small: did you mean b, which is divided by the temperature?")
    if not all(abs(x) <= LARGEST_B for x in numbers):
        raise QuantityError(f"b of {words} is beyond all reason: it is mostly below 2000 K, or 4 kcal/mol.")
    return (a[0], numbers[0]), (a[1], numbers[1])


def in_kelvin(text: str, what: str) -> float:
    """b of a + b/T in K from a text in K or as a molar energy, which is divided by R. Raises QuantityError with a sentence."""
    bare = text.strip()
    if bare.endswith("K") and "/" not in bare:
        return number(bare[:-1], what)
    try:
        return number(bare, what)
    except QuantityError:
        pass
    try:
        return parse(bare, "molar energy") / R
    except QuantityError:
        raise QuantityError(f"{what} cannot be read from “{bare}”.") from None


def constant_of(entry: ReactionEntry, value: float | None = None) -> Constant:
    """The Constant of a reaction entry; value replaces a constant's own. Raises QuantityError with a sentence."""
    e = entry.equilibrium
    if e is None:
        return Constant()
    low, high = (parse(t, "temperature") if t else None for t in (e.low, e.high))
    if low is not None and high is not None and not low < high:
        raise QuantityError("The lowest temperature believed is not below the highest.")
    if e.source == "gibbs":
        return Constant(low=low, high=high)
    if e.basis == "partial-pressure" and e.phase == "liquid":
        raise QuantityError("Partial pressures belong to a vapour: choose the vapour, or another basis.")
    scale = 1.0
    if e.basis in BASIS_UNITS:
        dimension, usual = BASIS_UNITS[e.basis]
        scale = conversion(e.unit or usual, dimension)[0]
    coefficients: tuple[float, ...] = (0.0, 0.0, 0.0, 0.0)
    points: tuple = ((), ())
    if e.source == "formula":
        coefficients = tuple(number(getattr(e, k) or "0", k.upper()) for k in "abcd")
        if not any(coefficients):
            raise QuantityError("the formula is empty. Type A and B of ln K = A + B/T, from the constant's source.")
    elif e.source == "table":
        T, k = parse_points(e.table, "temperature", "ratio")
        if T[0] is None:
            raise QuantityError("The table needs temperatures: write for example “300 degC 0.0051; 350 degC 0.0022”.")
        if min(k) <= 0.0:
            raise QuantityError("A K of the table is not above zero.")
        points = (tuple(T), tuple(np.log(k).tolist()))
    else:
        if value is None and not e.value.strip():
            raise QuantityError("no value is typed yet. Type K, a number without unit.")
        k = number(e.value, "K") if value is None else value
        if k <= 0.0:
            raise QuantityError(f"K is not above zero: {e.value}.")
        coefficients = (float(np.log(k)), 0.0, 0.0, 0.0)
    return Constant(e.source, e.phase, e.basis, scale, coefficients, points, low, high)


def rate_of(entry: ReactionEntry, project: Project, nu: np.ndarray, values: dict[str, float] | None = None) -> RateLaw | None:
    """The RateLaw of a reaction entry, or None. nu: signed coefficients, shape (n,). Raises QuantityError with a sentence.

    values: numbers of a run that replace typed ones, {address tail: SI value}.
    """
    e = entry.rate
    if e is None:
        return None
    species = [s.id for s in project.species]
    if e.law == "formula":
        return RateLaw(per=e.per, program=program_of(e, species, values or {}))
    of_run = values or {}
    forward, constant = _side(entry, e.forward, e.orders, species, -nu, of_run, "")
    back = backward = None
    if e.reverse == "own":
        if e.backward is None:
            raise QuantityError("The reverse reaction has no rate constant: type it, or take the reverse from equilibrium.")
        backward, back = _side(entry, e.backward, e.reverse_orders, species, nu, of_run, "back_")
    adsorption = []
    for a in e.adsorption:
        if a.species not in species:
            raise QuantityError(f"The rate law names {a.species or '–'}, which is not a species of the project.")
        typed = number(a.power, "the power")
        power = of_run.get(f"adsorption_power.{a.species}", typed)
        of_it = [of_run.get(f"{name}.{a.species}") for name in ("adsorption_heat", "adsorption")]
        strength = strength_of(a.constant, strength_unit(e.basis, typed), *of_it)
        if power != typed:
            strength = replace(strength, ln_k=strength.ln_k + (typed - power) * _ln_quantity(a.constant.k, e.basis, None, typed))
        adsorption.append((species.index(a.species), strength, power))
    return RateLaw(
        e.basis,
        e.per,
        constant,
        forward,
        e.reverse,
        back,
        backward,
        tuple(adsorption),
        of_run.get("exponent", number(e.exponent, "the exponent m")),
    )


def _side(
    entry: ReactionEntry, k: RateConstantEntry, typed: dict, species: list[str], used: np.ndarray, of_run: dict[str, float], before: str
) -> tuple[np.ndarray, RateConstant]:
    """(orders, shape (n,), constant) of one direction. used: coefficients of what it uses up, above zero; before: of its numbers' names.

    An order that a run turns leaves k as it is at 1 of the unit in which it was typed. Raises QuantityError.
    """
    e = entry.rate
    assert e is not None
    orders = orders_of(typed, species, np.maximum(used, 0.0), entry.id)
    total = float(orders.sum())
    of_it = [of_run.get(before + name) for name in ("energy", "k", "power")]
    constant = rate_constant_of(k, e.basis, e.per, total, *of_it)
    turned = {name.removeprefix(f"{before}order."): v for name, v in of_run.items() if name.startswith(f"{before}order.")}
    if not turned:
        return orders, constant
    now = orders.copy()
    for name, value in turned.items():
        now[species.index(name)] = value
    if now.sum() != total:
        constant = replace(constant, ln_k=constant.ln_k - (now.sum() - total) * _ln_quantity(k.k, e.basis, e.per, total))
    return now, constant


def _ln_quantity(text: str, basis: str, per: str | None, order: float) -> float:
    """ln of the SI value of 1 of the concentration or pressure unit that a typed constant counts in."""
    return float(np.log(counted_in(split_text(text)[1], basis, per, order).si))


def program_of(entry: RateEntry, species: list[str], of_run: dict[str, float]) -> tuple:
    """Instructions of a typed rate, its own numbers in place: those of a run, else as typed. Raises QuantityError with a sentence."""
    formula = _read_formula(entry.formula, entry.per, tuple(species), tuple(entry.numbers.items()))
    values = [of_run.get(f"number.{name}", own_number(name, text)[0]) for name, text in entry.numbers.items()]
    return tuple(("push", values[int(at)], at + 1.0) if name == "number" else (name, at) for name, at in formula.instructions)


def own_number(name: str, text: str) -> tuple[float, str]:
    """(SI value, unit as typed) of a number of a formula. Raises QuantityError with a sentence."""
    try:
        value, unit = split_text(text)
        kind = dimension_of_number(text)
        if kind == "temperature":
            return parse(text, kind), "K"
        return value * (compound_unit(unit)[1] if unit else 1.0), unit
    except QuantityError as error:
        raise QuantityError(f"{name}: {error}") from None


def dimension_of_number(text: str) -> str | None:
    """The name of the kind of quantity of a formula's own number; None where it cannot be read."""
    try:
        _, unit = split_text(text)
        if not unit:
            return "ratio"
        dims = compound_unit(unit)[0]
    except QuantityError:
        return None
    if dims == dimensions_of("K"):
        return "temperature"
    si = " ".join(f"{u}^{float(e):g}" for u, e in zip(SI_BASES, dims, strict=True) if e)
    return f"{CONSTANT}{unit} | {si}" if si else "ratio"


def rate_formula(entry: RateEntry, species: list[str]) -> Formula:
    """The Formula of a typed rate. Raises QuantityError."""
    return _read_formula(entry.formula, entry.per, tuple(species), tuple(entry.numbers.items()))


@lru_cache(maxsize=256)
def _read_formula(text: str, per: str, species: tuple[str, ...], numbers: tuple[tuple[str, str], ...]) -> Formula:
    """The Formula of a rate, in which a number of its own is ("number", which)."""
    known: dict[str, Any] = {"T": ("T", 0.0, "K"), "P": ("P", 0.0, "Pa"), "R": ("push", R, "J/mol/K")}
    for i, s in enumerate(species):
        name = s.replace("-", "_")
        known |= {
            f"c.{name}": ("c", float(i), "mol/m**3"),
            f"p.{name}": ("p", float(i), "Pa"),
            f"x.{name}": ("x", float(i), ""),
        }
    for at, (name, number_text) in enumerate(numbers):
        if name in known:
            raise QuantityError(f"“{name}” is a quantity of the mixture: call the number otherwise.")
        value_unit = own_number(name, number_text)[1]
        known[name] = ("number", float(at), value_unit)
    if not text.strip():
        raise QuantityError("No formula is given: type for example “2e3[1/s]*exp(-60[kJ/mol]/(R*T))*c.ethanol”.")
    try:
        return formulas.read_lines(text, known, rate_unit("mole-fraction", per, 0.0))
    except formulas.FormulaError as error:
        raise QuantityError(str(error)) from None


def orders_of(typed: dict, species: list[str], usual: np.ndarray, id_: str) -> np.ndarray:
    """Orders by species, shape (n,): those typed, or `usual` when none is. Raises QuantityError."""
    if not typed:
        return usual
    out = np.zeros(len(species))
    for name, text in typed.items():
        if name not in species:
            raise QuantityError(f"The rate law of {id_} names {name}, which is not a species of the project.")
        out[species.index(name)] = number(text, f"the order in {name}")
    return out


def constant_unit(project: Project, entry: ReactionEntry, back: bool) -> str | None:
    """SI unit of k of a power law, forward or back, as its orders ask; None where they cannot be read."""
    e = entry.rate
    if e is None:
        return None
    typed = e.reverse_orders if back else e.orders
    try:
        usual = np.zeros(len(project.species))
        if not typed:
            usual = resolve_equation(entry.equation, project.entries()).nu(len(project.species)) * (1.0 if back else -1.0)
        orders = orders_of(typed, [s.id for s in project.species], np.maximum(usual, 0.0), entry.id)
    except (EquationError, QuantityError):
        return None
    return rate_unit(e.basis, e.per, float(orders.sum()))


def strength_unit(basis: str, power: float) -> str:
    """SI unit of an adsorption constant of a power; "" of mole fractions."""
    quantity = RATE_BASES[basis][2]
    return f"1/({quantity})**{power!r}" if quantity else ""


def dimension_of_constant(text: str, si: str) -> str | None:
    """The name of the kind of quantity of a constant as typed, whose orders ask for a unit; None where the text does not fit."""
    try:
        _, unit = split_text(text)
    except QuantityError:
        return None
    if not si:
        return None if unit else "ratio"
    return f"{CONSTANT}{unit} | {si}" if unit and unit_factor(unit, si) is not None else None


def rate_constant_of(
    entry: RateConstantEntry,
    basis: str,
    per: str,
    order: float,
    energy: float | None = None,
    k: float | None = None,
    power: float | None = None,
) -> RateConstant:
    """RateConstant of a typed k; energy [J/mol], k [SI] and power of T, where given, replace what is typed. Raises QuantityError."""
    return _rate_constant(entry, read_rate_constant(entry.k, basis, per, order) if k is None else k, energy, power)


def strength_of(entry: RateConstantEntry, si: str, heat: float | None = None, K: float | None = None) -> RateConstant:
    """RateConstant of an adsorption constant: K = K0 exp(-H/(R T)), H negative where heat is released; heat and K as in
    `rate_constant_of`. Raises QuantityError."""
    if K is not None:
        return _rate_constant(entry, K, heat)
    if not entry.k.strip():
        raise QuantityError(f"An adsorption constant is empty: type it in {si.replace('**', '^') or 'no unit'}, or a unit like it.")
    value, unit = split_text(entry.k)
    factor = unit_factor(unit, si)
    if factor is None or value <= 0.0:
        raise QuantityError(
            f"The adsorption constant “{entry.k}” needs a value above zero in {si.replace('**', '^') or 'no unit'}, or a unit like it."
        )
    return _rate_constant(entry, value * factor, heat)


def _rate_constant(entry: RateConstantEntry, k: float, energy: float | None, power: float | None = None) -> RateConstant:
    if energy is None:
        energy = parse(entry.energy, "molar energy") if entry.energy else 0.0
    if power is None:
        power = number(entry.power, "the power of T")
    ln_k = float(np.log(k))
    if entry.at:
        T = parse(entry.at, "temperature")
        ln_k += energy / (R * T) - power * float(np.log(T))
    return RateConstant(ln_k, power, energy)


def polynomial_of(text: str) -> tuple:
    """Coefficients c0, c1, … of a conversion X = c0 + c1 T + …, T in K. Raises QuantityError."""
    return tuple(number(t, f"c{i}") for i, t in enumerate(text.replace(";", ",").split(",")))


def number(text: str, what: str) -> float:
    """A bare number. Raises QuantityError naming what it is."""
    value, unit = split_text(text)
    if unit:
        raise QuantityError(f"{what} = “{text}”: write a number without unit (T is in K).")
    return value
