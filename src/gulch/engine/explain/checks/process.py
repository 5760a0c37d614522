"""What is typed of feeds, units and their connections."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from gulch.engine.declared.declarations import Course, ReactionSet, SpeciesChoice
from gulch.engine.declared.told import Code
from gulch.engine.document import choices_of, source_of, value_of
from gulch.engine.explain.checks.chemistry import unreadable_constants
from gulch.engine.explain.checks.numbers import read
from gulch.engine.project.assumed import of_feed, of_reaction, of_unit
from gulch.engine.project.ends import entering
from gulch.engine.project.feeds import FEED_BASES, total_dimension
from gulch.engine.project.inputs import addresses, reactions_of
from gulch.engine.project.messages import Message
from gulch.engine.project.places import at_reaction, at_set, at_stream, at_unit
from gulch.engine.quantities import QuantityError, parse, show
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project, StreamEntry


def quantities(project: Project) -> Iterator:
    """Every number can be read, has the right dimension and lies inside its bounds."""
    required = set()
    tied = {t.sets for t in project.ties}
    for u in project.units:
        for d in KINDS[u.kind].inputs():
            if not getattr(d, "optional", True) and not d.context:
                required.add(f"{u.id}.{d.key}")
    told = {f"{id_}.constant" for id_ in unreadable_constants(project)}  # by the checks of chemistry
    for a in addresses(project).values():
        if a.address in told:
            continue
        try:
            value = read(a)
        except QuantityError as error:
            yield Message("error", a.place, f"{a.label}: {error}", "Type it again.")
            continue
        if value is None:
            if a.address not in tied and (a.address in required or a.address.endswith(".total")):
                yield Message("error", a.place, f"{a.label} is not given.", "Type a value with its unit.")
            continue
        if not a.low <= value <= a.high:
            side, bound = ("below", a.low) if value < a.low else ("above", a.high)
            if show(value, a.dimension, project.display) == show(
                bound, a.dimension, project.display
            ):  # the bound itself may not be reached
                other, way = ("above", "more") if value < a.low else ("below", "less")
                yield Message("error", a.place, f"{a.label} is {a.text}, but has to stay {other} that.", f"Type a little {way}.")
                continue
            what = "negative" if a.low == 0.0 and value < 0.0 else f"{side} {show(bound, a.dimension, project.display)}"
            yield Message(
                "error",
                a.place,
                f"{a.label} is {what}: {a.text}.",
                "Give a value that is zero or more." if what == "negative" else f"Keep it {'above' if value < a.low else 'below'} that.",
            )


def feeds(project: Project) -> Iterator:
    """Every feed has a state and carries something."""
    for s in project.streams:
        if not s.is_feed:
            if s.given is not None:
                yield Message(
                    "error",
                    at_stream(s.id),
                    f"{s.id} leaves a unit but carries given values.",
                    "Remove them or its “from”.",
                )
            continue
        if s.given is None:
            yield Message("error", at_stream(s.id), f"Feed {s.id} has no state.", "Give its temperature, pressure and flows.")
            continue
        if s.to is None:
            yield Message("warning", at_stream(s.id), f"Feed {s.id} goes nowhere yet.", "Press + at its end to append a unit.")
        yield from amounts_fed(project, s)


def amounts_fed(project: Project, s: StreamEntry) -> Iterator:
    """What a feed carries: species of the project, above zero, fractions that add up."""
    ids = {x.id for x in project.species}
    key = FEED_BASES[s.given.basis][0]
    if s.given.basis == "mole-ratios" and (s.given.to_species or "") not in ids:
        yield Message(
            "error",
            at_stream(s.id, "to_species"),
            f"Feed {s.id} does not say which species its ratios are to.",
            "Choose one in the inspector.",
        )
        return
    values = getattr(s.given, key)
    for name in values:
        if name not in ids:
            yield Message(
                "error",
                at_stream(s.id, f"{key}.{name}"),
                f"Feed {s.id} holds {name}, which is not a species of the project.",
                f"Add {name} in Chemistry or remove it from the feed.",
            )
    dimension = FEED_BASES[s.given.basis][1]
    try:
        numbers = [parse(v, dimension) for v in values.values()]
        if key in ("fraction", "mass_fraction", "ratio") and s.given.total:
            if parse(s.given.total, "molar flow" if key == "ratio" else total_dimension(s.given.total)) == 0.0:
                yield Message(
                    "error",
                    at_stream(s.id, "total"),
                    f"Feed {s.id} has a total flow of zero.",
                    "Give a flow above zero.",
                )
    except QuantityError:
        return
    if not any(n > 0.0 for n in numbers) and key != "ratio" and not any(t.sets.startswith(f"{s.id}.") for t in project.ties):
        yield Message(
            "error",
            at_stream(s.id, key),
            f"Feed {s.id} carries nothing: all its {key.replace('_', ' ')}s are zero or missing.",
            "Give at least one of them a value above zero.",
        )
    elif dimension == "fraction" and abs(sum(numbers) - 1.0) > 1e-4:
        total = 100 * sum(numbers)
        yield Message(
            "error",
            at_stream(s.id, key),
            f"The fractions of feed {s.id} add up to {total:.6g} %, not 100 %.",
            "Mend one of them, or scale them all to 100 %.",
            [["scale to 100 %", "scale"]],
        )


def connections(project: Project) -> Iterator:
    """Every port is connected once, and what is connected exists."""
    taken, units = Counter(), {u.id: u for u in project.units}
    for s in project.streams:
        if s.source is not None:
            unit_id, port = source_of(s)
            unit = units.get(unit_id)
            if unit is None:
                yield Message(
                    "error",
                    at_stream(s.id),
                    f"Stream {s.id} comes from {unit_id}, which is not a unit.",
                    "Re-route it.",
                )
                continue
            ports = [p.name for p in KINDS[unit.kind].ports_out(unit)]
            if port is None and len(ports) > 1:
                yield Message(
                    "error",
                    at_stream(s.id),
                    f"Stream {s.id} does not say which outlet of {unit_id} it leaves by.",
                    f"Write {unit_id}.{ports[0]} or {unit_id}.{ports[1]}.",
                )
            elif port is not None and port not in ports:
                yield Message("error", at_stream(s.id), f"{unit_id} has no outlet “{port}” in use.", f"Choose {', '.join(ports)}.")
            else:
                name = f"{unit_id}.{port or ports[0]}"
                taken[name] += 1
                if taken[name] == 2:
                    yield Message("error", at_stream(s.id), f"Two streams leave {name}.", "Remove one or add a splitter.")
        if s.to is not None and s.enters not in units:
            yield Message("error", at_stream(s.id), f"Stream {s.id} goes to {s.to}, which is not a unit.", "Re-route it.")
    for u in project.units:
        inlets = KINDS[u.kind].inlets
        into = entering(project)[u.id]
        for s in into:
            if (s.inlet or inlets[0].name) not in [p.name for p in inlets] or (s.inlet is None and len(inlets) > 1):
                yield Message(
                    "error",
                    at_stream(s.id),
                    f"Stream {s.id} does not say which inlet of {u.id} it enters by.",
                    f"Send it to {' or '.join(f'{u.id}.{p.name}' for p in inlets)}.",
                )
        for port in inlets:
            count = sum((s.inlet or inlets[0].name) == port.name for s in into)
            place = f"{u.id} takes by its {port.name} side" if len(inlets) > 1 else f"{u.id} takes"
            if not count:
                what = f"{u.id} has no inlet." if len(inlets) == 1 else f"{u.id} has nothing on its {port.name} side."
                yield Message("error", at_unit(u.id), what, f"Send a stream to {u.id}, or remove it.")
            elif count > 1 and not port.many:
                yield Message("error", at_unit(u.id), f"{count} streams enter where {place} one.", "Put a mixer before it.")
        for p in KINDS[u.kind].ports_out(u):
            if not taken[f"{u.id}.{p.name}"]:
                yield Message(
                    "warning",
                    at_unit(u.id),
                    f"Outlet {p.name} of {u.id} has no stream, so its material is not shown.",
                    "Add a stream from it.",
                )


def reaction_sets(project: Project) -> Iterator:
    """Sets name reactions that are there, once each, and units name sets that are there."""
    known = {r.id for r in project.reactions}
    for s in project.reaction_sets:
        listed = [r for step in s.steps for r in step]
        for id_ in listed:
            if id_ not in known:
                yield Message(
                    "error",
                    at_set(s.id, "steps"),
                    f"Set {s.id} uses reaction {id_}, which the project does not have.",
                    f"Take {id_} out of the set, or add the reaction.",
                )
        for id_, times in Counter(listed).items():
            if times > 1:
                yield Message("error", at_set(s.id, "steps"), f"Set {s.id} runs {id_} more than once.", "Keep it in one step.")
    for u in project.units:
        yield from species_chosen(project, u)
        for d in KINDS[u.kind].declared(ReactionSet):
            yield from set_chosen(project, u, d)


def species_chosen(project: Project, unit: Any) -> Iterator:
    """Species that a unit is asked to name are in the project."""
    for d in KINDS[unit.kind].declared(SpeciesChoice) if project.species else ():
        chosen = value_of(unit, d)
        if chosen not in {s.id for s in project.species}:
            label = d.label.lower()
            what = f"{unit.id}: {label} is {chosen}, which is not in the project." if chosen else f"{unit.id} has no {label}."
            yield Message("error", at_unit(unit.id, d.key), what, "Choose one in the inspector.")


def set_chosen(project: Project, unit: Any, declared: ReactionSet) -> Iterator:
    """The reaction set that a unit uses is there and holds something."""
    chosen, where = value_of(unit, declared), at_unit(unit.id, declared.key)
    if chosen is None:
        if not declared.optional:
            yield Message("error", where, f"{unit.id} has no reaction set.", "Choose one in the inspector.")
    elif project.set(chosen) is None:
        yield Message("error", where, f"{unit.id} uses set {chosen}, which the project does not have.", "Choose another set.")
    elif not any(project.set(chosen).steps):
        yield Message("warning", where, f"Set {chosen} of {unit.id} holds no reaction.", "Add a reaction in Chemistry.")


def kinetic_reactors(project: Project) -> Iterator:
    """Reactors that run by rates need a rate law in every reaction of their set."""
    for u in project.units:
        if not getattr(KINDS[u.kind], "needs_rates", False):
            continue
        without = [i for i in reactions_of(project, u) if project.reaction(i).rate is None]
        if without:
            yield Message(
                "error",
                at_unit(u.id, "set"),
                f"{u.id} runs by rates, but {', '.join(without)} has no rate law.",
                f"Give {without[0]} a rate law in Chemistry, or choose another set.",
            )


def unit_rules(project: Project) -> Iterator:
    """What the unit kinds themselves check."""
    for u in project.units:
        for name, what, todo in KINDS[u.kind].check(u, project):
            yield Message("error", at_unit(u.id, name), what, todo)
        yield from courses(u)


def courses(unit: Any) -> Iterator:
    """Courses that a unit needs are typed and can be read."""
    for d in KINDS[unit.kind].declared(Course):
        text = value_of(unit, d)
        if not d.in_use(choices_of(unit)):
            continue
        if not text:
            yield Message("error", at_unit(unit.id, d.key), f"{unit.id} has no {d.label.lower()}.", f"Type points like “{d.example}”.")
            continue
        try:
            d.points(text)
        except QuantityError as error:
            yield Message("error", at_unit(unit.id, d.key), f"{d.label} of {unit.id}: {error}", f"Type points like “{d.example}”.")


def temperature_range(project: Project) -> Iterator:
    """Temperatures inside the heat-capacity data of every species."""
    fits = []
    for s in project.species:
        try:
            fits.append((lookup(*s.key).heat_capacity, s))
        except SpeciesError:
            return
    for a in addresses(project).values():
        if a.dimension != "temperature" or not a.material:
            continue
        try:
            T = read(a)
        except QuantityError:
            continue
        if T is None:
            continue
        here = fed(project, a.address.partition(".")[0])
        out = [s.shown for f, s in fits if not f.low - 1.0 <= T <= f.high + 1.0 and (here is None or s.id in here)]
        if out:
            low, high = max(f.low for f, _ in fits), min(f.high for f, _ in fits)
            yield Message(
                "warning",
                a.place,
                f"{a.label} ({a.text}) lies outside the heat-capacity data of {', '.join(out[:3])}.",
                f"Results there are extrapolated; data hold from {show(low, 'temperature', project.display)} "
                f"to {show(high, 'temperature', project.display)}.",
                code=Code.BEYOND_DATA,
            )


def fed(project: Project, id_: str) -> set[str] | None:
    """Ids of the species that a feed holds; None where it is no feed."""
    stream = project.stream(id_)
    if stream is None or stream.given is None:
        return None
    held = {s for s, text in getattr(stream.given, FEED_BASES[stream.given.basis][0]).items() if not text.startswith("0 ")}
    return held | {stream.given.to_species or ""} if stream.given.basis == "mole-ratios" else held


def assumptions(project: Project) -> Iterator:
    """Values that nobody typed and figures rest on, counted by unit and feed."""
    running = {i for u in project.units if getattr(KINDS[u.kind], "needs_rates", False) for i in reactions_of(project, u)}
    resting = [(s.id, at_stream, of_feed(project, s)) for s in project.streams if s.is_feed]
    resting += [(u.id, at_unit, of_unit(project, u)) for u in project.units]
    resting += [(r.id, at_reaction, of_reaction(project, r)) for r in project.reactions if r.id in running]
    for id_, at, found in resting:
        labels = list(dict.fromkeys(a.label for a in found))
        if labels:
            yield Message(
                "assumed",
                at(id_),
                f"{id_}: {len(labels)} assumed: {', '.join(labels)}.",
                "Type them, or take them as they are.",
                [["take them all", "take"]],
            )
