"""What a run found, read with the gauges and limits of today."""

from gulch.engine.document import load
from gulch.engine.flowsheet.variants import worked
from gulch.engine.scans import Recall, ScanError, gauge_rows, gauges_of
from gulch.web.scans import jobs


def result_today(run, document, entry):
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


def _recall(run, result, document, rows):
    """Add gauges to the points of a result."""
    before = worked(load(run.revision.document))
    before.gauges = document.gauges
    recall = Recall(before)
    addresses = [a["address"] for a in result.get("axes") or [result]]
    for p in result["points"]:
        overrides = dict(zip(addresses, p.get("values", [p["value"]]), strict=True))
        for g in rows:
            if p["solved"] and p.get("record"):
                p["gauges"][g["id"]] = recall.gauge(p, g["reads"], overrides)
            elif not p["solved"]:
                p["gauges"][g["id"]] = None
