"""How the heat that an exchanger passes on changes with what enters it: the pinch moves, or the area stays.

Where the approach stands inside, it does so where the two curves of temperature over heat run side by side, so that moving along them
changes nothing (the envelope theorem), or at a bubble or dew point, which moves by itself.

Notation: k directions; q: heat counted from the cold end [W]; changes of heat: shape (k,) [W].
"""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.phases.stream import Stream
from gulch.engine.phases.tangent import Tangent

if TYPE_CHECKING:
    from gulch.engine.units.exchanger import Sides

BESIDE = 1e-6  # of the duty: a bend that near to the pinch is the pinch
POINTS = 8  # of Gauss and Legendre between two bends, by which the area is integrated
AT_END = 1e-5  # K by which the approach may be missed at the end at which it stands
SHARP = 1e-3  # K that curves may be off where the pinch is sought


class Pair:
    """Both sides as they enter and change, at the duty that passes [W]; P: changes of the outlets' pressures."""

    def __init__(self, sides: Sides, hot: Tangent, cold: Tangent, duty: float) -> None:
        self.sides, self.duty, self.k = sides, duty, hot.k
        self.entering = (hot, cold)

    def held(self, side: int, T: float, changes: np.ndarray) -> np.ndarray:
        """Changes of a side's enthalpy flow at T [K] when T changes."""
        t = self.entering[side]
        return t.at(t.stream.at(T=T, P=self.sides.P[side]), T=changes).H

    def by_approach(self, approach: float) -> np.ndarray:
        """Changes of the heat that brings the sides within an approach [K]."""
        hot, cold = self.entering
        at_cold, at_hot = self.sides.ends(self.duty)
        if min(at_cold, at_hot) > approach + AT_END:
            return self.by_pinch(approach)
        if at_cold <= at_hot:
            return hot.H - self.held(0, cold.stream.T + approach, cold.T)
        return self.held(1, hot.stream.T - approach, hot.T) - cold.H

    def by_pinch(self, approach: float) -> np.ndarray:
        """The same where the sides come nearest inside."""
        hot, cold = self.entering
        heats, differences = self.sides.profile(self.duty, SHARP)
        at = 1 + int(np.argmin(differences[1:-1]))
        q = float(heats[at])
        for side, start in ((1, cold.stream.enthalpy_flow), (0, hot.stream.enthalpy_flow - self.duty)):
            bends = self.sides.curves[side].bends - start
            if bends.size and np.abs(bends - q).min() < BESIDE * self.duty:
                return self._by_bend(side, q, approach)
        middle = Stream.at_enthalpy(cold.stream.model, cold.stream.n, cold.stream.enthalpy_flow + q, self.sides.P[1], cold.stream.T)
        T = Tangent(middle, cold.n, cold.P, H=cold.H).T
        return hot.H - self.held(0, middle.T + approach, T)

    def _by_bend(self, side: int, q: float, approach: float) -> np.ndarray:
        """The same at a bubble or dew point of one side, 0 hot or 1 cold."""
        hot, cold = self.entering
        mine = self.entering[side]
        start = cold.stream.enthalpy_flow if side else hot.stream.enthalpy_flow - self.duty
        near = Stream.at_enthalpy(mine.stream.model, mine.stream.n, start + q, self.sides.P[side], mine.stream.T)
        dew = near.vapour_fraction > 0.5
        state = mine.stream.model.saturated(dew, near.P, near.n, near.T)
        edge = Stream.from_state(mine.stream.model, mine.stream.n, state)
        t = Tangent.saturated(edge, mine.n, mine.P, dew)
        if side:
            return hot.H - self.held(0, edge.T + approach, t.T) + (t.H - cold.H)
        return self.held(1, edge.T - approach, t.T) - cold.H + (hot.H - t.H)

    def by_area(self) -> np.ndarray:
        """Changes of the heat at which UA stays what it is."""
        hot, cold = self.entering
        starts = hot.stream.enthalpy_flow - self.duty, cold.stream.enthalpy_flow
        knots = [0.0, *sorted(self.sides.bends(self.duty).tolist()), self.duty]
        nodes, weights = np.polynomial.legendre.leggauss(POINTS)
        by_duty, by_inlets, area = 0.0, np.zeros(self.k), 0.0
        for a, b in itertools.pairwise(knots):
            for node, weight in zip(nodes, weights, strict=True):
                q, width = 0.5 * (a + b) + 0.5 * (b - a) * node, 0.5 * (b - a) * weight
                apart, own, moves = 0.0, 0.0, np.zeros(self.k)
                for sign, side, share in ((1.0, 0, q / self.duty - 1.0), (-1.0, 1, q / self.duty)):
                    t = self.entering[side]
                    here = Stream.at_enthalpy(t.stream.model, t.stream.n, starts[side] + q, self.sides.P[side], t.stream.T)
                    wider = Tangent(here, _with_column(t.n, 0.0), _with_column(t.P, 0.0), H=_with_column(t.H, share)).T
                    apart += sign * here.T
                    moves, own = moves + sign * wider[:-1], own + sign * float(wider[-1])
                area += width / apart
                by_duty -= width * own / apart**2
                by_inlets -= width * moves / apart**2
        return -by_inlets / (by_duty + area / self.duty)


def _with_column(a: np.ndarray, value: float) -> np.ndarray:
    """An array with one direction more, in which all of it changes by a value."""
    return np.concatenate([a, np.full((*a.shape[:-1], 1), value)], axis=-1)
