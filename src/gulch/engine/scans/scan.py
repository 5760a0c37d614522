"""Scans of one knob or two: blocks of neighbours, each point solved from the last good state before it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.explain import Plan
from gulch.engine.project.unsure import anything_unsure
from gulch.engine.quantities import show
from gulch.engine.scans.branches import along_branch, branched, branches, jumps
from gulch.engine.scans.grid import Grid, Listed, ScanError, grid_of
from gulch.engine.scans.points import doubted_of, finite, point_warnings, rest_on, touched, usable
from gulch.engine.scans.record import keep, recorded
from gulch.engine.scans.refine import bends, refined, row_edges
from gulch.engine.scans.sure import band, unsure_of
from gulch.engine.settle import UNWATCHED
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project, ScanEntry
    from gulch.engine.flowsheet.solution import Solution
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.settle import Watch

BLOCK = 12  # points walked one after another


@dataclass
class ScanResult:
    """A scan's record in SI. points: {"value", "values", "solved", "gauges": {id: value or None}, "why", "note",
    "warnings", "doubts": codes, "record": all results, as `record.keep` writes them}."""

    scan: str
    address: str
    dimension: str
    label: str
    gauges: list  # [{"id", "label", "dimension", "reads", "at_least", "at_most"}]
    listed: bool = False  # whether the points are those of a list and not a grid's
    axes: list = field(default_factory=list)  # Axis.to_dict of each knob, the first of which the fields above repeat
    points: list = field(default_factory=list)
    edges: list = field(default_factory=list)  # where gauges cross their limits; of two knobs along the rows, round the window
    peaks: list = field(default_factory=list)  # of one knob: highest and lowest points inside
    bends: list = field(default_factory=list)  # of one knob: further points where lines bend
    branches: list = field(default_factory=list)  # of one knob: steady states of loops that have several, see `branches`
    notes: dict = field(default_factory=dict)  # {index of a point, as text: where it leaves the branch of the points before}
    cancelled: bool = False

    def to_dict(self) -> dict[str, Any]:
        """Plain data, as stored."""
        return asdict(self)


def blank(project: Project, scan: ScanEntry) -> ScanResult:
    """A ScanResult without points. Raises ScanError."""
    grid = grid_of(project, scan)
    first = grid.axes[0]
    listed = isinstance(grid, Listed)
    return ScanResult(scan.id, first.address, first.dimension, first.label, grid.gauges, listed, [a.to_dict() for a in grid.axes])


def ready_plan(project: Project) -> Plan:
    """The Plan of a project that is ready to solve. Raises ScanError."""
    plan = Plan(project)
    if not plan.ready:
        first = next((m for m in plan.messages if m.level == "error"), None) or next(iter(plan.messages), None)
        raise ScanError(f"The process is not ready to solve. {first.what} {first.todo}" if first else "There is nothing to solve yet.")
    return plan


def blocks(plan: Plan, grid: Grid, done: Collection[int] = ()) -> list:
    """The points of a scan in runs of neighbours [(index, …)], without those done; each is walked by itself.

    How a scan is cut does not depend on who works on it, so its figures do not either. Where a unit has several
    states all points of a row hang together: the state follows from the point before. Of two knobs a row is one run.
    Where a loop may have several, one knob is walked both ways from where it stands, along the branch that runs.
    """
    if len(grid.axes) == 1 and not isinstance(grid, Listed) and branched(plan):
        away = np.abs(grid.axes[0].values - plan.inputs.get(grid.axes[0].address, grid.axes[0].values[0]))
        now = int(np.argmin(away))
        ways = [range(now, grid.count), range(now - 1, -1, -1)]
        return [run for way in ways if (run := tuple(i for i in way if i not in done))]
    whole = any(KINDS[u.kind].follows for u in plan.project.units)
    rows = len(grid.axes) > 1 and not isinstance(grid, Listed)
    size = grid.count if whole and isinstance(grid, Listed) else grid.row if whole or rows else min(BLOCK, max(1, -(-grid.row // 2)))
    cut = [range(at, min(at + size, grid.count)) for at in range(0, grid.count, size)]
    left = [tuple(i for i in block if i not in done) for block in cut]
    return [block for block in left if block]


def mends(points: dict, grid: Grid) -> list:
    """Runs (solved neighbour, index, …) of points that did not solve where a block began, to be tried from before it.

    points: {index: point}. Of two knobs a row that failed at its beginning is tried from the other end.
    """
    out = []
    for i in range(1, grid.count):
        before, here = points.get(i - 1), points.get(i)
        if i % grid.row and here and before and before["solved"] and not here["solved"]:
            run = [i - 1, i]
            while (run[-1] + 1) % grid.row and (after := points.get(run[-1] + 1)) and not after["solved"]:
                run.append(run[-1] + 1)
            out.append(tuple(run))
    return out + (_backwards(points, grid) if len(grid.axes) > 1 and not isinstance(grid, Listed) else [])


def _backwards(points: dict[int, dict[str, Any]], grid: Grid) -> list:
    """Runs towards the beginning of a row, from its first point that solved."""
    out = []
    for begin in range(0, grid.count, grid.row):
        row = [points.get(i) for i in range(begin, begin + grid.row)]
        first = next((k for k, p in enumerate(row) if p and p["solved"]), 0)
        if first and all(row[:first]):
            out.append(tuple(range(begin + first, begin - 1, -1)))
    return out


def walk(plan: Plan, scan: ScanEntry, indices: tuple, start: Start | None = None, watch: Watch = UNWATCHED) -> Iterator:
    """Solve some points of a scan in turn, each from its neighbour. Yields (index, point); ends early with the watch."""
    project, grid = plan.project, grid_of(plan.project, scan)
    before: Solution | None = None
    at, following, which = 0.0, {}, recorded(plan.project)
    touching = rest_on(plan, grid.gauges)
    unsure = unsure_of(plan) if scan.band and anything_unsure(project) else []
    axis = grid.axes[0].address if len(grid.axes) == 1 and not isinstance(grid, Listed) and branched(plan) else ""
    if axis in plan.inputs:  # where the process stands is where its branch is known
        here, at = plan.run_from(start, {}, watch, explain=False), plan.inputs[axis]
        before = here if here.solved else None
    for i in indices:
        overrides = grid.overrides(i) | following
        if axis and before is not None:
            solution = along_branch(plan, axis, (at, before), grid.at(i)[0], following, watch)
        else:
            solution = plan.run_from(start, overrides, watch, explain=False)
        if watch.ended():
            return
        point = {"value": grid.at(i)[0], "values": grid.at(i), "solved": usable(solution), "why": "", "note": ""}
        if point["solved"]:
            start = solution.start
            point["note"] = branch_ends(before, solution, project.display)
            before, at = solution, grid.at(i)[0]
            following = followed(project, solution)
            point["record"] = keep(solution, which, plan.molar_mass)
        else:
            point["why"] = next((m.what for m in solution.messages if m.level == "error"), "It did not solve.")
        point["gauges"] = {g["id"]: finite(solution.gauges.get(g["id"])) if point["solved"] else None for g in grid.gauges}
        point["warnings"] = point_warnings(solution, plan) if point["solved"] else []
        doubted = doubted_of(solution) if point["solved"] else []
        point["doubted"], point["doubts"] = doubted, touched(doubted, touching)
        if point["solved"] and unsure:
            point["band"] = band(plan, unsure, grid.overrides(i) | following, solution.start, grid.gauges, watch)
        yield i, point


def run_scan(
    project: Project, scan: ScanEntry, start: Start | None = None, progress: Callable = lambda done, total: None, watch: Watch = UNWATCHED
) -> ScanResult:
    """Run a scan of a Project. progress(done, total) is called after every point. Returns ScanResult.

    Raises ScanError when the scan cannot begin; a point that does not solve is recorded with its reason.
    """
    out, grid = blank(project, scan), grid_of(project, scan)
    plan, points = ready_plan(project), {}
    for block in blocks(plan, grid):
        for i, point in walk(plan, scan, block, start, watch):
            points[i] = point
            progress(len(points), grid.count)
    for run in mends(points, grid):
        for i, point in walk(plan, scan, run, start, watch):
            if point["solved"]:
                points[i] = point
    out.points, out.cancelled = [points[i] for i in sorted(points)], watch.ended() is not None
    vars(out).update(between(plan, grid, out.points, start, watch))
    out.points = noted(out.points, out.notes)
    return out


def between(plan: Plan, grid: Grid, points: list, start: Start | None = None, watch: Watch = UNWATCHED) -> dict[str, Any]:
    """What is solved once a scan's points are there: {"edges", "peaks", "bends", "branches", "notes"} of a ScanResult.

    Where points leave their branch no edges and peaks are looked for: between two branches there is no line.
    """
    if isinstance(grid, Listed):
        return {}
    if len(grid.axes) > 1:
        return {"edges": row_edges(plan, grid, points, start, watch)}
    curves = branches(plan, grid, start, watch)
    notes = jumps(plan, grid, points, curves)
    words = {str(i): note for i, note in notes.items()}
    edges, peaks = refined(plan, grid, noted(points, words), start, watch)
    turns = [] if curves else bends(plan, grid, points, start, watch)
    return {"edges": edges, "peaks": peaks, "bends": turns, "branches": curves, "notes": words}


def noted(points: list[dict[str, Any]], notes: dict[str, str]) -> list[dict[str, Any]]:
    """Points of a scan with what is said of some of them; notes: as of a ScanResult."""
    return [p | {"note": notes[str(i)]} if str(i) in notes else p for i, p in enumerate(points)]


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
