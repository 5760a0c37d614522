"""Curves inside a selected unit, as its kind declares them: along a plug flow, over the temperature of a stirred tank."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from itertools import zip_longest
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.profiles import Profile
from gulch.engine.exchange import safe
from gulch.engine.quantities import DISPLAY_SETS, pretty_unit, show, to_unit
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.web.projects.workspace import Workspace


PEAK, STABLE, UNSTABLE = "peak", "stable", "unstable"  # signs of what is marked


@dataclass
class SteadyState:
    """A steady state of a tank; typed: what runs it."""

    T: str
    typed: str
    stable: bool
    runs: bool
    conversion: str
    key: str


class Curves:
    """Prepared for one unit outcome that holds the numbers of a declared Profile; falsy when it holds none."""

    def __init__(self, space: Workspace, unit: str) -> None:
        self.space, self.display = space, space.display
        self.unit = space.document.unit(unit)
        outcome = space.solution.units.get(unit) if space.solution and self.unit else None
        self.values = outcome.values if outcome is not None and outcome.solved else {}
        declared = KINDS[self.unit.kind].declared(Profile) if self.unit else ()
        self.declared = next((d for d in declared if self.values.get(d.name)), None)
        self.numbers = self._decided(self.values[self.declared.name]) if self.declared else {}
        self.names = {s.id: s.shown for s in space.document.species}

    def __bool__(self) -> bool:
        return self.declared is not None

    @property
    def title(self) -> str:
        return self.declared.title.format(unit=self.unit.id)

    def name_of(self, group: dict[str, Any]) -> str:
        """What a figure of one of the groups is called."""
        only = len(self.declared.groups) == 1
        return self.title if only else f"{group['label']} {self.title[0].lower()}{self.title[1:]}"

    @property
    def steady(self) -> list[SteadyState]:
        """Steady states as rows; `typed` is what runs one of them."""
        return [
            SteadyState(
                T=show(s["T"], "temperature", self.display),
                typed=f"{s['T']:.3f} K",
                stable=s["stable"],
                runs=s["runs"],
                conversion=show(s["conversion"], "fraction", self.display),
                key=s["key"],
            )
            for s in self.values.get("steady") or []
        ]

    def _decided(self, numbers: dict) -> dict:
        """The numbers up to where steady states are decided; all of them where there are none."""
        states = [s["T"] for s in self.values.get("steady") or []]
        if not states:
            return numbers
        T = numbers["T"]
        top = max(states) + 50.0 + 0.25 * (max(states) - T[0])
        return {k: [v[i] for i, t in enumerate(T) if t <= top] for k, v in numbers.items()}

    def label(self, dimension: str) -> str:
        return pretty_unit(DISPLAY_SETS[self.display].unit(dimension))

    def shown(self, values: list[float], dimension: str) -> list[float]:
        unit = DISPLAY_SETS[self.display].unit(dimension)
        return [None if v is None else to_unit(v, unit, dimension) for v in values]

    def groups(self) -> Iterator:
        """Plots to choose from: each with its axes and series in display units."""
        for group in self.declared.groups:
            axes, series = {}, []
            for declared in group.series:
                for item, values, dimension in declared.drawn(self.numbers):
                    key = self.numbers.get("key")
                    on_axis = (declared.axis or declared.label).format(key=self.names.get(key, key))
                    axes.setdefault(dimension, {"label": on_axis, "unit": self.label(dimension)})
                    label = self.names.get(item, item) or declared.label.format(key=self.names.get(key, key))
                    series.append({"label": label, "axis": list(axes).index(dimension), "y": self.shown(values, dimension)})
            if series:
                found = {"id": group.id, "label": group.label, "axes": list(axes.values()), "series": series}
                yield found | {"marks": self.marks(group.id)} | self.own_way(group.over)

    def own_way(self, key: str) -> dict[str, Any]:
        """What a group runs over that has a way of its own."""
        way = next((w for w in self.declared.ways if w.key == key), None)
        return {"x": self.shown(self.numbers[key], way.dimension), "x_label": way.label, "x_unit": self.label(way.dimension)} if way else {}

    def marks(self, group: str) -> list[dict[str, Any]]:
        """What is marked in a group: where flows peak, or where a tank is steady."""
        if "removed" in self.numbers:
            T, removed = self.numbers["T"], self.numbers["removed"]
            return [
                self.mark(s["T"], "temperature", np.interp(s["T"], T, removed), "power", "runs" if s["runs"] else "", sign)
                for s in self.values.get("steady") or []
                for sign in [STABLE if s["stable"] else UNSTABLE]
            ]
        way = self.declared.way(self.numbers)
        peaks = (self.values.get("peaks") or []) if group == "composition" else []
        return [self.mark(p[way.key], way.dimension, p["flow"], "molar flow", f"{p['species']} peaks", PEAK) for p in peaks]

    def mark(self, x: float, over: str, y: float, dimension: str, text: str, sign: str) -> dict[str, Any]:
        return {"x": self.shown([x], over)[0], "y": self.shown([float(y)], dimension)[0], "text": text, "sign": sign}

    def unchanged(self) -> list:
        """Names of species that pass through as they are, which the plot leaves out."""
        found = []
        for series in (s for g in self.declared.groups for s in g.series if s.changing):
            drawn = {item for item, *_ in series.drawn(self.numbers)}
            found += [self.names.get(i, i) for i, v, _ in series.items(self.numbers) if i not in drawn and max(v) > 0.0]
        return found

    def peaks(self) -> Iterator:
        """Sentences on maxima inside the reactor: "ethylene peaks at 2.1 m"."""
        way, T = self.declared.way(self.numbers), self.numbers["T"]
        at = max(range(len(T)), key=T.__getitem__)
        if 0 < at < len(T) - 1:
            where = show(self.numbers[way.key][at], way.dimension, self.display, 3)
            yield f"hottest, {show(T[at], 'temperature', self.display)}, at {where}"
        for p in self.values.get("peaks") or []:
            where = show(p[way.key], way.dimension, self.display, 3)
            yield f"{p['species']} peaks at {where} with {show(p['flow'], 'molar flow', self.display)}"

    def data(self) -> dict[str, Any]:
        """What the browser draws."""
        way = self.declared.way(self.numbers)
        x = self.shown(self.numbers[way.key], way.dimension)
        return {"kind": "profile", "x": x, "x_label": way.label, "x_unit": self.label(way.dimension), "groups": list(self.groups())}

    def csv(self) -> str:
        """All of it as CSV in display units."""
        text = io.StringIO()
        writer = csv.writer(text)
        own = {g.over for g in self.declared.groups}
        ways = [w for w in self.declared.given(self.numbers) if w.key not in own]
        columns = [(w.label, self.label(w.dimension), self.shown(self.numbers[w.key], w.dimension)) for w in ways]
        for g in self.groups():
            columns += [(g["x_label"], g["x_unit"], g["x"])] if "x" in g else []
            columns += [(s["label"], g["axes"][s["axis"]]["unit"], s["y"]) for s in g["series"]]
        writer.writerow([safe(f"{label} [{unit}]" if unit else label) for label, unit, _ in columns])
        for row in zip_longest(*(c[2] for c in columns)):
            writer.writerow(["" if v is None else f"{v:.8g}" for v in row])
        return text.getvalue()
