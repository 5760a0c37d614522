"""What nobody typed and figures rest on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from gulch.engine.document import assumed_choices, choices_of, default_text
from gulch.engine.flowsheet.inputs import owned
from gulch.engine.flowsheet.places import About
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project


@dataclass(frozen=True)
class Assumed:
    """Something that nobody typed and figures rest on. address: of the input or choice; text: None where context decides."""

    address: str
    label: str
    text: str | None


def assumed(project: Project, id_: str) -> list:
    """What a unit or feed rests on that nobody typed: a list of Assumed, in the order of its form."""
    unit, stream, reaction = project.unit(id_), project.stream(id_), project.reaction(id_)
    if reaction is not None:
        rate = reaction.rate
        if rate is None or rate.law != "power" or not rate.forward.k or rate.forward.energy:
            return []
        return [Assumed(f"{id_}.energy", "activation energy, as zero", default_text("0 kJ/mol", "molar energy", project.display))]
    if unit is None:
        if stream is None or stream.given is None:
            return []
        typed = owned(project).get((About.STREAM, id_), [])
        return [Assumed(a.address, a.address.partition(".")[2], a.text) for a in typed if a.assumed]
    labels = {d.key: d.label for d in KINDS[unit.kind].inputs()}
    found = [Assumed(f"{id_}.{d.name}", d.label.lower(), choices_of(unit)[d.name]) for d in assumed_choices(unit)]
    found += [
        Assumed(a.address, labels[a.address.split(".")[1]].lower(), a.text)
        for a in owned(project).get((About.UNIT, id_), [])
        if a.assumed and a.counted and a.address.split(".")[1] in labels
    ]
    place = list(labels)
    return sorted(found, key=lambda a: place.index(a.address.split(".")[1]))
