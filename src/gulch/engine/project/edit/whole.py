"""Names, and what refers to what: renaming, forgetting what is gone."""

from __future__ import annotations

import re
from typing import Any

from gulch.engine.document import Part, Project, StreamEntry, load
from gulch.engine.references import Forgetting, Renaming, Thing, followed


class EditError(ValueError):
    """An edit that cannot be made; the message is a sentence for the user."""


def taken(project: Project) -> set[str]:
    """Ids in use among streams, units, reactions and numbers, which share one space."""
    return {x.id for x in (*project.streams, *project.units, *project.reactions, *project.numbers)}


def fresh(prefix: str, used: set[str]) -> str:
    """`prefix` with the lowest number that is not taken."""
    number = 1
    while f"{prefix}{number}" in used:
        number += 1
    return f"{prefix}{number}"


def slug(name: str, fallback: str = "x") -> str:
    """An id made from a name."""
    text = re.sub(r"[^A-Za-z0-9]+", "_", name).strip("_")[:36]
    return text if text[:1].isalpha() else f"{fallback}{text}"[:40]


def forget(project: Project) -> None:
    """Drop what refers to things that are no more: knobs, gauges, ties, guesses, scans, targets and the rest."""
    while True:
        before = project.dump()
        alive = {
            Thing.STREAM: project.streams,
            Thing.UNIT: project.units,
            Thing.REACTION: project.reactions,
            Thing.NUMBER: project.numbers,
            Thing.SPECIES: project.species,
            Thing.SET: project.reaction_sets,
            Thing.KNOB: project.knobs,
            Thing.GAUGE: project.gauges,
            Thing.TARGET: project.targets,
            Thing.SCAN: project.scans,
            Thing.SEARCH: project.searches,
            Thing.VARIANT: project.variants,
            Thing.SHEET: project.measurements,
            Thing.FIT: project.fits,
        }
        after = followed(Project, before, Forgetting({t: {x.id for x in entries} for t, entries in alive.items()}))
        if after == before:
            return
        become(project, after)


def become(project: Project, data: dict[str, Any]) -> None:
    """Give a Project the content of plain data, its parts staying the objects that callers hold."""
    _take_over(project, load(data))


def _take_over(part: Any, new: Any) -> None:
    for name in type(part).model_fields:
        mine, its = getattr(part, name), getattr(new, name)
        if mine == its:
            continue
        if isinstance(mine, Part) and type(mine) is type(its):
            _take_over(mine, its)
        elif isinstance(its, list) and its and isinstance(its[0], Part):
            setattr(part, name, [_kept_or_new(k, mine, entry, len(mine) == len(its)) for k, entry in enumerate(its)])
        else:
            setattr(part, name, its)


def _kept_or_new(k: int, mine: list, entry: Any, in_place: bool) -> Any:
    """The object that an entry stood in before, brought up to date; the entry itself where there was none."""
    if in_place:
        old = mine[k]
    else:
        old = next((e for e in mine if (name_of(e), type(e)) == (name_of(entry), type(entry))), None)
    if type(old) is not type(entry):
        return entry
    _take_over(old, entry)
    return old


def name_of(entry: Part) -> str | None:
    """What tells an entry of a list from the others."""
    return next((getattr(entry, key) for key in ("id", "sets", "stream") if key in type(entry).model_fields), None)


def need_stream(project: Project, id_: str) -> StreamEntry:
    """The stream of that id. Raises EditError where there is none."""
    stream = project.stream(id_)
    if stream is None:
        raise EditError(f"There is no stream {id_}: it may have been removed meanwhile.")
    return stream


def rename(project: Project, old: str, new: str) -> None:
    """Give a unit, stream, reaction or number another id everywhere it is named. Raises EditError."""
    new = new.strip()
    if new == old:
        return
    if not re.fullmatch(r"[A-Za-z][A-Za-z0-9_\-]{0,39}", new):
        raise EditError(f"“{new}” cannot be a name: use letters, digits, _ and -, beginning with a letter, at most 40.")
    if new in taken(project) or new == "overall":
        raise EditError(f"{new} is taken already: choose another name.")
    if old not in taken(project):
        raise EditError(f"There is nothing named {old}: it may have been removed meanwhile.")
    things = {
        Thing.STREAM: project.streams,
        Thing.UNIT: project.units,
        Thing.REACTION: project.reactions,
        Thing.NUMBER: project.numbers,
    }
    thing = next(t for t, entries in things.items() if any(x.id == old for x in entries))
    become(project, followed(Project, project.dump(), Renaming(thing, old, new, frozenset(taken(project)))))
