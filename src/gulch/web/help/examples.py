"""Examples of the help pages: what the demo projects hold of a unit kind or a phase model, with the figures that ship with them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any

from gulch.demo import figures, projects
from gulch.engine.declared.declarations import Choice, ReactionSet, SpeciesChoice
from gulch.engine.document import choices_of, value_of
from gulch.engine.flowsheet.solution import Solution
from gulch.engine.project.inputs import addresses
from gulch.engine.quantities import show
from gulch.engine.units import KINDS
from gulch.engine.work import unpack
from gulch.web.projects.words import field_text

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document.project import Project
    from gulch.engine.flowsheet.solution import UnitOutcome


MOST = 8  # numbers of a list by species or reaction


@dataclass
class Example:
    """What a page of help shows of a demo project."""

    project: str
    what: str
    typed: list
    found: Any
    species: Any = None


@cache
def example(shows: str) -> Example | None:
    """{"project", "what", "typed", "found"} of the first demo that has a unit kind or a phase model, or None; rows of (label, text)."""
    for document in projects():
        if document.phase_model.kind == shows:
            return Example(project=document.name, what="", typed=[], found=[], species=[s.shown for s in document.species])
        unit = next((u for u in document.units if u.kind == shows), None)
        if unit is not None and (outcome := _outcome(document, unit)) is not None:
            typed, found = list(_typed(document, unit)), list(_found(document, unit, outcome))
            return Example(project=document.name, what=unit.id, typed=typed, found=found)
    return None


@cache
def _solution(name: str) -> Solution | None:
    document = next(d for d in projects() if d.name == name)
    shipped = figures(document)
    return Solution.from_dict(unpack(shipped[1])) if shipped else None


def _outcome(document: Project, unit: Any) -> UnitOutcome | None:
    solution = _solution(document.name)
    outcome = solution.units.get(unit.id) if solution else None
    return outcome if outcome is not None and outcome.solved else None


def _typed(document: Project, unit: Any) -> Iterator:
    """(label, text) of what is typed or chosen at the unit."""
    inputs, choices = addresses(document), choices_of(unit)
    for d in KINDS[unit.kind].inputs():
        if not d.in_use(choices):
            continue
        if isinstance(d, Choice):
            yield d.label, d.options[choices[d.name]] if choices[d.name] else d.context
        elif isinstance(d, ReactionSet | SpeciesChoice):
            yield d.label, value_of(unit, d) or "none"
        else:
            mine = [a for key, a in inputs.items() if (f"{key}.").startswith(f"{unit.id}.{d.key}.") and a.text]
            for a in mine[:MOST]:
                yield a.label.removesuffix(f" of {unit.id}"), field_text(a) + (" (assumed)" if a.assumed else "")


def _found(document: Project, unit: Any, outcome: UnitOutcome) -> Iterator:
    """(label, text) of what the shipped figures say of it."""
    names = {s.id: s.shown for s in document.species}
    for r in KINDS[unit.kind].results():
        value = outcome.values.get(r.key)
        if isinstance(value, dict):
            for item, number in [(i, v) for i, v in value.items() if isinstance(v, int | float) and abs(v) > 1e-9][:MOST]:
                yield f"{r.label} of {names.get(item, item)}", show(number, r.dimension, document.display)
        elif isinstance(value, int | float):
            yield r.label, show(value, r.dimension, document.display)
