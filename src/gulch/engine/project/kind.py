"""A unit made one of another kind, in place: its name, its streams and whatever both kinds are given stay."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from gulch.engine.declared.declarations import Choice, Declared, Input, PerReaction, PerSpecies, PerStage, ReactionSet
from gulch.engine.document import UNIT_MODELS, Project, set_value, value_of
from gulch.engine.project.edit import EditError, forget, outlets_kept
from gulch.engine.units import KINDS


def article(label: str) -> str:
    """A kind's label with its article.

    >>> article("heater"), article("equilibrium reactor"), article("tanks in series")
    ('a heater', 'an equilibrium reactor', 'tanks in series')
    """
    if _many(label):
        return label
    return f"{'an' if label[:1].lower() in 'aeiou' else 'a'} {label}"


def _many(label: str) -> bool:
    """Whether a label is a plural: "tanks in series"."""
    return label.split(" in ")[0].endswith("s")


def change_kind(project: Project, unit_id: str, kind: str) -> None:
    """Let a unit be of another kind. Raises EditError where its streams would not fit."""
    old = project.unit(unit_id)
    if old is None:
        raise EditError(f"There is no unit {unit_id}: it may have been removed meanwhile.")
    if kind not in KINDS:
        raise EditError(f"There is no unit kind “{kind}”.")
    if kind == old.kind:
        return
    _fits(project, old, kind)
    new = UNIT_MODELS[kind](id=unit_id)
    for theirs, ours in _shared(old.kind, kind):
        value = value_of(old, theirs)
        if value not in (None, "", {}) and not (isinstance(ours, Choice) and value not in ours.options):
            set_value(new, ours, value)
    if any(not d.optional for d in KINDS[kind].declared(ReactionSet)) and not new.set and project.reaction_sets:
        new.set = project.reaction_sets[0].id
    with outlets_kept(project, old, new):
        project.units[project.units.index(old)] = new
    _enter(project, new)
    forget(project)  # what was turned or read of the old kind alone


def _fits(project: Project, old: Any, kind: str) -> None:
    """Raise EditError where more streams are connected than the new kind has ports."""
    entering = [s.id for s in project.streams if s.enters == old.id]
    onward = [s.id for s in project.streams if s.source and s.source.split(".")[0] == old.id and s.to]
    one, inlets = article(KINDS[kind].label), KINDS[kind].inlets
    one, s = one[:1].upper() + one[1:], "" if _many(KINDS[kind].label) else "s"
    if len(entering) > len(inlets) and not any(p.many for p in inlets):
        takes = "one stream" if len(inlets) == 1 else f"{len(inlets)} streams"
        raise EditError(f"{one} take{s} {takes}, and {', '.join(entering)} enter {old.id}: join them before it, or send one elsewhere.")
    outlets = KINDS[kind].outlets
    if len(onward) > len(outlets):
        gives = "one stream" if len(outlets) == 1 else f"{len(outlets)} streams"
        raise EditError(f"{one} give{s} {gives}, and {', '.join(onward)} go on from {old.id}: let one of them end first.")


def _shared(before: str, after: str) -> Iterator[tuple[Declared, Declared]]:
    """Pairs of inputs that both kinds declare alike."""
    theirs = {d.name: d for d in KINDS[before].inputs()}
    for d in KINDS[after].inputs():
        other = theirs.get(d.name)
        if other is None or type(other) is not type(d):
            continue
        if isinstance(d, Input | PerSpecies | PerStage) and other.dimension != d.dimension:
            continue
        if isinstance(d, PerReaction) and other.options != d.options:
            continue
        yield other, d


def _enter(project: Project, new: Any) -> None:
    """Let what enters enter by the new kind's inlets, in their order."""
    inlets = KINDS[new.kind].inlets
    for k, stream in enumerate(s for s in project.streams if s.enters == new.id):
        stream.to = new.id if len(inlets) == 1 else f"{new.id}.{inlets[min(k, len(inlets) - 1)].name}"
