"""How a pass answers to its unknowns: changes handed on from unit to unit, in all directions at once.

Forward mode: each unit's changes follow from those of its inlets (Griewank & Walther, Evaluating Derivatives, 2nd ed., ch. 3).

Notation: x: the vector of unknowns as `unknowns` packs it; k of them are moved; scaled: each over its scale.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.phases.tangent import Tangent
from gulch.engine.project.nodes import NodeKind
from gulch.engine.units import KINDS
from gulch.engine.units.moved import Moved, tangents

if TYPE_CHECKING:
    from gulch.engine.flowsheet.closing.loop import Loop
    from gulch.engine.phases.stream import Stream


class PassSlopes:
    """Derivatives of a Loop's last pass. moved: {stream: its Tangent}."""

    def __init__(self, loop: Loop, x: np.ndarray) -> None:
        self.loop, self.run, self.plan = loop, loop.run, loop.plan
        self.x, self.k = x, x.size
        self.moved: dict[str, Tangent] = {}
        self._seed()
        for node in loop.group.nodes:
            if node.kind is NodeKind.UNIT:
                self._unit(node.name)

    def entered(self, stream: str) -> Stream:
        """A stream as it entered its unit in the last pass."""
        unit = self.plan.enters[stream]
        return self.run.done[unit][0][self.plan.entering[unit].index(stream)]

    def _seed(self) -> None:
        """Changes of the torn streams with their own entries."""
        u, x, n = self.loop.unknowns, self.x, self.loop.unknowns.n
        at = np.arange(x.size)
        for tear, flow, h, columns in zip(self.loop.group.tears, u.flows(x), u.warmths(x), u.parts(at), strict=True):
            by_n, by_H, by_P = np.zeros((n, self.k)), np.zeros(self.k), np.zeros(self.k)
            by_n[np.arange(n), columns[:n]] = 1.0
            by_H[columns[:n]] = h + self.plan.model.formed
            by_H[columns[n]] = float(flow.sum())
            if tear not in self.loop.pressures.held:
                by_P[columns[n + 1]] = 1.0
            self.moved[tear] = Tangent(self.entered(tear), by_n, by_P, H=by_H)

    def _unit(self, unit: str) -> None:
        """Hand the changes on through a unit. Raises UnitTrouble."""
        run, plan = self.run, self.plan
        inlets, result = run.done[unit]
        names = plan.entering[unit]
        moved = [self.moved.get(s) or Tangent.still(stream, self.k) for s, stream in zip(names, inlets, strict=True)]
        kind = KINDS[plan.units[unit].kind]
        run.context.memory, run.context.lasting = run.memory.setdefault(unit, {}), plan.lasting.setdefault(unit, {})

        def feed(streams: list[Stream]) -> Any:
            return run.fed(unit, streams)

        at = Moved(inlets, moved, feed, run.given[unit], run.context, result, {})
        for port, t in tangents(kind, at).items():
            id_ = plan.leaving[unit].get(port)
            if id_ is not None and id_ not in plan.open:
                self.moved[id_] = t

    def jacobian(self) -> np.ndarray:
        """d(what the unknowns should have been)/d(unknowns), shape (k, k), unscaled."""
        u, n = self.loop.unknowns, self.loop.unknowns.n
        out = np.zeros((self.k, self.k))
        for tear, rows in zip(self.loop.group.tears, u.parts(np.arange(self.k)), strict=True):
            t, stream = self.moved[tear], self.run.streams[tear]
            out[rows[:n]] = t.n
            if stream.total > 0.0:
                formed = self.plan.model.formed
                warmth = (stream.enthalpy_flow - float(formed @ stream.n)) / stream.total
                out[rows[n]] = (t.H - formed @ t.n - warmth * t.n.sum(axis=0)) / stream.total
            if tear not in self.loop.pressures.held:
                out[rows[n + 1]] = t.P
        return out

    def scaled(self) -> np.ndarray:
        """The same of scaled unknowns."""
        scale = self.loop.scale
        return self.jacobian() * scale / scale[:, None]
