"""What a run found, read with the gauges and limits of today."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.scans import Recall, ScanError, gauge_rows, gauges_of, ready_plan, rest_on, touched
from gulch.web.scans import jobs

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.engine.document.studies import ScanEntry
    from gulch.web.projects.models import ScanRun


def result_today(run: ScanRun, document: Project, entry: ScanEntry) -> dict[str, Any] | None:
    """A run's record whose gauges and limits are those of the document now; None before it began.

    Gauges that the points were not computed for are read from what each point kept; where that cannot be, they are left out.
    """
    result = jobs.result_of(run)
    if not result or not result["points"]:
        return result
    try:
        rows = gauge_rows(document, gauges_of(document, entry))
    except ScanError:
        return result  # a gauge of the list is gone: as it was recorded
    then = {g["id"]: g.get("reads") for g in result["gauges"]}
    new = [g for g in rows if then.get(g["id"], "") not in (g["reads"], None)]
    if new:
        _recall(run, result, document, new)
    known = {id_ for p in result["points"] for id_ in p["gauges"]}
    return result | {"gauges": [g for g in rows if g["id"] in known]}


def _recall(run: ScanRun, result: dict[str, Any], document: Project, rows: list[dict[str, Any]]) -> None:
    """Add gauges to the points of a result."""
    before = jobs.document_of(run.revision, run.variant)
    before.gauges = document.gauges
    recall = Recall(before)
    touching = rest_on(ready_plan(before), rows) if any(p.get("doubted") for p in result["points"]) else set()
    addresses = [a["address"] for a in result.get("axes") or [result]]
    of_branches = [p for c in result.get("branches") or () for p in (*(p for a in c["arcs"] for p in a["points"]), *c["folds"])]
    for p in (*result["points"], *of_branches):
        also = touched(p.get("doubted", []), touching)  # a gauge thought of later may rest on what those before did not
        p["doubts"] = sorted({*p.get("doubts", []), *also})
        overrides = dict(zip(addresses, p.get("values", [p["value"]]), strict=True))
        for g in rows:
            if p["solved"] and recall.holds(p):
                p["gauges"][g["id"]] = recall.gauge(p, g["reads"], overrides)
            elif not p["solved"]:
                p["gauges"][g["id"]] = None
