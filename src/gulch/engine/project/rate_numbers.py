"""Numbers of a reaction as inputs: its conversion, its constant, and every number of its rate law.

The unit of k hangs on the orders. Where an order is turned, k keeps its number at 1 of the concentration (pressure) unit in which it was
typed, and its unit follows: 0.5 L/(mol s) of the second order is 0.5 mol/(L s)/(mol/L)^1.8 of the order 1.8.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry.constant_units import counted_in
from gulch.engine.chemistry.equations import EquationError, resolve_equation
from gulch.engine.document import default_text
from gulch.engine.project.address import Address
from gulch.engine.project.places import About
from gulch.engine.project.reading import constant_unit, dimension_of_constant, dimension_of_number, number, orders_of, strength_unit
from gulch.engine.quantities import QuantityError, split_text
from gulch.engine.species import SpeciesError

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from gulch.engine.document import Project, RateConstantEntry, RateEntry, ReactionEntry

RATE_NUMBERS = (
    *("k", "energy", "power", "order", "back_k", "back_energy", "back_power", "back_order"),
    *("adsorption", "adsorption_heat", "adsorption_power", "exponent", "number"),
)
STEEPEST_ORDER = 9.0
COEFFICIENTS = "ABCD"  # of ln K = A + B/T + C ln T + D T, T in K


def reaction_addresses(project: Project, r: ReactionEntry) -> Iterator[Address]:
    """Addresses of one reaction's numbers."""
    if r.equilibrium and r.equilibrium.source == "constant":
        label = f"Equilibrium constant of {r.id}"
        yield Address(f"{r.id}.constant", "ratio", label, 1e-300, 1e300, r.equilibrium.value, about=About.REACTION)
    if r.equilibrium and r.equilibrium.source == "formula":
        for letter in COEFFICIENTS:
            text = getattr(r.equilibrium, letter.lower()) or "0"
            yield _bare(f"{r.id}.lnK_{letter}", f"{letter} of ln K of {r.id}", text, "0", 1e6)
    if r.rate and r.rate.law == "power":
        e = r.rate
        yield _energy(f"{r.id}.energy", f"Activation energy of {r.id}", e.forward.energy, project, counted=True)
        yield from _of_side(project, r, False)
        if e.reverse == "own" and e.backward is not None:
            yield _energy(f"{r.id}.back_energy", f"Activation energy of the reverse of {r.id}", e.backward.energy, project)
            yield from _of_side(project, r, True)
        yield from _of_adsorption(project, r.id, e)
    if r.rate and r.rate.law == "formula":
        for name, text in r.rate.numbers.items():
            kind = dimension_of_number(text)
            if kind is not None:
                yield Address(f"{r.id}.number.{name}", kind, f"{name} of {r.id}", -1e250, 1e250, text, about=About.REACTION)
    if r.conversion and not r.conversion.polynomial:
        label = f"Conversion of {r.conversion.key} by {r.id}"
        yield Address(f"{r.id}.conversion", "fraction", label, 0.0, 1.0, r.conversion.value, about=About.REACTION)


def _of_side(project: Project, r: ReactionEntry, back: bool) -> Iterator[Address]:
    """Addresses of k, the power of T and the orders of one direction.

    A k whose text does not fit its orders has none: the checks say what is wrong with it. Nor have orders beside such a k.
    """
    e = r.rate
    entry = None if e is None else e.backward if back else e.forward
    if e is None or entry is None:
        return
    before, words = ("back_", f"the reverse of {r.id}") if back else ("", r.id)
    si = constant_unit(project, r, back)
    dimension = dimension_of_constant(entry.k, si) if si is not None else None
    if dimension is None:
        return
    yield Address(f"{r.id}.{before}k", dimension, f"Rate constant of {words}", 1e-300, 1e250, entry.k, about=About.REACTION)
    yield _bare(f"{r.id}.{before}power", f"Power of T of {words}", entry.power, "0")
    for species, order in orders_typed(project, r, back).items():
        yield _bare(f"{r.id}.{before}order.{species}", f"Order of {words} in {species}", order, None)


def _of_adsorption(project: Project, id_: str, e: RateEntry) -> Iterator[Address]:
    """Addresses of adsorption constants, their heats and powers, and of the exponent over all; those of a species with several terms, which
    it does not tell apart, have none."""
    named = [a.species for a in e.adsorption]
    for a in e.adsorption:
        if named.count(a.species) > 1:
            continue
        yield _energy(f"{id_}.adsorption_heat.{a.species}", f"Heat of adsorption of {a.species} in {id_}", a.constant.energy, project)
        si = _strength(e.basis, a.power)
        dimension = dimension_of_constant(a.constant.k, si) if si is not None else None
        if dimension is not None:
            label = f"Adsorption constant of {a.species} in {id_}"
            yield Address(f"{id_}.adsorption.{a.species}", dimension, label, 1e-300, 1e250, a.constant.k, about=About.REACTION)
            yield _bare(f"{id_}.adsorption_power.{a.species}", f"Power of {a.species} below the bar in {id_}", a.power, "1")
    if e.adsorption:
        yield _bare(f"{id_}.exponent", f"Exponent below the bar in {id_}", e.exponent, "1")


def _bare(address: str, label: str, text: str, usual: str | None, most: float = STEEPEST_ORDER) -> Address:
    """The Address of an order, power or coefficient; usual: the text that stands where nobody typed one."""
    try:
        number(text, label)
    except QuantityError:
        text = usual or "0"  # the checks say so
    return Address(address, "ratio", label, -most, most, text, counted=False, about=About.REACTION)


def _energy(address: str, label: str, text: str | None, project: Project, counted: bool = False) -> Address:
    assumed = default_text("0 kJ/mol", "molar energy", project.display)
    return Address(address, "molar energy", label, -1e9, 1e9, text or assumed, assumed=not text, counted=counted, about=About.REACTION)


def _strength(basis: str, power: str) -> str | None:
    try:
        return strength_unit(basis, number(power, "the power"))
    except QuantityError:
        return None


def orders_typed(project: Project, r: ReactionEntry, back: bool) -> dict[str, str]:
    """{species: order as text} of one direction: those typed, else the stoichiometric ones; none where the equation cannot be read."""
    e = r.rate
    if e is None:
        return {}
    typed = e.reverse_orders if back else e.orders
    if typed:
        return dict(typed)
    try:
        nu = resolve_equation(r.equation, project.entries()).nu(len(project.species)) * (1.0 if back else -1.0)
    except (EquationError, SpeciesError):
        return {}
    return {s.id: f"{v:g}" for s, v in zip(project.species, nu, strict=True) if v > 0.0}


def write_rate(project: Project, reaction: ReactionEntry, tail: str, text: str) -> bool:
    """Write one number of a rate law; whether it has such a one."""
    rate = reaction.rate
    name, _, species = tail.partition(".")
    if rate is None or name not in RATE_NUMBERS:
        return False
    back = name.startswith("back_")
    kind = name.removeprefix("back_")
    if kind == "number":
        if species in rate.numbers:
            rate.numbers = rate.numbers | {species: text}
        return species in rate.numbers
    if kind == "exponent":
        rate.exponent = text
        return True
    if kind == "order":
        return _write_order(project, reaction, species, text, back)
    entry = rate.backward if back else rate.forward
    if kind.startswith("adsorption"):
        term = next((a for a in rate.adsorption if a.species == species), None)
        if term is None:
            return False
        if kind == "adsorption_power":
            before, after = (number(p, "the power") for p in (term.power, text))
            _refit(term.constant, lambda unit: counted_in(unit, rate.basis, None, before).of_strength(after))
            term.power = text
            return True
        entry = term.constant
    if entry is None:
        return False
    if kind in ("energy", "adsorption_heat"):
        entry.energy = text
        entry.meant = False
    elif kind == "power":
        entry.power = text
    else:
        entry.k = text
    return True


def _write_order(project: Project, reaction: ReactionEntry, species: str, text: str, back: bool) -> bool:
    """Write an order; k keeps its number at 1 of its unit, whose name follows the orders."""
    rate = reaction.rate
    orders = orders_typed(project, reaction, back)
    entry = None if rate is None else rate.backward if back else rate.forward
    if rate is None or entry is None or species not in {s.id for s in project.species}:
        return False
    ids = [s.id for s in project.species]
    turned = orders | {species: text}
    before, after = (float(orders_of(o, ids, np.zeros(len(ids)), reaction.id).sum()) for o in (orders, turned))
    setattr(rate, "reverse_orders" if back else "orders", turned)
    if before != after:
        _refit(entry, lambda unit: counted_in(unit, rate.basis, rate.per, before).of_constant(after))
    return True


def _refit(entry: RateConstantEntry, unit_of: Callable[[str], str]) -> None:
    """Give a constant another unit, its number kept as it was typed; one that cannot be read stays."""
    try:
        value, unit = split_text(entry.k)
        entry.k = f"{value:.12g} {unit_of(unit)}".strip()
    except QuantityError:
        return
