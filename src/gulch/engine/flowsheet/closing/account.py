"""What a closed or unclosed group leaves to be judged by, apart from the run that made it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.flowsheet.start import Start

if TYPE_CHECKING:
    from gulch.engine.flowsheet.closing.loop import Loop
    from gulch.engine.flowsheet.plan import Plan
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.flowsheet.solution import Solution


MOST_TRIED = 3000  # passes of all trials together


@dataclass(frozen=True)
class Account:
    """The last pass of a group, as amounts [mol/s], shape (n,) each, and how its searches went.

    entered: unit -> what entered; outlets: unit -> {port: what left}; streams: stream -> what went on with it; given:
    stream -> what its source gave, which differs where a loop is open; notes: unit -> remarks of its last solve.
    fed, out: from outside, to outside; scale_flow: the size of what is fed. passes: made in all; flips: stream ->
    [(pass, phases before, phases after)]; method_failed: direct passes settle what the method asked for does not;
    knobs_moved: targets moved with the tears. exits: splitters by which something can be drawn out.
    trial(start, overrides, max_passes): a solve of the whole process beside this one; start: what this one leaves. edited(change): one
    of a copy of the document that `change` has altered. starts: from which the user may go on: nothing, what was solved before, and
    what this one leaves; inputs: SI values by address. entering_pressure: lowest of what enters [Pa]; is_liquid(stream).
    ended(): whether no more may be tried. jumps: unit -> the two temperatures [K] between whose steady states it jumps.
    """

    plan: Plan
    units: tuple
    tears: tuple
    entered: dict
    outlets: dict
    streams: dict
    given: dict
    notes: dict
    fed: np.ndarray
    out: np.ndarray
    scale_flow: float
    passes: int
    flips: dict
    method: str
    method_failed: bool
    knobs_moved: bool
    exits: tuple
    trial: Callable
    edited: Callable
    starts: tuple
    inputs: dict
    entering_pressure: float
    is_liquid: Callable
    start: Start
    ended: Callable
    jumps: dict
    explains: bool
    cures: bool  # whether they are to be looked for

    @property
    def made(self) -> np.ndarray:
        """Amounts made less those used up in the group."""
        gained = [sum(self.outlets[u].values()) - self.entered[u] for u in self.units if u in self.entered]
        return sum(gained, np.zeros(len(self.plan.species)))

    @property
    def fullest(self) -> np.ndarray:
        """Largest flow of each species at any place of the loop."""
        plan = self.plan
        loop = plan.made_by(plan.loop_units(self.units))
        flows = [self.streams[s] for s in loop if s in self.streams and s not in plan.open]
        return np.max(flows, axis=0) if flows else np.zeros(len(plan.species))


# passes looked at, kelvins that are a jump, jumps to and fro that say that a unit cannot stay
WATCHED, LEAP, MOST_LEAPS = 40, 20.0, 3


def jumps_of(loop: Loop) -> dict[str, tuple[float, float]]:
    """{unit that jumps between two of its steady states from pass to pass: their temperatures [K]}, as the last passes have it."""
    out = {}
    for u, ran in loop.ran.items():
        last = np.array(ran[-WATCHED:])
        moves = np.diff(last)
        far = moves[np.abs(moves) > LEAP]
        if np.count_nonzero(far[1:] * far[:-1] < 0.0) >= MOST_LEAPS:
            middle = 0.5 * (last.max() + last.min())
            out[u] = float(np.median(last[last < middle])), float(np.median(last[last >= middle]))
    return out


class _Trials:
    """Solves of the whole process beside a run, whose passes are counted together."""

    def __init__(self, run: Run, plan: Plan) -> None:
        self.plan, self.watch, self.spent = plan, run.watch, 0

    def _counted(self, solution: Solution) -> Solution:
        self.spent += sum(lo.passes for lo in solution.loops)
        return solution

    def changed(self, start: Start | None, overrides: dict[str, float], max_passes: int | None = None) -> Solution:
        return self._counted(self.plan.run(start=start, overrides=overrides, watch=self.watch, max_passes=max_passes, explain=False))

    def edited(self, change: Callable) -> Solution:
        project = self.plan.project.model_copy(deep=True)
        change(project)
        return self._counted(type(self.plan)(project).run(watch=self.watch, explain=False))

    def ended(self) -> bool:
        return self.watch.ended() is not None or self.spent > MOST_TRIED


def account_of(loop: Loop, method_failed: bool) -> Account:
    """The Account of a Loop after its last search."""
    run, plan, units = loop.run, loop.plan, loop.group.units
    nothing = np.zeros(len(plan.species))
    done = {u: run.done[u] for u in units if u in run.done}
    outlets = {u: {p: s.n for p, s in result.outlets.items()} for u, (_, result) in done.items()}
    out = nothing
    for u, port, s in loop.ways_out():
        if s is not None:
            out = out + run.leaving_stream(s).n
        elif u in outlets:
            out = out + outlets[u].get(port, nothing)
    drawn = [u for u, port, s in loop.ways_out() if port == "drawn" and plan.units[u].kind == "splitter" and s not in plan.open]

    touched = {s for u in units for s in (*plan.entering[u], *plan.leaving[u].values())}

    trials = _Trials(run, plan)

    def is_liquid(stream: str) -> bool:
        found = run.streams.get(stream)
        return found is not None and not found.is_empty and found.vapour_fraction <= 1e-6

    outside = [s for u in units for s in plan.entering[u] if plan.sources[s] not in units and s in run.streams]
    starts = [Start(), *(s for s in (run.start, run.also) if s is not None and s.tears), run.solution.start]
    return Account(
        plan,
        units,
        loop.group.tears,
        {u: sum((s.n for s in inlets), nothing) for u, (inlets, _) in done.items()},
        outlets,
        {i: run.streams[i].n for i in touched if i in run.streams},
        {i: (run.returned.get(i) or run.streams[i]).n for i in touched if i in run.returned or i in run.streams},
        {u: run.notes(u) for u in done},
        loop.entering()[0],
        out,
        loop.scale_flow,
        loop.passes,
        loop.flips,
        loop.method,
        method_failed,
        loop.slope is not None,
        tuple(drawn),
        trials.changed,
        trials.edited,
        tuple(starts),
        run.inputs,
        min((run.streams[s].P for s in outside), default=1e5),
        is_liquid,
        run.solution.start,
        trials.ended,
        jumps_of(loop),
        run.explain,
        run.explain and run.cures,
    )
