"""Units and streams: growing the process, sending streams back, outlets and inlets, removing."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from gulch.engine.declared.declarations import ReactionSet
from gulch.engine.document import UNIT_MODELS, FeedEntry, Project, StreamEntry, source_of
from gulch.engine.project.edit.whole import EditError, forget, fresh, need_stream, taken
from gulch.engine.project.ends import leaving
from gulch.engine.units import KINDS


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
