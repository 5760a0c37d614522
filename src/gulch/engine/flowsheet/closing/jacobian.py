"""How a pass answers to its unknowns: changes handed on from unit to unit, in all directions at once.

Forward mode: each unit's changes follow from those of its inlets (Griewank & Walther, Evaluating Derivatives, 2nd ed., ch. 3). What a
formula, a target or a tie reads is read beside the pass, of the streams moved along their changes: that needs no pass.

Notation: x: the vector of unknowns as `unknowns` packs it, shape (k,); rows of derivatives by them: (k,); scaled: each over its scale.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine import formulas
from gulch.engine.declared.base import Given
from gulch.engine.declared.moved import Moved, Turned, tangents
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.flowsheet.live import Live
from gulch.engine.phases.stream import Stream
from gulch.engine.phases.tangent import Tangent
from gulch.engine.project.couplings import nodes_of_input
from gulch.engine.project.nodes import Node, NodeKind
from gulch.engine.settle.newton import dominant
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.flowsheet.closing.loop import Loop
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.settle import LoopResult

STEP = 1e-5  # of an unknown's scale, by which what is read is moved to both sides
NO_SLOPES = (UnitTrouble, ValueError, ArithmeticError)  # what a unit beside the pass may come upon: then there are no derivatives here
INPUT_STEP = 1e-4  # of an input, over which a unit or a feed is differenced


class PassSlopes:
    """Derivatives of a Loop's last pass, from x. moved: {stream: its Tangent}; turned: {address of an input: its row}.

    rough: good enough for a step, where a unit is differenced: to one side only. along: directions in which the unknowns go, shape
    (x.size, k), and how far along each they may be moved to be read, shape (k,); each unknown by itself unless given.
    """

    def __init__(self, loop: Loop, x: np.ndarray, rough: bool = False, along: tuple[np.ndarray, np.ndarray] | None = None) -> None:
        self.loop, self.run, self.plan = loop, loop.run, loop.plan
        self.ways, self.reach = (np.eye(x.size), loop.scale) if along is None else along
        self.x, self.k, self.rough = x, self.ways.shape[1], rough
        self.moved: dict[str, Tangent] = {}
        self.turned: dict[str, np.ndarray] = {}
        self.ties: dict[str, np.ndarray] = {}  # rows of the iterated ones
        self._seed()
        for node in loop.group.nodes:
            self._visit(node)

    def entered(self, stream: str) -> Stream:
        """A stream as it entered its unit in the last pass."""
        unit = self.plan.enters[stream]
        return self.run.done[unit][0][self.plan.entering[unit].index(stream)]

    def _seed(self) -> None:
        """Changes of the torn streams, and of the inputs that the search turns, with their own entries."""
        u, x, n = self.loop.unknowns, self.x, self.loop.unknowns.n
        at = np.arange(x.size)
        for tear, flow, h, rows in zip(self.loop.group.tears, u.flows(x), u.warmths(x), u.parts(at), strict=True):
            by_n = self.ways[rows[:n]]
            by_H = (h + self.plan.model.formed) @ by_n + float(flow.sum()) * self.ways[rows[n]]
            by_P = np.zeros(self.k) if tear in self.loop.pressures.held else self.ways[rows[n + 1]]
            self.moved[tear] = Tangent(self.entered(tear), by_n, by_P, H=by_H)
        for entry, row in zip((*self.loop.ties, *self.loop.targets), (*u.ties(at), *u.knobs(at)), strict=True):
            self.turned[entry.address] = self.ways[row]

    def _visit(self, node: Node) -> None:
        """Hand the changes on through a node. Raises UnitTrouble."""
        if node.kind is NodeKind.UNIT:
            self._unit(node.name)
        elif node.kind is NodeKind.FEED:
            self._feed(node.name)
        elif node.kind is NodeKind.TIE:
            tie = self.plan.ties[node.name]
            row = self.read(tie.reads, lambda run: formulas.value(tie.formula, run.reading))
            if node.name in self.loop.group.ties:
                self.ties[node.name] = row
            else:
                self.turned[node.name] = np.zeros(self.k) if node.name in self.run.outside else row

    def _inputs_of(self, kind: NodeKind, name: str) -> Iterable[tuple[str, np.ndarray]]:
        """(address, row) of the inputs that turn a node."""
        for address, row in self.turned.items():
            if row.any() and any(n.kind is kind and n.name == name for n in nodes_of_input(self.plan.project, address)):
                yield address, row

    def _beside(self, changes: dict[str, float]) -> Run:
        """The run with some inputs changed: a copy that shares what does not change."""
        run = copy.copy(self.run)
        run.inputs, run.given, run.streams = dict(run.inputs), dict(run.given), dict(run.streams)
        for address, change in changes.items():
            run.set_input(address, run.inputs[address] + change)
        return run

    def _sides(self, address: str) -> tuple[Run, Run, float]:
        """The run with an input above and below where it is, and how far apart those are."""
        value = self.run.inputs[address]
        step = INPUT_STEP * (abs(value) if value else 1.0)
        return self._beside({address: step}), self._beside({address: -step}), 2.0 * step

    def _feed(self, name: str) -> None:
        feed = self.run.streams[name]
        out = Tangent.still(feed, self.k)
        for address, row in self._inputs_of(NodeKind.FEED, name):
            above, below, apart = self._sides(address)
            a, b = above.streams[name], below.streams[name]
            out = out + Tangent(feed, np.outer((a.n - b.n) / apart, row), (a.P - b.P) / apart * row, T=(a.T - b.T) / apart * row)
        self.moved[name] = out

    def _unit(self, unit: str) -> None:
        run, plan = self.run, self.plan
        inlets, result = run.done[unit]
        moved = [self.moved.get(s) or Tangent.still(stream, self.k) for s, stream in zip(plan.entering[unit], inlets, strict=True)]
        run.context.memory, run.context.lasting = run.memory.setdefault(unit, {}), plan.lasting.setdefault(unit, {})
        turned = []
        for address, row in self._inputs_of(NodeKind.UNIT, unit):
            above, below, apart = self._sides(address)
            turned.append(Turned((above.given[unit], above.context), (below.given[unit], below.context), apart, row))

        def feed(streams: list[Stream]) -> Any:
            return run.fed(unit, streams)

        kind = KINDS[plan.units[unit].kind]
        at = Moved(inlets, moved, feed, run.given[unit], run.context, result, turned, self.rough)
        for port, t in tangents(kind, at).items():
            id_ = plan.leaving[unit].get(port)
            if id_ is not None and id_ not in plan.open:
                self.moved[id_] = t

    # What is read

    def read(self, addresses: Iterable[str], value: Callable[[Run], float]) -> np.ndarray:
        """Row, shape (k,), of a value that is read of a run at some addresses, by reading it of runs moved to both sides."""
        return self.read_all(addresses, lambda run: [value(run)])[0]

    def read_all(self, addresses: Iterable[str], values: Callable[[Run], list[float]]) -> np.ndarray:
        """Rows, shape (m, k), of m values that are read together, likewise."""
        heads = {a.partition(".")[0] for a in self._spelled(addresses)}
        columns = []
        for c in range(self.k):
            step = STEP * float(self.reach[c])
            above, below = (np.array(values(self._displaced(heads, c, s * step))) for s in (1.0, -1.0))
            columns.append((above - below) / (2.0 * step))
        return np.array(columns).T

    def _spelled(self, addresses: Iterable[str]) -> Iterable[str]:
        """Addresses with those of gauges' formulas in place of gauges."""
        for a in addresses:
            if a.startswith("gauge."):
                yield from self._spelled(self.plan.known[a].parts)
            else:
                yield a

    def _displaced(self, heads: set[str], c: int, step: float) -> Run:
        """The run with unknown c a step away, as far as streams and units of some names show it; all of them where the whole is read."""
        run = self._beside({a: step * float(row[c]) for a, row in self.turned.items() if row[c] != 0.0 and a in self.run.inputs})
        run.readings = Live(run)
        whole = "overall" in heads
        for id_, t in self.moved.items():
            if (whole or id_ in heads) and id_ in run.streams:
                run.streams[id_] = t.beside(c, step)
        units = self.loop.group.units if whole else heads
        run.done = dict(run.done)
        for unit in units:
            if unit in self.run.done:
                run.done[unit] = self._solved(run, unit, c, step)
        return run

    def _solved(self, run: Run, unit: str, c: int, step: float) -> tuple:
        """(inlets, result) of a unit beside the pass."""
        inlets = [
            self.moved[s].beside(c, step, stream) if s in self.moved else stream
            for s, stream in zip(self.plan.entering[unit], self.run.done[unit][0], strict=True)
        ]
        kind, given, context = KINDS[self.plan.units[unit].kind], Given(**vars(run.given[unit])), copy.copy(run.context)
        context.memory, context.lasting = dict(run.memory.get(unit, {})), dict(self.plan.lasting.get(unit, {}))
        kind.adopt(run.first(unit, inlets), given)
        result = kind.solve(run.fed(unit, inlets), given, context)
        kind.followed(inlets, result, context)
        return inlets, result

    # Assembled

    def residuals(self) -> np.ndarray:
        """Rows of what the targets read, shape (targets, k)."""
        rows = [self.read(t.parts, partial(reading, t.reads)) for t in self.loop.targets]
        return np.array(rows).reshape(len(rows), self.k)

    def _rows(self) -> np.ndarray:
        """d(what tears and iterated ties should have been)/d(unknowns), shape (k, k), unscaled; nothing of the knobs."""
        loop, u, n, formed = self.loop, self.loop.unknowns, self.loop.unknowns.n, self.plan.model.formed
        out, at = np.zeros((self.k, self.k)), np.arange(self.k)
        for tear, rows in zip(loop.group.tears, u.parts(at), strict=True):
            t, stream = self.moved[tear], self.run.streams[tear]
            out[rows[:n]] = t.n
            if stream.total > 0.0:
                out[rows[n]] = (t.H - formed @ t.n - stream.warmth * t.n.sum(axis=0)) / stream.total
            if tear not in loop.pressures.held:
                out[rows[n + 1]] = t.P
        for tie, row in zip(loop.ties, u.ties(at), strict=True):
            out[row] = self.ties[tie.address]
        return out

    def jacobian(self) -> np.ndarray:
        """d(what the unknowns should have been)/d(unknowns), shape (k, k), unscaled. Knobs that are held stand apart."""
        loop, out = self.loop, self._rows()
        knobs = loop.unknowns.knobs(np.arange(self.k))
        if loop.slope is not None:
            out[knobs] = np.eye(self.k)[knobs] - loop.knob_steps(self.residuals())
        else:
            out[:, knobs] = 0.0
        return out

    def by_knobs(self) -> np.ndarray:
        """d(what the unknowns should have been)/d(knobs) of one pass, shape (k, targets)."""
        out = self._rows()[:, self.loop.unknowns.knobs(np.arange(self.k))]
        out[self.loop.unknowns.knobs(np.arange(self.k))] = 0.0
        return out

    def free(self) -> np.ndarray:
        """d(what the unknowns should have been)/d(unknowns), scaled, shape (k, k), by the knobs too, which answer to nothing."""
        return self._rows() * self.loop.scale / self.loop.scale[:, None]

    def scaled(self) -> np.ndarray:
        """d(what the unknowns should have been)/d(unknowns), scaled, shape (k, k)."""
        scale = self.loop.scale
        return self.jacobian() * scale / scale[:, None]


def reading(address: str, run: Run) -> float:
    """What a result reads in a run; nan where it has no value."""
    value = run.live(address)
    return float("nan") if value is None else float(value)


def answers(loop: Loop, x: np.ndarray, rough: bool = False) -> tuple[np.ndarray, np.ndarray] | None:
    """(d(residuals)/d(knobs), (m, m); d(unknowns)/d(knobs), (size, m)) with the loops closed, from the pass just made from x.

    None where they cannot be had.
    """
    slope, loop.slope = loop.slope, None
    try:
        slopes = PassSlopes(loop, x, rough)
        knobs = loop.unknowns.knobs(np.arange(x.size))
        moved = np.linalg.solve(np.eye(x.size) - slopes.jacobian(), slopes.by_knobs())
        moved[knobs] = np.eye(len(knobs))
        found = slopes.residuals() @ moved, moved
        return found if all(np.isfinite(a).all() for a in found) else None
    except NO_SLOPES:
        return None
    finally:
        loop.slope = slope


def own_gain(loop: Loop, found: LoopResult) -> LoopResult:
    """A LoopResult whose knobs moved with the tears, with the gain and the slowest change of the loop alone, where they are to be told."""
    if not (loop.run.explain and found.reason.settled and loop.group.tears and found.iterates):
        return found
    slope, loop.slope = loop.slope, None
    try:
        slopes = PassSlopes(loop, found.iterates[-1][0]).scaled()
        gain, mode = dominant(slopes, (found.tear - loop.begin) / loop.scale)
        return replace(found, gain=gain, mode=mode, slopes=slopes)
    except NO_SLOPES:
        return replace(found, gain=None, mode=None, slopes=None)
    finally:
        loop.slope = slope
