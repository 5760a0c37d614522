"""Settling a group, and writing what became of its loops and targets."""

from __future__ import annotations

import logging
from contextlib import suppress
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.told import UnitTrouble
from gulch.engine.flowsheet.closing.account import account_of, jumps_of
from gulch.engine.flowsheet.closing.begin import NoBeginning, fill
from gulch.engine.flowsheet.closing.jacobian import own_gain
from gulch.engine.flowsheet.closing.loop import PLAIN_PASSES, Loop
from gulch.engine.flowsheet.closing.states import rescued, restore, settle_on
from gulch.engine.flowsheet.closing.targets import Aim, Lost
from gulch.engine.flowsheet.closing.walk import walked
from gulch.engine.flowsheet.guard import finite
from gulch.engine.flowsheet.solution import LoopOutcome, TargetOutcome
from gulch.engine.project.nodes import unit_node
from gulch.engine.quantities import show
from gulch.engine.settle import LoopResult, PassFailed, Reason

if TYPE_CHECKING:
    from gulch.engine.flowsheet.graph import Group
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.project.couplings import Target
    from gulch.engine.project.nodes import Node

log = logging.getLogger("gulch.flowsheet")

NOT_SHOWN = "Nothing of this loop is shown; what stands before it holds."
LEAST_RUN = 4  # passes in turn that change a warmth one way, so that a loop is said to run away
RUNS = 100.0  # J/mol that each of them changes it at least
WILD = 300.0  # flow of the tears, on what is fed, that no search should end at
SHOWN_PASSES = 400  # of which the values are kept


def close(run: Run, group: Group) -> None:
    """Settle a group of a Run and write its outcome to the run's Solution; whatever it comes upon, all else stands."""
    try:
        _close(run, group)
    except PassFailed as failed:
        node, lost = run.at or unit_node(group.units[0]), UnitTrouble("A pass that was made before cannot be made again.", NOT_SHOWN)
        log.warning("%s: a pass failed where none should", node.name, exc_info=failed)
        run.trouble(node, failed.__cause__ if isinstance(failed.__cause__, Exception) else lost)
        run.waits(group.units, str(node.place))


def _close(run: Run, group: Group) -> None:
    """`close`, where every pass can be made that has to be. Raises PassFailed."""
    try:
        loop = Loop(run, group)
    except NoBeginning as reason:
        run.say("error", reason.place, reason.what, reason.todo)
        run.failed.update(group.units)
        return
    aim = Aim(loop) if loop.targets else None
    remarks = []
    try:
        try:
            found = aim.close(loop.begin) if aim else loop.search(loop.begin, secants=loop.kept_secants())
        except (PassFailed, Lost):
            if not fill(loop):
                raise
            found = aim.close(loop.begin) if aim else loop.search(loop.begin)
    except (PassFailed, Lost):
        found = _broken_off(loop, remarks)
        if found is None:
            return
    method_failed = False
    if run.watch.ended() and not all(u in run.done for u in group.units):
        run.failed.update(group.units)  # stopped on its first pass, so there is nothing to judge
        loop.keep(found.tear, found.secants)
        return
    if not found.reason.settled and loop.method == "automatic" and not _jumps(loop):
        found = found if loop.chooses else rescued(loop, found)  # a tank finds its own states at every pass
        found = found if found.reason.settled or aim else walked(loop, found)
        if not found.reason.settled and found.iterates:
            with suppress(PassFailed):
                restore(loop, found)  # what is told of it is read of its own last pass
    if not found.reason.settled:
        if loop.method in ("automatic", "direct"):
            found = _calmed(loop, found)
        else:
            found, method_failed = _by_direct_passes(loop, found)
    elif not aim:
        found = settle_on(loop, found)
    loop.keep(found.tear, found.secants)
    if aim:
        _judge_targets(loop, aim, found)
        found = own_gain(loop, found)
    if group.tears or loop.ties:
        _judge_loop(loop, found, remarks, method_failed)


def _jumps(loop: Loop) -> bool:
    """Whether a unit that chooses among steady states stays in none, as plain passes show."""
    if loop.chooses:
        loop.plain()
    return bool(jumps_of(loop))


def _broken_off(loop: Loop, remarks: list) -> Any:
    """LoopResult of plain passes after a search that failed where they go on; None, the trouble said, where they do not."""
    run = loop.run
    nowhere = UnitTrouble("The loop does not settle.", "Look at it in Loops.")
    node, trouble = loop.trouble or (unit_node(loop.group.units[0]), nowhere)
    found = loop.plain() or _run_away(loop)
    if found is None or found.reason.settled:
        run.trouble(node, trouble)
        run.waits(_behind(loop, node), str(node.place))
        loop.keep(loop.begin, ())
        return None
    # plain passes go on where the search broke off, so it is the loop that is at fault, not the unit
    remarks.append(f"An accelerated pass broke off at {node.name}: {trouble}")
    return replace(found, reason=Reason.PASS_FAILED)


def _run_away(loop: Loop) -> LoopResult | None:
    """LoopResult of a loop whose heat grows or falls from pass to pass until a temperature cannot be found; None where it is not that.

    Plain passes are made until one fails: where the warmth of a tear went one way all along, it is the loop that is at fault.
    """
    if not loop.group.tears or loop.run.watch.ended():
        return None
    x, changes, slope = loop.begin.copy(), [], loop.slope
    loop.slope = None
    try:
        for _ in range(PLAIN_PASSES):
            passed = loop.one_pass(x)
            changes.append(loop.unknowns.warmths(passed - x).copy())
            x = passed
    except PassFailed:
        pass
    finally:
        loop.slope = slope
    if len(changes) < LEAST_RUN or loop.last is None:
        return None
    k = int(np.argmax(np.abs(changes[-1])))
    went = [c[k] for c in changes[-LEAST_RUN:]]
    if not (min(went) > RUNS or max(went) < -RUNS):
        return None
    tear, change = loop.last
    size = float(np.max(np.abs(change / loop.scale)))
    return LoopResult(tear, change, Reason.PASS_FAILED, (size,), None, None, None)


def _behind(loop: Loop, node: Node) -> Any:
    """Units of the group that depend on a node that failed: in a loop all of them, else those computed after it."""
    group, nodes = loop.group, loop.group.nodes
    if group.tears or group.ties or node not in nodes:
        return group.units
    return [n.name for n in nodes[nodes.index(node) :] if n.name in loop.plan.units]


def _calmed(loop: Loop, found: LoopResult) -> LoopResult:
    """An unsettled search that led nowhere, replaced by plain passes from where it began, to diagnose it by.

    Extrapolation of a loop that has no answer ends anywhere; what plain passes do tells why. A search that was
    on its way is left as it is, so that going on keeps its iterates.
    """
    if found.reason not in (Reason.OUT_OF_PASSES, Reason.STALLED) or not found.history:
        return found
    flow = float(loop.unknowns.flows(found.tear).sum())
    if found.history[-1] < 0.1 * found.history[0] and flow < WILD * loop.scale_flow:
        return found
    plain = loop.plain()
    if plain is None or plain.reason.settled:
        return found
    return replace(plain, reason=found.reason, history=found.history, iterates=found.iterates)


def _by_direct_passes(loop: Any, found: Any) -> Any:
    """(an unsettled search by a method of the user's choice, replaced by direct passes; whether those settle)."""
    plain = loop.plain(loop.max_passes)
    if plain is None:
        return found, False
    return replace(plain, reason=found.reason, history=found.history, iterates=found.iterates), plain.reason.settled


def _judge_targets(loop: Loop, aim: Aim, found: LoopResult) -> None:
    """Write what became of each target."""
    run, m = loop.run, len(loop.targets)
    settled = found.reason.settled
    slope = loop.slope if loop.slope is not None else np.full((m, m), np.nan)
    met = aim.met() if settled else np.zeros(m, bool)
    changes = [loop.unknowns.knobs(c) / loop.ranges for _, c in found.iterates[-SHOWN_PASSES:]]
    for k, target in enumerate(loop.targets):
        at = float(run.inputs[target.address])
        sure = settled and not met[k] and np.isfinite(slope[k, k])
        outcome = TargetOutcome(
            target.id,
            target.gauge,
            target.knob,
            target.address,
            target.wanted,
            float(target.wanted + loop.residual[k]) if settled else None,
            float(loop.residual[k]) if settled else None,
            at,
            bool(met[k]) and target.id not in aim.closest,
            _place(target, at) if settled and not met[k] else "",
            float(slope[k, k]) if sure else None,
            float(loop.unknowns.knobs(loop.begin)[k]),
            [abs(float(c[k])) for c in changes],
        )
        run.solution.targets.append(outcome)
        if not settled and not (loop.group.tears or loop.ties):
            run.say(
                "error",
                target.node.place,
                f"The search for the target on {target.gauge_label} did not settle: {found.reason.value}.",
                "Narrow the knob's range, or begin from another value.",
            )
        if not outcome.met and settled:
            run.solution.messages.append(run.plan.of_target(target, outcome, aim.closest.get(target.id), aim.jump, aim.edges))


def _place(target: Target, at: float) -> str:
    """Where a knob stands on its range: low, high or inside."""
    near = 1e-6 * (target.high - target.low)
    return "low" if at <= target.low + near else ("high" if at >= target.high - near else "inside")


def _judge_loop(loop: Loop, found: LoopResult, remarks: list, method_failed: bool) -> None:
    """Write the loop's outcome and, where it did not settle, why."""
    run, group, plan = loop.run, loop.group, loop.plan
    outcome = LoopOutcome(
        number=len(run.solution.loops) + 1,
        units=plan.loop_units(group.units),
        tears=list(group.tears),
        settled=found.reason is Reason.SETTLED,
        reason=found.reason.value,
        passes=loop.passes,
        history=list(loop.history),
        gain=found.gain,
        distance=found.distance,
        tolerance=loop.tolerance,
        mode=_mode(loop, found),
        method=loop.method,
        findings=list(remarks),
        ties=list(group.ties),
        targets=list(group.targets),
        states=loop.states,
    )
    run.solution.loops.append(outcome)
    if run.explain:
        _record(loop, outcome)
        if outcome.settled and loop.pressures.floats():
            at = show(min(loop.pressures.held.values()), "pressure", plan.project.display)
            outcome.findings.append(
                f"Nothing in the loop sets its pressure: it stands at {at}, the lowest of what enters. A valve before it lowers it."
            )
    u = loop.unknowns
    run.solution.messages += plan.of_loop(
        account_of(loop, method_failed),
        found,
        outcome,
        u.flows(found.tear),
        u.flows(found.change),
        u.pressures(found.change),
        u.warmths(found.change),
    )
    if found.reason is Reason.NOT_FINITE:
        vars(outcome).update(finite(vars(outcome)))


def _mode(loop: Loop, found: LoopResult) -> dict[str, float]:
    """{species: its share in the slowest change}."""
    if found.mode is None or not loop.group.tears:
        return {}
    parts = np.abs(loop.unknowns.flows(found.mode)).sum(axis=0)
    total = parts.sum()
    return {s: float(v) for s, v in zip(loop.plan.species, parts / total, strict=True) if v > 1e-4 * total} if total > 0.0 else {}


def _record(loop: Loop, outcome: LoopOutcome) -> None:
    """Pass by pass: residuals by species, values of the tears; guess and result."""
    u, species = loop.unknowns, loop.plan.species
    steps = loop.steps[-SHOWN_PASSES:]
    outcome.first_pass = len(loop.steps) - len(steps) + 1
    if not steps:
        return
    changes = np.abs(np.array([c for _, c in steps])) / loop.scale
    values = np.array([x for x, _ in steps])
    if loop.group.tears:
        worst = u.parts(changes).max(axis=1)
        for k, name in enumerate((*species, "molar enthalpy", "pressure")):
            if worst[:, k].any():
                outcome.residuals[name] = worst[:, k].tolist()
    for k, tie in enumerate(loop.ties):
        outcome.coupled[f"tie on {tie.label}"] = u.ties(changes)[:, k].tolist()
    for k, target in enumerate(loop.targets):
        outcome.coupled[f"target on {target.gauge_label}"] = u.knobs(changes)[:, k].tolist()
    for k, tear in enumerate(loop.group.tears):
        outcome.by_pass[tear] = {s: u.flows(values)[:, k, i].tolist() for i, s in enumerate(species)}
        outcome.guess[tear] = dict(zip(species, u.flows(loop.begin)[k].tolist(), strict=True))
