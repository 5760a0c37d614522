"""What nobody typed and figures rest on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.document import assumed_choices, choices_of, default_text
from gulch.engine.project.inputs import owned
from gulch.engine.project.places import About
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project, ReactionEntry, StreamEntry


@dataclass(frozen=True)
class Assumed:
    """Something that nobody typed and figures rest on. address: of the input or choice; text: None where context decides."""

    address: str
    label: str
    text: str | None


def assumed(project: Project, id_: str) -> list:
    """What a unit, feed or reaction rests on that nobody typed: a list of Assumed, in the order of its form."""
    if (reaction := project.reaction(id_)) is not None:
        return of_reaction(project, reaction)
    if (unit := project.unit(id_)) is not None:
        return of_unit(project, unit)
    stream = project.stream(id_)
    return of_feed(project, stream) if stream is not None else []


def of_reaction(project: Project, reaction: ReactionEntry) -> list:
    """As `assumed`, of a reaction."""
    rate = reaction.rate
    if rate is None or rate.law != "power" or not rate.forward.k or rate.forward.energy:
        return []
    return [Assumed(f"{reaction.id}.energy", "activation energy, as zero", default_text("0 kJ/mol", "molar energy", project.display))]


def of_feed(project: Project, stream: StreamEntry) -> list:
    """As `assumed`, of a stream."""
    typed = owned(project).get((About.STREAM, stream.id), []) if stream.given is not None else []
    return [Assumed(a.address, a.address.partition(".")[2], a.text) for a in typed if a.assumed]


def of_unit(project: Project, unit: Any) -> list:
    """As `assumed`, of a unit."""
    id_ = unit.id
    labels = {d.key: d.label for d in KINDS[unit.kind].inputs()}
    found = [Assumed(f"{id_}.{d.key}", d.label.lower(), choices_of(unit)[d.name]) for d in assumed_choices(unit)]
    found += [
        Assumed(a.address, labels[a.address.split(".")[1]].lower(), a.text)
        for a in owned(project).get((About.UNIT, id_), [])
        if a.assumed and a.counted and a.address.split(".")[1] in labels
    ]
    place = list(labels)
    return sorted(found, key=lambda a: place.index(a.address.split(".")[1])) if len(found) > 1 else found
