"""Edits of scans."""

from gulch.engine.document import ScanEntry, Sweep
from gulch.engine.flowsheet import edit
from gulch.engine.flowsheet.edit import EditError
from gulch.engine.flowsheet.inputs import addresses
from gulch.engine.flowsheet.typed import typed
from gulch.web.projects.registry import Done, action


@action("scan-add")
def add_scan(document, form):
    if not document.knobs:
        raise EditError("A scan turns a knob: make an input a knob first (◇ beside it in the inspector).")
    id_ = edit.fresh("scan", {s.id for s in document.scans})
    held = {t.knob for t in document.targets if t.on}
    tied = {t.sets for t in document.ties}
    free = [k for k in document.knobs if k.id not in held and k.input not in tied]
    if not free:
        raise EditError(
            "Every knob is turned by a target or a tie already: make another input a knob first (◇ beside it in the inspector)."
        )
    document.scans.append(ScanEntry(id=id_, over=[Sweep(knob=free[0].id)]))  # no list of gauges: all of them
    return Done(f"Add scan {id_}", id_)


@action("scan-edit")
def edit_scan(document, form):
    scan = document.scan(form["id"])
    if scan is None:
        raise EditError("The scan is gone: reload the page.")
    sweep = scan.over[0]
    knob = document.knob(form.get("knob", sweep.knob))
    if knob is None:
        raise EditError("The knob is gone: choose another.")
    found = addresses(document).get(knob.input)
    turned = sweep.knob != knob.id
    sweep.knob = knob.id
    for name in ("low", "high"):
        text = "" if turned else form.get(name, "").strip()
        setattr(sweep, name, (typed(document, f"scan.{scan.id}.{name}", text, found.dimension) if found else text) or None)
    try:
        points = int(form.get("points", sweep.points))
    except ValueError:
        raise EditError(f"“{form['points']}” is not a number of points: type a whole number from 2 to 500.") from None
    if not 2 <= points <= 500:
        raise EditError(f"{points} points cannot be scanned: type a whole number from 2 to 500.")
    sweep.points = points
    if "gauges_sent" in form:
        ticked = form.getlist("gauges")
        scan.gauges = [] if set(ticked) == {g.id for g in document.gauges} else ticked
    return Done(f"Change scan {scan.id}", scan.id)


@action("scan-remove")
def remove_scan(document, form):
    document.scans = [s for s in document.scans if s.id != form["id"]]
    return Done(f"Remove scan {form['id']}", "")


@action("carry")
def carry(document, form):
    """Carry a scanned point's value back to the process."""
    from gulch.web.process.actions import set_input

    return set_input(document, {"address": form["address"], "value": form["value"]})
