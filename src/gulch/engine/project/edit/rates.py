"""Rate laws."""

from __future__ import annotations

import math

from gulch.engine.chemistry import EquationError, resolve_equation
from gulch.engine.chemistry.constant_units import CountedIn
from gulch.engine.document import AdsorptionEntry, Project, RateConstantEntry, RateEntry
from gulch.engine.fluids import R
from gulch.engine.project.edit.whole import EditError, forget
from gulch.engine.project.rate_numbers import orders_typed
from gulch.engine.project.reading import constant_unit, dimension_of_constant, number, own_number
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.species import SpeciesError

KB_OVER_H = 1.380649e-23 / 6.62607015e-34  # 1/(K s)
RATE_FIELDS = ("law", "basis", "per", "reverse", "exponent", "formula")


def need_rate(project: Project, id_: str) -> RateEntry:
    """The rate law of a reaction. Raises EditError where there is none."""
    reaction = project.reaction(id_)
    if reaction is None or reaction.rate is None:
        raise EditError("The rate law is gone: reload the page.")
    return reaction.rate


def add_rate(project: Project, id_: str) -> None:
    """Give a reaction a rate law with the stoichiometric orders, whose constant is still to be typed. Raises EditError."""
    reaction = project.reaction(id_)
    if reaction is None:
        raise EditError("The reaction is gone: reload the page.")
    try:
        resolve_equation(reaction.equation, project.entries())
    except (EquationError, SpeciesError) as error:
        raise EditError(f"Mend the equation first. {error}") from None
    reaction.rate = RateEntry()  # its k stays empty until it is typed


def set_rate(project: Project, id_: str, field: str, text: str) -> None:
    """Write one part of a rate law: a field of its own, or "forward.k", "backward.energy" and the like. Raises EditError."""
    rate = need_rate(project, id_)
    side, _, part = field.partition(".")
    if side in ("forward", "backward") and part in ("k", "power", "energy", "at"):
        entry = getattr(rate, side)
        if part == "energy":
            entry.meant = False
        setattr(
            entry,
            part,
            (text or None) if part in ("at", "energy") else (text or {"power": "0"}.get(part, "")),
        )
    elif side in RATE_FIELDS and not part:
        setattr(rate, side, text or ("1" if side == "exponent" else text))
        if side == "reverse" and text == "own" and rate.backward is None:
            rate.backward = RateConstantEntry(k="")
    else:
        raise EditError("A rate law has no such part: reload the page.")
    if rate.law != "power":
        project.knobs = [k for k in project.knobs if k.input != f"{id_}.energy"]
        forget(project)


def set_order(project: Project, id_: str, species: str, text: str, back: bool = False) -> None:
    """Write the order of a rate law in one species; the first one typed keeps the others as they were. Raises EditError."""
    rate = need_rate(project, id_)
    reaction = project.reaction(id_)
    orders = dict(rate.reverse_orders if back else rate.orders)
    if not orders:
        try:
            found = resolve_equation(reaction.equation, project.entries()).coefficients
        except (EquationError, SpeciesError) as error:
            raise EditError(f"Mend the equation first. {error}") from None
        names = [s.id for s in project.species]
        orders = {names[i]: f"{abs(float(v)):g}" for i, v in found.items() if (v > 0) == back}
    orders[species] = text or "0"
    if not text and len(orders) > 1:
        orders.pop(species)  # emptied; a typed 0 stays, as an answer
    if back:
        rate.reverse_orders = orders
    else:
        rate.orders = orders


def by_second_point(project: Project, id_: str, k: str, at: str) -> None:
    """The activation energy from k at a second temperature: E = R ln(k2/k1)/(1/T1 − 1/T2). Raises EditError with a sentence."""
    rate = need_rate(project, id_)
    reaction = project.reaction(id_)
    if not rate.forward.at or not rate.forward.k:
        raise EditError("Type k and the temperature at which it holds first; the second point gives the activation energy.")
    si = constant_unit(project, reaction, False) if reaction is not None else None
    kind = dimension_of_constant(k, si) if si is not None else None
    if kind is None:
        raise EditError(f"“{k[:40]}” does not fit the orders as the k typed before does: type it in the same unit.")
    try:
        one, two = (parse(text, kind) for text in (rate.forward.k, k))
        T1, T2 = (parse(text, "temperature") for text in (rate.forward.at, at))
    except QuantityError as error:
        raise EditError(str(error)) from None
    if not (one > 0.0 and two > 0.0) or abs(T1 - T2) < 0.01:
        raise EditError("Two points of k need two temperatures, and values above zero.")
    energy = R * math.log(two / one) / (1.0 / T1 - 1.0 / T2)
    rate.forward.energy, rate.forward.power, rate.forward.meant = f"{energy / 1e3:.6g} kJ/mol", "0", False


def by_activated_complex(project: Project, id_: str, enthalpy: str, entropy: str) -> None:
    """k by Eyring's equation, (kB T/h) exp(ΔS‡/R) exp(−ΔH‡/(R T)) at a standard state of 1 mol/L. Raises EditError with a sentence.

    Source: Eyring, J. Chem. Phys. 3 (1935) 107; IUPAC, Compendium of Chemical Terminology.
    """
    rate = need_rate(project, id_)
    reaction = project.reaction(id_)
    if rate.law != "power" or rate.basis != "concentration" or rate.per in ("catalyst", "surface") or reaction is None:
        raise EditError("Eyring's equation gives k of a power law in concentrations, by volume: choose these first.")
    try:
        H, S = parse(enthalpy, "molar energy"), parse(entropy, "molar entropy")
        order = sum(number(t, "the order") for t in orders_typed(project, reaction, False).values())
    except QuantityError as error:
        raise EditError(str(error)) from None
    unit = CountedIn("mol/(L s)", "mol/L", 1e3, "mol", "L", "s").of_constant(order)
    rate.forward = RateConstantEntry(k=f"{KB_OVER_H * math.exp(S / R):.8g} {unit}", power="1", energy=f"{H / 1e3:.8g} kJ/mol")


def set_number(project: Project, id_: str, name: str, text: str) -> None:
    """Give a formula a number of its own, or take it away where nothing is typed. Raises EditError."""
    rate = need_rate(project, id_)
    if text:
        try:
            own_number(name, text)
        except QuantityError as error:
            raise EditError(str(error)) from None
        try:
            rate.numbers = rate.numbers | {name: text}
        except ValueError:
            raise EditError(f"“{name[:40]}” is no name: letters, digits and _, beginning with a letter.") from None
    else:
        rate.numbers = {k: v for k, v in rate.numbers.items() if k != name}
        forget(project)


def add_adsorption(project: Project, id_: str, species: list[str]) -> None:
    """Add an adsorption term of a species to a rate law."""
    rate = need_rate(project, id_)
    rate.adsorption = [
        *rate.adsorption,
        AdsorptionEntry(species=species, constant=RateConstantEntry(k="")),
    ]


def set_adsorption(project: Project, id_: str, at: int, field: str, text: str) -> None:
    """Write one part of an adsorption term (k, energy, at, power), or take the term away (remove). Raises EditError."""
    rate = need_rate(project, id_)
    if not 0 <= at < len(rate.adsorption):
        raise EditError("The term is gone: reload the page.")
    if field == "remove":
        rate.adsorption = [a for i, a in enumerate(rate.adsorption) if i != at]
    elif field == "power":
        rate.adsorption[at].power = text or "1"
    elif field in ("k", "energy", "at"):
        setattr(rate.adsorption[at].constant, field, (text or None) if field != "k" else text)
    else:
        raise EditError("A term has no such part: reload the page.")
