"""The answer of a scan in words, with the figures that can be carried back to the process."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from gulch.engine.exchange.best import DOUBTS, in_sentence
from gulch.engine.quantities import QuantityError, along, difference_of, parse, show, write
from gulch.engine.scans import answer_of

if TYPE_CHECKING:
    from gulch.engine.document import ScanEntry


def shown_gauge(result: dict[str, Any], entry: ScanEntry) -> dict[str, Any]:
    """The gauge of which the best is told: the one chosen, else the first without limits, else the first."""
    gauges = result["gauges"]
    chosen = next((g for g in gauges if g["id"] == entry.shows), None)
    free = next((g for g in gauges if g["at_least"] is None and g["at_most"] is None), None)
    return chosen or free or gauges[0]


class Sentence:
    """The answer of a ScanResult as plain data. pieces: (text, point) each; a point is {address: document text} to be carried back.

    display: of the project; reads: {gauge: its reading now}; typed: {address: its text now}.
    """

    def __init__(
        self, result: dict[str, Any], entry: ScanEntry, display: str, reads: dict[str, float | None], typed: dict[str, str | None]
    ) -> None:
        self.result, self.display, self.reads, self.typed = result, display, reads, typed
        self.gauges = {g["id"]: g for g in result["gauges"]}
        self.shown = shown_gauge(result, entry)
        self.highest = entry.aim == "highest"
        self.axes = result.get("axes") or [result]
        self.within = _share(entry.within)
        self.answer = answer_of(result, self.shown["id"], self.highest, entry.passing, self.within)
        self.pieces, self.passing = [], entry.passing
        if self.answer.limited and len(self.axes) == 1:
            self._window()
        elif self.answer.limited:
            self._say(f"{self.answer.inside} of {len(result['points'])} points meet all limits." if self.answer.inside else "")
        if self.answer.limited and not (self.answer.inside or self.answer.windows):
            self._nowhere()
        if self.answer.still is not None:
            self._still()
        elif self.answer.best is not None:
            self._best()
        elif self.answer.inside:
            self._say(" Every point inside the limits is doubtful, so none is called best.")
        self._left_out()

    @property
    def text(self) -> str:
        """The whole sentence."""
        return "".join(text for text, _ in self.pieces).strip()

    @property
    def texts(self) -> dict[int, str]:
        """{place of a piece: its point as JSON}."""
        return {k: json.dumps(point) for k, (_, point) in enumerate(self.pieces) if point}

    @property
    def best_text(self) -> str:
        """The best point as JSON, or ''."""
        return json.dumps(self.point(self.answer.best.values)) if self.answer.best else ""

    @property
    def best_name(self) -> str:
        """What a variant made of the best point is called if nobody names it."""
        return self._place(self.answer.best.values)

    def _say(self, text: str, point: dict[str, str] | None = None) -> None:
        if text:
            self.pieces.append((text, point))

    def point(self, values: list[float]) -> dict[str, str]:
        """{address: document text} of values of the knobs [SI]."""
        return {a["address"]: write(v, a["dimension"], along(self.display, a), 7) for a, v in zip(self.axes, values, strict=True)}

    def _knob(self, value: float, axis: int = 0) -> str:
        a = self.axes[axis]
        return show(value, a["dimension"], along(self.display, a), 4)

    def _window(self) -> None:
        answer, values = self.answer, [p["value"] for p in self.result["points"]]
        if not answer.windows:
            return
        label = self.axes[0]["label"]
        if answer.windows == [(values[0], values[-1])]:
            self._say(f"All limits hold over the whole range of {label}.")
            return
        self._say("All limits hold from ")
        for k, (low, high) in enumerate(answer.windows):
            self._say(" and from " if k else "")
            self._say(self._knob(low), self.point([low]))
            self._say(" to ")
            self._say(self._knob(high), self.point([high]))
        self._say(f" of {label}")
        ends = [f"{side}, {self._broken(end)}" for side, end in zip(("below", "above"), answer.ends[0], strict=True) if end]
        self._say("; " + "; ".join(ends) + "." if len(answer.windows) == 1 and ends else ".")
        if answer.drawn:
            self._say(" An end for which the limit was typed after the run is drawn between its points: run it again to have it solved.")

    def _broken(self, end: tuple) -> str:
        id_, limit = end
        if limit == "failed":
            return "it does not solve"
        return f"{self.gauges[id_]['label']} is too {'low' if limit == 'at_least' else 'high'}"

    def _nowhere(self) -> None:
        """No point meets all limits: which exclude which, and the nearest point."""
        names = [" and ".join(self._limit(i) for i in ids) for ids in self.answer.excluding[:2]]
        apart = any(len(ids) > 1 for ids in self.answer.excluding)
        self._say("No point meets all limits")
        self._say(f": {'; '.join(names)} {'exclude each other' if apart else 'is met at none of them'}" if names else "")
        nearest = self.answer.nearest
        if nearest:
            values = nearest.get("values", [nearest["value"]])
            self._say(". The nearest point is ")
            self._say(self._place(values), self.point(values))
        self._say(".")

    def _limit(self, id_: str) -> str:
        g = self.gauges[id_]
        parts = [
            f"{sign} {show(g[n], g['dimension'], self.display, 4)}" for n, sign in (("at_least", "≥"), ("at_most", "≤")) if g[n] is not None
        ]
        return f"{g['label']} {' and '.join(parts)}"

    def _place(self, values: list[float]) -> str:
        return " and ".join(
            f"{a['label']} {self._knob(v, k)}" if len(values) > 1 else self._knob(v, k)
            for k, (v, a) in enumerate(zip(values, self.axes, strict=True))
        )

    def _best(self) -> None:
        g, best = self.shown, self.answer.best
        inside = " inside all limits" if self.answer.limited and len(self.axes) > 1 else ""
        self._say(
            f" {'Highest' if self.highest else 'Lowest'} {g['label']}{inside}: {show(best.reads, g['dimension'], self.display, 5)} at "
        )
        self._say(self._place(best.values), self.point(best.values))
        now = self.reads.get(g["id"])
        if now is not None:
            away = best.reads - now
            words = show(abs(away), difference_of(g["dimension"]), self.display, 3)
            same = abs(away) <= 1e-6 * max(abs(now), abs(best.reads))
            self._say(", as now" if same else f", {words} {'above' if away > 0.0 else 'below'} what it is now")
        self._say(".")
        for k, (low, high) in enumerate(self.answer.near):
            self._say(f" Within {show(self.within, 'fraction', self.display, 3)} of that from " if k == 0 else " and from ")
            self._say(self._knob(low), self.point([low]))
            self._say(" to ")
            self._say(self._knob(high), self.point([high]))
        self._say("." if self.answer.near else "")

    def _still(self) -> None:
        """What is sought does not move."""
        names = " and ".join(in_sentence(a["label"]) for a in self.axes)
        reads = show(self.answer.still, self.shown["dimension"], self.display, 5)
        self._say(f" {self.shown['label']} does not depend on {names}: it reads {reads} at every point.")

    def _left_out(self) -> None:
        if self.answer.doubtful:
            self._say(f" {_points(self.answer.doubtful)} doubtful and never called best.")
        if self.answer.failed:
            self._say(f" {_points(self.answer.failed)} left out: the process did not solve there.")

    @property
    def doubts(self) -> list[tuple[str, str, bool]]:
        """(code, words, whether it is let pass) of the doubts that some point is under."""
        codes = dict.fromkeys(c for p in self.result["points"] for c in p.get("doubts", ()))
        return [(c, DOUBTS[c], c in self.passing) for c in codes if c in DOUBTS]

    @property
    def now(self) -> list[float] | None:
        """Values of the knobs as they are typed [SI], or None."""
        try:
            return [parse(self.typed[a["address"]] or "", a["dimension"]) for a in self.axes]
        except (KeyError, QuantityError):
            return None


def _share(text: str | None) -> float | None:
    """A typed share as a number, or None."""
    try:
        return parse(text, "fraction") if text else None
    except QuantityError:
        return None


def _points(n: int) -> str:
    return f"{n} point is" if n == 1 else f"{n} points are"
