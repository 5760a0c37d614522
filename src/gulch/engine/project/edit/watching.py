"""Knobs, gauges and targets."""

from __future__ import annotations

from typing import Any

from gulch.engine.document import GaugeEntry, KnobEntry, Project, TargetEntry
from gulch.engine.project.couplings import own_reading
from gulch.engine.project.edit.whole import EditError, fresh
from gulch.engine.quantities import QuantityError


def gauge_on(project: Project, address: str) -> GaugeEntry:
    """The gauge that reads a result, made where there is none."""
    found = next((g for g in project.gauges if g.reads == address), None)
    if found is None:
        found = GaugeEntry(id=fresh("gauge", {g.id for g in project.gauges}), reads=address)
        project.gauges = [*project.gauges, found]
    return found


def gauge_on_formula(project: Project, formula: str, label: str = "") -> Any:
    """A gauge that reads a formula over addresses. Raises EditError when it cannot be read."""
    id_ = fresh("gauge", {g.id for g in project.gauges})
    made = GaugeEntry(id=id_, reads=f"gauge.{id_}", formula=formula.strip()[:400], label=label.strip()[:60] or None)
    try:
        own_reading(project, made)
    except QuantityError as error:
        raise EditError(str(error)) from None
    project.gauges = [*project.gauges, made]
    return made


def knob_on(project: Project, address: str, low: str, high: str) -> KnobEntry:
    """The knob that turns an input, made with a range where there is none."""
    found = next((k for k in project.knobs if k.input == address), None)
    if found is None:
        found = KnobEntry(id=fresh("knob", {k.id for k in project.knobs}), input=address, low=low, high=high)
        project.knobs = [*project.knobs, found]
    return found


def add_target(project: Project, gauge: str, knob: str, value: str | None = None, sits: str = "value") -> str:
    """Add a target on a gauge by a knob; returns its id. Raises EditError."""
    if project.gauge(gauge) is None or project.knob(knob) is None:
        raise EditError("A target needs a gauge to read and a knob to turn: make them first (○ and ◇ in the inspector).")
    id_ = fresh("target", {t.id for t in project.targets})
    project.targets = [*project.targets, TargetEntry(id=id_, gauge=gauge, knob=knob, value=value, sits=sits)]
    return id_
