"""What matters most, on the page: a ranked bar for each knob, and the table of sensitivities."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

from gulch.engine.exchange import DOUBTS
from gulch.engine.flowsheet.plan import FACTOR
from gulch.engine.quantities import DISPLAY_SETS, difference_of, pretty_unit, show, to_unit, write
from gulch.engine.work import MoveKnobs
from gulch.web.projects import solving
from gulch.web.projects.words import show_unit
from gulch.web.scans.known import Known, known

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.web.projects.workspace import Workspace


SELECT = "swings"


class SwingsAnswer(NamedTuple):
    """What is known of the project's swings; shown: id of the gauge of which the bars tell."""

    known: Known
    shown: str = ""


def move_knobs(space: Workspace) -> SwingsAnswer | None:
    """The swings that are known, or a job that workers begin on now; None on other pages."""
    head, _, gauge = space.select.partition(":")
    return swings_of(space, gauge) if head == SELECT else None


def swings_of(space: Workspace, gauge: str = "") -> SwingsAnswer:
    """The swings that are known, or a job that workers begin on now. gauge: id of the one of which the bars tell."""
    if not (space.document.knobs or space.document.spreads) or not space.document.gauges:
        words = "Make inputs knobs (◇) and results gauges (○) in Process: each knob is moved, each gauge watched."
        return SwingsAnswer(Known(trouble=words))
    return SwingsAnswer(known(space, MoveKnobs(space.document.dump(), solving.start_of(space.row)), SELECT), gauge)


class SwingsPage:
    """Bars of one gauge, the largest swing first, and sensitivities of all gauges."""

    def __init__(self, space: Workspace, answer: SwingsAnswer | None) -> None:
        self.display, self.units = space.display, DISPLAY_SETS[space.display]
        self.pending, self.trouble = answer.known.pending, answer.known.trouble
        self.found: dict[str, Any] = answer.known.found or {}
        if not self.found:
            return
        self.gauges = self.found["gauges"]
        free = next((g for g in self.gauges if g["at_least"] is None and g["at_most"] is None), self.gauges[0])
        self.shown = next((g for g in self.gauges if g["id"] == answer.shown), free)
        self.rows = sorted(self.found["rows"], key=lambda r: -self.span(r, self.shown["id"]))

    def span(self, row: Any, gauge: Any) -> float:
        """How far a gauge moves from end to end of a knob's range; what did not solve counts as nothing."""
        values = [self.found["now"][gauge], *(e["gauges"].get(gauge) for e in row["ends"].values())]
        known = [v for v in values if v is not None]
        return max(known) - min(known) if known else 0.0

    @property
    def tabs(self) -> list[tuple]:
        return [(g["id"], g["label"], g is self.shown) for g in self.gauges]

    @property
    def left(self) -> list:
        return [f"{name}: {why}" for name, why in self.found["left"].items()]

    def remarks(self) -> Iterator:
        """Ends that did not solve or whose figures are in doubt."""
        for r in self.rows:
            for e in r["ends"].values():
                at = f"{r['label']} at {show(e['value'], r['dimension'], self.display, 4)}"
                if e["why"]:
                    yield f"{at}: {e['why']}"
                elif e["doubts"]:
                    yield f"{at}: {'; '.join(DOUBTS[c] for c in e['doubts'] if c in DOUBTS)}"

    def table(self) -> Iterator:
        """[(knob, range, [sensitivity of each gauge])]: a gauge's change for one unit of the knob."""
        for r in self.rows:
            ends = " to ".join(show(e["value"], r["dimension"], self.display, 4) for e in r["ends"].values())
            yield r["label"], ends, [self.slope(r, g) for g in self.gauges]

    def slope(self, row: dict[str, Any], gauge: dict[str, Any]) -> str:
        slope, kink = row["slopes"].get(gauge["id"]), row.get("kinks", {}).get(gauge["id"])
        if slope is None:
            return "–"
        by, of = (difference_of(d) for d in (row["dimension"], gauge["dimension"]))
        one = 1.0 / to_unit(1.0, self.units.unit(by), by)
        per = pretty_unit(self.units.unit(by)).replace("points", "point") or "1"
        if kink is None:
            return f"{show(slope * one, of, self.display, 3)} per {per}"
        below, above = (show(s * one, of, self.display, 3) for s in kink)
        return f"{below} below, {above} above, per {per}: it bends here"

    def plot(self) -> dict[str, Any]:
        """Bars for the browser, in display units."""
        g = self.shown

        def number(v: float) -> float:
            return None if v is None else to_unit(v, self.units.unit(g["dimension"]), g["dimension"])

        return {
            "kind": "swings",
            "now": number(self.found["now"][g["id"]]),
            "label": g["label"],
            "unit": show_unit(g["dimension"], self.display),
            "limits": [number(v) for v in (g["at_least"], g["at_most"]) if v is not None],
            "bars": [
                {
                    "label": r["label"],
                    "ends": [
                        {
                            "y": number(e["gauges"].get(g["id"])),
                            "at": show(e["value"], r["dimension"], self.display, 4),
                            "typed": None
                            if r["address"].startswith(FACTOR)
                            else {r["address"]: write(e["value"], r["dimension"], self.display, 7)},
                            "doubt": bool(e["doubts"]),
                        }
                        for e in r["ends"].values()
                    ],
                }
                for r in self.rows
            ],
        }
