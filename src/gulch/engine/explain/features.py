"""What a project shows, in a few words."""

from __future__ import annotations

from typing import TYPE_CHECKING

import networkx as nx

from gulch.engine.document import source_of
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project

PARTING = ("decanter", "three-phase-separator")


def features(project: Project) -> list[str]:
    """What somebody would look into a project for: its reactors, its way round, what is asked of it.

    >>> from gulch.demo import projects
    >>> features(projects()[1])
    ['Gibbs reactor', 'scan', 'best']
    """
    kinds = {u.kind for u in project.units}
    found = [_lower(KINDS[k].label) for k in KINDS if k in kinds and KINDS[k].family == "reactors"]
    ways = nx.DiGraph((source_of(s)[0], s.enters) for s in project.streams if s.source and s.enters)
    loops = sum(len(part) > 1 for part in nx.strongly_connected_components(ways))
    words = {
        "recycle": bool(loops),
        "rate laws": any(r.rate is not None for r in project.reactions),
        "heat exchange": "exchanger" in kinds,
        "column": "shortcut-column" in kinds,
        "two liquids": any(k in kinds for k in PARTING),
        "target": bool(project.targets),
        "tie": bool(project.ties),
        "scan": bool(project.scans),
        "best": any(not s.against for s in project.searches),
        "trade-off": any(s.against for s in project.searches),
        "variants": bool(project.variants),
        "worth": project.prices is not None,
    }
    return found + [word for word, there in words.items() if there]


def _lower(label: str) -> str:
    """A label inside a sentence: names of people keep their capital."""
    return label if label.startswith("Gibbs") else label[:1].lower() + label[1:]
