"""Edits of a document: each changes a Project in place and returns what it made or touched."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry import EquationError, UnknownSpecies, parse_equation, resolve_equation
from gulch.engine.chemistry.equations import find_in_project
from gulch.engine.document import (
    UNIT_MODELS,
    AdsorptionEntry,
    Conversion,
    EquilibriumEntry,
    FeedEntry,
    GaugeEntry,
    Interaction,
    KnobEntry,
    MeasuredPair,
    MeasuresEntry,
    PairEntry,
    Part,
    Project,
    RateConstantEntry,
    RateEntry,
    ReactionEntry,
    SetEntry,
    SpeciesData,
    SpeciesEntry,
    StreamEntry,
    TargetEntry,
    TearEntry,
    load,
    set_value,
    source_of,
)
from gulch.engine.project.assumed import assumed
from gulch.engine.project.basis import amounts_of, give_in
from gulch.engine.project.couplings import own_reading
from gulch.engine.project.ends import leaving
from gulch.engine.project.feeds import FEED_BASES, fraction_of, give_way
from gulch.engine.project.inputs import address_of, write
from gulch.engine.project.measured import held, measured_of, read_pairs, read_points
from gulch.engine.project.measures import OVERALL, PER_REACTOR
from gulch.engine.project.reading import number, pair_numbers
from gulch.engine.quantities import QuantityError, complete, parse
from gulch.engine.quantities import write as write_quantity
from gulch.engine.references import Forgetting, Renaming, Thing, followed
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.species.databank import known
from gulch.engine.species.own import atoms_of
from gulch.engine.units import KINDS
from gulch.engine.units.base import Choice, ReactionSet

if TYPE_CHECKING:
    from gulch.engine.phases.stream import Stream


class EditError(ValueError):
    """An edit that cannot be made; the message is a sentence for the user."""


def taken(project: Project) -> set[str]:
    """Ids in use among streams, units and reactions, which share one space."""
    return {x.id for x in (*project.streams, *project.units, *project.reactions)}


def fresh(prefix: str, used: set[str]) -> str:
    """`prefix` with the lowest number that is not taken."""
    number = 1
    while f"{prefix}{number}" in used:
        number += 1
    return f"{prefix}{number}"


def slug(name: str, fallback: str = "x") -> str:
    """An id made from a name."""
    text = re.sub(r"[^A-Za-z0-9]+", "_", name).strip("_")[:36]
    return text if text[:1].isalpha() else f"{fallback}{text}"[:40]


# Process


def add_feed(project: Project, name: str | None = None) -> str:
    """Add a feed that goes nowhere yet; returns its id."""
    id_ = name or fresh("feed", taken(project))
    project.streams.append(StreamEntry(id=id_, given=FeedEntry()))
    return id_


def new_unit(project: Project, kind: str) -> Any:
    """Add an unconnected unit of a kind, with its first guess of a reaction set; returns the entry. Raises EditError."""
    if kind not in KINDS:
        raise EditError(f"There is no unit kind “{kind}”.")
    unit = UNIT_MODELS[kind](id=fresh(KINDS[kind].short, taken(project)))
    needed = any(not d.optional for d in KINDS[kind].declared(ReactionSet))
    if needed and project.reaction_sets:
        unit.set = project.reaction_sets[0].id
    project.units.append(unit)
    return unit


def complete_streams(project: Project) -> None:
    """Give every outlet in use a stream, and drop product streams of outlets no longer in use."""
    streams = leaving(project)
    for unit in project.units:
        ports = [p.name for p in KINDS[unit.kind].ports_out(unit)]
        present = {}
        for port, s in streams[unit.id]:
            if port is not None and port not in ports and s.to is None:
                project.streams.remove(s)
            else:
                present[port or ports[0]] = s
        for port in ports:
            if port not in present:
                source = unit.id if len(ports) == 1 else f"{unit.id}.{port}"
                project.streams.append(StreamEntry(id=fresh("S", taken(project)), source=source))


@contextmanager
def outlets_kept(project: Project, unit: Any, new: Any = None) -> Iterator:
    """Around an edit of a unit that may change its outlets: streams keep what they are connected to, by the outlet nearest in kind.

    new: the entry that takes the unit's place.

    One outlet that becomes vapour and liquid goes on as the phase that the main way is taken from, the liquid; of two that
    become one, the connected one goes on. Outlets without a stream get one, and ends of outlets gone are dropped.
    """
    before = [p.name for p in KINDS[unit.kind].ports_out(unit)]
    held = {port or before[0]: s for port, s in leaving(project)[unit.id]}
    yield
    after = [p.name for p in KINDS[(new or unit).kind].ports_out(new or unit)]
    if after != before:
        homeless = [s for port, s in held.items() if port not in after]
        free = [port for port in reversed(after) if port not in held]  # the heavier outlet stands last and holds the main way
        homeless.sort(key=lambda s: (s.to is None, -list(held.values()).index(s)))
        for stream in homeless:
            if free:
                port = free.pop(0)
                stream.source = unit.id if len(after) == 1 else f"{unit.id}.{port}"
            else:
                project.streams.remove(stream)
        for port, stream in held.items():
            if port in after:
                stream.source = unit.id if len(after) == 1 else f"{unit.id}.{port}"
        forget(project)
    complete_streams(project)


def exchange_outlet(project: Project, stream_id: str, port: str) -> None:
    """Let a stream leave its unit by a port; whatever left by it takes the stream's old one. Raises EditError."""
    stream = need_stream(project, stream_id)
    unit = project.unit(source_of(stream)[0]) if stream.source else None
    ports = [p.name for p in KINDS[unit.kind].ports_out(unit)] if unit is not None else []
    if port not in ports:
        raise EditError(f"{stream_id} cannot leave by “{port}”: choose one of {', '.join(ports) or 'the outlets of its unit'}.")
    old = source_of(stream)[1]
    new = unit.id if len(ports) == 1 else f"{unit.id}.{port}"
    for other in project.streams:
        if other is not stream and other.source is not None and source_of(other) == (unit.id, port):
            if old in ports:
                other.source = stream.source
            else:
                project.streams.remove(other)
            break
    stream.source = new
    complete_streams(project)


def exchange_inlet(project: Project, stream_id: str, port: str) -> None:
    """Let a stream enter its unit by a port; whatever entered by it takes the stream's old one. Raises EditError."""
    stream = need_stream(project, stream_id)
    unit = project.unit(stream.enters) if stream.to else None
    if unit is None or port not in [p.name for p in KINDS[unit.kind].inlets]:
        raise EditError(f"{stream_id} cannot enter by “{port}”: choose a side of the unit that it goes to.")
    for other in project.streams:
        if other is not stream and other.to == f"{unit.id}.{port}":
            other.to = stream.to
    stream.to = f"{unit.id}.{port}"


def append_unit(project: Project, stream_id: str, kind: str) -> str:
    """Put a new unit at the end of a stream, or into it when it already goes somewhere; returns its id."""
    stream = need_stream(project, stream_id)
    unit = new_unit(project, kind)
    onward, next_unit = stream.to, stream.enters
    stream.to = free_inlet(project, unit)
    complete_streams(project)
    if onward is not None:
        out = main_way(project, unit)
        out.to = onward
        # keep the order of building along the path, so that only true returns run backwards
        project.units.remove(unit)
        project.units.insert(next(i for i, u in enumerate(project.units) if u.id == next_unit), unit)
    return unit.id


def main_way(project: Project, unit: Any) -> StreamEntry:
    """The stream that leaves a unit by its main outlet."""
    leaving = {source_of(s)[1]: s for s in project.streams if s.source is not None and source_of(s)[0] == unit.id}
    return leaving.get(KINDS[unit.kind].main_outlet) or next(iter(leaving.values()))


def free_inlet(project: Project, unit: Any) -> str:
    """The `to` of a unit's first inlet that no stream has taken; of its first one when all are taken."""
    inlets = KINDS[unit.kind].inlets
    if len(inlets) == 1:
        return unit.id
    used = {s.inlet for s in project.streams if s.enters == unit.id}
    port = next((p for p in inlets if p.name not in used), inlets[0])
    return f"{unit.id}.{port.name}"


def send_to(project: Project, stream_id: str, to: str) -> str:
    """Send a stream to an existing unit or unit.port, with a mixer before it where that is taken. Returns the unit entered.

    Raises EditError.
    """
    stream = need_stream(project, stream_id)
    unit_id, _, port = to.partition(".")
    unit = project.unit(unit_id)
    if unit is None or (port and port not in [p.name for p in KINDS[unit.kind].inlets]):
        raise EditError(f"There is no unit {to}: choose another.")
    stream.to = None
    to = to if port or len(KINDS[unit.kind].inlets) == 1 else free_inlet(project, unit)
    entering = [s for s in project.streams if s.to == to]
    if entering and not KINDS[unit.kind].inlets[0].many:
        mixer = new_unit(project, "mixer")
        project.units.remove(mixer)
        project.units.insert(project.units.index(unit), mixer)
        for s in entering:
            s.to = mixer.id
        joined = StreamEntry(id=fresh("S", taken(project)), source=mixer.id, to=to)
        project.streams.append(joined)
        to = mixer.id
    stream.to = to
    return to


def end_here(project: Project, stream_id: str) -> None:
    """Let a stream end as a product (or a feed go nowhere)."""
    need_stream(project, stream_id).to = None


def remove(project: Project, id_: str) -> None:
    """Remove a unit (joining what came in to where its first outlet went) or a feed; a product is only detached. Raises EditError."""
    unit = project.unit(id_)
    if unit is not None:
        entering = [s for s in project.streams if s.enters == id_]
        leaving = [s for s in project.streams if s.source is not None and source_of(s)[0] == id_]
        main = KINDS[unit.kind].main_outlet
        onward = [(source_of(s)[1], s.to) for s in leaving if s.to is not None and s.enters != id_]
        onward.sort(key=lambda o: o[0] != main)  # the main way first
        for s in leaving:
            project.streams.remove(s)
        for s in entering:
            if s not in project.streams:
                continue
            if s.inlet:  # what came in by a side goes on where that side led
                s.to = dict(onward).get(s.inlet)
            else:
                s.to = onward[0][1] if len(entering) == 1 and onward else None
        project.units.remove(unit)
    else:
        stream = need_stream(project, id_)
        if stream.is_feed:
            project.streams.remove(stream)
        elif stream.to is not None:
            stream.to = None
        else:
            raise EditError(f"{id_} is the outlet of {source_of(stream)[0]}: remove that unit, or send the stream elsewhere.")
    forget(project)


def forget(project: Project) -> None:
    """Drop what refers to things that are no more: knobs, gauges, ties, guesses, scans, targets and the rest."""
    while True:
        before = project.dump()
        alive = {
            Thing.STREAM: project.streams,
            Thing.UNIT: project.units,
            Thing.REACTION: project.reactions,
            Thing.SPECIES: project.species,
            Thing.SET: project.reaction_sets,
            Thing.KNOB: project.knobs,
            Thing.GAUGE: project.gauges,
            Thing.TARGET: project.targets,
            Thing.SCAN: project.scans,
            Thing.SEARCH: project.searches,
            Thing.VARIANT: project.variants,
        }
        after = followed(Project, before, Forgetting({t: {x.id for x in entries} for t, entries in alive.items()}))
        if after == before:
            return
        become(project, after)


def become(project: Project, data: dict[str, Any]) -> None:
    """Give a Project the content of plain data, its parts staying the objects that callers hold."""
    _take_over(project, load(data))


def _take_over(part, new):
    for name in type(part).model_fields:
        mine, its = getattr(part, name), getattr(new, name)
        if mine == its:
            continue
        if isinstance(mine, Part) and type(mine) is type(its):
            _take_over(mine, its)
        elif isinstance(its, list) and its and isinstance(its[0], Part):
            setattr(part, name, [_kept_or_new(k, mine, entry, len(mine) == len(its)) for k, entry in enumerate(its)])
        else:
            setattr(part, name, its)


def _kept_or_new(k, mine, entry, in_place):
    """The object that an entry stood in before, brought up to date; the entry itself where there was none."""
    if in_place:
        old = mine[k]
    else:
        old = next((e for e in mine if (name_of(e), type(e)) == (name_of(entry), type(entry))), None)
    if type(old) is not type(entry):
        return entry
    _take_over(old, entry)
    return old


def name_of(entry: Part) -> str | None:
    """What tells an entry of a list from the others."""
    return next((getattr(entry, key) for key in ("id", "sets", "stream") if key in type(entry).model_fields), None)


def take_assumed(project: Project, id_: str, taken: dict[str, Any], address: str | None = None) -> list[str]:
    """Write what a unit or feed assumes into the document, one address or all of them; returns the labels of what was taken.

    taken: what the last solve took from the context, {input name: value in SI, or a choice}.
    """
    done = []
    for a in assumed(project, id_):
        if address not in (None, a.address):
            continue
        text = a.text
        if text is None:
            name = a.address.partition(".")[2]
            value = taken.get(name)
            if value is None:
                continue  # not known before the unit has solved
            found = address_of(project, a.address)
            text = value if found is None else write_quantity(value, found.dimension, project.display)
        choice = _choice_at(project, a.address)
        if choice is not None:
            set_value(project.unit(id_), choice, text)
        else:
            write(project, a.address, text)
        done.append(a.label)
    return done


def _choice_at(project, address):
    head, _, name = address.partition(".")
    unit = project.unit(head)
    return next((d for d in KINDS[unit.kind].declared(Choice) if d.name == name), None) if unit else None


# Loops, ties and targets


def tear_of(project: Project, stream_id: str) -> TearEntry:
    """The TearEntry of a stream, made where there is none."""
    need_stream(project, stream_id)
    found = project.tear(stream_id)
    if found is None:
        project.tears = [*project.tears, TearEntry(stream=stream_id)]
        found = project.tears[-1]
    return found


MOST_PASTED = 6000  # characters


def tidy_tears(project: Project) -> None:
    """Drop entries that say nothing."""
    project.tears = [t for t in project.tears if t.chosen or t.open or t.flow]


def guess_lines(project: Project, text: str) -> tuple:
    """(temperature, pressure, {species: flow}) of a pasted guess, a name and a quantity to the line. Raises EditError."""
    names = {}
    for s in project.species:
        names |= {s.id.lower(): s.id, s.shown.lower(): s.id}
    temperature = pressure = None
    flow = {}
    if len(text) > MOST_PASTED:
        raise EditError(f"The pasted guess is longer than {MOST_PASTED} characters: one line to the species is enough.")
    for line in re.split(r"[\n;]+", text):
        line = " ".join(line.replace("\t", " ").split()).strip()
        if not line:
            continue
        match = re.fullmatch(r"(.*?)[ :=]+([+\-−]?[\d.,].*)", line[:200])
        word = match[1].strip().lower() if match else ""
        if match and word in names:
            dimension = "molar flow"
        elif match and word in ("temperature", "t"):
            dimension = "temperature"
        elif match and word in ("pressure", "p"):
            dimension = "pressure"
        else:
            raise EditError(f"“{line[:60]}” is no line of a guess: write a species, temperature or pressure and its value.")
        value = complete(match[2].strip(), dimension, project.display)
        try:
            parse(value, dimension)
        except QuantityError as error:
            raise EditError(f"“{line[:60]}”: {error}") from None
        if dimension == "temperature":
            temperature = value
        elif dimension == "pressure":
            pressure = value
        else:
            flow[names[word]] = value
    if not flow:
        raise EditError("The guess holds no flow: write for example “ethylene 700 kmol/h”, one species to the line.")
    return temperature, pressure, flow


def gauge_on(project: Project, address: str) -> GaugeEntry:
    """The gauge that reads a result, made where there is none."""
    found = next((g for g in project.gauges if g.reads == address), None)
    if found is None:
        found = GaugeEntry(id=fresh("gauge", {g.id for g in project.gauges}), reads=address)
        project.gauges = [*project.gauges, found]
    return found


def gauge_on_formula(project: Project, formula: str, label: str = "") -> Any:
    """A gauge that reads a formula over addresses. Raises EditError when it cannot be read."""
    id_ = fresh("gauge", {g.id for g in project.gauges})
    made = GaugeEntry(id=id_, reads=f"gauge.{id_}", formula=formula.strip()[:400], label=label.strip()[:60] or None)
    try:
        own_reading(project, made)
    except QuantityError as error:
        raise EditError(str(error)) from None
    project.gauges = [*project.gauges, made]
    return made


def knob_on(project: Project, address: str, low: str, high: str) -> KnobEntry:
    """The knob that turns an input, made with a range where there is none."""
    found = next((k for k in project.knobs if k.input == address), None)
    if found is None:
        found = KnobEntry(id=fresh("knob", {k.id for k in project.knobs}), input=address, low=low, high=high)
        project.knobs = [*project.knobs, found]
    return found


def add_target(project: Project, gauge: str, knob: str, value: float | None = None, sits: str = "value") -> str:
    """Add a target on a gauge by a knob; returns its id. Raises EditError."""
    if project.gauge(gauge) is None or project.knob(knob) is None:
        raise EditError("A target needs a gauge to read and a knob to turn: make them first (○ and ◇ in the inspector).")
    id_ = fresh("target", {t.id for t in project.targets})
    project.targets = [*project.targets, TargetEntry(id=id_, gauge=gauge, knob=knob, value=value, sits=sits)]
    return id_


def need_stream(project: Project, id_: str) -> StreamEntry:
    """The stream of that id. Raises EditError where there is none."""
    stream = project.stream(id_)
    if stream is None:
        raise EditError(f"There is no stream {id_}: it may have been removed meanwhile.")
    return stream


def rename(project: Project, old: str, new: str) -> None:
    """Give a unit, stream or reaction another id everywhere it is named. Raises EditError."""
    new = new.strip()
    if new == old:
        return
    if not re.fullmatch(r"[A-Za-z][A-Za-z0-9_\-]{0,39}", new):
        raise EditError(f"“{new}” cannot be a name: use letters, digits, _ and -, beginning with a letter, at most 40.")
    if new in taken(project) or new == "overall":
        raise EditError(f"{new} is taken already: choose another name.")
    if old not in taken(project):
        raise EditError(f"There is nothing named {old}: it may have been removed meanwhile.")
    things = {Thing.STREAM: project.streams, Thing.UNIT: project.units, Thing.REACTION: project.reactions}
    thing = next(t for t, entries in things.items() if any(x.id == old for x in entries))
    become(project, followed(Project, project.dump(), Renaming(thing, old, new, frozenset(taken(project)))))


def set_basis(project: Project, stream_id: str, basis: str) -> list[KnobEntry]:
    """Give a feed by another basis, with the same amounts where they can be read.

    Returns the knobs whose number the new basis does not have. Raises EditError.
    """
    stream = need_stream(project, stream_id)
    if stream.given is None:
        raise EditError(f"{stream_id} is no feed: its amounts come from {source_of(stream)[0] if stream.source else 'nowhere'}.")
    return give_in(project, stream, basis)


def turn(project: Project, values: dict[str, str]) -> None:
    """What follows where some inputs have been turned to new values: the other fractions of a feed give way in proportion."""
    for stream in project.streams:
        if not stream.is_feed or stream.given is None:
            continue
        tails = (a.removeprefix(f"{stream.id}.") for a in values if a.startswith(f"{stream.id}."))
        kept = {i for tail in tails if (i := fraction_of(stream.given.basis, tail))}
        if not kept:
            continue
        key = FEED_BASES[stream.given.basis][0]
        texts = getattr(stream.given, key)
        try:
            numbers = np.array([parse(v, "fraction") for v in texts.values()])
        except QuantityError:
            continue  # said by the checks
        mask = np.isin(list(texts), list(kept))
        if numbers[mask].sum() > 1.0 or numbers[~mask].sum() <= 0.0:
            continue
        after = give_way(numbers, mask)
        setattr(stream.given, key, {s: t if s in kept else f"{100 * x:.10g} %" for (s, t), x in zip(texts.items(), after, strict=True)})


def scale_fractions(project: Project, stream_id: str) -> None:
    """Scale a feed's fractions to 100 %. Raises EditError."""
    given = need_stream(project, stream_id).given
    key = "fraction" if given.basis == "mole-fractions" else "mass_fraction"
    try:
        numbers = {s: parse(v, "fraction") for s, v in getattr(given, key).items()}
    except QuantityError as error:
        raise EditError(str(error)) from None
    total = sum(numbers.values())
    if total <= 0.0:
        raise EditError("All fractions are zero: type at least one of them.")
    setattr(given, key, {s: f"{100 * v / total:.10g} %" for s, v in numbers.items()})


# Chemistry


def add_species(project: Project, cas: str, name: str | None = None) -> str:
    """Add a species by CAS number under a name; returns its id. Raises EditError."""
    if any(s.cas == cas for s in project.species):
        raise EditError(f"{name or cas} is in the project already.")
    try:
        shown = name or known(cas)["name"]  # what it lacks is said by the checks, and can be typed
    except SpeciesError as error:
        raise EditError(str(error)) from None
    id_ = slug(shown, "s")
    used = {s.id for s in project.species}
    if id_ in used:
        id_ = fresh(id_[:36], used)
    project.species.append(SpeciesEntry(id=id_, cas=cas, name=shown if shown != id_ else None))
    return id_


# Dry air without its traces, US Standard Atmosphere 1976: (CAS number, name, mole fraction)
AIR = (("7727-37-9", "nitrogen", 0.7809), ("7782-44-7", "oxygen", 0.2095), ("7440-37-1", "argon", 0.0093))


def add_air(project: Project) -> list[str]:
    """Add the species of air that the project lacks; returns their ids."""
    present = {s.cas for s in project.species}
    return [add_species(project, cas, name) for cas, name, _ in AIR if cas not in present]


def fill_with_air(project: Project, stream_id: str) -> None:
    """Give a feed the composition of air by mole fractions, of those of its species that the project has. Raises EditError."""
    given = need_stream(project, stream_id).given
    ids = {s.cas: s.id for s in project.species}
    parts = {ids[cas]: share for cas, _, share in AIR if cas in ids}
    if len(parts) < 2:
        raise EditError("Air needs nitrogen and oxygen: add “air” in Chemistry.")
    whole = sum(parts.values())
    set_basis(project, stream_id, "mole-fractions")
    given.fraction = {i: f"{100 * share / whole:.6g} %" for i, share in parts.items()}


def add_own_species(project: Project, name: str, formula: str, cas: str | None = None, non_volatile: bool = False) -> str:
    """Add a species that the user knows better than the databank; returns its id. Raises EditError."""
    name, formula = name.strip()[:80], formula.strip()[:60]
    if not name:
        raise EditError("The species has no name: type one.")
    if cas and not re.fullmatch(r"\d{2,7}-\d{2}-\d", cas):
        raise EditError(f"“{cas}” is not a CAS number: write it like 64-17-5, or leave it out.")
    if cas and any(s.cas == cas for s in project.species):
        raise EditError(f"{cas} is in the project already.")
    data = SpeciesData(formula=formula, non_volatile=non_volatile)
    try:
        atoms_of(formula)
    except SpeciesError as error:
        raise EditError(str(error)) from None
    id_ = slug(name, "s")
    used = {s.id for s in project.species}
    id_ = fresh(id_[:36], used) if id_ in used else id_
    project.species.append(SpeciesEntry(id=id_, cas=cas or None, name=name if name != id_ else None, data=data))
    return id_


def set_species_datum(project: Project, id_: str, field: str, text: str) -> None:
    """Type, replace or (with an empty text) take back one datum of a species. Raises EditError."""
    entry = next((s for s in project.species if s.id == id_), None)
    if entry is None or field not in SpeciesData.model_fields:
        raise EditError("The species is gone: reload the page.")
    data = entry.data or SpeciesData()
    if field == "non_volatile":
        data.non_volatile = bool(text)
        entry.boils = not text  # said, so that nobody asks again
    elif field == "formula" and not text:
        raise EditError("A species of your own needs a formula.")
    elif field == "solvent" and text not in ("", "water", "none"):
        raise EditError("It dissolves in water, or in nothing.")
    else:
        setattr(data, field, text or None)
    if text:
        data.sources = {k: v for k, v in data.sources.items() if k != field}
    entry.data = data if data != SpeciesData() else None


def choose_source(project: Project, id_: str, field: str, source: str) -> None:
    """Take a datum from another source of the databank; an empty one leaves the choice to Gulch. Raises EditError."""
    entry = next((s for s in project.species if s.id == id_), None)
    if entry is None:
        raise EditError("The species is gone: reload the page.")
    data = entry.data or SpeciesData()
    data.sources = {k: v for k, v in data.sources.items() if k != field} | ({field: source} if source else {})
    if source:
        setattr(data, field, None)
    entry.data = data if data != SpeciesData() else None


def set_equilibrium(project: Project, id_: str, field: str, text: str) -> None:
    """Write one part of a reaction's equilibrium constant; the default one is stored as none. Raises EditError."""
    reaction = project.reaction(id_)
    if reaction is None or field not in EquilibriumEntry.model_fields:
        raise EditError("The reaction is gone: reload the page.")
    entry = reaction.equilibrium or EquilibriumEntry()
    optional = field in ("unit", "low", "high")
    setattr(entry, field, (text or None) if optional else text)
    if field == "basis":
        entry.unit = None
    reaction.equilibrium = entry if entry != EquilibriumEntry() else None
    if entry.source != "constant":
        project.knobs = [k for k in project.knobs if k.input != f"{id_}.constant"]
        forget(project)


def set_interaction(project: Project, a: str, b: str, text: str) -> None:
    """Type the interaction parameter k_ij of a pair; an empty text brings the shipped one back. Raises EditError."""
    ids = {s.id for s in project.species}
    if a not in ids or b not in ids or a == b:
        raise EditError("Choose two different species of the project.")
    try:
        value = number(text, f"k of {a} and {b}") if text else None
    except QuantityError as error:
        raise EditError(str(error)) from None
    if value is not None and not -1.0 <= value <= 1.0:
        raise EditError(f"An interaction parameter of {text} is beyond all reason: keep it between −1 and 1.")
    kept = [k for k in project.phase_model.interaction if set(k.pair) != {a, b}]
    if value is not None:
        kept.append(Interaction(pair=(a, b), value=value))
    project.phase_model.interaction = kept


def set_pair(project: Project, a: str, b: str, texts: dict[str, str]) -> None:
    """Type the parameters of a pair for the project's activity model; all texts empty brings the filled ones back. Raises EditError.

    texts: a_ab, a_ba (numbers), b_ab, b_ba (K, or an energy over R), alpha; a is the first species, b the second.
    """
    kind = project.phase_model.kind
    if kind not in ("nrtl", "wilson"):
        raise EditError("Parameters of pairs belong to NRTL and Wilson: choose one of them as the phase model first.")
    ids = {s.id for s in project.species}
    if a not in ids or b not in ids or a == b:
        raise EditError("Choose two different species of the project.")
    kept = [p for p in project.phase_model.pairs if not (set(p.pair) == {a, b} and p.model == kind)]
    if any(text.strip() for text in texts.values()):
        kept.append(_pair_entry(a, b, kind, {k: v.strip() for k, v in texts.items()}))
    project.phase_model.pairs = kept


def paste_pairs(project: Project, text: str) -> int:
    """Take the parameters of a pasted table for the project's activity model; returns how many pairs. Raises EditError."""
    names = {word.lower(): s.id for s in project.species for word in (s.id, s.shown, s.cas or s.id)}
    try:
        rows = read_pairs(text, names)
    except QuantityError as error:
        raise EditError(str(error)) from None
    before = list(project.phase_model.pairs)
    try:
        for a, b, texts in rows:
            set_pair(project, a, b, texts)
    except EditError:
        project.phase_model.pairs = before
        raise
    return len(rows)


def set_measured(project: Project, a: str, b: str, field: str, text: str) -> None:
    """Type what the diagram of a pair is at, paste its measured points, or say where they come from (fields at, points, remark).

    Empty points leave the pair without any. Raises EditError.
    """
    ids = {s.id for s in project.species}
    if a not in ids or b not in ids or a == b:
        raise EditError("Choose two different species of the project.")
    old = measured_of(project, a, b)
    entry = (old or MeasuredPair(pair=(a, b))).model_copy()
    try:
        if field == "points":
            entry.points = read_points(text, entry.at, project.display)
        elif field == "at":
            before, now = held(entry.at), held(text)
            if entry.points and before.free != now.free:
                raise EditError(f"The measured points give a {before.free}: take them away first, or keep to a diagram of it.")
            entry.at = text
        elif field == "remark":
            entry.remark = text or None
        else:
            raise EditError("The diagram is gone: reload the page.")
    except QuantityError as error:
        raise EditError(str(error)) from None
    if entry.pair != (a, b):
        raise EditError("The diagram is gone: reload the page.")
    project.phase_model.measured = [m for m in project.phase_model.measured if m is not old] + [entry]


def _pair_entry(a, b, kind, texts):
    try:
        numbers = [number(texts.get(f"a_{way}") or "0", f"a of {a} and {b}") for way in ("ab", "ba")]
        b_texts = (texts.get("b_ab") or "0 K", texts.get("b_ba") or "0 K")
        pair_numbers((a, b), tuple(numbers), b_texts)
        alpha = number(texts["alpha"], "alpha") if texts.get("alpha") else None
    except QuantityError as error:
        raise EditError(f"{error} Write b as in 350 K, or 700 cal/mol.") from None
    if alpha is not None and not 0.0 < alpha <= 1.0:
        raise EditError(f"A non-randomness of {texts['alpha']} is beyond reason: it lies between 0.1 and 0.6, mostly 0.2 to 0.47.")
    return PairEntry(pair=(a, b), model=kind, a=(numbers[0], numbers[1]), b=b_texts, alpha=alpha)


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


def set_measures(project: Project, key: str, product: Stream, ratio: float) -> None:
    """Count conversion, selectivity and yield on a key reactant and a wanted product; empty ones end that."""
    if not key and not product:
        project.measures = None
        measures = {*PER_REACTOR, *OVERALL}
        project.gauges = [g for g in project.gauges if g.formula or g.reads.split(".")[-1] not in measures or g.reads.count(".") != 1]
        forget(project)
    else:
        project.measures = MeasuresEntry(key=key, product=product, ratio=ratio or None)


def remove_species(project: Project, id_: str) -> None:
    """Take a species out of the list and of all that is given by species; reactions that use it are left, and the checks name them."""
    project.species = [s for s in project.species if s.id != id_]
    forget(project)


def move_species(project: Project, id_: str, by: int) -> None:
    """Move a species up (-1) or down (+1) in the list. Raises EditError."""
    at = next((i for i, s in enumerate(project.species) if s.id == id_), None)
    if at is None:
        raise EditError(f"There is no species {id_}.")
    to = min(max(at + by, 0), len(project.species) - 1)
    species = list(project.species)
    species.insert(to, species.pop(at))
    project.species = species


def order_by_boiling_point(project: Project) -> None:
    """Order species by normal boiling point, lightest first; unknown ones last."""

    def key(entry):
        try:
            point = lookup(*entry.key).boiling_point
        except SpeciesError:
            point = None
        return point.value if point else 1e9

    project.species = sorted(project.species, key=key)


def add_species_of(project: Project, equation: str) -> None:
    """Add the species that an equation names and the project lacks, where the databank is sure of them. Raises EquationError, EditError."""
    left, right = parse_equation(equation)
    for term in (*left, *right):
        try:
            find_in_project(term.name, tuple(project.entries()))
        except UnknownSpecies as error:
            if len(error.matches) != 1:
                raise
            add_species(project, error.matches[0].cas, error.matches[0].name)


def add_reaction(project: Project, equation: str, name: str | None = None) -> str:
    """Add a reaction and put it into the first reaction set as a new last step; returns its id."""
    id_ = name or fresh("r", taken(project))
    project.reactions.append(ReactionEntry(id=id_, equation=equation))
    if not project.reaction_sets:
        project.reaction_sets.append(SetEntry(id="main", steps=[[id_]]))
        for unit in project.units:
            if any(not d.optional and unit.set is None for d in KINDS[unit.kind].declared(ReactionSet)):
                unit.set = "main"
    else:
        first = project.reaction_sets[0]
        first.steps = [*first.steps, [id_]]
    return id_


def remove_reaction(project: Project, id_: str) -> None:
    """Remove a reaction and take it out of every set."""
    project.reactions = [r for r in project.reactions if r.id != id_]
    forget(project)
    for s in project.reaction_sets:
        s.steps = [step for step in s.steps if step]


def limiting_reactant(project: Project, nu: np.ndarray) -> str:
    """Id of the reactant of which the feeds hold least for its coefficient, of those they hold; the first where they hold none.

    nu: signed coefficients, shape (n,).
    """
    reactants = np.flatnonzero(nu < 0.0)
    fed = np.zeros(nu.size)
    for stream in project.streams:
        found = amounts_of(project, stream) if stream.is_feed and stream.given is not None else None
        fed += found[0] if found else 0.0
    held = [i for i in reactants if fed[i] > 0.0]
    return project.species[min(held, key=lambda i: fed[i] / -nu[i]) if held else reactants[0]].id


def set_conversion(project: Project, id_: str, key: str, value: float, polynomial: str | None = None) -> None:
    """Give a reaction a key species and a conversion, by value or polynomial; empty ones leave the key and no conversion.

    Raises EditError.
    """
    reaction = project.reaction(id_)
    if reaction is None:
        raise EditError(f"There is no reaction {id_}.")
    reaction.conversion = Conversion(key=key, value=value, polynomial=polynomial or None) if key or value or polynomial else None
    if not value or polynomial:
        project.knobs = [k for k in project.knobs if k.input != f"{id_}.conversion"]
        forget(project)


def place_in_set(project: Project, set_id: str, reaction_id: str, step: int) -> None:
    """Put a reaction into step 1, 2, ... of a set; 0 takes it out. A step beyond the last is appended. Raises EditError."""
    chosen = project.set(set_id)
    if chosen is None or project.reaction(reaction_id) is None:
        raise EditError("The reaction or the set is gone: reload the page.")
    # out of its step first, keeping the numbering of the others until it is placed
    steps = [[r for r in s if r != reaction_id] for s in chosen.steps]
    if step > 0:
        while len(steps) < step:
            steps.append([])
        steps[step - 1].append(reaction_id)
    chosen.steps = [s for s in steps if s]
