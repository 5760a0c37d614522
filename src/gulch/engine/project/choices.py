"""Choices of a project, so that a scan can have a line for each of their values."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from gulch.engine.document import choices_of, set_value, value_of
from gulch.engine.phases import PHASE_MODELS
from gulch.engine.units import KINDS
from gulch.engine.units.declarations import Choice

if TYPE_CHECKING:
    from gulch.engine.document import Project

PHASE_MODEL = "phase_model"


@dataclass(frozen=True)
class Chosen:
    """One choice: its address ("phase_model", or "unit.choice"), words for it, {value: words} and the value now."""

    address: str
    label: str
    options: dict
    now: str | None


def choices(project: Project) -> list[Chosen]:
    """The choices of a project that are in use now: the phase model, then those of its units."""
    models = {kind: words for kind, (words, _) in PHASE_MODELS.items()}
    found = [Chosen(PHASE_MODEL, "phase model", models, project.phase_model.kind)]
    for unit in project.units:
        now = choices_of(unit)
        found += [
            Chosen(f"{unit.id}.{d.key}", f"{d.label} of {unit.id}", d.options, now[d.name])
            for d in KINDS[unit.kind].declared(Choice)
            if d.in_use(now) and len(d.options) > 1
        ]
    return found


def choose(project: Project, address: str, value: str) -> Project:
    """The Project with another value of a choice. Raises KeyError where there is no such choice or value."""
    chosen = next((c for c in choices(project) if c.address == address), None)
    if chosen is None or value not in chosen.options:
        raise KeyError(f"{address} cannot be {value}.")
    out = project.model_copy(deep=True)
    if address == PHASE_MODEL:
        out.phase_model.kind = value
        return out
    id_, _, key = address.partition(".")
    unit = out.unit(id_)
    declared = next(d for d in KINDS[unit.kind].declared(Choice) if d.key == key)
    if value_of(unit, declared) != value:
        set_value(unit, declared, value)
    return out
