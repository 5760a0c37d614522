"""Where the search over a group begins, and what keeps it from beginning."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.flowsheet.closing.pressures import Pressures
from gulch.engine.project.nodes import NodeKind
from gulch.engine.project.places import Place, at_unit

if TYPE_CHECKING:
    from gulch.engine.flowsheet.closing.loop import Loop
    from gulch.engine.phases.stream import Stream

_TIE_SCALE = {"temperature": 100.0, "pressure": 1e5, "molar flow": 1.0, "fraction": 1.0, "ratio": 1.0, "power": 1e5}


class NoBeginning(Exception):
    """A group that cannot begin: at which Place, what is wrong and what to do, as sentences."""

    def __init__(self, place: Place, what: str, todo: str) -> None:
        super().__init__(what)
        self.place, self.what, self.todo = place, what, todo


def begin(loop: Loop) -> None:
    """Start, scale and bounds of a Loop's unknowns, written to it. Raises NoBeginning."""
    run, group, u = loop.run, loop.group, loop.unknowns
    _set_knobs_and_ties(loop)
    for node in group.nodes:
        if node.kind is NodeKind.FEED:
            run.make_feed(node.name)
    entering, template = loop.entering()
    if group.tears and (template is None or entering.sum() <= 0.0):
        raise NoBeginning(at_unit(group.units[0]), f"The loop {' → '.join(group.units)} has no feed.", "Send a feed into it.")
    if group.tears and not loop.ways_out():
        raise NoBeginning(
            at_unit(group.units[0]),
            f"Nothing leaves the loop {' → '.join(group.units)}: whatever is fed stays in it.",
            "Take a product out of it, or draw a purge with a splitter.",
        )
    loop.pressures = Pressures(loop)
    loop.fed, loop.scale_flow = entering, max(float(entering.sum()), 1e-12)
    x, scale = u.filled(0.0), u.filled(1.0)
    floor, ceiling = u.filled(-np.inf), u.filled(np.inf)
    for k, tear in enumerate(group.tears):
        u.parts(x)[k] = _tear_start(loop, tear, template)
        u.pressures(x)[k] = loop.pressures.held.get(tear, u.pressures(x)[k])
        u.flows(scale)[k], u.warmths(scale)[k], u.pressures(scale)[k] = loop.scale_flow, 1e4, template.P
        u.flows(floor)[k], u.pressures(floor)[k] = 0.0, 1.0
    for k, tie in enumerate(loop.ties):
        value, bounds = run.inputs[tie.address], loop.plan.bounds[tie.address]
        u.ties(x)[k], u.ties(scale)[k] = value, max(abs(value), _TIE_SCALE.get(tie.dimension, 1.0))
        u.ties(floor)[k], u.ties(ceiling)[k] = bounds.low, bounds.high
    for k, target in enumerate(loop.targets):
        u.knobs(x)[k], u.knobs(scale)[k] = run.inputs[target.address], target.high - target.low
        u.knobs(floor)[k], u.knobs(ceiling)[k] = target.low, target.high
    loop.scale, loop.floor, loop.ceiling, loop.begin = scale, floor, ceiling, x


def _set_knobs_and_ties(loop: Loop) -> None:
    """Let the run's inputs stand where the last solve left the knobs and the iterated ties."""
    run = loop.run
    for target in loop.targets:
        at = run.start.knobs.get(target.id, run.inputs.get(target.address))
        at = 0.5 * (target.low + target.high) if at is None else at
        run.set_input(target.address, min(max(at, target.low), target.high))
    for tie in loop.ties:
        kept = run.start.ties.get(tie.address)
        if kept is not None:
            run.set_input(tie.address, kept)
        elif tie.address not in run.inputs:
            raise NoBeginning(
                Place.of(loop.plan.project, tie.address),
                f"{tie.label} is tied to a result that depends on it.",
                "Type a value for it, from which the search can start.",
            )


def _tear_start(loop: Loop, tear: str, template: Stream) -> np.ndarray:
    """Flows, warmth and pressure a tear starts from: the user's guess if newer, else what was kept."""
    plan = loop.plan
    typed, kept = plan.guesses.get(tear), loop.run.start.tears.get(tear)
    if kept is not None and (typed is None or kept.typed == typed.signature):
        loop.guesses[tear] = kept.guess
        flows = np.array([max(kept.flow.get(s, 0.0), 0.0) for s in plan.species])
        total = float(flows.sum())
        return np.r_[flows, kept.molar_enthalpy - (float(plan.model.formed @ flows) / total if total > 0.0 else 0.0), kept.pressure]
    if typed is not None:
        stream = typed.stream(plan.model, template)
        loop.guesses[tear] = stream.T
        return np.r_[stream.n, stream.warmth, stream.P]
    loop.guesses[tear] = template.guess
    return np.r_[np.zeros(len(plan.species)), 0.0, template.P]


def fill(loop: Loop) -> bool:
    """Let a search that could make no pass with empty tears begin with what is fed in each of them; False where it began otherwise.

    A unit may have nothing to work on until something comes back.
    """
    u, flows = loop.unknowns, loop.unknowns.flows(loop.begin)
    if loop.passes > 1 or not flows.size or flows.any() or loop.run.watch.ended():
        return False
    units = set(loop.group.units)
    entering = [s for name in units for s in loop.plan.entering[name] if loop.plan.sources[s] not in units and s in loop.run.streams]
    streams = [loop.run.streams[s] for s in entering]
    total = sum(s.total for s in streams)
    if total <= 0.0:
        return False
    loop.begin = loop.begin.copy()
    u.flows(loop.begin)[:] = loop.fed
    u.warmths(loop.begin)[:] = sum(s.warmth * s.total for s in streams) / total
    loop.trouble = None
    return True
