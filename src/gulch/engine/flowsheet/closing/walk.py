"""A loop that does not settle, reached from an easier plant: one that draws more, by steps that fit to the one asked for.

Notation: x: the vector of unknowns, shape (n,); shares drawn: fractions.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.settle import PassFailed, Reason

if TYPE_CHECKING:
    from gulch.engine.flowsheet.closing.loop import Loop
    from gulch.engine.settle import LoopResult

EASY = (0.02, 0.1, 0.3)  # shares drawn from which the walk may begin
FIRST = 0.5  # of the share, to which the first step goes; in logarithms
SHORTEST = 0.05  # of the first step, below which the walk is given up
MOST_STEPS = 40
MOST_PASSES = 300  # of the whole walk


def drawn_inputs(loop: Loop) -> list[str]:
    """Addresses of the shares that splitters draw out of the loop, of those that nothing else sets."""
    plan, set_elsewhere = loop.plan, {t.address for t in (*loop.targets, *loop.ties)} | set(loop.plan.ties)
    out = []
    for unit, port, stream in loop.ways_out():
        address = f"{unit}.{port}"
        if plan.units[unit].kind == "splitter" and stream not in plan.open and address in loop.run.inputs and address not in set_elsewhere:
            out.append(address)
    return out


def walked(loop: Loop, found: LoopResult) -> LoopResult:
    """LoopResult of the plant asked for, reached by drawing less and less; `found`, which did not settle, where that leads nowhere."""
    addresses = [a for a in drawn_inputs(loop) if 0.0 < loop.run.inputs[a] < EASY[-1]]
    if not addresses or not loop.group.tears or found.reason in (Reason.CANCELLED, Reason.OUT_OF_TIME):
        return found
    u, moved = loop.unknowns, np.abs(found.change / loop.scale)
    if u.warmths(moved).max() > u.flows(moved).max():
        return found  # it is heat that does not settle, and no larger purge takes that out
    asked = {a: loop.run.inputs[a] for a in addresses}
    try:
        for easy in EASY:
            there = _at(loop, asked, easy, loop.begin)
            if there is not None:
                return _down(loop, asked, easy, there) or found
    finally:
        for a, share in asked.items():
            loop.run.set_input(a, share)
    return found


def _at(loop: Loop, asked: dict[str, float], share: float, x: np.ndarray) -> LoopResult | None:
    """The loop settled from x with every share raised to at least `share`; None where it does not settle."""
    for a, own in asked.items():
        loop.run.set_input(a, max(own, share))
    try:
        found = loop.search(x)
    except PassFailed:
        return None
    return found if found.reason.settled else None


def _down(loop: Loop, asked: dict[str, float], share: float, there: LoopResult) -> LoopResult | None:
    """The loop at the shares asked for, from where it settled at a larger one; each start is foretold from the last two."""
    begun = loop.passes
    goal, step = math.log(min(asked.values())), math.log(FIRST)
    at, before = math.log(share), None
    for _ in range(MOST_STEPS):
        if loop.run.watch.ended() or loop.passes - begun > MOST_PASSES:
            return None
        to = max(at + step, goal)
        x = there.tear
        if before is not None:
            x = np.clip(x + (x - before[1]) * (to - at) / (at - before[0]), loop.floor, loop.ceiling)
        found = _at(loop, asked, math.exp(to), x)
        if found is None:
            step *= 0.5
            if step > SHORTEST * math.log(FIRST):
                return None
            continue
        if to <= goal:
            return found
        before, at, there, step = (at, there.tear), to, found, 1.5 * step
    return None
