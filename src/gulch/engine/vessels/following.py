"""Contents followed along time or volume, as Python has them: pieces of a way joined, and states at any place of it.

Notation: as in `kernels.contents`; k: number of places, n: of species, m: of reactions.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.vessels import contents as c
from gulch.engine.vessels.march import AT_END, Watched, marched
from gulch.engine.vessels.radau import C1, C2

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.vessels.contents import Contents

TOLERANCE = 1e-6  # of the error estimate, in parts of all amounts; what it reaches is some hundred times nearer
MOST_STEPS = 2000  # of one piece
FOR_EVER = 1e30
UNWATCHED = Watched(2.0, 0, 1.0, 0.0, 1.0, 1e4, 0.0, FOR_EVER)
BARE = c.Contents(0, 0, c.ADIABATIC, c.LEVEL, 0.0, np.empty(0), np.empty(0), 0.0, np.zeros(c.NUMBERS), np.empty(0))


@dataclass
class Piece:
    """A way along which nothing jumps. places: of the steps' ends, shape (k + 1,); rows: y there; inside: stages, shape (k, 3, N)."""

    what: Contents
    places: np.ndarray
    rows: np.ndarray
    inside: np.ndarray
    ended: int

    def at(self, places: np.ndarray) -> np.ndarray:
        """Rows of y at places between begin and end, shape (k, N): by the polynomial of each step's stages."""
        if len(self.places) == 1:
            return np.repeat(self.rows, len(places), axis=0)
        step = np.clip(np.searchsorted(self.places, places, side="right") - 1, 0, len(self.inside) - 1)
        w = (places - self.places[step]) / np.diff(self.places)[step]
        by = (
            w * (w - C2) * (w - 1.0) / (C1 * (C1 - C2) * (C1 - 1.0)),
            w * (w - C1) * (w - 1.0) / (C2 * (C2 - C1) * (C2 - 1.0)),
            w * (w - C1) * (w - C2) / ((1.0 - C1) * (1.0 - C2)),
        )
        return self.rows[step] + sum(b[:, None] * self.inside[step, a] for a, b in enumerate(by))


@dataclass
class Followed:
    """Pieces one after another, by laws that count on `per`."""

    model: PhaseModel
    laws: Rates
    per: np.ndarray
    pieces: list[Piece] = field(default_factory=list)
    tolerance: float = TOLERANCE

    def go_on(self, what: Contents, watched: Watched, whole: float, y: np.ndarray) -> int:
        """Follow a further piece from y, shape (m + 4,), over `whole` of s and keep it. Returns how it ended (see `kernels.march`)."""
        N = y.size
        places, rows, inside = np.empty(MOST_STEPS), np.empty((MOST_STEPS, N)), np.empty((MOST_STEPS, 3, N))
        end = np.array(y, float)
        ended, k = marched(what, watched, whole, end, self.laws, self.per, self.tolerance, places, rows, inside, *self.model.mix)
        self._inside(what, whole if ended == AT_END else places[k] - what.begin, rows[k])
        self.pieces.append(Piece(what, places[: k + 1].copy(), rows[: k + 1].copy(), inside[:k].copy(), ended))
        return ended

    def _inside(self, what: Contents, passed: float, y: np.ndarray) -> None:
        """Take back from the extents in y, shape (m + 4,), what they miss zero by where a species is used up: balances close then."""
        m, fed = len(self.per), what.n0 + passed * what.put_in
        for _ in range(3):
            n = fed + y[:m] @ self.laws.nu
            worst = int(np.argmin(n))
            if not -1e-6 * fed.sum() < n[worst] < 0.0:
                return
            by = self.laws.nu[:, worst]
            y[:m] -= n[worst] * by / (by @ by)

    @property
    def end(self) -> np.ndarray:
        """y where it ends, shape (m + 4,)."""
        return self.pieces[-1].rows[-1]

    @property
    def place(self) -> float:
        """s where it ends."""
        return float(self.pieces[-1].places[-1])

    def amounts(self, piece: Piece, places: np.ndarray, rows: np.ndarray) -> np.ndarray:
        """Amounts [mol or mol/s] at places of a piece, none below zero, shape (k, n)."""
        m, what = len(self.per), piece.what
        n = what.n0 + np.outer(places - what.begin, what.put_in) + rows[:, :m] @ self.laws.nu
        return np.maximum(n, 0.0)

    def leaving(self) -> np.ndarray:
        """Amounts at the end, shape (n,)."""
        piece = self.pieces[-1]
        return self.amounts(piece, piece.places[-1:], piece.rows[-1:])[0]

    def along(self, points: int) -> Along:
        """States at the steps' ends and at `points` even places, those where pieces meet twice."""
        even = np.linspace(self.pieces[0].places[0], self.place, points)
        parts = []
        for piece in self.pieces:
            a, b = piece.places[0], piece.places[-1]
            places = np.unique(np.r_[piece.places, even[(even > a) & (even < b)]])
            rows = piece.at(places)
            parts.append((piece, places, rows))
        return Along(self, parts)


@dataclass
class Along:
    """States along a Followed. parts: (Piece, places, rows of y)."""

    way: Followed
    parts: list[tuple[Piece, np.ndarray, np.ndarray]]

    @cached_property
    def grid(self) -> np.ndarray:
        """Places s, shape (k,)."""
        return np.concatenate([places for _, places, _ in self.parts])

    @cached_property
    def y(self) -> np.ndarray:
        """Rows of y, shape (k, m + 4)."""
        return np.concatenate([rows for _, _, rows in self.parts])

    @cached_property
    def n(self) -> np.ndarray:
        """Amounts [mol or mol/s], shape (k, n)."""
        return np.concatenate([self.way.amounts(*part) for part in self.parts])

    def _line(self, k: int) -> np.ndarray:
        return self.y[:, len(self.way.per) + k]

    @property
    def T(self) -> np.ndarray:
        """Temperatures [K], shape (k,)."""
        return self._line(c.T_AT)

    @property
    def P(self) -> np.ndarray:
        """Pressures [Pa], shape (k,)."""
        return self._line(c.P_AT)

    @property
    def coolant(self) -> np.ndarray:
        """Temperatures of the coolant [K], shape (k,)."""
        return self._line(c.COOLANT)

    @cached_property
    def _seen(self) -> tuple[np.ndarray, np.ndarray]:
        m = len(self.way.per)
        rates, found = np.empty((len(self.grid), m)), np.empty((len(self.grid), 4))
        at = 0
        for piece, places, rows in self.parts:
            here = slice(at, at + len(places))
            c.looked_at(piece.what, places, rows, self.way.laws, rates[here], found[here], *self.way.model.mix)
            at += len(places)
        return rates, found

    @property
    def rates(self) -> np.ndarray:
        """Rates as their laws count them, shape (k, m)."""
        return self._seen[0]

    @property
    def volume(self) -> np.ndarray:
        """Volume [m3] or volume flow [m3/s] of all, shape (k,)."""
        return self._seen[1][:, 1]

    @property
    def fluid(self) -> np.ndarray:
        """Volume [m3] or volume flow [m3/s] of what reacts, shape (k,)."""
        return self._seen[1][:, 2]

    @property
    def energy(self) -> np.ndarray:
        """Enthalpy, or internal energy where the volume is held [J or W], shape (k,)."""
        return self._seen[1][:, 3]


def went_through(ended: int) -> bool:
    """Whether a march came to its end."""
    return ended == AT_END
