"""Scan of one knob: evenly spaced values in blocks of neighbours, each solved from the last good state before it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.flowsheet.couplings import readings
from gulch.engine.flowsheet.inputs import addresses
from gulch.engine.flowsheet.places import About
from gulch.engine.flowsheet.plan import Plan
from gulch.engine.flowsheet.results import beyond
from gulch.engine.quantities import QuantityError, parse, show
from gulch.engine.settle import UNWATCHED
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project, ScanEntry
    from gulch.engine.flowsheet.solution import Solution
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.settle import Watch

BLOCK = 12  # points walked one after another


class ScanError(ValueError):
    """A scan that cannot be run; the message is a sentence for the user."""


@dataclass
class ScanResult:
    """A scan's record in SI. points: {"value", "solved", "gauges": {id: value or None}, "why", "note", "warnings"}."""

    scan: str
    address: str
    dimension: str
    label: str
    gauges: list  # [{"id", "label", "dimension", "at_least", "at_most"}]
    points: list = field(default_factory=list)
    cancelled: bool = False

    def to_dict(self) -> dict[str, str]:
        """Plain data, as stored."""
        return asdict(self)


def settings(project: Project, scan: ScanEntry) -> tuple:
    """(knob Address, SI values of shape (n,), gauge rows) of a scan. Raises ScanError."""
    sweep = scan.over[0]
    knob = project.knob(sweep.knob)
    if knob is None:
        raise ScanError(f"The scan turns knob {sweep.knob}, which the project does not have: choose another knob.")
    inputs = addresses(project)
    if knob.input not in inputs:
        raise ScanError(f"Knob {knob.id} turns {knob.input}, which is not an input now: choose another knob.")
    address = inputs[knob.input]
    try:
        low, high = (parse(text, address.dimension) for text in (sweep.low or knob.low, sweep.high or knob.high))
    except QuantityError as error:
        raise ScanError(f"The scan's range: {error}") from None
    if not low < high:
        raise ScanError("The scan's low end is not below its high end: exchange them.")
    if low < address.low or high > address.high:
        raise ScanError(f"The scan's range leaves what {address.label} allows: narrow it.")
    known = readings(project)
    rows = []
    for id_ in scan.gauges or [g.id for g in project.gauges]:
        gauge = project.gauge(id_)
        if gauge is None or gauge.reads not in known:
            raise ScanError(f"The scan records gauge {id_}, which the project does not have: take it off the list.")
        found = known[gauge.reads]
        limits = {}
        for name in ("at_least", "at_most"):
            text = getattr(gauge, name)
            try:
                limits[name] = None if text is None else parse(text, found.dimension)
            except QuantityError as error:
                raise ScanError(f"Limit of gauge {id_}: {error}") from None
        rows.append({"id": id_, "label": gauge.label or found.label, "dimension": found.dimension, "reads": gauge.reads, **limits})
    if not rows:
        raise ScanError("The scan has no gauge to record: turn a result into a gauge first.")
    return address, np.linspace(low, high, sweep.points), rows


def blank(project: Project, scan: ScanEntry) -> ScanResult:
    """A ScanResult without points. Raises ScanError."""
    address, _, rows = settings(project, scan)
    knob = project.knob(scan.over[0].knob)
    return ScanResult(scan.id, address.address, address.dimension, knob.label or address.label, rows)


def ready_plan(project: Project) -> Plan:
    """The Plan of a project that is ready to solve. Raises ScanError."""
    plan = Plan(project)
    if not plan.ready:
        first = next(m for m in plan.messages if m.level == "error")
        raise ScanError(f"The process is not ready to solve. {first.what} {first.todo}")
    return plan


def blocks(project: Project, count: int, done: set[int] | tuple = ()) -> list:
    """The points of a scan in runs of neighbours [(index, …)], without those done; each is walked by itself.

    How a scan is cut does not depend on who works on it, so its figures do not either. Where a unit has several
    states all points hang together: the state follows from the point before.
    """
    whole = any(KINDS[u.kind].follows for u in project.units)
    size = count if whole else min(BLOCK, max(1, -(-count // 2)))
    cut = [range(at, min(at + size, count)) for at in range(0, count, size)]
    left = [tuple(i for i in block if i not in done) for block in cut]
    return [block for block in left if block]


def mends(points: dict, count: int) -> list:
    """Runs (solved neighbour, index, …) of points that did not solve where a block began, to be tried from before it.

    points: {index: point}.
    """
    out = []
    for i in range(1, count):
        before, here = points.get(i - 1), points.get(i)
        if here and before and before["solved"] and not here["solved"]:
            run = [i - 1, i]
            while run[-1] + 1 < count and (after := points.get(run[-1] + 1)) and not after["solved"]:
                run.append(run[-1] + 1)
            out.append(tuple(run))
    return out


def walk(plan: Plan, scan: ScanEntry, indices: tuple, start: Start | None = None, watch: Watch = UNWATCHED) -> Iterator:
    """Solve some points of a scan in turn, each from its neighbour. Yields (index, point); ends early with the watch."""
    project = plan.project
    address, values, rows = settings(project, scan)
    before, following = None, {}
    for i in indices:
        overrides = {address.address: float(values[i])} | following
        solution = plan.run(start=start, overrides=overrides, watch=watch, explain=False)
        if not solution.solved and start and not watch.ended():
            solution = plan.run(overrides=overrides, watch=watch, explain=False)
        if watch.ended():
            return
        why = note = ""
        usable = solution.solved and all(t.met for t in solution.targets)
        if usable:
            start = solution.start
            note = branch_ends(before, solution, project.display)
            before = solution
            following = followed(project, solution)
        else:
            why = next((m.what for m in solution.messages if m.level == "error"), "It did not solve.")
        gauges = {g["id"]: _finite(solution.gauges.get(g["id"])) if usable else None for g in rows}
        yield (
            i,
            {
                "value": float(values[i]),
                "solved": usable,
                "gauges": gauges,
                "why": why,
                "note": note,
                "warnings": point_warnings(solution, plan) if usable else [],
            },
        )


def _finite(value):
    return value if value is not None and math.isfinite(value) else None


def run_scan(
    project: Project, scan: ScanEntry, start: Start | None = None, progress: Callable = lambda done, total: None, watch: Watch = UNWATCHED
) -> ScanResult:
    """Run a scan of a Project. progress(done, total) is called after every point. Returns ScanResult.

    Raises ScanError when the scan cannot begin; a point that does not solve is recorded with its reason.
    """
    out, count = blank(project, scan), scan.over[0].points
    plan, points = ready_plan(project), {}
    for block in blocks(project, count):
        for i, point in walk(plan, scan, block, start, watch):
            points[i] = point
            progress(len(points), count)
    for run in mends(points, count):
        for i, point in walk(plan, scan, run, start, watch):
            if point["solved"]:
                points[i] = point
    out.points, out.cancelled = [points[i] for i in sorted(points)], watch.ended() is not None
    return out


def point_warnings(solution: Solution, plan: Plan) -> list[str]:
    """What the process would say of a point: the warnings that its solve found, without those of gauges on their limits."""
    return [m.what for m in solution.messages[len(plan.messages) :] if m.level == "warning" and m.place.about is not About.GAUGE]


def windows(points: list, gauges: list) -> list:
    """[(low, high)] of a scan's values between which every gauge is inside its limits, SI; ends where a limit is crossed.

    points, gauges: as of a ScanResult. Crossings lie on the straight lines between points; beside a point that did not
    solve the window ends at the last one that did.
    """
    good = [p["solved"] and all(_limit(p, g) is None for g in gauges) for p in points]
    out, low = [], None
    for i, (p, inside) in enumerate(zip(points, good, strict=True)):
        if inside and low is None:
            low = p["value"] if i == 0 else _crossing(p, points[i - 1], gauges)
        last = i + 1 == len(points)
        if inside and (last or not good[i + 1]):
            out.append((low, p["value"] if last else _crossing(p, points[i + 1], gauges)))
            low = None
    return out


def _limit(point, gauge):
    """The limit [SI] that a gauge breaks at a point, or None; one that was not computed breaks none."""
    value = point["gauges"].get(gauge["id"])
    broken = None if value is None else beyond(value, gauge["at_least"], gauge["at_most"])
    return gauge[broken] if broken else None


def _crossing(inside, outside, gauges):
    """Where the first limit is crossed on the way from a point inside the window to one outside."""
    if not outside["solved"]:
        return inside["value"]
    share = 1.0
    for g in gauges:
        limit, a, b = _limit(outside, g), inside["gauges"].get(g["id"]), outside["gauges"].get(g["id"])
        if limit is not None and a is not None and a != b:
            share = min(share, (limit - a) / (b - a))
    return inside["value"] + share * (outside["value"] - inside["value"])


def followed(project: Project, solution: Solution) -> dict[str, float]:
    """Overrides that let units which have several states stay on theirs from point to point."""
    out = {}
    for unit in project.units:
        for name, result in KINDS[unit.kind].follows.items():
            if unit.state == "nearest" and solution.units[unit.id].values.get(result) is not None:
                out[f"{unit.id}.{name}"] = solution.units[unit.id].values[result]
    return out


def branch_ends(before: Solution | None, now: Solution, display: str) -> str:
    """A sentence where a unit with several states left the branch it ran on, or ''."""
    for id_, outcome in now.units.items() if before else ():
        old, new = before.units[id_].values, outcome.values
        if "branch" in new and old.get("branch") != new["branch"]:
            T0, T1 = old["outlet_temperature"], new["outlet_temperature"]
            if abs(T1 - T0) > 10.0:
                return (
                    f"{id_}: the branch of steady states run before ends here; its temperature goes from "
                    f"{show(T0, 'temperature', display)} to {show(T1, 'temperature', display)}."
                )
    return ""
