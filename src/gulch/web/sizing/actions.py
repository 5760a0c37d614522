"""Edits of the sizing, and putting what it found on the map."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.document import StreamEntry
from gulch.engine.project import edit, variants
from gulch.engine.project.edit import EditError
from gulch.engine.project.kind import change_kind
from gulch.engine.project.typed import typed
from gulch.web.projects.forms import Key, Mapping, Part, Text, Whole
from gulch.web.projects.registry import Done, action
from gulch.web.sizing.answers import first_guess, first_region

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


@action(
    "region",
    **{name: Part() for name in ("set", "stream", "phase", "aim", "x", "y", "temperature", "up_to", "void", "bulk_density", "surface")},
)
def ask_region(document: Project, form: Values) -> Done:
    """Ask what can be had at all."""
    entry = document.region or first_region(document)
    for name in ("set", "stream", "phase", "aim"):
        if getattr(form, name):
            setattr(entry, name, getattr(form, name))
    for name in ("x", "y"):
        if getattr(form, name) is not None:
            setattr(entry, name, getattr(form, name) or None)
    document.region = entry
    for name in ("temperature", "up_to", "void", "bulk_density", "surface"):
        if getattr(form, name) is not None:
            dimension = DIMENSIONS.get(name, "temperature")
            text = typed(document, f"region.{name}", getattr(form, name), dimension)
            setattr(entry, name, text or (None if name != "void" else entry.void))
    return Done(f"Ask what can be had of {entry.stream}", "region")


KINDS_OF = {"tank": "stirred-tank", "tube": "plug-flow", "side-fed tube": "side-fed-tube"}


def build(document: Project, steps: list[dict[str, str]], where: str) -> list[str]:
    """Put an arrangement on the region's stream, in place of the reactor there or before what takes it. Raises EditError."""
    entry = document.region
    stream = document.stream(entry.stream) if entry else None
    if entry is None or stream is None or not steps:
        raise EditError("The stream or the arrangement is gone: find it again.")
    if sum(s["device"] == "side-fed tube" for s in steps) > 1:
        raise EditError("An arrangement with several side-fed tubes cannot be put on the map by itself: build it by hand.")
    old = document.unit(stream.enters) if stream.to and where == "instead" else None
    at, made, side = stream.id, [], ""
    if old is not None and len(steps) == 1 and steps[0]["device"] != "side-fed tube":  # its name and what reads it stay
        change_kind(document, old.id, KINDS_OF[steps[0]["device"]])
        _fill(document, old.id, steps[0])
        return [old.id]
    fed = next((s for s in steps if s["device"] == "side-fed tube"), None)
    if fed is not None:
        onward, split = stream.to, document.unit(edit.append_unit(document, at, "splitter"))
        split.drawn = fed["share"]
        first, rest = (next(s for s in document.streams if s.source == f"{split.id}.{port}") for port in ("drawn", "rest"))
        first.to, rest.to = onward, None
        at, side = first.id, rest.id
        made.append(split.id)
    for step in steps:
        unit = _fill(document, edit.append_unit(document, at, KINDS_OF[step["device"]]), step)
        if step is fed:
            document.stream(side).to = f"{unit.id}.side"
        made.append(unit.id)
        at = next(s.id for s in document.streams if (s.source or "").split(".")[0] == unit.id)
    if old is not None:
        edit.remove(document, old.id)
    return made


def _fill(document: Project, id_: str, step: dict[str, str]) -> Any:
    """Give a vessel of an arrangement what it is told; returns it."""
    unit, entry = document.unit(id_), document.region
    assert entry is not None
    unit.set, unit.phase, unit.size_by, unit.volume = entry.set, entry.phase, "volume", step["volume"]
    unit.void, unit.bulk_density, unit.catalyst.surface = entry.void, entry.bulk_density, entry.surface
    unit.heat.mode, unit.heat.temperature = "isothermal", step["temperature"]
    if hasattr(unit, "falls"):  # what was found holds at the stream's pressure
        unit.falls = "level"
    return unit


@action("region-place", where=Text(), arrangement=Mapping())
def place_region(document: Project, form: Values) -> Done:
    made = build(document, form.arrangement.get("steps", []), form.where)
    return Done(f"Put {' and '.join(made)} on {document.region.stream}", made[0])


@action("region-keep", whole=True, where=Text(), arrangement=Mapping())
def keep_region(project: Project, form: Values) -> Done:
    """Keep the arrangement as a variant of what is worked on, and work on it."""
    steps = form.arrangement.get("steps", [])
    name = ", then ".join(s["device"] for s in steps)
    variants.add(project, name)
    document = variants.worked(project)
    made = build(document, steps, form.where)
    new = variants.folded(project, document)
    for field in type(project).model_fields:
        setattr(project, field, getattr(new, field))
    return Done(f"Keep {name} as a variant", made[0])
