"""What the sizing page shows and does."""

from gulch.engine.document import SizingEntry, StreamEntry
from gulch.engine.flowsheet import edit
from gulch.engine.flowsheet.edit import EditError
from gulch.engine.flowsheet.typed import typed
from gulch.engine.quantities import DISPLAY_SETS, pretty_unit, show, to_unit, write
from gulch.engine.scans.sizing import Sizing
from gulch.engine.units import KINDS
from gulch.engine.units.reactors.heat import Reactor
from gulch.engine.work import Size
from gulch.web.projects import solving
from gulch.web.projects.forms import Key, Part, Text, Whole
from gulch.web.projects.registry import Done, action
from gulch.web.projects.words import pretty_text

DIMENSIONS = {"target": "fraction", "temperature": "temperature", "void": "fraction", "bulk_density": "density"}


class SizingPage:
    """The form, the volumes and the inverse-rate diagram."""

    def __init__(self, space):
        self.space, self.document, self.display = space, space.document, space.display
        self.entry = self.document.sizing or first_guess(self.document)
        self.asked = self.document.sizing is not None
        self.found, self.trouble, self.pending = None, "", False
        self.ready = any(r.rate for r in self.document.reactions) and bool(self.document.reaction_sets)
        if self.asked and self.ready:
            self.look()

    def look(self):
        """The sizing that is known, or one that workers begin on now."""
        row, space = self.space.row, self.space
        if not space.fresh:
            self.trouble = "The process is not solved: the stream's state is known once it is."
            return
        task = Size(self.document.dump(), bytes(row.outcome().packed), self.entry.model_dump())
        found, self.pending = solving.answer(row, task, ("size", row.pk))
        if found is not None:
            self.trouble, self.found = read_sizing(found.data())

    def sets(self):
        return [(s.id, s.id == self.entry.set) for s in self.document.reaction_sets]

    def places(self):
        """(where, words) of the places that a reactor can be put at: the stream's end, else before or in place of what it enters."""
        stream = self.document.stream(self.entry.stream)
        unit = self.document.unit(stream.enters) if stream is not None and stream.to else None
        if unit is None:
            return [("", "put it on the map")]
        instead = [("instead", f"in place of {unit.id}")] if issubclass(KINDS[unit.kind], Reactor) else []
        return [("before", f"before {unit.id}"), *instead]

    @property
    def temperature(self):
        return pretty_text(self.entry.temperature or "")

    def streams(self):
        solved = self.space.solution.streams if self.space.solution else {}
        return [(s.id, s.id == self.entry.stream) for s in self.document.streams if s.id in solved]

    def rows(self):
        """(what, volume, temperature, note, way of putting it on the map)."""
        f = self.found

        def volume(v):
            return show(v, "volume", self.display)

        return [
            ("one stirred tank", volume(f.tank), show(f.tank_temperature, "temperature", self.display), "", "tank"),
            (f"{f.tanks} equal tanks in series", volume(f.tanks * f.each), "", f"{volume(f.each)} each", "tanks"),
            ("plug flow", volume(f.plug), show(f.plug_temperature, "temperature", self.display), "", "plug"),
        ]

    def typed(self):
        """Volumes as document text."""
        return {
            name: write(v, "volume", self.display)
            for name, v in (("plug", self.found.plug), ("tank", self.found.tank), ("each", self.found.each))
        }

    def data(self):
        f, unit = self.found, DISPLAY_SETS[self.display].unit("volume")

        def v(value):
            return to_unit(value, unit, "volume")

        steps, before = [], 0.0
        for x in f.steps:
            steps.append({"x": 100.0 * x, "height": v(f.each / max(x - before, 1e-12))})
            before = x
        return {
            "key": f.key,
            "target": 100.0 * f.target,
            "unit": pretty_unit(unit),
            "tank_height": v(f.tank / f.target),
            "steps": steps,
            "plug": [(100.0 * x, v(y)) for x, y in f.plug_curve],
            "tank": [(100.0 * x, v(y)) for x, y in f.tank_curve],
        }


def read_sizing(data):
    """(trouble, Sizing or None) of a worker's answer."""
    if "messages" in data:  # broken off
        return data["messages"][0]["what"], None
    return data.get("trouble", ""), Sizing(**data["found"]) if "found" in data else None


def first_guess(document):
    """A question to begin with: the first set, the first feed."""
    rated = {r.id for r in document.reactions if r.rate}
    chosen = next((s.id for s in document.reaction_sets if rated & {i for step in s.steps for i in step}), "")
    feed = next((s.id for s in document.streams if s.is_feed), "")
    return SizingEntry(set=chosen, stream=feed)


@action(
    "sizing",
    tanks=Whole("tanks", 1, 20, "{} tanks in series are not looked at"),
    **{name: Part() for name in ("set", "stream", "phase", "heat", *DIMENSIONS)},
)
def sizing(document, form):
    entry = document.sizing or first_guess(document)
    for name in ("set", "stream", "phase", "heat"):
        if getattr(form, name):
            setattr(entry, name, getattr(form, name))
    for name, dimension in DIMENSIONS.items():
        if getattr(form, name) is not None:
            text = typed(document, f"sizing.{name}", getattr(form, name), dimension)
            setattr(entry, name, text or (None if name in ("temperature", "bulk_density") else getattr(entry, name)))
    entry.tanks = entry.tanks if form.tanks is None else form.tanks
    document.sizing = entry
    return Done(f"Size for {entry.target} from {entry.stream}")


@action("sizing-place", way=Key(), volume=Key(), where=Text())
def place(document, form):
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
        unit.void, unit.bulk_density = entry.void, entry.bulk_density
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
