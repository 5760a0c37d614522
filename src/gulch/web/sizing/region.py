"""What the page of what can be had at all shows."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.quantities import DISPLAY_SETS, pretty_unit, show, to_unit, write
from gulch.engine.regions.question import told
from gulch.engine.units import KINDS
from gulch.web.projects.words import pretty_text

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace
    from gulch.web.sizing.answers import RegionAnswer


@dataclass
class StepText:
    """A vessel of the arrangement as an edit takes it. share: of its feed that enters at its beginning."""

    device: str
    volume: str
    temperature: str
    share: str


class RegionPage:
    """The question, its answer in sentences, and the picture."""

    def __init__(self, space: Workspace, answer: RegionAnswer) -> None:
        self.space, self.document, self.display = space, space.document, space.display
        self.entry, self.asked, self.ready = answer.entry, answer.asked, answer.ready
        self.found, self.trouble, self.pending = answer.found, answer.trouble, answer.pending

    def sets(self) -> list[tuple]:
        return [(s.id, s.id == self.entry.set) for s in self.document.reaction_sets]

    def streams(self) -> list[tuple]:
        solved = self.space.solution.streams if self.space.solution else {}
        return [(s.id, s.id == self.entry.stream) for s in self.document.streams if s.id in solved]

    def axes(self) -> list[tuple]:
        """(name of the field, its words, [(value, words, chosen)]) of both axes."""
        out = []
        for name, words, first in (("x", "across", "conversion"), ("y", "up", "yield")):
            now = getattr(self.entry, name)
            out.append((name, words, [("", first, now is None), *((s.id, s.shown, s.id == now) for s in self.document.species)]))
        return out

    def aims(self) -> list[tuple]:
        """(value, words, chosen) of what may be wanted most: the quantity of either axis."""
        names = {s.id: s.shown for s in self.document.species}
        words = {"y": names.get(self.entry.y or "", "yield"), "x": names.get(self.entry.x or "", "conversion")}
        return [(v, w, v == self.entry.aim) for v, w in words.items()]

    @property
    def temperature(self) -> str:
        return pretty_text(self.entry.temperature or "")

    @property
    def up_to(self) -> str:
        return pretty_text(self.entry.up_to or "")

    def lines(self) -> list[str]:
        """The answer as sentences."""
        return told(self.found, self.display) if self.found else []

    def how(self) -> str:
        """How the picture was found, so that one can judge it."""
        f = self.found
        return f"{f.points:,} compositions in {f.rounds} rounds; the last grew the area by {100.0 * max(f.gained, 0.0):.2g} %."

    def steps(self) -> str:
        """The arrangement as an edit takes it: JSON of typed texts."""
        steps = [
            StepText(
                s["device"],
                write(s["volume"], "volume", self.display),
                write(s["T"], "temperature", self.display),
                f"{100.0 * s['of'] / (s['of'] + s['put_in']):.8g} %",
            )
            for s in self.found.best["steps"]
        ]
        return json.dumps({"steps": [asdict(s) for s in steps]})

    def places(self) -> list[tuple]:
        """(where, words) of the places that the arrangement can be put at."""
        stream = self.document.stream(self.entry.stream)
        unit = self.document.unit(stream.enters) if stream is not None and stream.to else None
        if unit is None:
            return [("", "Put it on the map")]
        return (
            [("instead", f"Put it in place of {unit.id}")] if KINDS[unit.kind].family == "reactors" else [("", f"Put it before {unit.id}")]
        )

    def data(self) -> dict[str, Any]:
        """What the browser draws."""
        f = self.found
        units = [DISPLAY_SETS[self.display].unit(a.dimension) for a in (f.x, f.y)]

        def place(point: list) -> list[float]:
            return [to_unit(v, u, a.dimension) for v, u, a in zip(point, units, (f.x, f.y), strict=True)]

        return {
            "kind": "region",
            "x": {"label": f.x.label, "unit": pretty_unit(units[0])},
            "y": {"label": f.y.label, "unit": pretty_unit(units[1])},
            "outline": [place(p) for p in [*f.outline, f.outline[0]]],
            "tube": [place(p) for p in f.tube],
            "tank": [place(p) for p in f.tank],
            "less": [
                {
                    "name": f"in {show(each['volume'], 'volume', self.display, 3)}",
                    "outline": [place(p) for p in [*each["outline"], each["outline"][0]]],
                }
                for each in f.less
            ],
            "best": place(f.best["at"]),
            "fresh": place(f.fresh or [0.0, 0.0]),
            "now": place(f.now) if f.now else None,
            "now_of": f.now_of,
        }
