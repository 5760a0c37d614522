"""What the page of a trade-off shows of its curve: where it runs, where it bends, and its points as a table."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.exchange import in_sentence, limit_words
from gulch.engine.quantities import along, show, write
from gulch.web.projects.words import show_unit

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.web.projects.workspace import Workspace

DIGITS = 8  # of a knob that is carried back: limits are kept clear of by more than what rounding moves


@dataclass
class CurvePoint:
    """A point of a trade-off as text; point: what carrying it back writes into the document."""

    reads: list[str]
    values: list[str]
    holds: str
    point: str
    typed: str
    knee: bool
    rough: bool


class Told:
    """An answer told in pieces: words, and points that can be carried to the process."""

    def __init__(self, space: Workspace, found: dict[str, Any], axes: Sequence[dict]) -> None:
        self.space, self.display = space, space.display
        self.found, self.axes = found, axes
        self.pieces: list[tuple[str, dict | None]] = []

    def say(self, text: Any, values: Any = None) -> None:
        self.pieces.append((text, self.point(values) if values else None))

    def _shown(self, value: float, axis: dict[str, Any], unit: bool = True) -> str:
        return show(value, axis["dimension"], along(self.display, axis), 4, unit=unit)

    def point(self, values: Any) -> Any:
        """{address: document text} of values of the knobs [SI]."""
        return {a["address"]: write(v, a["dimension"], along(self.display, a), DIGITS) for a, v in zip(self.axes, values, strict=True)}

    def place(self, values: Any) -> Any:
        parts = [f"{in_sentence(a['label'])} {self._shown(v, a)}" for a, v in zip(self.axes, values, strict=True)]
        return f"{', '.join(parts[:-1])} and {parts[-1]}" if len(parts) > 1 else parts[0]


class Curve(Told):
    """The parts of a `BestPage` that tell of a curve."""

    def _curve_words(self) -> None:
        f = self.found
        points = f["points"]

        def both(p: dict[str, Any]) -> str:
            return " with ".join(f"{in_sentence(a['label'])} {self._shown(v, a)}" for a, v in zip(f["aims"], p["reads"], strict=True))

        if len(points) == 1:
            self.say("Both aims have their best at one point: nothing is traded. ")
            self.say(both(points[0]), points[0]["values"])
            self.say(".")
            return
        self.say("What can be had of one for what of the other: from ")
        self.say(both(points[0]), points[0]["values"])
        self.say(" to ")
        self.say(both(points[-1]), points[-1]["values"])
        self.say(".")
        if f["knee"] is not None:
            knee = points[f["knee"]]
            self.say(" It bends most at ")
            self.say(both(knee), knee["values"])
            self.say(".")

    def held_by(self, point: dict[str, Any]) -> str:
        """What holds a point of a trade-off, in words."""
        return "; ".join(limit_words(h["of"], h["kind"], self.space.document) for h in point["holds"]) or "nothing"

    def curve(self) -> Iterator[CurvePoint]:
        """Rows of a trade-off's points."""
        f = self.found
        for i, p in enumerate(f["points"]):
            yield CurvePoint(
                reads=[show(v, a["dimension"], self.display, 4, unit=False) for a, v in zip(f["aims"], p["reads"], strict=True)],
                values=[
                    show(v, a["dimension"], along(self.display, a), 4, unit=False) for a, v in zip(self.axes, p["values"], strict=True)
                ],
                holds=self.held_by(p),
                point=json.dumps(self.point(p["values"])),
                typed=self.place(p["values"]),
                knee=i == f["knee"],
                rough=p["rough"],
            )

    def curve_heads(self) -> list[tuple]:
        return [(a["label"], show_unit(a["dimension"], along(self.display, a))) for a in (*self.found["aims"], *self.axes)]
