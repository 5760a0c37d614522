"""What a source of parameters of pairs is, and how sources are asked.

A source is a record in one of the tuples of this package. It says its name, where it was published, over which temperatures it holds, and
gives the parameters of a pair or None. The first that gives any is taken; a model's `origins` keep which it was.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import numpy as np

    from gulch.engine.fluids.mixture import Mixture
    from gulch.engine.species.records import Species


@dataclass(frozen=True)
class Pair:
    """Two species of a model of a kind, at their positions; typed: what the user typed of pairs, by positions."""

    kind: str
    first: Species
    second: Species
    at: tuple[int, int] = (0, 1)
    typed: Mapping = field(default_factory=dict)

    @property
    def cas(self) -> frozenset[str]:
        """CAS numbers of both."""
        return frozenset((self.first.cas, self.second.cas))


@dataclass(frozen=True)
class Dissolving(Pair):
    """A gas and its solvent; row: the gas's own, shape (1, N_COLUMNS)."""

    row: np.ndarray = field(kw_only=True)


@dataclass(frozen=True)
class Liquids(Pair):
    """Two liquids of NRTL or Wilson; by_groups: the UNIFAC Mixture of all species."""

    by_groups: Mixture = field(kw_only=True)


@dataclass(frozen=True)
class Source:
    """name: as it is shown; published: paper or handbook; ask: the parameters of a Pair, or None; low, high: where they hold [K].

    unknown: it stands for knowing nothing of the pair; measured: it was measured or typed, whatever is known of groups.
    """

    name: str
    published: str
    ask: Callable[[Any], Any]
    low: float = 0.0
    high: float = math.inf
    unknown: bool = False
    measured: bool = False

    def __str__(self) -> str:
        return self.name


def asked(sources: tuple[Source, ...], pair: Pair) -> tuple[Any, Source]:
    """(parameters, the source that gave them). Raises LookupError where none does."""
    for source in sources:
        found = source.ask(pair)
        if found is not None:
            return found, source
    raise LookupError(f"no source knows {pair.first.name} with {pair.second.name}")
