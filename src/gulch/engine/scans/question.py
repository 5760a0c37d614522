"""A search as the document asks it: its aims with their knobs and ranges, and its answer."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from gulch.engine.project.inputs import addresses
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.scans import tradeoff
from gulch.engine.scans.best import best
from gulch.engine.scans.grid import ScanError, gauge_rows
from gulch.engine.scans.search import Aim, Point, knobs_of, most_for
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.document import Project, SearchEntry
    from gulch.engine.explain import Plan
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.settle import Watch


def question_of(project: Project, entry: SearchEntry) -> tuple[Aim, Aim | None]:
    """The Aim of a search and the one it is traded against, if any. Raises ScanError with a sentence."""
    if not project.gauges:
        raise ScanError("No gauge is there to aim at: turn a result into a gauge first (○ beside it in the inspector).")
    free = next((g.id for g in project.gauges if g.at_least is None and g.at_most is None), project.gauges[0].id)
    knobs, ranges = tuple(t.knob for t in entry.over), {}
    known = addresses(project)
    for turned in entry.over:
        knob = project.knob(turned.knob)
        found = known.get(knob.input) if knob else None
        if knob is None or found is None:
            raise ScanError(f"The search turns knob {turned.knob}, which turns no input now: leave it out.")
        try:
            ranges[knob.id] = (parse(turned.low or knob.low, found.dimension), parse(turned.high or knob.high, found.dimension))
        except QuantityError as error:
            raise ScanError(f"The range of {knob.label or found.label}: {error}") from None
    aim = Aim(entry.aim or free, entry.way == "highest", knobs, ranges, tuple(entry.passing))
    if entry.against is None:
        return aim, None
    return aim, Aim(entry.against, entry.against_way == "highest", knobs, ranges, tuple(entry.passing))


def most_solves(plan: Plan, entry: SearchEntry) -> int:
    """How many solves a search may take before it is gone on with. Raises ScanError."""
    aim, against = question_of(plan.project, entry)
    return most_for(len(knobs_of(plan, aim))) if against is None else tradeoff.MOST_SOLVES


def answered(
    plan: Plan,
    entry: SearchEntry,
    start: Start | None = None,
    watch: Watch = UNWATCHED,
    known: list[Point] | tuple = (),
    tell: Callable = lambda point: None,
    most: int | None = None,
) -> dict[str, Any]:
    """The answer of a search as plain data: an Optimum with kind "best", or a TradeOff with kind "trade-off". Raises ScanError.

    known, tell, most: as of `best`.
    """
    aim, against = question_of(plan.project, entry)
    if against is None:
        return {"kind": "best"} | best(plan, aim, start, watch, known, tell, most).to_dict()
    return {"kind": "trade-off"} | tradeoff.trade_off(plan, aim, against, start, watch, known, tell, most).to_dict()


def blank_answer(plan: Plan, entry: SearchEntry) -> dict[str, Any]:
    """What is known of a search before it begins: its kind, its knobs as axes, and the gauges. Raises ScanError."""
    aim, against = question_of(plan.project, entry)
    kind = "best" if against is None else "trade-off"
    return {"kind": kind, "axes": knobs_of(plan, aim), "gauges": gauge_rows(plan.project), "aim": aim.gauge, "highest": aim.highest}
