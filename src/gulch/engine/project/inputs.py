"""Addresses of inputs: what each is, its bounds, what is typed there, and writing it.

One scheme serves knobs, scans, forms, checks and files: `R1.temperature`, `feed.flow.ethylene`,
`hydration.conversion`, `SEP.share.water`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.declarations import PerReaction, Scope
from gulch.engine.document import FEED_DEFAULTS, choices_of, default_text, set_value, value_of
from gulch.engine.project.address import Address
from gulch.engine.project.feeds import FEED_BASES, OTHER_MEASURE, measured_otherwise, total_dimension
from gulch.engine.project.once import once
from gulch.engine.project.places import About
from gulch.engine.project.rate_numbers import COEFFICIENTS, reaction_addresses, write_rate
from gulch.engine.quantities import QuantityError
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import NumberEntry, Project, StreamEntry


def feed_addresses(project: Project, stream: StreamEntry) -> Iterator:
    """Addresses of one feed."""
    given = stream.given
    for name, low, high in (("temperature", 100.0, 3000.0), ("pressure", 1.0, 1e9)):
        typed = getattr(given, name)
        text = typed or default_text(FEED_DEFAULTS[name], name, project.display)
        yield Address(
            f"{stream.id}.{name}",
            name,
            f"{name.title()} of {stream.id}",
            low,
            high,
            text,
            assumed=not typed,
            about=About.STREAM,
        )
    key, dimension, words = FEED_BASES[given.basis]
    if given.basis.endswith("fractions"):
        try:
            kind = total_dimension(given.total or "")
        except QuantityError:
            kind = "molar flow" if given.basis == "mole-fractions" else "mass flow"
        yield Address(f"{stream.id}.total", kind, f"Total flow of {stream.id}", 0.0, np.inf, given.total, about=About.STREAM)
    elif given.basis == "mole-ratios":
        yield Address(
            f"{stream.id}.total",
            "molar flow",
            f"Flow of {given.to_species or '–'} in {stream.id}",
            0.0,
            np.inf,
            given.total,
            about=About.STREAM,
        )
    values = getattr(given, key)
    for s in project.species:
        if given.basis == "mole-ratios" and s.id == given.to_species:
            continue
        yield Address(
            f"{stream.id}.{key}.{s.id}",
            dimension,
            f"{words} {s.shown} in {stream.id}",
            0.0,
            1.0 if dimension == "fraction" else np.inf,
            values.get(s.id),
            not given.basis.endswith("fractions"),
            about=About.STREAM,
        )


def other_measures(project: Project, stream: StreamEntry) -> Iterator:
    """Addresses of a feed's flows in the measure that it is not given in: masses of one given in moles, and the other way round."""
    given = stream.given
    if given.basis not in OTHER_MEASURE:
        return
    key, dimension, words = FEED_BASES[given.basis]
    other, other_dimension, words = FEED_BASES[OTHER_MEASURE[given.basis]]
    for s in project.species:
        text = getattr(given, key).get(s.id)
        if text and text.strip().startswith(("-", "−")):
            text = None  # said at the flow itself
        yield Address(
            f"{stream.id}.{other}.{s.id}",
            other_dimension,
            f"{words if other == 'mass_flow' else 'Molar flow of'} {s.shown} in {stream.id}",
            0.0,
            text=measured_otherwise(text, dimension, other_dimension, s, project.display, 8) if text else None,
            about=About.STREAM,
        )


def reactions_of(project: Project, unit: Any) -> list[str]:
    """Ids of the reactions of a unit's set, in order."""
    chosen = project.set(getattr(unit, "set", None) or "")
    known = {r.id for r in project.reactions}
    return [i for step in chosen.steps for i in step if i in known] if chosen else []


def scope_of(project: Project, unit: Any) -> Scope:
    """The Scope of a unit's declarations."""
    known = _scopes(project)
    if id(unit) not in known:
        known[id(unit)] = _scope(project, unit)
    return known[id(unit)]


@once
def _scopes(project: Project) -> dict:
    """{unit entry, by identity: its Scope} as they are asked for."""
    return {}


def _scope(project: Project, unit: Any) -> Scope:
    reactions = tuple(reactions_of(project, unit))
    ways = {d.name: d.chosen(value_of(unit, d), reactions) for d in KINDS[unit.kind].declared(PerReaction) if d.options}
    return Scope(tuple((s.id, s.shown) for s in project.species), reactions, choices_of(unit), ways)


def unit_addresses(project: Project, unit: Any) -> Iterator:
    """Addresses of one unit's numbers that are in use."""
    scope = scope_of(project, unit)
    for d in KINDS[unit.kind].inputs():
        if not d.in_use(scope.choices):
            continue
        for n in d.numbers(value_of(unit, d), scope):
            text = n.text
            if n.lacking and not n.item and d.default:
                text = default_text(text, d.dimension, project.display)
            yield Address(
                f"{unit.id}.{d.key}.{n.item}" if n.item else f"{unit.id}.{d.key}",
                d.dimension,
                f"{n.label} {'in' if n.item else 'of'} {unit.id}",
                d.low,
                d.high,
                text,
                True,
                getattr(d, "material", True),
                n.lacking,
                d.context,
                getattr(d, "counted", True),
            )


def number_address(number: NumberEntry) -> Address:
    """The Address of a number of the project's own; bounds are those that its kind of quantity has by nature."""
    bounds = {"temperature": (1.0, np.inf), "pressure": (1.0, np.inf), "fraction": (0.0, 1.0)}
    low, high = bounds.get(number.dimension, (-np.inf, np.inf))
    return Address(f"{number.id}.value", number.dimension, number.label or number.id, low, high, number.value, about=About.NUMBER)


def _of(project: Project, wanted: str | None) -> Iterator:
    """Addresses of the feeds, units, reactions and numbers whose ids are wanted; of all where that is None."""
    for stream in project.streams:
        if stream.is_feed and stream.given and wanted in (None, stream.id):
            yield from feed_addresses(project, stream)
    for unit in project.units:
        if wanted in (None, unit.id):
            yield from unit_addresses(project, unit)
    for r in project.reactions:
        if wanted in (None, r.id):
            yield from reaction_addresses(project, r)
    for n in project.numbers:
        if wanted in (None, n.id):
            yield number_address(n)


@once
def addresses(project: Project) -> dict[str, Address]:
    """{address: Address} of every input of the project; a feed's flow in its other measure is one where a knob turns it."""
    found = {a.address: a for a in _of(project, None)}
    lacking = {k.input for k in project.knobs} - found.keys()
    return found | {a: known for a, known in in_other_measures(project).items() if a in lacking} if lacking else found


def in_other_measures(project: Project) -> dict[str, Address]:
    """{address: Address} of every feed's flows in the measure that it is not given in."""
    feeds = [s for s in project.streams if s.is_feed and s.given]
    return {a.address: a for s in feeds for a in other_measures(project, s)}


def twins(project: Project, which: Iterable[str] | None = None) -> dict[str, tuple[str, float]]:
    """{address: (address of the same flow in the other measure, how much of that is 1 of this, in SI)}.

    Those of some flows; of those that knobs turn in the measure that their feed is not given in without them.
    """
    found, of = {}, which
    for address in of if of is not None else (k.input for k in project.knobs):
        head, key, species = (*address.split(".", 2), "", "")[:3]
        stream, entry = project.stream(head), next((s for s in project.species if s.id == species), None)
        if entry is None or stream is None or not stream.is_feed or not stream.given or stream.given.basis not in OTHER_MEASURE:
            continue
        main, other = (FEED_BASES[b][0] for b in (stream.given.basis, OTHER_MEASURE[stream.given.basis]))
        if key not in ((other,) if of is None else (main, other)):
            continue
        try:
            mass = lookup(*entry.key).molar_mass.value
        except SpeciesError:
            continue
        there, factor = f"{head}.{main if key == other else other}.{species}", mass if key == "flow" else 1.0 / mass
        found[address], found[there] = (there, factor), (address, 1.0 / factor)
    return found


def with_twins(values: dict[str, float], same: dict[str, tuple[str, float]]) -> dict[str, float]:
    """Values of inputs in SI, and those of the same flows in their other measure. same: `twins` of the project."""
    return values | {same[a][0]: v * same[a][1] for a, v in values.items() if a in same}


def distinct(which: Iterable[str], same: dict[str, tuple[str, float]]) -> bool:
    """Whether addresses are of different inputs; a flow is the same in either measure. same: `twins` of the project."""
    named = [min(a, same[a][0]) if a in same else a for a in which]
    return len(set(named)) == len(named)


def address_of(project: Project, address: str) -> Address | None:
    """The Address of one input, or None where it is none; those of other things are not looked at."""
    head = address.partition(".")[0]
    found = {a.address: a for a in _of(project, head)}.get(address)
    stream = project.stream(head) if found is None else None
    if stream is None or not stream.is_feed or not stream.given:
        return found
    return next((a for a in other_measures(project, stream) if a.address == address), None)


@once
def owned(project: Project) -> dict[tuple[About, str], list[Address]]:
    """{(what kind of thing, its id): Addresses of its inputs}."""
    found: dict[tuple[About, str], list[Address]] = {}
    for a in addresses(project).values():
        found.setdefault((a.about, a.address.partition(".")[0]), []).append(a)
    return found


def as_given(project: Project, stream: StreamEntry, name: str, species: str, text: str) -> tuple[str, str]:
    """(Key, text) of a feed's number in the measure that the feed is given in. Raises KeyError where its basis has no such number."""
    given = stream.given
    assert given is not None
    if name not in {key for key, _, _ in FEED_BASES.values()}:
        raise KeyError(f"{stream.id}.{name}.{species}")
    key, dimension, _ = FEED_BASES[given.basis]
    other = FEED_BASES[OTHER_MEASURE.get(given.basis, given.basis)]
    if name == key or name != other[0] or not text:
        return (key if name == other[0] else name), text
    entry = next((s for s in project.species if s.id == species), None)
    if entry is None:
        raise KeyError(f"{stream.id}.{name}.{species}")
    return key, measured_otherwise(text, other[1], dimension, entry, project.display, 10) or text


def write(project: Project, address: str, text: str) -> None:
    """Write document text at an input address; the project is changed in place.

    Raises KeyError when there is no such input.
    """
    head, _, rest = address.partition(".")
    name, _, species = rest.partition(".")
    stream, unit, reaction = project.stream(head), project.unit(head), project.reaction(head)
    if stream is not None and stream.given is not None:
        if species:
            name, text = as_given(project, stream, name, species, text)
            values = dict(getattr(stream.given, name))
            if text in (None, ""):
                values.pop(species, None)
            else:
                values[species] = text
            setattr(stream.given, name, values)
        else:
            if not hasattr(stream.given, name):
                raise KeyError(address)
            setattr(stream.given, name, text or None)
        return
    if unit is not None:
        for d in KINDS[unit.kind].inputs():
            if name == d.key:
                set_value(unit, d, d.changed(value_of(unit, d), species, text))
                return
    if reaction is not None and name == "conversion" and reaction.conversion is not None:
        reaction.conversion.value = text
        reaction.conversion.meant = False
        return
    if reaction is not None and name == "constant" and reaction.equilibrium is not None:
        reaction.equilibrium.value = text
        return
    if reaction is not None and reaction.equilibrium is not None and name.startswith("lnK_") and name[4:] in COEFFICIENTS:
        setattr(reaction.equilibrium, name[4:].lower(), text)
        return
    number = project.number(head)
    if number is not None and name == "value":
        number.value = text
        return
    if reaction is not None and reaction.rate is not None and write_rate(project, reaction, address.split(".", 1)[1], text):
        return
    raise KeyError(address)
