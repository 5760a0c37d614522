"""A feed given by another basis: the same amounts, and whatever turned one of them turns it still."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from gulch.engine.document import KnobEntry, Project, StreamEntry
from gulch.engine.project.feeds import FEED_BASES, feed_amounts, fraction_of, measured_otherwise, total_dimension
from gulch.engine.project.inputs import address_of, feed_addresses, twins
from gulch.engine.project.typed import typed
from gulch.engine.quantities import QuantityError, difference_of, parse
from gulch.engine.quantities import write as write_quantity
from gulch.engine.species import SpeciesError, lookup

DIGITS = 10  # of amounts that are written in another basis: as many as stay the same on the way


@dataclass(frozen=True)
class Given:
    """A feed as typed, in SI: its numbers by the tails of their addresses, and what a basis wants besides."""

    species: list[str]
    masses: np.ndarray  # [kg/mol], shape (n,)
    basis: str
    values: dict[str, float]
    dimensions: dict[str, str]
    besides: dict[str, Any]

    @classmethod
    def of(cls, project: Project, stream: StreamEntry) -> Given | None:
        """A feed's; None where something of it cannot be read."""
        head, given = f"{stream.id}.", stream.given
        if given is None:
            return None
        try:
            masses = np.array([lookup(*s.key).molar_mass.value for s in project.species])
            typed = {a.address[len(head) :]: a for a in feed_addresses(project, stream)}
            values = {tail: parse(a.text, a.dimension) for tail, a in typed.items() if a.text}
            besides = {"to_species": given.to_species}
            if given.total:
                besides["total_dimension"] = total_dimension(given.total)
        except (QuantityError, SpeciesError):
            return None
        return cls([s.id for s in project.species], masses, given.basis, values, {t: a.dimension for t, a in typed.items()}, besides)

    def amounts(self, turned: dict[str, float] | None = None) -> np.ndarray | None:
        """Molar flows [mol/s], shape (n,), with some numbers turned; None where there are none."""
        turned = turned or {}
        kept = [i for tail in turned if (i := fraction_of(self.basis, tail))]
        try:
            with np.errstate(all="ignore"):
                n = feed_amounts(self.besides | {"kept": kept}, self.basis, self.values | turned, self.species, self.masses)
        except KeyError:
            return None
        return n if np.isfinite(n).all() and n.sum() > 0.0 and n.min() >= 0.0 else None


def amounts_of(project: Project, stream: StreamEntry) -> tuple | None:
    """Molar flows [mol/s] of a feed as typed, shape (n,), and molar masses [kg/mol]; None where they cannot be read."""
    found = Given.of(project, stream)
    n = found.amounts() if found else None
    return None if found is None or n is None else (n, found.masses)


def give_in(project: Project, stream: StreamEntry, basis: str) -> list[KnobEntry]:
    """Give a feed by another basis, with the same amounts where they can be read; its knobs go on turning what they turned.

    Returns the knobs whose number the new basis does not have.
    """
    own = {a.address for a in feed_addresses(project, stream)}
    for knob in project.knobs:
        head, key, *_ = knob.input.split(".")
        if head == stream.id and knob.input not in own and key != FEED_BASES[basis][0]:
            turn_otherwise(project, knob)
    given, before = stream.given, Given.of(project, stream)
    assert given is not None
    n = before.amounts() if before else None
    ids = [s.id for s in project.species]
    given.basis = basis  # type: ignore[assignment]  # pydantic looks at it
    if basis == "mole-ratios":
        place = ids.index(given.to_species) if given.to_species in ids else None
        if place is None or n is not None and n[place] <= 0.0:
            given.to_species = _most_at_rest(project, stream.id, ids, n)
    if before is None or n is None:
        return []
    now = _written(basis, ids.index(given.to_species or "") if basis == "mole-ratios" else None, before.masses)

    def text(tail: str, value: Any) -> str:
        return write_quantity(float(value), now.dimension(tail), project.display, DIGITS)

    if basis not in ("molar", "mass"):
        given.total = text("total", now.total(n))
    numbers = now.numbers(n)
    setattr(given, now.key, {i: text(now.key, v) for i, v in zip(ids, numbers, strict=True) if v > 0.0})
    return _carry_knobs(project, stream.id, before, now, text)


def _most_at_rest(project: Project, stream_id: str, ids: list[str], n: np.ndarray | None) -> str | None:
    """The species that there is most of, one that no knob turns where there is such; None without species."""
    if n is None:
        return ids[0] if ids else None
    turned = {k.input.rpartition(".")[2] for k in project.knobs if k.input.startswith(f"{stream_id}.")}
    there = [i for i, v in zip(ids, n, strict=True) if v > 0.0]
    return max([i for i in there if i not in turned] or there, key=lambda i: n[ids.index(i)])


@dataclass(frozen=True)
class _Written:
    """How amounts are written in a basis."""

    basis: str
    key: str
    to: int | None  # place of the species that ratios are counted on
    masses: np.ndarray

    def numbers(self, n: np.ndarray) -> np.ndarray:
        """Numbers of all species, SI; those of `to` are 0."""
        if self.key in ("flow", "fraction"):
            return n if self.key == "flow" else n / n.sum()
        if self.key in ("mass_flow", "mass_fraction"):
            m = n * self.masses
            return m if self.key == "mass_flow" else m / m.sum()
        return np.where(np.arange(n.size) == self.to, 0.0, n / n[self.to])

    def total(self, n: np.ndarray) -> float | None:
        """The number that stands at `total`, SI; None in bases that have none."""
        if self.to is not None:
            return n[self.to]
        if self.key in ("flow", "mass_flow"):
            return None
        return (n * self.masses).sum() if self.key == "mass_fraction" else n.sum()

    def dimension(self, tail: str) -> str:
        """Of the numbers under a tail."""
        if tail == "total":
            return "mass flow" if self.key == "mass_fraction" else "molar flow"
        return FEED_BASES[self.basis][1]


def _written(basis: str, to: int | None, masses: np.ndarray) -> _Written:
    return _Written(basis, FEED_BASES[basis][0], to, masses)


def _carry_knobs(project: Project, stream_id: str, before: Given, now: _Written, text: Callable) -> list[KnobEntry]:
    """Let knobs on a feed's amounts turn the same ones in the new basis, with their ranges and those of scans and searches over them.

    Returns those that cannot.
    """
    lost = []
    for knob in project.knobs:
        tail = knob.input.removeprefix(f"{stream_id}.")
        if tail == knob.input or tail not in before.dimensions or tail in ("temperature", "pressure"):
            continue
        found = _turned(before, now, tail)
        if found is None:
            lost.append(knob)
            continue
        after, read = found

        def carried(typed: str, tail: Any = tail, after: Any = after, read: Any = read) -> str:
            try:
                n = before.amounts({tail: parse(typed, before.dimensions[tail])})
            except QuantityError:
                return typed
            return typed if n is None or not np.isfinite(value := read(n)) else text(after.partition(".")[0], value)

        _carry_knob(project, knob, f"{stream_id}.{after}", before.dimensions[tail], carried)
    return lost


def _carry_knob(project: Project, knob: KnobEntry, address: str, dimension: str, carried: Callable) -> None:
    """Let a knob turn another address, with its ranges and those of what is asked over it. dimension: of its texts until now."""
    for entry in _asked_of(project, knob.id):
        _carry_range(entry, knob, dimension, carried)
    for scan in project.scans:
        for place in [k for k, sweep in enumerate(scan.over) if sweep.knob == knob.id]:
            for row in scan.listed:
                row[place] = carried(row[place])
    knob.input = address
    knob.low, knob.high = carried(knob.low), carried(knob.high)


def other_of(project: Project, address: str) -> tuple[str, float] | None:
    """(Address of a feed's flow in its other measure, how much of that 1 of this is in SI), or None where an input has none."""
    return twins(project, (address,)).get(address)


def turn_otherwise(project: Project, knob: KnobEntry) -> None:
    """Let a knob on a feed's flow turn it in the other of moles and mass, with its ranges and those of what is asked over it."""
    found, other = address_of(project, knob.input), other_of(project, knob.input)
    if found is None or other is None:
        return
    dimension, factor = "molar flow" if found.dimension == "mass flow" else "mass flow", other[1]

    def carried(text: str) -> str:
        try:
            return write_quantity(parse(text, found.dimension) * factor, dimension, project.display, 6)
        except QuantityError:
            return text

    _carry_knob(project, knob, other[0], found.dimension, carried)


def ends_of_range(project: Project, knob: KnobEntry, ends: dict[str, str], place: str) -> dict[str, str]:
    """The document texts of what was typed for the ends of a range of a knob, {end: text}.

    With one in kg/h a flow of moles is turned in mass from now on. place: where they stand, with {end} for their names.
    """
    found, other = address_of(project, knob.input), other_of(project, knob.input)
    if found is None:
        return ends
    if other and any(measure_of(t, found.dimension) != found.dimension for t in ends.values() if t):
        turn_otherwise(project, knob)
        found = address_of(project, knob.input) or found
    return {
        end: in_basis(project, knob.input, typed(project, place.format(end=end), text, found.dimension), found.dimension) if text else text
        for end, text in ends.items()
    }


def measure_of(text: str, dimension: str) -> str:
    """A dimension of flow, or the other of moles and mass where a text is in units of that."""
    other = {"molar flow": "mass flow", "mass flow": "molar flow"}.get(dimension, dimension)
    for each in (dimension, other):
        with contextlib.suppress(QuantityError):
            parse(text, each)
            return each
    return dimension


def _turned(before: Given, now: _Written, tail: str) -> tuple[str, Callable] | None:
    """(Tail in the new basis of what a tail turns, how it is read from molar flows); None where the new basis has no such number.

    A species turned keeps its share at each end; where the new basis keeps the flows of the others, so does what is read.
    """
    at_rest, has_total = before.amounts(), now.key not in ("flow", "mass_flow")
    there = [] if at_rest is None else np.flatnonzero(at_rest).tolist()
    alone = there[0] if len(there) == 1 else None  # of one species alone, its flow is the total
    if tail == "total":
        if has_total:
            return "total", now.total
        return None if alone is None else (f"{now.key}.{before.species[alone]}", lambda n: now.numbers(n)[alone])
    place = before.species.index(tail.partition(".")[2])
    if place == alone and before.basis not in ("molar", "mass"):
        return None  # a share of what is alone cannot be turned
    if place == alone and has_total:
        return "total", now.total
    if place == now.to:
        return None  # the flow on which ratios are counted moves all

    def read(n: np.ndarray) -> float:
        others = n.sum() - n[place]
        if at_rest is not None and now.total(n) is None and others > 0.0:
            n = n * ((at_rest.sum() - at_rest[place]) / others)
        return now.numbers(n)[place]

    return f"{now.key}.{before.species[place]}", read


def _asked_of(project: Project, knob: str) -> Iterator:
    """What scans and searches say of a knob."""
    yield from (entry for scan in project.scans for entry in scan.over if entry.knob == knob)
    yield from (entry for search in project.searches for entry in search.over if entry.knob == knob)


def _carry_range(entry: Any, knob: Any, dimension: str, carried: Callable) -> None:
    """The range of a scan or search in the new basis; a step becomes the number of points that it made."""
    if getattr(entry, "step", None):
        with contextlib.suppress(QuantityError):
            low, high = (parse(t, dimension) for t in (entry.low or knob.low, entry.high or knob.high))
            entry.points = max(2, min(500, math.ceil((high - low) / parse(entry.step, difference_of(dimension)) * (1.0 - 1e-12)) + 1))
        entry.step = None
    entry.low, entry.high = (carried(t) if t else t for t in (entry.low, entry.high))


def in_basis(project: Project, address: str, text: str, dimension: str) -> str:
    """A feed's flow typed in units of the other basis (kg/h where moles are given), converted by the molar mass."""
    species = next((s for s in project.species if s.id == address.rpartition(".")[2]), None)
    typed_in = measure_of(text, dimension)
    if typed_in == dimension or species is None or address.count(".") != 2:
        return text
    return measured_otherwise(text, typed_in, dimension, species, project.display, 12) or text
