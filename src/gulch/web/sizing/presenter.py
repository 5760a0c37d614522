"""What the sizing page shows."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.quantities import DISPLAY_SETS, pretty_unit, show, to_unit, write
from gulch.engine.reactors.heat import Reactor
from gulch.engine.units import KINDS
from gulch.web.projects.words import pretty_text

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace
    from gulch.web.sizing.answers import SizingAnswer


class SizingPage:
    """The form, the volumes and the inverse-rate diagram."""

    def __init__(self, space: Workspace, answer: SizingAnswer | None) -> None:
        self.space, self.document, self.display = space, space.document, space.display
        self.entry, self.asked, self.ready = answer.entry, answer.asked, answer.ready
        self.found, self.trouble, self.pending = answer.found, answer.trouble, answer.pending

    def sets(self) -> list[tuple]:
        return [(s.id, s.id == self.entry.set) for s in self.document.reaction_sets]

    def places(self) -> list[tuple]:
        """(where, words) of the places that a reactor can be put at: the stream's end, else before or in place of what it enters."""
        stream = self.document.stream(self.entry.stream)
        unit = self.document.unit(stream.enters) if stream is not None and stream.to else None
        if unit is None:
            return [("", "put it on the map")]
        instead = [("instead", f"in place of {unit.id}")] if issubclass(KINDS[unit.kind], Reactor) else []
        return [("before", f"before {unit.id}"), *instead]

    @property
    def temperature(self) -> str:
        return pretty_text(self.entry.temperature or "")

    def streams(self) -> list[tuple]:
        solved = self.space.solution.streams if self.space.solution else {}
        return [(s.id, s.id == self.entry.stream) for s in self.document.streams if s.id in solved]

    def rows(self) -> list[tuple]:
        """(what, volume, temperature, note, way of putting it on the map)."""
        f = self.found

        def volume(v: float) -> str:
            return show(v, "volume", self.display)

        return [
            ("one stirred tank", volume(f.tank), show(f.tank_temperature, "temperature", self.display), "", "tank"),
            (f"{f.tanks} equal tanks in series", volume(f.tanks * f.each), "", f"{volume(f.each)} each", "tanks"),
            ("plug flow", volume(f.plug), show(f.plug_temperature, "temperature", self.display), "", "plug"),
        ]

    def typed(self) -> dict[str, str]:
        """Volumes as document text."""
        return {
            name: write(v, "volume", self.display)
            for name, v in (("plug", self.found.plug), ("tank", self.found.tank), ("each", self.found.each))
        }

    def data(self) -> dict[str, Any]:
        f, unit = self.found, DISPLAY_SETS[self.display].unit("volume")

        def v(value: float) -> float:
            return to_unit(value, unit, "volume")

        steps, before = [], 0.0
        for x in f.steps:
            steps.append({"x": 100.0 * x, "height": v(f.each / max(x - before, 1e-12))})
            before = x
        return {
            "kind": "sizing",
            "key": f.key,
            "target": 100.0 * f.target,
            "unit": pretty_unit(unit),
            "tank_height": v(f.tank / f.target),
            "steps": steps,
            "plug": [(100.0 * x, v(y)) for x, y in f.plug_curve],
            "tank": [(100.0 * x, v(y)) for x, y in f.tank_curve],
        }
