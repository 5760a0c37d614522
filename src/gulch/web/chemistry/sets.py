"""Reaction sets, what limits them, and what is counted on."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.chemistry.network import layers, limiting, relations
from gulch.engine.project.measures import OVERALL, counting, key_per_product
from gulch.engine.quantities import (
    format_number,
)
from gulch.web.chemistry.part import Part
from gulch.web.projects.words import set_reading, show_unit

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document.chemistry import SetEntry
    from gulch.engine.project.messages import Message


COLUMN, ROW, PILL = 104, 30, 84


@dataclass
class Network:
    """A drawn network of reactions."""

    nodes: list[Node]
    edges: Any
    width: Any
    height: int


@dataclass
class Preview:
    """What limits the reactions of a set in a stream, and which streams there are."""

    choices: list
    rows: list[Limiting]
    unit: str


@dataclass
class Measures:
    """What conversion, selectivity and yield are counted on."""

    key: list
    product: list
    on: bool
    ratio: str
    message: Message | None
    rows: list
    reading: str = ""
    per_reactor: list = field(default_factory=list)


@dataclass
class Node:
    """A species or reaction of the drawn network."""

    kind: str
    name: str
    short: Any
    x: Any
    y: float
    left: Any
    top: float
    points: str
    below: float


@dataclass
class SetCard:
    """A reaction set with its network and what limits its reactions."""

    id: str
    reading: str
    message: Message | None
    rows: list
    network: Network | None
    relations: list
    preview: Preview | None


@dataclass
class Limiting:
    """What limits one reaction in a stream."""

    reaction: str
    limiting: Any
    extent: str
    rest: str


@dataclass
class Edge:
    """An arrow of the drawn network."""

    path: str
    made: bool
    back: Any


@dataclass
class SetRow:
    """A reaction and the step it can stand in."""

    reaction: str
    steps: list


class Sets(Part):
    """Reaction sets, what limits them, and what is counted on."""

    def sets(self) -> Iterator[SetCard]:
        for s in self.document.reaction_sets:
            place = {r: i for i, step in enumerate(s.steps, 1) for r in step}
            top = len(s.steps) + 1
            chosen = {
                r: {self.names[i]: float(v) for i, v in self.resolved[r].coefficients.items()}
                for step in s.steps
                for r in step
                if r in self.resolved
            }
            yield SetCard(
                id=s.id,
                reading=set_reading(self.page.space.document, s.id),
                message=self.page.space.errors.get(f"{s.id}.steps"),
                rows=[
                    SetRow(
                        reaction=r.id,
                        steps=[
                            (0, "not used", place.get(r.id, 0) == 0),
                            *((i, f"step {i}", place.get(r.id) == i) for i in range(1, top + 1)),
                        ],
                    )
                    for r in self.document.reactions
                ],
                network=drawing(chosen) if chosen else None,
                relations=relations(chosen),
                preview=self.preview(s, chosen),
            )

    def preview(self, entry: SetEntry, chosen: dict[str, dict[str, float]]) -> Preview | None:
        """Limiting species of each reaction in a stream: the one chosen, else the first inlet of a reactor of the set."""
        solved = self.page.space.solution.streams if self.page.space.solution else {}
        users = [u.id for u in self.document.units if getattr(u, "set", None) == entry.id]
        inlets = [s.id for s in self.document.streams if s.enters in users]
        feeds = [s.id for s in self.document.streams if s.is_feed]
        choices = [i for i in dict.fromkeys([*inlets, *feeds, *(s.id for s in self.document.streams)]) if i in solved]
        if not choices:
            return None
        stream = entry.preview if entry.preview in choices else choices[0]
        rows = []
        for id_, nu in chosen.items():
            first, extent, excess = limiting(nu, solved[stream].flow)
            rest = ", ".join(f"{s} {self.show(v, 'fraction', 3)} in excess" for s, v in excess.items() if v is not None)
            rows.append(
                Limiting(
                    reaction=id_,
                    limiting=first,
                    extent=self.show(extent, "molar flow", unit=False),
                    rest=rest if extent > 0.0 else f"{first} is absent",
                )
            )
        return Preview(
            choices=[(c, c == stream) for c in choices],
            rows=rows,
            unit=show_unit("molar flow", self.display),
        )

    def measures(self) -> Measures | None:
        m = self.document.measures
        if len(self.names) < 2:
            return None
        out = Measures(
            key=[(s.id, s.shown, bool(m) and m.key == s.id) for s in self.document.species],
            product=[(s.id, s.shown, bool(m) and m.product == s.id) for s in self.document.species],
            on=m is not None,
            ratio=(m.ratio or "") if m else "",
            message=self.page.space.errors.get("measures"),
            rows=[],
        )
        if m and not out.message:
            ratio, whence = key_per_product(self.document)
            out.reading = f"A is {m.key}, P is {m.product}; one mole of P takes r = {format_number(ratio, 3)} of A ({whence})."
            overall = self.page.space.solution.overall if self.page.space.solution else {}
            for name, (label, formula) in OVERALL.items():
                value = overall.get(name)
                out.rows.append(self.page.space.accounts.result_row(f"overall.{name}", label, self.show(value, "fraction"), formula))
            out.per_reactor = list(counting().values())
        return out


def drawing(reactions: dict[str, dict[str, float]]) -> Network:
    """The network as shapes for an SVG: species pills, reaction marks, and arrows between them."""
    species, order = layers(reactions)
    columns = {}
    for s, at in species.items():
        columns.setdefault(at, []).append(("species", s))
    for r, at in order.items():
        columns.setdefault(at, []).append(("reaction", r))
    tallest = max(len(c) for c in columns.values())
    height = tallest * ROW + 16
    places = {}
    for at, column in columns.items():
        for k, node in enumerate(column):
            places[node] = (14 + PILL / 2 + at * COLUMN, height / 2 + (k - (len(column) - 1) / 2) * ROW)
    nodes = [
        Node(
            kind=kind,
            name=name,
            short=name if len(name) <= (13 if kind == "species" else 18) else name[:12] + "…",
            x=x,
            y=y,
            left=x - PILL / 2,
            top=y - 11,
            points=f"{x - 9},{y} {x},{y - 9} {x + 9},{y} {x},{y + 9}",
            below=y + 20,
        )
        for (kind, name), (x, y) in places.items()
    ]
    edges = []
    for r, nu in reactions.items():
        rx, ry = places["reaction", r]
        for s, v in nu.items():
            sx, sy = places["species", s]
            if v < 0.0:
                x0, y0, x1, y1 = sx + PILL / 2, sy, rx - 9, ry
            else:
                x0, y0, x1, y1 = rx + 9, ry, sx - PILL / 2, sy
            back = x1 < x0
            if back:  # made again where it was fed: round below
                dip = height - 4
                path = f"M{x0} {y0} C{x0 + 40} {dip} {x1 - 40} {dip} {x1} {y1}"
            else:
                middle = (x0 + x1) / 2
                path = f"M{x0} {y0} C{middle} {y0} {middle} {y1} {x1} {y1}"
            edges.append(Edge(path=path, made=v > 0.0, back=back))
    width = max(x for x, _ in places.values()) + PILL / 2 + 14
    return Network(nodes=nodes, edges=edges, width=round(width), height=round(height))
