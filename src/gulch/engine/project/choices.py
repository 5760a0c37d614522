"""Choices of a project, so that a scan can have a line for each of their values."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import networkx as nx

from gulch.engine.declared.declarations import Choice, Input
from gulch.engine.document import choices_of, set_value, source_of, value_of
from gulch.engine.phases import PHASE_MODELS
from gulch.engine.project.edit import EditError, forget, send_to
from gulch.engine.project.kind import article, change_kind
from gulch.engine.project.results import readable
from gulch.engine.reactors.kinetic import KineticReactor
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.declared.base import Unit
    from gulch.engine.document import Project

PHASE_MODEL = "phase_model"
KIND = "kind"  # after a reactor's name: what stands in its place, with its volume
PLACE = "to"  # after the name of a stream that goes back: before which unit it comes in again


@dataclass(frozen=True)
class Chosen:
    """One choice: its address ("phase_model", "unit.choice", "unit.kind", "stream.to"), words, {value: words} and the value now."""

    address: str
    label: str
    options: dict
    now: str | None


def choices(project: Project) -> list[Chosen]:
    """The choices of a project that are in use now: the phase model, those of its units, kinds of reactors, and places of recycles."""
    models = {kind: words for kind, (words, _) in PHASE_MODELS.items()}
    found = [Chosen(PHASE_MODEL, "phase model", models, project.phase_model.kind)]
    for unit in project.units:
        now = choices_of(unit)
        if _stands_for_others(KINDS[unit.kind]) and now.get("size_by", "volume") == "volume":
            kinds = {kind: declared.label for kind, declared in KINDS.items() if _stands_for_others(declared)}
            found.append(Chosen(f"{unit.id}.{KIND}", f"kind of {unit.id}", kinds, unit.kind))
        found += [
            Chosen(f"{unit.id}.{d.key}", f"{d.label} of {unit.id}", d.options, now[d.name])
            for d in KINDS[unit.kind].declared(Choice)
            if d.in_use(now) and len(d.options) > 1
        ]
    return found + _places(project)


def _places(project: Project) -> list[Chosen]:
    """Where each stream that goes back might come in again: before any unit from which the way leads to its source."""
    at = {u.id: k for k, u in enumerate(project.units)}
    between = [(s.id, source_of(s)[0], s.enters) for s in project.streams if s.source and s.to]
    found = []
    for stream, source, now in between:
        if at[now] > at[source] or len(KINDS[project.unit(now).kind].inlets) > 1:
            continue
        way = nx.DiGraph([(a, b) for other, a, b in between if other != stream])
        before = nx.ancestors(way, source) if source in way else set()
        options = {u: f"before {u}" for u in at if u in before}
        if len(options) > 1 and now in options:
            found.append(Chosen(f"{stream}.{PLACE}", f"place of {stream}", options, now))
    return found


def choose(project: Project, address: str, value: str) -> Project:
    """The Project with another value of a choice.

    Raises KeyError where there is no such choice or value, EditError with a sentence where it cannot be built.
    """
    chosen = next((c for c in choices(project) if c.address == address), None)
    if chosen is None or value not in chosen.options:
        raise KeyError(f"{address} cannot be {value}.")
    out = project.model_copy(deep=True)
    if address == PHASE_MODEL:
        out.phase_model.kind = value
        return out
    id_, _, key = address.partition(".")
    if key == KIND:
        _be(out, id_, value)
        return out
    if key == PLACE:
        send_to(out, id_, value)
        return out
    unit = out.unit(id_)
    declared = next(d for d in KINDS[unit.kind].declared(Choice) if d.key == key)
    if value_of(unit, declared) != value:
        set_value(unit, declared, value)
    return out


def _stands_for_others(kind: type[Unit]) -> bool:
    """Whether a kind is one of the reactors by rates that differ in how they mix alone: one stream in, one out, and a volume."""
    volume = next((d for d in kind.declared(Input) if d.key == "volume"), None)
    return issubclass(kind, KineticReactor) and volume is not None and len(kind.inlets) == len(kind.outlets) == 1


def _be(project: Project, id_: str, kind: str) -> None:
    """Let a reactor be of another kind where that can be heated as it is and limits stay. Raises EditError."""
    before = choices_of(project.unit(id_)).get("mode")
    words = next(d.options for d in KINDS[project.unit(id_).kind].declared(Choice) if d.name == "mode")
    change_kind(project, id_, kind)
    if choices_of(project.unit(id_)).get("mode") != before:
        raise EditError(f"“{words[before]}” is no heat mode of {article(KINDS[kind].label)}: choose another one for {id_} first.")
    there = readable(project)
    lost = [g for g in project.gauges if g.reads and g.reads not in there]
    limited = next((g for g in lost if g.at_least or g.at_most), None)
    if limited is not None:
        name = limited.label or limited.id
        raise EditError(
            f"The limit on {name} cannot be kept with {article(KINDS[kind].label)}, which has no such result: take it off first."
        )
    if lost:
        project.gauges = [g for g in project.gauges if g not in lost]
        forget(project)
