"""Temperature over heat of one side of an exchanger, in smooth pieces that end wherever a phase comes or goes.

Where a side boils or condenses its temperature bends, and there the two sides come nearest to each other (Smith, Chemical Process Design
and Integration, 2nd ed., ch. 15); between, heat over temperature is smooth and a polynomial through few points follows it (Trefethen,
Approximation Theory and Approximation Practice, ch. 3 to 5: Chebyshev points).

Notation: T [K], heat [W], both of shape (m,).
"""

from __future__ import annotations

import itertools
from functools import cache
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

if TYPE_CHECKING:
    from gulch.engine.phases import Stream

LOOKS = 3  # temperatures at which the phases are looked at
PLAIN = ((False, 1), (True, 1), (True, 0))  # vapour or not, and how many liquids: phases between which dew and bubble points stand
HALVINGS = 44  # to a temperature at which a phase comes or goes
BESIDE = 1e-9  # share of T on either side of a kink at which its heat is taken
FEW, MOST = 4, 16  # intervals between the points of a piece, doubled from one to the other; then the piece is halved
ROUNDS = 12  # of doubling and halving
DRAWN = 128  # straight lines that a piece is drawn by
STEPS = np.linspace(0.0, 1.0, DRAWN + 1)


class Piece(NamedTuple):
    """A smooth piece from a to b [K], its heat drawn at DRAWN + 1 equal steps; unsure: how far T may be off [K]."""

    a: float
    b: float
    intervals: int
    drawn: np.ndarray
    unsure: float


class HeatCurve:
    """T over heat of a stream at a pressure P [Pa] from `low` to `high` [K].

    heat, T: points that straight lines join; unsure: how far they may be off [K].
    """

    heat: np.ndarray
    T: np.ndarray
    unsure: float

    def __init__(self, stream: Stream, P: float, low: float, high: float) -> None:
        self.stream, self.P, self.low, self.high = stream, P, low, high
        ends = np.unique(np.concatenate([[low], self._kinks(), [high]]))
        self._known: dict[float, float] = {}  # heat at temperatures
        self._ends = ends[1:-1].tolist()
        self._draw(self._made([(a, b, FEW) for a, b in itertools.pairwise(ends.tolist())]))

    def at(self, heat: np.ndarray) -> np.ndarray:
        """T at enthalpy flows; the ends beyond them."""
        return np.interp(heat, self.heat, self.T)

    def within(self, low: float, high: float) -> np.ndarray:
        """Enthalpy flows of the points between two."""
        return self.heat[(self.heat > low) & (self.heat < high)]

    @property
    def bends(self) -> np.ndarray:
        """Enthalpy flows at which phases come or go."""
        return np.array([self._known[t] for t in self._ends])

    def sharpen(self, enough: float) -> None:
        """Take more points, and shorter pieces, until the curve is off by no more than `enough` [K]."""
        for _ in range(ROUNDS):
            rough = [p for p in self._pieces if p.unsure > enough]
            if not rough:
                return
            wanted = []
            for p in rough:
                if p.intervals < MOST:
                    wanted.append((p.a, p.b, 2 * p.intervals))
                else:
                    middle = 0.5 * (p.a + p.b)
                    wanted += [(p.a, middle, FEW), (middle, p.b, FEW)]
            kept = [p for p in self._pieces if p.unsure <= enough]
            self._draw(sorted([*kept, *self._made(wanted)], key=lambda p: p.a))

    def _draw(self, pieces: list[Piece]) -> None:
        self._pieces, self.unsure = pieces, max(p.unsure for p in pieces)
        self.heat = np.maximum.accumulate(np.concatenate([p.drawn for p in pieces]))
        self.T = np.concatenate([p.a + (p.b - p.a) * (STEPS if p.drawn.size == STEPS.size else np.array([0.0, 1.0])) for p in pieces])

    def _made(self, wanted: list[tuple]) -> list[Piece]:
        """Pieces of (a, b, intervals); points of half as many intervals are among theirs."""
        nodes = [a + (b - a) * lobatto(n) if b - a > 4.0 * BESIDE * b else np.array([a, b]) for a, b, n in wanted]
        new = [t for t in dict.fromkeys(np.concatenate(nodes).tolist()) if t not in self._known]
        self._known.update(zip(new, self.stream.enthalpy_flows(np.array(new), self.P).tolist(), strict=True))
        out = []
        for (a, b, n), T in zip(wanted, nodes, strict=True):
            drawn, unsure = np.array([self._known[t] for t in T.tolist()]), 0.0
            if T.size > 2:
                rough, drawn = drawing(n // 2) @ drawn[::2], drawing(n) @ drawn
                rise = np.maximum(_slopes(drawn), 1e-9 * max(abs(drawn[-1] - drawn[0]), 1e-300))
                unsure = float((np.abs(drawn - rough) / rise).max()) * (b - a) / DRAWN
            out.append(Piece(a, b, n, drawn, unsure))
        return out

    def _phases(self, T: float) -> tuple:
        """Which phases there are at T: (vapour, number of liquids)."""
        names = [p[0] for p in self.stream.model.at_temperature(T, self.P, self.stream.n).phases]
        return "vapour" in names, names.count("liquid")

    def _kinks(self) -> list[float]:
        """Temperatures between the ends at which a phase comes or goes; on both sides of one at which everything boils at once."""
        T = np.linspace(self.low, self.high, LOOKS)
        seen = [self._phases(t) for t in T]
        if len(set(seen)) == 1:
            return []
        if all(p in PLAIN for p in seen):
            found = [self.stream.model.boundary(dew, self.P, self.stream.n, T[LOOKS // 2]) for dew in (False, True)]
            edges = sorted(f[0] for f in found if f is not None and self.low < f[0] < self.high)
            if len(edges) == 2 and edges[1] - edges[0] > 4.0 * BESIDE * edges[1]:
                return edges
            if len(edges) == 1 and (True, 1) in (seen[0], seen[-1]):
                return edges
        return self._searched(T, seen)

    def _searched(self, T: np.ndarray, seen: list[tuple]) -> list[float]:
        """`_kinks` by halving between looks at T that saw other phases."""
        out, before = [], seen[0]
        for a, b, after in zip(T[:-1], T[1:], seen[1:], strict=True):
            while before != after:
                a, before = self._change(a, before, b, after)
                out += [a * (1.0 - BESIDE), a * (1.0 + BESIDE)]
        return [t for t in out if self.low < t < self.high]

    def _change(self, a: float, before: tuple, b: float, after: tuple) -> tuple:
        """(the first temperature above a at which the phases are not those before, the phases there)."""
        low, high, there = a, b, after
        for guess in self._edges(before, a, b):
            for T in (guess * (1.0 - BESIDE), guess * (1.0 + BESIDE)):
                if low < T < high:
                    found = self._phases(T)
                    low, high, there = (T, high, there) if found == before else (low, T, found)
        for _ in range(HALVINGS):
            if high - low <= 4.0 * BESIDE * high:
                break
            middle = 0.5 * (low + high)
            found = self._phases(middle)
            low, high, there = (middle, high, there) if found == before else (low, middle, found)
        return high, there

    def _edges(self, before: tuple, a: float, b: float) -> list[float]:
        """A guess of where the phases change: the bubble point above a liquid, else the dew point."""
        found = self.stream.model.boundary(before[0], self.P, self.stream.n, 0.5 * (a + b))
        return [found[0]] if found is not None else []


def _slopes(y: np.ndarray) -> np.ndarray:
    """Central differences of y per step, one-sided at its ends, shape (m,)."""
    rises = y[1:] - y[:-1]
    out = np.empty(y.size)
    out[0], out[-1] = rises[0], rises[-1]
    out[1:-1] = 0.5 * (rises[1:] + rises[:-1])
    return out


@cache
def lobatto(intervals: int) -> np.ndarray:
    """Chebyshev points between 0 and 1, ends included, shape (intervals + 1,)."""
    return 0.5 - 0.5 * np.cos(np.pi * np.arange(intervals + 1) / intervals)


@cache
def drawing(intervals: int) -> np.ndarray:
    """What makes values at DRAWN + 1 equal steps of values at Chebyshev points, shape (DRAWN + 1, intervals + 1).

    Barycentric interpolation: Berrut & Trefethen, SIAM Review 46 (2004) 501.
    """
    nodes, at = lobatto(intervals), STEPS
    weights = (-1.0) ** np.arange(intervals + 1)
    weights[[0, -1]] *= 0.5
    away = at[:, None] - nodes
    hit = np.abs(away) < 1e-14
    rows = weights / np.where(hit, 1.0, away)
    rows = np.where(hit.any(axis=1, keepdims=True), hit.astype(float), rows)
    return rows / rows.sum(axis=1, keepdims=True)
