"""Curves inside a unit: what runs along a length, a volume, a mass or a time, or hangs on a temperature.

A kind declares each once: over which way, in which groups, which series of what dimension. Its `solve` gives the numbers under the same
name, as plain lists; page, report and file are made from the declaration.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from gulch.engine.declared.declarations import Computed


@dataclass(frozen=True)
class Way:
    """What a curve runs over: its key among the numbers, its words and its dimension."""

    key: str
    label: str
    dimension: str


@dataclass(frozen=True)
class Series:
    """Numbers along the way, one list or one for each species or reaction (`per`).

    label: its words, in which {key} is the species that the curves count on; axis: words on its axis, if others; changing: only what
    changes is drawn; kinds: {what the entry `by` of the numbers says of an item: its dimension}, where items have their own.
    """

    key: str
    label: str
    dimension: str
    per: str | None = None
    axis: str = ""
    changing: bool = False
    by: str = ""
    kinds: dict[str, str] = field(default_factory=dict)

    def items(self, numbers: dict[str, Any]) -> Iterator[tuple[str, list, str]]:
        """(item or "", values, dimension) of what there is of it among the numbers of a curve."""
        values = numbers.get(self.key)
        if values and self.per is None:
            yield "", values, self.dimension
        elif values:
            for item, v in values.items():
                yield item, v, self.kinds.get(numbers[self.by][item], self.dimension) if self.by else self.dimension

    def drawn(self, numbers: dict[str, Any]) -> Iterator[tuple[str, list, str]]:
        """Those of `items` that are drawn."""
        found = list(self.items(numbers))
        if not self.changing:
            return iter(found)
        still = STILL * sum(v[0] for _, v, _ in found)
        return (x for x in found if max(x[1]) - min(x[1]) > still)


@dataclass(frozen=True)
class Group:
    """Series that are looked at together; over: key of the way of their own, where it is not that of the others."""

    id: str
    label: str
    series: tuple[Series, ...]
    over: str = ""


@dataclass(eq=False)
class Profile(Computed):
    """Curves over one way: the first of `ways` that the numbers have. title: words in which {unit} is the unit's id."""

    title: str
    ways: tuple[Way, ...]
    groups: tuple[Group, ...]
    meaning: str = ""

    def way(self, numbers: dict[str, Any]) -> Way:
        """The way that the numbers run over. Raises LookupError where they name none."""
        found = next(self.given(numbers), None)
        if found is None:
            raise LookupError(f"no way among the numbers of {self.name}")
        return found

    def given(self, numbers: dict[str, Any]) -> Iterator[Way]:
        """All ways that the numbers have, the one that is drawn first."""
        return (w for w in self.ways if numbers.get(w.key))

    def series(self, key: str) -> Series:
        """The series of a key. Raises LookupError for one that is not declared."""
        found = {s.key: s for g in self.groups for s in g.series}
        return found[key]


STILL = 1e-6  # of all that runs along at the beginning, by which something has to change to be drawn
