"""Numbers of the project's own, and feeds given by them: as a ratio to another feed, or two by their total and ratio."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.document import NumberEntry, TieEntry
from gulch.engine.project.basis import amounts_of, give_in
from gulch.engine.project.couplings import ties_reading
from gulch.engine.project.edit.whole import EditError, fresh, slug, taken
from gulch.engine.quantities import DIMENSIONS, DISPLAY_SETS, QuantityError, complete, parse, split_text, to_unit

if TYPE_CHECKING:
    from gulch.engine.document import Project, StreamEntry


_USUAL = ("ratio", "molar flow", "mass flow", "temperature", "pressure", "power")  # of several quantities with one unit these first


def kind_of(text: str) -> str:
    """What kind of quantity a typed text is, by its unit: a ratio where it has none. Raises EditError."""
    try:
        _, unit = split_text(text)
    except QuantityError as error:
        raise EditError(str(error)) from None
    if unit in ("", "%"):
        return "fraction" if unit else "ratio"
    for name in (*_USUAL, *DIMENSIONS):
        try:
            parse(text, name)
        except QuantityError:
            continue
        return name
    raise EditError(f"“{unit[:20]}” is no unit that a quantity here has: type for example 2.5, 100 kmol/h or 30 degC.")


def add_number(project: Project, name: str, text: str) -> NumberEntry:
    """A number under a name; its unit says what kind of quantity it is. Raises EditError."""
    name = name.strip()
    if not name:
        raise EditError("A number needs a name: type for example hydrogen to oil.")
    if any(name.lower() == (n.label or n.id).lower() for n in project.numbers):
        raise EditError(f"There is a number named {name} already: choose another name, or change that one.")
    dimension = kind_of(text)
    id_ = slug(name, "n")
    id_ = id_ if id_ not in taken(project) and id_ != "overall" else fresh(f"{id_}_", taken(project))
    try:
        made = NumberEntry(id=id_, label=name[:60], value=complete(text.strip(), dimension, project.display), dimension=dimension)
    except QuantityError as error:
        raise EditError(str(error)) from None
    project.numbers = [*project.numbers, made]
    return made


def ratio_of_feeds(project: Project, feed_id: str, other_id: str) -> NumberEntry:
    """Give a feed as a ratio to another one, of moles; the ratio begins as it is now. Raises EditError."""
    feed, other = _feed(project, feed_id), _feed(project, other_id)
    if feed is other:
        raise EditError(f"{feed_id} cannot be a ratio to itself: choose another feed.")
    now, base = _total(project, feed), _total(project, other)
    sets = _by_total(project, feed)
    _untie(project, sets)
    if any(t.sets.startswith(f"{other_id}.") for t in ties_reading(project, feed_id)):
        raise EditError(f"{other_id} is given by {feed_id} already, so each would wait for the other: give one of them by itself.")
    made = _named(project, f"{feed_id} to {other_id}", f"{now / base:.6g}")
    _tie(project, sets, f"{made.id}.value * {other_id}.flow")
    return made


def total_and_ratio(project: Project, first_id: str, second_id: str) -> tuple[NumberEntry, NumberEntry]:
    """Give two feeds by their total and the ratio of the second to the first, of moles; both begin as they are now. Raises EditError."""
    first, second = _feed(project, first_id), _feed(project, second_id)
    if first is second:
        raise EditError("The total of two feeds needs two feeds: choose another one.")
    a, b = _total(project, first), _total(project, second)
    sets = [_by_total(project, s) for s in (first, second)]
    for address in sets:
        _untie(project, address)
    unit = DISPLAY_SETS[project.display].unit("molar flow")
    total = _named(project, f"total of {first_id} and {second_id}", f"{to_unit(a + b, unit, 'molar flow'):.8g} {unit}")
    ratio = _named(project, f"{second_id} to {first_id}", f"{b / a:.6g}")
    _tie(project, sets[0], f"{total.id}.value / (1 + {ratio.id}.value)")
    _tie(project, sets[1], f"{total.id}.value * {ratio.id}.value / (1 + {ratio.id}.value)")
    return total, ratio


def remove_number(project: Project, id_: str) -> list[str]:
    """Remove a number with the ties that use it; returns the addresses that are given by themselves again."""
    gone = ties_reading(project, id_)
    project.ties = [t for t in project.ties if t not in gone]
    project.numbers = [n for n in project.numbers if n.id != id_]
    return [t.sets for t in gone]


def _feed(project: Project, id_: str) -> StreamEntry:
    stream = project.stream(id_)
    if stream is None or not stream.is_feed or stream.given is None:
        raise EditError(f"{id_ or 'Nothing'} is no feed: choose one.")
    return stream


def _total(project: Project, feed: StreamEntry) -> float:
    """What a feed carries [mol/s]. Raises EditError."""
    found = amounts_of(project, feed)
    if found is None:
        raise EditError(f"{feed.id} carries nothing, or what it carries cannot be read: give it a flow first.")
    return float(sum(found[0]))


def _by_total(project: Project, feed: StreamEntry) -> str:
    """The address that a feed's whole flow is set at: its one species' flow, or its total, for which it is given by fractions."""
    given = feed.given
    flows = [s for s, t in given.flow.items() if parse(t, "molar flow") > 0.0] if given.basis == "molar" else []
    if len(flows) == 1:
        return f"{feed.id}.flow.{flows[0]}"
    if given.basis != "mole-fractions":
        give_in(project, feed, "mole-fractions")
    return f"{feed.id}.total"


def _named(project: Project, name: str, text: str) -> NumberEntry:
    labels = {(n.label or n.id).lower() for n in project.numbers}
    k = 1
    while f"{name}{f' {k}' if k > 1 else ''}".lower() in labels:
        k += 1
    return add_number(project, f"{name}{f' {k}' if k > 1 else ''}", text)


def _untie(project: Project, address: str) -> None:
    project.ties = [t for t in project.ties if t.sets != address]


def _tie(project: Project, address: str, formula: str) -> None:
    project.ties = [*project.ties, TieEntry(sets=address, formula=formula)]
