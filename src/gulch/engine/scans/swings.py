"""What matters most: every knob moved over its range and by a little, one at a time, the others as they are."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.flowsheet.inputs import addresses
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.scans.grid import ScanError, gauge_rows
from gulch.engine.scans.points import doubts_of, finite, rest_on, usable
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.document import KnobEntry, Project
    from gulch.engine.flowsheet.plan import Plan
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.settle import Watch

LITTLE = 0.01  # of a knob's range: the step by which a sensitivity is measured, to either side


@dataclass
class Swing:
    """One knob. SI; ends, slopes by gauge id. ends: {"low" or "high": {"value", "gauges", "why", "doubts"}}.

    slopes: d(gauge)/d(knob) at the present point by central differences, one-sided where a side cannot be computed.
    """

    knob: str
    label: str
    address: str
    dimension: str
    now: float
    ends: dict = field(default_factory=dict)
    slopes: dict = field(default_factory=dict)


@dataclass
class Swings:
    """Every knob's Swing, and what the gauges read now {id: SI value}. gauges: rows as of a Grid; left: knobs not moved, and why."""

    gauges: list
    now: dict
    rows: list = field(default_factory=list)
    left: dict = field(default_factory=dict)

    def to_dict(self) -> dict[str, Any]:
        """Plain data."""
        return asdict(self)


def swings(plan: Plan, start: Start | None = None, watch: Watch = UNWATCHED) -> Swings:
    """Move every knob of a prepared process. Raises ScanError with a sentence where there is nothing to move or to watch.

    Four solves a knob. A point that does not solve is told with its reason; knobs that a tie or a target sets are left out.
    """
    project = plan.project
    rows = gauge_rows(project)
    if not rows:
        raise ScanError("No gauge is there to be watched: turn a result into a gauge first.")
    if not project.knobs:
        raise ScanError("No knob is there to be moved: make an input a knob first (◇ beside it in the inspector).")
    base = plan.run(start=start, watch=watch, explain=False)
    if not usable(base):
        why = next((m.what for m in base.messages if m.level == "error"), "")
        raise ScanError(f"The process does not solve as it is. {why}")
    touching = rest_on(plan, rows)
    out = Swings(rows, {g["id"]: finite(base.gauges.get(g["id"])) for g in rows})

    def at(address, value):
        solution = plan.run(start=base.start, overrides={address: value}, watch=watch, explain=False)
        if not usable(solution):
            why = next((m.what for m in solution.messages if m.level == "error"), "It did not solve.")
            return {"value": value, "gauges": {}, "why": why, "doubts": []}
        found = {g["id"]: finite(solution.gauges.get(g["id"])) for g in rows}
        return {"value": value, "gauges": found, "why": "", "doubts": doubts_of(solution, touching)}

    for knob in project.knobs:
        try:
            low, high, now, swing = _knob(plan, project, knob)
        except ScanError as reason:
            out.left[knob.label or knob.id] = str(reason)
            continue
        swing.ends = {"low": at(swing.address, low), "high": at(swing.address, high)}
        step = LITTLE * (high - low)
        bounds = plan.bounds[swing.address]
        sides = [at(swing.address, min(max(now + s, bounds.low), bounds.high)) for s in (-step, step)]
        swing.slopes = {g["id"]: _slope(g["id"], sides, now, out.now) for g in rows}
        out.rows.append(swing)
        if watch.ended():
            break
    return out


def _knob(plan: Plan, project: Project, knob: KnobEntry):
    """(low, high, now [SI], Swing) of a knob that can be moved."""
    found = addresses(project).get(knob.input)
    if found is None:
        raise ScanError("it turns what is no input now")
    if knob.input in plan.ties:
        raise ScanError("a tie sets it")
    if any(t.address == knob.input for t in plan.targets.values()):
        raise ScanError("a target turns it")
    try:
        low, high = (parse(text, found.dimension) for text in (knob.low, knob.high))
    except QuantityError as error:
        raise ScanError(str(error)) from None
    now = plan.inputs.get(knob.input)
    if now is None or not low < high:
        raise ScanError("it has no value or no range")
    return low, high, now, Swing(knob.id, knob.label or found.label, knob.input, found.dimension, now)


def _slope(gauge, sides, now, base):
    """d(gauge)/d(knob) between the sides that are there, the present point in place of one that is not."""
    known = [(s["value"], s["gauges"].get(gauge)) for s in sides if s["gauges"].get(gauge) is not None]
    if len(known) < 2 and base.get(gauge) is not None:
        known.append((now, base[gauge]))
    if len(known) < 2 or known[0][0] == known[1][0]:
        return None
    return (known[1][1] - known[0][1]) / (known[1][0] - known[0][0])
