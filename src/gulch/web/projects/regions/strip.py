"""The strip of knobs and gauges."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from gulch.engine.project.results import beyond
from gulch.engine.project.strip import ordered
from gulch.engine.quantities import (
    QuantityError,
    parse,
    show,
)
from gulch.web.projects.regions.region import Region
from gulch.web.projects.words import (
    SLIDER_STEPS,
    in_unit,
    pretty_text,
)

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document.process import GaugeEntry, KnobEntry
    from gulch.engine.project.messages import Message


@dataclass
class StripPlace:
    """Where a knob or gauge stands among the others above every page."""

    hidden: bool
    first: bool = False
    last: bool = False
    before: int = 0
    after: int = 0


@dataclass
class Hidden:
    """How many knobs and gauges are hidden, and their cards."""

    count: int
    knobs: list[KnobCard]
    gauges: list[GaugeCard]


@dataclass
class KnobCard:
    """A knob as it stands above every page."""

    id: str
    label: str
    address: str
    on: bool
    message: Message | None
    set_by: str = ""
    about: str = ""
    text: str = ""
    position: int | None = None  # of its slider
    range: str = ""


@dataclass
class GaugeCard:
    """A gauge as it stands above every page."""

    id: str
    label: str
    limits: str
    mark: str
    state: str
    value: str
    words: str = ""


class Strip(Region):
    """The strip of knobs and gauges."""

    def knobs(self) -> Iterator[KnobCard]:
        return self.knob_cards(ordered(self.document, "knob")[0])

    def gauges(self) -> Iterator[GaugeCard]:
        return self.gauge_cards(ordered(self.document, "gauge")[0])

    def all_knobs(self) -> Iterator[KnobCard]:
        """Cards of every knob, hidden ones last."""
        return self.knob_cards([k for part in ordered(self.document, "knob") for k in part])

    def all_gauges(self) -> Iterator[GaugeCard]:
        """Cards of every gauge, hidden ones last."""
        return self.gauge_cards([g for part in ordered(self.document, "gauge") for g in part])

    def place(self, kind: str, id_: str) -> StripPlace:
        """Where a knob or gauge stands among the others above every page."""
        shown = [e.id for e in ordered(self.document, kind)[0]]
        if id_ not in shown:
            return StripPlace(hidden=True)
        at = shown.index(id_)
        return StripPlace(hidden=False, first=at == 0, last=at == len(shown) - 1, before=max(at - 1, 0), after=at + 1)

    def hidden(self) -> Hidden:
        """How many knobs and gauges are hidden, and their cards."""
        knobs, gauges = (ordered(self.document, kind)[1] for kind in ("knob", "gauge"))
        return Hidden(count=len(knobs) + len(gauges), knobs=list(self.knob_cards(knobs)), gauges=list(self.gauge_cards(gauges)))

    def knob_cards(self, entries: list[KnobEntry]) -> Iterator[KnobCard]:
        for k in entries:
            a = self.inputs.get(k.input)
            card = KnobCard(
                id=k.id,
                label=k.label or (a.label if a else k.input),
                address=k.input,
                on=a is not None,
                message=self.space.errors.get(k.input),
            )
            if a is not None:
                text = self.trial_values.get(k.input, a.text)
                by = self.space.fields.set_by(a)
                card.set_by, card.about = by.set_by, by.about
                text = text or ""
                card.text = by.found or in_unit(text, a.dimension, self.display)
                try:
                    low, high = parse(k.low, a.dimension), parse(k.high, a.dimension)
                    now = parse(text, a.dimension)
                    card.position = round(min(max((now - low) / (high - low), 0.0), 1.0) * SLIDER_STEPS)
                    card.range = f"{k.low} to {k.high}"
                except (QuantityError, ZeroDivisionError):
                    card.position = None
            yield card

    def gauge_cards(self, entries: list[GaugeEntry]) -> Iterator[GaugeCard]:
        for g in entries:
            r = self.outputs.get(g.reads)
            value = self.solution.gauges.get(g.id) if self.solution else None
            limits = " · ".join(f"{sign} {pretty_text(text)}" for sign, text in (("≥", g.at_least), ("≤", g.at_most)) if text)
            card = GaugeCard(
                id=g.id,
                label=g.label or (r.label if r else g.reads),
                limits=limits,
                mark="",
                state="none",
                value=show(value, r.dimension, self.display) if r else "–",
            )
            target = next((t for t in self.document.targets if t.on and t.gauge == g.id), None)
            met = next((t.met for t in self.latest.targets if target and t.id == target.id), None) if self.latest else None
            if target is not None and r:
                wanted = target.value if target.sits == "value" else getattr(g, target.sits)
                card.limits = f"target {pretty_text(wanted or '–')}"
                if met is not None:
                    card.state, card.mark = ("target", "✓") if met else ("missed", "✕")
                    card.words = "target met" if met else "target not met"
            elif r and value is not None and limits:
                inside = self.inside(g, value, r.dimension)
                card.state, card.mark = ("inside", "✓") if inside else ("outside", "▲")
                card.words = "inside its limits" if inside else "outside its limits"
            yield card

    @staticmethod
    def inside(gauge: GaugeEntry, value: float, dimension: str) -> bool:
        try:
            limits = [None if t is None else parse(t, dimension) for t in (gauge.at_least, gauge.at_most)]
        except QuantityError:
            return True
        return beyond(value, *limits) is None
