"""What concerns the document as a whole."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import TYPE_CHECKING

from gulch.engine.project.messages import Message
from gulch.engine.project.places import About, Place, at_species

if TYPE_CHECKING:
    from gulch.engine.document import Project


def beginnings(project: Project) -> Iterator:
    """What an empty project needs next."""
    if not project.species:
        yield Message("warning", Place(About.CHEMISTRY), "No species yet.", "Add the species of the process in Chemistry.")
    elif not any(s.is_feed for s in project.streams):
        yield Message("warning", Place(About.PROCESS), "No feed yet.", "Add a feed in Process.")


def unique_ids(project: Project) -> Iterator:
    """Ids are unique within their kind, and among streams, units and reactions together."""
    groups = {
        About.SPECIES: [s.id for s in project.species],
        About.SET: [s.id for s in project.reaction_sets],
        About.KNOB: [k.id for k in project.knobs],
        About.GAUGE: [g.id for g in project.gauges],
        About.SCAN: [s.id for s in project.scans] + [s.id for s in project.searches],  # their runs are kept by id
        None: [x.id for x in (*project.streams, *project.units, *project.reactions)],
    }
    words = {About.SET: "reaction set", None: "stream, unit or reaction"}
    for about, ids in groups.items():
        for id_, times in Counter(ids).items():
            if times > 1:
                where = Place(about, id_) if about else Place.of(project, id_)
                what = words.get(about, about)
                yield Message("error", where, f"{id_} names more than one {what}.", "Rename all but one of them.")
    for cas, times in Counter(s.cas for s in project.species if s.cas).items():
        if times > 1:
            same = [s.id for s in project.species if s.cas == cas]
            yield Message("error", at_species(same[0]), f"{', '.join(same)} are the same species ({cas}).", "Remove one.")
