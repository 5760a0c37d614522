"""The diagram of two species boiling together: asked of the workers, and as its panel shows it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.document import MeasuredPair
from gulch.engine.project.measured import measured_of
from gulch.engine.project.reading import model_of
from gulch.engine.quantities import DISPLAY_SETS, show, to_unit
from gulch.engine.species import SpeciesError
from gulch.engine.work import BoilPair
from gulch.web.projects import solving
from gulch.web.projects.words import pretty_text, show_unit

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace


@dataclass
class PairDetail:
    """A pair of species: what is typed and measured of it, and what its model finds."""

    a: str
    b: str
    at: str
    rows: int
    remark: str
    trouble: str
    pending: bool
    found: FoundPair | None = None


@dataclass
class Azeotrope:
    """A composition that boils unchanged; two: two liquids boil together."""

    x: str
    value: str
    two: bool


@dataclass
class FoundPair:
    """What the model finds of a pair, as text and as a plot."""

    free: str
    doubt: str
    azeotropes: list[Azeotrope]
    parts: bool
    apart: str
    apart_y: str
    fit: PairFit | None
    plot: dict[Any, Any]


@dataclass
class PairFit:
    """Parameters fitted to measured points, and how far they miss."""

    b: list[str]
    texts: dict[str, str]
    errors: list[str]
    apart: str
    apart_y: str
    points: int


@dataclass(frozen=True)
class PairAnswer:
    """What is known of the diagram of two species, by id."""

    first: str
    second: str
    found: dict | None = None
    trouble: str = ""
    pending: bool = False


def chosen_pair(space: Workspace) -> tuple | None:
    """The ids of the pair that is selected, as in "pair:ethanol:water", or None."""
    parts = space.select.split(":")
    known = {s.id for s in space.document.species}
    return tuple(parts[1:]) if len(parts) == 3 and parts[0] == "pair" and set(parts[1:]) <= known and parts[1] != parts[2] else None


def boil(space: Workspace) -> PairAnswer | None:
    """The PairAnswer of the selected pair, or None; workers begin on what is not known."""
    pair = chosen_pair(space)
    if pair is None:
        return None
    entry = measured_of(space.document, *pair)
    first, second = entry.pair if entry is not None else pair
    outcome, pending = solving.answer(space.row, BoilPair(space.document.dump(), first, second), ("pair", space.row.pk))
    data = outcome.data() if outcome is not None else {}
    trouble = data["messages"][0]["what"] if "messages" in data else data.get("trouble", "")
    return PairAnswer(first, second, data.get("found"), trouble, pending)


class PairPanel:
    """The selected pair: what its diagram is at, the plot, azeotropes, how near the measured points are, what fits them."""

    def __init__(self, space: Workspace) -> None:
        self.document, self.display = space.document, space.display

    def show(self, value: float, dimension: str, digits: int) -> str:
        return show(value, dimension, self.display, digits)

    @property
    def example(self) -> str:
        """A table of measured points, as one is pasted."""
        a, b = ([*(s.shown for s in self.document.species), "ethanol", "water"])[:2]
        return f"{a} – {b} at 1 atm\nx\ty\tT / °C\n0.1\t0.44\t86.5"

    def choices(self) -> list[tuple]:
        """[(a, b)] of all pairs of what can boil."""
        try:
            model = model_of(self.document)
        except SpeciesError:
            return []
        known = model.species
        volatile = [
            s.id for s, d, ions in zip(self.document.species, known, model.of_ions, strict=False) if not d.non_volatile and not ions
        ]
        return [(a, b) for n, a in enumerate(volatile) for b in volatile[n + 1 :]]

    def detail(self, answer: PairAnswer | None) -> PairDetail | None:
        """What the panel shows of a PairAnswer; None without one."""
        if answer is None:
            return None
        entry = measured_of(self.document, answer.first, answer.second) or MeasuredPair(pair=(answer.first, answer.second))
        rows = [f"{x:g}\t{'' if y is None else f'{y:g}'}\t{value}" if y is not None else f"{x:g}\t{value}" for x, y, value in entry.points]
        out = PairDetail(
            a=answer.first,
            b=answer.second,
            at=pretty_text(entry.at),
            rows=len(rows),
            remark=entry.remark or "",
            trouble=answer.trouble,
            pending=answer.pending,
        )
        out.found = self._found(answer.found) if answer.found else None
        return out

    def _found(self, found: dict[str, Any]) -> FoundPair:
        free = "temperature" if found["P"] is not None else "pressure"
        unit = DISPLAY_SETS[self.display].unit(free)

        def shown(value: float) -> float:
            return to_unit(value, unit, free)

        def curve(points: list[list[float]]) -> dict[str, list[float]]:
            return {"x": [p[0] for p in points], "y": [p[1] for p in points], "v": [shown(p[2]) for p in points]}

        difference = f"{free} difference" if free == "temperature" else free
        fit = found["fit"]
        return FoundPair(
            free=free,
            doubt=found.get("doubt", ""),
            azeotropes=[Azeotrope(f"{x:.3f}", self.show(value, free, 5), bool(two)) for x, value, two in found["azeotropes"]],
            parts=any(p[3] for p in found["curve"]),
            apart=self.show(found["apart"], difference, 3) if found["apart"] is not None else "",
            apart_y=f"{found['apart_y']:.4f}" if found["apart_y"] is not None else "",
            fit=fit
            and PairFit(
                b=[f"{v:.5g} K" for v in fit["b"]],
                texts={"alpha": ""} | fit["texts"],
                errors=[f"{v:.2g} K" for v in fit["errors"]],
                apart=self.show(fit["apart"], difference, 3),
                apart_y=f"{fit['apart_y']:.4f}" if fit["apart_y"] is not None else "",
                points=fit["points"],
            ),
            plot={
                "kind": "pair",
                "label": f"{'T' if free == 'temperature' else 'P'} [{show_unit(free, self.display)}]",
                "species": found["first"],
                "curve": curve(found["curve"]),
                "fit": curve(fit["curve"]) if fit else None,
                "points": {
                    "x": [p[0] for p in found["points"]],
                    "y": [p[1] for p in found["points"]],
                    "v": [shown(p[2]) for p in found["points"]],
                },
                "azeotropes": [[a[0], shown(a[1])] for a in found["azeotropes"]],
            },
        )
