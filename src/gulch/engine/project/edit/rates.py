"""Rate laws."""

from __future__ import annotations

from gulch.engine.chemistry import EquationError, resolve_equation
from gulch.engine.document import AdsorptionEntry, Project, RateConstantEntry, RateEntry
from gulch.engine.project.edit.whole import EditError, forget
from gulch.engine.project.reading import own_number
from gulch.engine.quantities import QuantityError
from gulch.engine.species import SpeciesError

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
