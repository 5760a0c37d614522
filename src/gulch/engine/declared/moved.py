"""How a unit's outlets answer to what enters it and to its inputs, by differences: for kinds that know no better.

The step is that of `STEP` in every direction: what moves is moved by a ten-thousandth of its size to both sides. Directions are those
in which the inlets can move at all, so that a vapour that leaves a drum stays at its dew point.

Notation: k directions of change; rows: all amounts, pressures, temperatures or enthalpies of the inlets, one after another.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from gulch.engine.declared.base import Context, Given, UnitResult
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.phases.stream import Stream, StreamTrouble
from gulch.engine.phases.tangent import Tangent

if TYPE_CHECKING:
    from collections.abc import Callable

STEP = 1e-4  # of the size of what is moved
LEAST = 1e-3  # of a stream's moles, the size of an amount at least
RANK = 1e-9  # of the largest singular value, below which a direction is none


class Turned(NamedTuple):
    """An input above and below where it stands, as (what `solve` is given, its Context) each; how far apart; its changes, (k,)."""

    above: tuple[Given, Context]
    below: tuple[Given, Context]
    apart: float
    row: np.ndarray


@dataclass(frozen=True)
class Moved:
    """What enters a unit and how it changes.

    inlets, moved: Streams and their Tangents in the order of the unit's streams; feed: makes of such Streams what `solve` takes;
    given, context, result: of the solve that stands. turned: inputs that change. rough: differences to one side do.
    """

    inlets: list[Stream]
    moved: list[Tangent]
    feed: Callable
    given: Given
    context: Context
    result: UnitResult
    turned: list[Turned]
    rough: bool = False

    @property
    def k(self) -> int:
        return self.moved[0].k

    @property
    def only(self) -> Tangent:
        """The Tangent of the only inlet."""
        return self.moved[0]

    def differenced(self, kind: Any) -> dict[str, Tangent]:
        """Changes of the outlets by port with all that enters, from solves of the unit beside where it stands."""
        return _differenced(kind, self)


def tangents(kind: Any, at: Moved) -> dict[str, Tangent]:
    """Changes of the outlets by port: as the kind knows them of its inlets, by differences of its inputs."""
    out = kind.tangents(at) if any(not t.is_still for t in at.moved) else {p: Tangent.still(s, at.k) for p, s in at.result.outlets.items()}
    for turned in at.turned:
        by_input = _of_input(kind, at, turned)
        out = {p: t + _times(by_input[p], turned.row) for p, t in out.items()}
    return out


def _times(t: Tangent, row: np.ndarray) -> Tangent:
    """Changes in k directions of those along one."""
    by_T, given = t.given
    held = given[0] * row
    return Tangent(t.stream, np.outer(t.n[:, 0], row), t.P[0] * row, held if by_T else None, None if by_T else held)


def _of_input(kind: Any, at: Moved, turned: Turned) -> dict[str, Tangent]:
    """Changes of the outlets, k = 1, with one input; to one side where the other has none."""
    sides = []
    for sign, (given, context) in ((0.5, turned.above), (-0.5, turned.below)):
        there = _solved(kind, at, at.inlets, given, replace(context, memory=at.context.memory, lasting=at.context.lasting))
        if there is not None:
            sides.append((sign * turned.apart, there))
    return _of_sides(at, sides)


def _solved(kind: Any, at: Moved, inlets: list[Stream], given: Given, context: Context) -> UnitResult | None:
    """The unit solved beside where it stands; None where it cannot be."""
    given = Given(**vars(given))
    context = replace(context, memory=dict(context.memory), lasting=dict(context.lasting))
    try:
        feed = at.feed(inlets)
        kind.adopt(feed.get(kind.inlets[0].name, inlets[0]) if isinstance(feed, dict) else inlets[0], given)
        return kind.solve(feed, given, context)
    except (UnitTrouble, StreamTrouble, ValueError, ArithmeticError):
        return None


def _of_sides(at: Moved, sides: list[tuple[float, UnitResult]]) -> dict[str, Tangent]:
    """Changes of the outlets, k = 1, from results at one or two steps. Raises UnitTrouble where there is none."""
    if not sides:
        raise UnitTrouble("How it answers to what enters it cannot be computed.", "Change an input a little.")
    if len(sides) < 2:
        sides = [*sides, (0.0, at.result)]
    return _between(at.result, *sides[0], *sides[1])


def _between(here: UnitResult, a: float, one: UnitResult, b: float, other: UnitResult) -> dict[str, Tangent]:
    """Changes of the outlets, k = 1, from two results at steps a and b."""
    out = {}
    for port, stream in here.outlets.items():
        s, r = one.outlets[port], other.outlets[port]
        by_T = stream.is_at_temperature
        held = (s.T - r.T if by_T else s.enthalpy_flow - r.enthalpy_flow) / (a - b)
        both = np.array([held])
        n, P = ((s.n - r.n) / (a - b))[:, None], np.array([(s.P - r.P) / (a - b)])
        out[port] = Tangent(stream, n, P, both if by_T else None, None if by_T else both)
    return out


class _Rows(NamedTuple):
    """What of the inlets may move: (inlet, species or "P" or "held") each, with its size, and its changes, (rows, k)."""

    what: list[tuple[int, Any]]
    sizes: np.ndarray
    changes: np.ndarray


def _rows(at: Moved) -> _Rows:
    what: list[tuple[int, Any]] = []
    sizes, changes = [], []
    for i, (stream, t) in enumerate(zip(at.inlets, at.moved, strict=True)):
        by_T, held = t.given
        total = stream.total if stream.total > 0.0 else 1.0
        for j in np.flatnonzero(t.n.any(axis=1)):
            what.append((i, int(j)))
            sizes.append(max(stream.n[j], LEAST * total))
            changes.append(t.n[j])
        for name, row, size in (("P", t.P, stream.P), ("held", held, stream.T if by_T else total * 8.314 * stream.T)):
            if row.any():
                what.append((i, name))
                sizes.append(size)
                changes.append(row)
    return _Rows(what, np.array(sizes), np.array(changes).reshape(len(what), at.k))


def _differenced(kind: Any, at: Moved) -> dict[str, Tangent]:
    rows = _rows(at)
    scaled = rows.changes / rows.sizes[:, None]
    thin = np.array(
        [isinstance(j, int) and at.inlets[i].n[j] < 2.0 * STEP * size for (i, j), size in zip(rows.what, rows.sizes, strict=True)]
    )
    parts: list[tuple[dict[str, Tangent], np.ndarray]] = []
    for r in np.flatnonzero(thin):
        parts.append((_forward(kind, at, rows, int(r)), scaled[r]))
    if not thin.all():
        U, S, V = np.linalg.svd(scaled[~thin], full_matrices=False)
        for c in np.flatnonzero(RANK * S[0] < S):
            direction = np.zeros(len(rows.what))
            direction[~thin] = U[:, c]
            parts.append((_central(kind, at, rows, direction), S[c] * V[c]))
    out = {p: Tangent.still(s, at.k) for p, s in at.result.outlets.items()}
    for changes, row in parts:
        out = {p: t + _times(changes[p], row) for p, t in out.items()}
    return out


def _central(kind: Any, at: Moved, rows: _Rows, direction: np.ndarray) -> dict[str, Tangent]:
    """Changes along a scaled direction, both sides where both can be solved."""
    step = STEP / float(np.abs(direction).max())
    sides = []
    for sign in (1.0, -1.0):
        if at.rough and sides:
            break
        there = _solved(kind, at, _shifted(at, rows, sign * step * direction), at.given, at.context)
        if there is not None:
            sides.append((sign * step, there))
    return _of_sides(at, sides)


def _forward(kind: Any, at: Moved, rows: _Rows, r: int) -> dict[str, Tangent]:
    """Changes with an amount of which there is next to nothing."""
    direction = np.zeros(len(rows.what))
    direction[r] = STEP
    there = _solved(kind, at, _shifted(at, rows, direction), at.given, at.context)
    return _of_sides(at, [] if there is None else [(STEP, there)])


def _shifted(at: Moved, rows: _Rows, direction: np.ndarray) -> list[Stream]:
    """The inlets moved along a scaled direction; an amount does not go below nothing."""
    n = [s.n.copy() for s in at.inlets]
    more = [{"P": 0.0, "held": 0.0} for _ in at.inlets]
    for (i, j), amount in zip(rows.what, direction * rows.sizes, strict=True):
        if isinstance(j, int):
            n[i][j] = max(n[i][j] + amount, 0.0)
        else:
            more[i][j] += amount
    out = []
    for stream, amounts, m in zip(at.inlets, n, more, strict=True):
        P = stream.P + m["P"]
        if stream.is_at_temperature:
            out.append(Stream.at_temperature(stream.model, amounts, stream.T + m["held"], P))
        else:
            out.append(Stream.at_enthalpy(stream.model, amounts, stream.enthalpy_flow + m["held"], P, stream.guess))
    return out
