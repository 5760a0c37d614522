"""Edits of the sizing, and putting what it found on the map."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.document import StreamEntry
from gulch.engine.project import edit
from gulch.engine.project.edit import EditError
from gulch.engine.project.typed import typed
from gulch.web.projects.forms import Key, Part, Text, Whole
from gulch.web.projects.registry import Done, action
from gulch.web.sizing.answers import first_guess

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Values


DIMENSIONS = {
    "target": "fraction",
    "temperature": "temperature",
    "void": "fraction",
    "bulk_density": "density",
    "surface": "area per volume",
}


@action(
    "sizing",
    tanks=Whole("tanks", 1, 20, "{} tanks in series are not looked at"),
    **{name: Part() for name in ("set", "stream", "phase", "heat", *DIMENSIONS)},
)
def sizing(document: Project, form: Values) -> Done:
    entry = document.sizing or first_guess(document)
    for name in ("set", "stream", "phase", "heat"):
        if getattr(form, name):
            setattr(entry, name, getattr(form, name))
    for name, dimension in DIMENSIONS.items():
        if getattr(form, name) is not None:
            text = typed(document, f"sizing.{name}", getattr(form, name), dimension)
            setattr(entry, name, text or (None if name in ("temperature", "bulk_density", "surface") else getattr(entry, name)))
    entry.tanks = entry.tanks if form.tanks is None else form.tanks
    document.sizing = entry
    return Done(f"Size for {entry.target} from {entry.stream}")


@action("sizing-place", way=Key(), volume=Key(), where=Text())
def place(document: Project, form: Values) -> Done:
    """Put the chosen reactors at the end of the stream, or into it where it goes somewhere."""
    entry = document.sizing
    stream = document.stream(entry.stream) if entry else None
    if stream is None:
        raise EditError("The stream is gone: choose another.")
    next_unit = document.unit(stream.enters) if stream.to else None
    where = form.where
    if next_unit is not None and where not in ("before", "instead"):
        raise EditError(f"{stream.id} goes to {next_unit.id} already: choose “before {next_unit.id}” or “in place of {next_unit.id}”.")
    way, volume = form.way, form.volume
    kind = "plug-flow" if way == "plug" else "stirred-tank"
    at, made = stream.id, []
    for _ in range(entry.tanks if way == "tanks" else 1):
        unit = document.unit(edit.append_unit(document, at, kind))
        unit.set, unit.phase, unit.volume = entry.set, entry.phase, volume
        unit.void, unit.bulk_density, unit.catalyst.surface = entry.void, entry.bulk_density, entry.surface
        if entry.heat == "adiabatic":
            unit.heat.mode = "adiabatic"
        elif entry.temperature:
            unit.heat.mode, unit.heat.temperature = "isothermal", entry.temperature
        else:
            unit.heat.mode = "feed-temperature"
        made.append(unit.id)
        at = next(s.id for s in document.streams if isinstance(s, StreamEntry) and (s.source or "").split(".")[0] == unit.id)
    if where == "instead" and next_unit is not None:
        edit.remove(document, next_unit.id)
        return Done(f"Put {' and '.join(made)} in place of {next_unit.id}", made[0])
    return Done(f"Put {' and '.join(made)} on {stream.id}", made[0])
