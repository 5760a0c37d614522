"""A whole scan on worker processes, waited for: what the command line does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.scans import ScanError, ScanResult, blank, blocks, grid_of, mends, noted, ready_plan
from gulch.engine.work.job import Ending
from gulch.engine.work.packing import unpack
from gulch.engine.work.tasks import RefineScan, ScanPart

if TYPE_CHECKING:
    from gulch.engine.document import Project, ScanEntry
    from gulch.engine.work.job import Job
    from gulch.engine.work.pool import Workers


def scan_on(workers: Workers, project: Project, scan: ScanEntry) -> ScanResult:
    """Run a scan of a Project on some Workers: the same points as `run_scan` makes.

    Raises ScanError when the scan cannot begin, or when a part of it broke off.
    """
    out, grid, points = blank(project, scan), grid_of(project, scan), {}
    plan = ready_plan(project)
    document = project.dump()

    def walked(parts: list[tuple]) -> dict[int, dict[str, Any]]:
        found = {}
        jobs = [
            workers.submit(ScanPart(document, scan.id, part), lane="later", on_item=lambda _, item: found.update([item])) for part in parts
        ]
        for job in jobs:
            _ended(job)
        return found

    points |= walked(blocks(plan, grid))
    points |= {i: p for i, p in walked(mends(points, grid)).items() if p["solved"]}
    out.points = [points[i] for i in sorted(points)]
    if not out.listed:
        job = _ended(workers.submit(RefineScan(document, scan.id, out.points), lane="later"))
        vars(out).update(unpack(job.value[1]))
        out.points = noted(out.points, out.notes)
    return out


def _ended(job: Job) -> Any:
    job.wait(1e9)
    if job.ending is not Ending.DONE:
        raise ScanError(job.words or f"A part of the scan broke off: {job.ending.value}.")
    return job
