"""What matters most: every knob, and every datum that is not sure, moved over its range and by a little, one at a time."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.project.inputs import addresses
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.scans.grid import ScanError, gauge_rows
from gulch.engine.scans.points import doubts_of, finite, rest_on, usable
from gulch.engine.scans.sure import unsure
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.document.process import KnobEntry
    from gulch.engine.explain import Plan
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.project.inputs import Address
    from gulch.engine.settle import Watch

LITTLE = 0.01  # of a knob's range: the step by which a sensitivity is measured, to either side
APART = 0.3  # of the larger of two one-sided slopes, by which they may differ on a smooth course
CLOSER, STAYS = 0.25, 0.6  # share of the step at which they are looked at again, and of their difference that a kink keeps there


@dataclass
class Swing:
    """One knob. SI; ends, slopes by gauge id. ends: {"low" or "high": {"value", "gauges", "why", "doubts"}}.

    slopes: d(gauge)/d(knob) at the present point by central differences, one-sided where a side cannot be computed; kinks: [below,
    above] of gauges whose slopes differ on the two sides, however near they are looked at.
    """

    knob: str
    label: str
    address: str
    dimension: str
    now: float
    ends: dict = field(default_factory=dict)
    slopes: dict = field(default_factory=dict)
    kinks: dict = field(default_factory=dict)


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
    if not project.knobs and not project.spreads:
        raise ScanError("No knob is there to be moved: make an input a knob first (◇ beside it in the inspector).")
    base = plan.run_from(start, watch=watch, explain=False)
    if not usable(base):
        why = next((m.what for m in base.messages if m.level == "error"), "")
        raise ScanError(f"The process does not solve as it is. {why}")
    touching = rest_on(plan, rows)
    out = Swings(rows, {g["id"]: finite(base.gauges.get(g["id"])) for g in rows})

    def at(address: str, value: float) -> dict[str, Any]:
        solution = plan.run_from(base.start, {address: value}, watch, explain=False)
        if not usable(solution):
            why = next((m.what for m in solution.messages if m.level == "error"), "It did not solve.")
            return {"value": value, "gauges": {}, "why": why, "doubts": []}
        found = {g["id"]: finite(solution.gauges.get(g["id"])) for g in rows}
        return {"value": value, "gauges": found, "why": "", "doubts": doubts_of(solution, touching)}

    free, held = movable(plan)
    out.left = dict(held.values())
    for k in free + unsure_rows(plan, {k["address"] for k in free}):
        low, high, now = k.pop("low"), k.pop("high"), k["now"]
        swing = Swing(**k)
        swing.ends = {"low": at(swing.address, low), "high": at(swing.address, high)}
        step = LITTLE * (high - low)
        bounds = plan.bounds.get(swing.address)
        ends = (low, high) if bounds is None else (bounds.low, bounds.high)
        sides = [at(swing.address, min(max(now + s, ends[0]), ends[1])) for s in (-step, step)]
        swing.slopes = {g["id"]: _slope(g["id"], sides, now, out.now) for g in rows}
        apart = {g: pair for g in swing.slopes if (pair := _sides(g, sides, now, out.now)) and _differ(pair)}
        if apart:
            near = [at(swing.address, min(max(now + s, ends[0]), ends[1])) for s in (-CLOSER * step, CLOSER * step)]
            for g, (below, above) in apart.items():
                closer = _sides(g, near, now, out.now)
                if closer and abs(closer[1] - closer[0]) > STAYS * abs(above - below):
                    swing.kinks[g] = list(closer)
        out.rows.append(swing)
        if watch.ended():
            break
    return out


def unsure_rows(plan: Plan, taken: set[str]) -> list[dict[str, Any]]:
    """Data that are not sure, over their ranges, as `movable` gives knobs; without addresses that are taken."""
    found = []
    for entry in plan.project.spreads:
        try:
            datum = unsure(plan, entry)
        except ScanError:
            continue  # said on the page of what is unsure
        if datum.address not in taken:
            row = {"knob": datum.key, "label": datum.label, "address": datum.address, "dimension": datum.dimension}
            found.append(row | {"low": datum.low, "high": datum.high, "now": datum.now})
    return found


def movable(plan: Plan) -> tuple[list[dict[str, Any]], dict[str, tuple[str, str]]]:
    """The knobs that can be moved, {"knob", "label", "address", "dimension", "low", "high", "now"} in SI; {id: (label, why not)}."""
    free, held = [], {}
    known = addresses(plan.project)
    for knob in plan.project.knobs:
        found = known.get(knob.input)
        why, low, high = _held(plan, knob, found), 0.0, 0.0
        if found is not None and not why:
            try:
                low, high = (parse(text, found.dimension) for text in (knob.low, knob.high))
                why = "" if low < high else "it has no range"
            except QuantityError as error:
                why = str(error)
        label = knob.label or (found.label if found else knob.id)
        if why or found is None:
            held[knob.id] = (label, why)
            continue
        free.append(
            {
                "knob": knob.id,
                "label": label,
                "address": knob.input,
                "dimension": found.dimension,
                "low": low,
                "high": high,
                "now": plan.inputs[knob.input],
            }
        )
    return free, held


def _held(plan: Plan, knob: KnobEntry, found: Address) -> str:
    """Why a knob cannot be moved, or ''."""
    if found is None:
        return "it turns what is no input now"
    if knob.input in plan.ties:
        return "a tie sets it"
    if any(t.address == knob.input for t in plan.targets.values()):
        return "a target turns it"
    return "" if knob.input in plan.inputs else "it has no value"


def _sides(gauge: str, sides: list[dict[str, Any]], now: float, base: dict[str, float]) -> tuple | None:
    """(slope below, slope above) of a gauge at the present point; None where a side is missing."""
    here = base.get(gauge)
    known = [(s["value"], s["gauges"].get(gauge)) for s in sides]
    if here is None or any(y is None or x == now for x, y in known):
        return None
    below, above = ((y - here) / (x - now) for x, y in known)
    return below, above


def _differ(pair: tuple) -> bool:
    """Whether two one-sided slopes differ by more than a smooth course lets expect over so small a step."""
    return abs(pair[1] - pair[0]) > APART * max(abs(pair[0]), abs(pair[1]))


def _slope(gauge: str, sides: list[dict[str, Any]], now: float, base: dict[str, float]) -> float | None:
    """d(gauge)/d(knob) between the sides that are there, the present point in place of one that is not."""
    known = [(s["value"], s["gauges"].get(gauge)) for s in sides if s["gauges"].get(gauge) is not None]
    if len(known) < 2 and base.get(gauge) is not None:
        known.append((now, base[gauge]))
    if len(known) < 2 or known[0][0] == known[1][0]:
        return None
    return (known[1][1] - known[0][1]) / (known[1][0] - known[0][0])
