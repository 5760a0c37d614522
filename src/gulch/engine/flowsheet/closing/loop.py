"""A group of a run being closed: its pass, and the searches made with it. SI throughout."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.told import UnitTrouble
from gulch.engine.flowsheet.closing.begin import begin
from gulch.engine.flowsheet.closing.jacobian import NO_SLOPES, PassSlopes
from gulch.engine.flowsheet.closing.unknowns import Unknowns
from gulch.engine.flowsheet.start import Jacobian, Secants, Slope, TearStart
from gulch.engine.phases import Stream, StreamTrouble
from gulch.engine.project.nodes import NodeKind
from gulch.engine.quantities import show
from gulch.engine.settle import PassFailed, Slopes, settle
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.flowsheet.closing.pressures import Pressures
    from gulch.engine.flowsheet.graph import Group
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.flowsheet.solution import LoopStates
    from gulch.engine.settle import LoopResult

MOST_SEARCHES = 20  # times the pass limit: all passes that a group with targets may make
MOST_PRESSURES = 4  # searches, each with the pressures that the one before showed to hold
MOST_WARMER = 1.5e4  # J/mol by which a tear may grow warmer or colder in one of Newton's steps
MOST_KEPT = 40  # unknowns whose derivatives are kept for the next solve
PLAIN_PASSES = 40  # made after an unsettled search, to see what builds up


@dataclass
class Record:
    """A pass with the knobs held: the vector, what it should have been, how far the targets were off."""

    x: np.ndarray
    passed: np.ndarray
    residual: np.ndarray


class Loop:
    """The nodes of a group with their unknowns, and what the passes over them left.

    slope: d(residual)/d(knob), shape (m, m), by which knobs move in a pass; None holds them. fed: what enters the group [mol/s],
    shape (n,); scale, floor, ceiling and begin: of the unknowns, from `begin`.
    """

    fed: np.ndarray
    scale_flow: float
    scale: np.ndarray
    floor: np.ndarray
    ceiling: np.ndarray
    begin: np.ndarray
    slope: Any
    trouble: tuple | None
    pressures: Pressures

    def __init__(self, run: Run, group: Group) -> None:
        self.run, self.plan, self.group = run, run.plan, group
        self.tolerance, self.method, self.max_passes = run.plan.tolerance, run.plan.method, run.max_passes
        self.targets = [self.plan.targets[id_] for id_ in group.targets]
        self.ties = [self.plan.ties[address] for address in group.ties]
        self.unknowns = Unknowns(self.plan.species, group.tears, group.ties, group.targets)
        self.low, self.high = (np.array([getattr(t, end) for t in self.targets]) for end in ("low", "high"))
        self.ranges = self.high - self.low
        self.slope = None  # of the residuals over the knobs, shape (m, m), once it is known
        self.residual = np.zeros(len(self.targets))
        self.guesses = {}  # temperatures of tears [K]
        self.passes, self.most = 0, MOST_SEARCHES * self.max_passes  # made, and allowed in all searches together
        self.steps, self.history = [], []  # of every search, one after another
        self.records = []
        self.last: tuple | None = None  # (x, change) of the last pass that could be made
        self.phases, self.flips = {}, {}
        self.chooses = [u for u in group.units if "state" in {d.name for d in KINDS[run.plan.units[u].kind].inputs()}]
        self.ran: dict[str, list[float]] = {}  # temperatures pass by pass of units that choose among steady states [K]
        # scaled derivatives of the pass as the last search left them, with the knobs held or, True, moved with the tears
        self.known: dict[bool, tuple | None] = {bool(group.targets): run.start.jacobian_of(self.unknowns.names)}
        self.states: LoopStates | None = None  # its steady states, where there are more than one
        self.branches: dict[str, float] = {}  # tear -> temperature of the state that was chosen among them [K]
        self.trouble = None  # (node, what kept the last pass from being made)
        begin(self)

    def entering(self) -> tuple:
        """(amounts fed to the group from outside, one of the streams that bring them)."""
        plan, units = self.plan, set(self.group.units)
        outside = [s for u in self.group.units for s in plan.entering[u] if plan.sources[s] not in units]
        streams = [self.run.streams[s] for s in outside if s in self.run.streams]
        return sum((s.n for s in streams), np.zeros(len(plan.species))), streams[0] if streams else None

    def ways_out(self) -> list:
        """(unit, port, stream or None) of every outlet that leaves the group."""
        plan, units = self.plan, set(self.group.units)
        out = []
        for u in self.group.units:
            for port in plan.ports[u]:
                s = plan.leaving[u].get(port)
                if s is None or plan.enters[s] not in units or s in plan.open:
                    out.append((u, port, s))
        return out

    # A pass

    def one_pass(self, x: np.ndarray) -> np.ndarray:
        """What the unknowns should have been, by computing every node once from x. Raises PassFailed."""
        self.passes += 1
        self._set(x)
        out = np.array(x, float)
        try:
            for node in self.group.nodes:
                iterated = node.kind is NodeKind.TIE and node.name in self.group.ties
                value = self.run.visit(node, keep=not iterated)
                if iterated:
                    self.unknowns.ties(out)[self.group.ties.index(node.name)] = value
            self._read_targets(x)
            self._read_tears(out)
        except (UnitTrouble, StreamTrouble) as trouble:
            self.trouble = (self.run.at, trouble)
            raise PassFailed from trouble
        if self.slope is not None:
            self.unknowns.knobs(out)[:] = np.clip(self.unknowns.knobs(x) - self.knob_steps(self.residual), self.low, self.high)
        elif self.targets and np.isfinite(self.residual).all():
            self.records.append(Record(np.array(x), out.copy(), self.residual.copy()))
        self._watch_phases()
        self.last = (np.array(x), out - x)
        return out

    def knob_steps(self, residuals: np.ndarray) -> np.ndarray:
        """How far knobs are turned back for residuals of the targets, one or more columns, by the sensitivities."""
        ranges = self.ranges if residuals.ndim == 1 else self.ranges[:, None]
        return np.linalg.lstsq(self.slope * self.ranges, residuals, rcond=1e-10)[0] * ranges

    def _set(self, x: np.ndarray) -> None:
        """Give the run the streams and inputs that the unknowns stand for."""
        run, u = self.run, self.unknowns
        for entry, value in zip((*self.ties, *self.targets), (*u.ties(x), *u.knobs(x)), strict=True):
            run.set_input(entry.address, float(value))
        if self.pressures.turned:
            self.pressures.find()
        for k, tear in enumerate(self.group.tears):
            run.streams[tear] = self.torn(x, k)

    def torn(self, x: np.ndarray, k: int) -> Stream:
        """The Stream that the unknowns of tear number k stand for."""
        u, tear, model = self.unknowns, self.group.tears[k], self.plan.model
        flow, P = u.flows(x)[k].copy(), self.pressures.held.get(tear, float(u.pressures(x)[k]))
        H = float(u.warmths(x)[k]) * float(flow.sum()) + float(model.formed @ flow)
        return Stream.at_enthalpy(model, flow, H, P, self.guesses[tear])

    def _read_targets(self, x: np.ndarray) -> None:
        for k, target in enumerate(self.targets):
            reading = self.run.live(target.reads)
            if reading is None or not np.isfinite(reading):
                if self.slope is not None:
                    self.run.at = target.node
                    raise valueless(self, k, x)
                reading = np.nan  # with the knobs held the loop may still be filling
            self.residual[k] = reading - target.wanted

    def _read_tears(self, out: np.ndarray) -> None:
        u = self.unknowns
        for k, tear in enumerate(self.group.tears):
            stream = self.run.streams[tear]
            self.guesses[tear] = stream.guess
            u.flows(out)[k] = stream.n
            u.pressures(out)[k] = self.pressures.held.get(tear, stream.P)
            u.warmths(out)[k] = stream.warmth

    def _watch_phases(self) -> None:
        """Remember where a stream of the group gained or lost a phase since the pass before."""
        for u in self.chooses:
            self.ran.setdefault(u, []).append(next(iter(self.run.done[u][1].outlets.values())).T)
        for s in self.group.tears and self.plan.made_by(self.group.units):
            state = getattr(self.run.streams.get(s), "__dict__", {}).get("state")
            if state is None:
                continue
            both = 0.0 < state.vapour_fraction < 1.0
            now = "both phases" if both else ("vapour" if state.vapour_fraction else "liquid")
            before = self.phases.get(s)
            if before is not None and before != now:
                self.flips.setdefault(s, []).append((self.passes, before, now))
            self.phases[s] = now

    # Searches

    def search(
        self,
        x: np.ndarray,
        tol: float | None = None,
        secants: tuple | None = None,
        max_passes: int | None = None,
        method: str | None = None,
    ) -> LoopResult:
        """LoopResult of a search from x by the group's method, unless told otherwise."""
        for _ in range(MOST_PRESSURES):
            found = settle(
                self.one_pass,
                x,
                scale=self.scale,
                floor=self.floor,
                ceiling=self.ceiling,
                tol=tol or self.tolerance,
                max_passes=max_passes or self.max_passes,
                secants=secants,
                watch=self.run.watch,
                method=method or self.method,
                depth=6 + 2 * len(self.targets),
                slopes=self.slopes(exact=tol is None),
            )
            made = (found.slopes, found.slopes_at) if found.reason.settled and found.slopes is not None else None
            self.known[self.slope is not None] = made
            self.steps += found.iterates
            self.history += found.history
            if not found.reason.settled or not self.pressures.missed():
                break
            x, secants = found.tear, None
        return found

    def slopes(self, exact: bool) -> Slopes | None:
        """Derivatives of the pass for Newton's method, from those of the last solve on; None where they are not known.

        exact: whether those at the answer are asked for, to be told.
        """
        if not self.group.tears:
            return None
        reach = self.unknowns.filled(np.inf)
        self.unknowns.warmths(reach)[:] = MOST_WARMER / 1e4
        known, at = self.known.get(self.slope is not None) or (None, None)
        return Slopes(self.derived_at, known, at, exact and self.run.explain, reach)

    def derived_at(self, x: np.ndarray, rough: bool) -> np.ndarray | None:
        """Scaled derivatives of the pass just made from x, shape (size, size); None where a unit has none there."""
        try:
            return PassSlopes(self, x, rough).scaled()
        except NO_SLOPES:
            return None

    def plain(self, passes: int = PLAIN_PASSES) -> LoopResult | None:
        """LoopResult of direct passes from where the search began; None where one fails, or there is nothing to pass round."""
        if not self.group.tears or self.run.watch.ended():
            return None
        slope, self.slope = self.slope, None
        try:
            return settle(
                self.one_pass, self.begin, scale=self.scale, tol=self.tolerance, max_passes=passes, watch=self.run.watch, method="direct"
            )
        except PassFailed:
            return None
        finally:
            self.slope = slope

    def tear_starts(self, x: np.ndarray) -> dict[str, TearStart]:
        """What the tears of a vector are, as a next solve begins with them."""
        u, plan, out = self.unknowns, self.plan, {}
        for tear, flow, h, P in zip(self.group.tears, u.flows(x), u.warmths(x), u.pressures(x), strict=True):
            typed = plan.guesses.get(tear)
            out[tear] = TearStart(
                dict(zip(plan.species, flow.tolist(), strict=True)),
                float(h + plan.model.formed @ flow / flow.sum()) if flow.sum() > 0.0 else float(h),
                self.pressures.held.get(tear, float(P)),
                float(self.guesses[tear]),
                typed.signature if typed else None,
            )
        return out

    def spent(self) -> bool:
        """Whether the targets' search has to end here: no passes left, or ended from outside."""
        return self.passes >= self.most or self.run.watch.ended() is not None

    def kept_secants(self) -> tuple | None:
        """Secants of the last solve of these unknowns, or None."""
        return self.run.start.secants_of(self.unknowns.names)

    def keep(self, x: np.ndarray, secants: tuple) -> None:
        """Store where the search ended, as the next start."""
        u, start = self.unknowns, self.run.solution.start
        start.secants.append(Secants(list(u.names), *(np.asarray(a).tolist() for a in secants or ((), ()))))
        known = self.known.get(bool(self.group.targets))
        if known is not None and u.size <= MOST_KEPT:
            rows, at = known
            start.jacobians.append(Jacobian(list(u.names), rows.tolist(), None if at is None else at.tolist()))
        start.tears |= self.tear_starts(x)
        start.branches |= self.branches
        start.ties |= zip(self.group.ties, u.ties(x).tolist(), strict=True)
        start.knobs |= zip(self.group.targets, u.knobs(x).tolist(), strict=True)
        if self.slope is not None:
            start.slopes.append(Slope(list(self.group.targets), self.slope.tolist()))


def valueless(loop: Loop, k: int, x: np.ndarray) -> UnitTrouble:
    """What is said of target number k where its gauge has no value, with the unknowns at x, shape (size,)."""
    target = loop.targets[k]
    at = show(float(loop.unknowns.knobs(x)[k]), target.knob_dimension, loop.plan.project.display)
    return UnitTrouble(
        f"The gauge {target.gauge_label} of a target has no value with {target.knob_label} at {at}.",
        "Narrow the knob's range, read another result, or switch the target off.",
    )
