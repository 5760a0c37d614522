"""Addresses of inputs, and reading the document's text into SI numbers.

One scheme serves knobs, scans, forms, checks and files: `R1.temperature`, `feed.flow.ethylene`,
`hydration.conversion`, `SEP.share.water`.
"""

from dataclasses import dataclass

import numpy as np

from gulch.engine.document import choices_of, set_value, value_of
from gulch.engine.phases import phase_model
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.species import SpeciesError
from gulch.engine.units import KINDS
from gulch.engine.units.base import Choice, Input, PerSpecies, ReactionSet


@dataclass(frozen=True)
class Address:
    """An input that can be read and written: its dimension, words for it, and bounds in SI."""

    address: str
    dimension: str
    label: str
    low: float = -np.inf
    high: float = np.inf
    text: str | None = None
    knob: bool = True  # may be turned


_FEED_BASES = {
    "molar": ("flow", "molar flow", "Flow of"),
    "mass": ("mass_flow", "mass flow", "Mass flow of"),
    "mole-fractions": ("fraction", "fraction", "Mole fraction of"),
    "mass-fractions": ("mass_fraction", "fraction", "Mass fraction of"),
}


def total_dimension(text):
    """Dimension of a feed's typed total: molar or mass flow. Raises QuantityError."""
    try:
        parse(text, "molar flow")
        return "molar flow"
    except QuantityError as error:
        try:
            parse(text, "mass flow")
            return "mass flow"
        except QuantityError:
            raise error from None


def feed_addresses(project, stream):
    """Addresses of one feed."""
    given = stream.given
    yield Address(
        f"{stream.id}.temperature", "temperature", f"Temperature of {stream.id}", 100.0, 3000.0, given.temperature
    )
    yield Address(f"{stream.id}.pressure", "pressure", f"Pressure of {stream.id}", 1.0, 1e9, given.pressure)
    key, dimension, words = _FEED_BASES[given.basis]
    if given.basis.endswith("fractions"):
        try:
            kind = total_dimension(given.total or "")
        except QuantityError:
            kind = "molar flow" if given.basis == "mole-fractions" else "mass flow"
        yield Address(f"{stream.id}.total", kind, f"Total flow of {stream.id}", 0.0, np.inf, given.total)
    values = getattr(given, key)
    for s in project.species:
        yield Address(f"{stream.id}.{key}.{s.id}", dimension, f"{words} {s.shown} in {stream.id}", 0.0,
                      1.0 if dimension == "fraction" else np.inf, values.get(s.id), not given.basis.endswith("fractions"))  # fmt: skip


def unit_addresses(project, unit):
    """Addresses of one unit's numbers that are in use."""
    choices = choices_of(unit)
    for d in KINDS[unit.kind].inputs():
        if isinstance(d, Choice | ReactionSet) or not d.in_use(choices):
            continue
        text = value_of(unit, d)
        if isinstance(d, PerSpecies):
            for s in project.species:
                yield Address(f"{unit.id}.{d.name}.{s.id}", d.dimension, f"{d.label} of {s.shown} in {unit.id}",
                              d.low, d.high, text.get(s.id, d.default))  # fmt: skip
        else:
            name = d.name.removesuffix("_given")
            yield Address(f"{unit.id}.{name}", d.dimension, f"{d.label} of {unit.id}", d.low, d.high, text)


def addresses(project):
    """{address: Address} of every input of the project."""
    found = {}
    for stream in project.streams:
        if stream.is_feed and stream.given:
            found.update((a.address, a) for a in feed_addresses(project, stream))
    for unit in project.units:
        found.update((a.address, a) for a in unit_addresses(project, unit))
    for r in project.reactions:
        if r.conversion:
            a = Address(f"{r.id}.conversion", "fraction", f"Conversion of {r.conversion.key} by {r.id}", 0.0, 1.0,
                        r.conversion.value)  # fmt: skip
            found[a.address] = a
    return found


def write(project, address, text):
    """Write document text at an input address; the project is changed in place.

    Raises KeyError when there is no such input.
    """
    head, _, rest = address.partition(".")
    name, _, species = rest.partition(".")
    stream, unit, reaction = project.stream(head), project.unit(head), project.reaction(head)
    if stream is not None and stream.given is not None:
        if species:
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
            if name in (d.name, d.name.removesuffix("_given")):
                if isinstance(d, PerSpecies):
                    values = dict(value_of(unit, d))
                    if text in (None, ""):
                        values.pop(species, None)
                    else:
                        values[species] = text
                    set_value(unit, d, values)
                elif isinstance(d, Input) and d.default is not None and not d.optional and text in (None, ""):
                    set_value(unit, d, d.default)
                else:
                    set_value(unit, d, text or None)
                return
    if reaction is not None and name == "conversion" and reaction.conversion is not None:
        reaction.conversion.value = text
        reaction.conversion.meant = False
        return
    raise KeyError(address)


def model_of(project):
    """The project's PhaseModel. Raises SpeciesError."""
    if not project.species:
        raise SpeciesError("The project has no species yet.")
    position = {s.id: i for i, s in enumerate(project.species)}
    kij = tuple(
        (position[k.pair[0]], position[k.pair[1]], k.value)
        for k in project.phase_model.interaction
        if k.pair[0] in position and k.pair[1] in position
    )
    return phase_model(project.phase_model.kind, tuple(s.cas for s in project.species), kij)


def feed_amounts(given, basis, values, species, molar_mass):
    """Molar flows [mol/s] of a feed, shape (n,), from its basis and SI values by address tail."""
    key = _FEED_BASES[basis][0]
    numbers = np.array([values.get(f"{key}.{s}", 0.0) for s in species])
    if basis == "molar":
        return numbers
    if basis == "mass":
        return numbers / molar_mass
    total, dimension = values["total"], given["total_dimension"]
    numbers = numbers / numbers.sum()
    mole = numbers if basis == "mole-fractions" else (numbers / molar_mass) / (numbers / molar_mass).sum()
    return mole * (total if dimension == "molar flow" else total / float(mole @ molar_mass))
