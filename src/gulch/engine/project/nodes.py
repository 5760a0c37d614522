"""Nodes of the process: what is computed one after another, and what depends on what."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import Any

from gulch.engine.project.places import About, Place


class NodeKind(Enum):
    """What a node stands for."""

    FEED = "feed"
    UNIT = "unit"
    TIE = "tie"
    TARGET = "target"
    OVERALL = "overall"  # results of the whole process


@dataclass(frozen=True)
class Node:
    """A place in the order of calculation. name: id of a feed, unit or target; the address that a tie sets."""

    kind: NodeKind
    name: str

    def __str__(self) -> str:
        """Text to sort by, so that an order never hangs on chance."""
        return self.name if self.kind in (NodeKind.FEED, NodeKind.UNIT) else f"{self.kind.value}:{self.name}"

    @property
    def place(self) -> Place:
        """The Place at which messages about it stand."""
        return Place(_ABOUT[self.kind], self.name)


_ABOUT = {
    NodeKind.FEED: About.STREAM,
    NodeKind.UNIT: About.UNIT,
    NodeKind.TIE: About.TIE,
    NodeKind.TARGET: About.TARGET,
    NodeKind.OVERALL: About.PROCESS,
}
OVERALL_NODE = Node(NodeKind.OVERALL, "overall")


def feed_node(stream_id: str) -> Node:
    """The Node of a feed."""
    return Node(NodeKind.FEED, stream_id)


def unit_node(unit_id: Any) -> Node:
    """The Node of a unit."""
    return Node(NodeKind.UNIT, unit_id)


def tie_node(address: str) -> Node:
    """The Node of the tie that sets an address."""
    return Node(NodeKind.TIE, address)


def target_node(target_id: str) -> Node:
    """The Node of a target."""
    return Node(NodeKind.TARGET, target_id)
