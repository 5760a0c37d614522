"""Edits of scans."""

from gulch.engine.document import ScanEntry, Sweep
from gulch.engine.flowsheet import edit
from gulch.engine.flowsheet.edit import EditError
from gulch.engine.flowsheet.inputs import addresses
from gulch.engine.flowsheet.typed import typed
from gulch.web.process.actions import write_input
from gulch.web.projects.forms import Key, Several, Text, Ticked, Whole
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


@action(
    "scan-edit",
    id=Key(),
    knob=Text(),
    low=Text(),
    high=Text(),
    points=Whole("points", 2, 500, "{} points cannot be scanned"),
    gauges=Several(),
    gauges_sent=Ticked(),
)
def edit_scan(document, form):
    scan = document.scan(form.id)
    if scan is None:
        raise EditError("The scan is gone: reload the page.")
    sweep = scan.over[0]
    knob = document.knob(form.knob or sweep.knob)
    if knob is None:
        raise EditError("The knob is gone: choose another.")
    found = addresses(document).get(knob.input)
    turned = sweep.knob != knob.id
    sweep.knob = knob.id
    for name in ("low", "high"):
        text = "" if turned else getattr(form, name)
        setattr(sweep, name, (typed(document, f"scan.{scan.id}.{name}", text, found.dimension) if found else text) or None)
    sweep.points = sweep.points if form.points is None else form.points
    if form.gauges_sent:
        ticked = form.gauges
        scan.gauges = [] if set(ticked) == {g.id for g in document.gauges} else ticked
    return Done(f"Change scan {scan.id}", scan.id)


@action("scan-remove", id=Key())
def remove_scan(document, form):
    document.scans = [s for s in document.scans if s.id != form.id]
    return Done(f"Remove scan {form.id}", "")


@action("carry", address=Key(), value=Text())
def carry(document, form):
    """Carry a scanned point's value back to the process."""
    return write_input(document, form.address, form.value)
