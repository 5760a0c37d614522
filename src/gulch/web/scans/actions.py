"""Edits of scans."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.document import ScanEntry, Sweep
from gulch.engine.exchange import in_sentence
from gulch.engine.pasted import read_points_of_knobs
from gulch.engine.project import edit, variants
from gulch.engine.project.basis import ends_of_range
from gulch.engine.project.choices import choices, choose
from gulch.engine.project.couplings import readings
from gulch.engine.project.edit import EditError
from gulch.engine.project.inputs import addresses
from gulch.engine.project.typed import typed
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.scans import ScanError, grid_of, points_or_step
from gulch.engine.units import KINDS
from gulch.web.process.actions import turned
from gulch.web.projects.forms import Key, Mapping, Part, Several, Text, Ticked
from gulch.web.projects.registry import Done, action

if TYPE_CHECKING:
    from gulch.engine.document.process import KnobEntry
    from gulch.engine.document.project import Project
    from gulch.engine.project.inputs import Address
    from gulch.web.projects.forms import Values


def free_knobs(document: Project) -> list[KnobEntry]:
    """Knobs that neither a target nor a tie turns."""
    held = {t.knob for t in document.targets if t.on}
    inputs = {t.sets for t in document.ties} | {k.input for k in document.knobs if k.id in held}
    return [k for k in document.knobs if k.input not in inputs]


def something_to_turn(document: Project) -> KnobEntry:
    """A knob that nothing else turns; made of an input where there is none. Raises EditError."""
    free = free_knobs(document)
    if free:
        return free[0]
    taken = {k.input for k in document.knobs} | {t.sets for t in document.ties}
    inputs = [a for a in addresses(document).values() if a.knob and a.text and a.address not in taken and not a.assumed]
    if not inputs:
        raise EditError("There is no input yet that could be turned: give a feed and a unit first.")
    return edit.knob_for(document, min(inputs, key=lambda a: _likely(document, a)))


def _likely(document: Project, found: Address) -> int:
    """How likely an input is one that somebody would turn first: a reactor's temperature, a splitter's share, another temperature."""
    unit = document.unit(found.address.partition(".")[0])
    if unit is not None and found.dimension == "temperature":
        return 0 if KINDS[unit.kind].family == "reactors" else 2
    return 1 if unit is not None and unit.kind == "splitter" else 3


def something_to_watch(document: Project) -> None:
    """A gauge, where there is none: a reactor's conversion, else what a product stream carries."""
    if document.gauges:
        return
    known = readings(document)
    found = next((a for a in known if ".conversion" in a), None) or next((a for a in known if a.endswith(".flow")), None)
    if found is None:
        raise EditError("There is no result yet that could be watched: give a feed and a unit first.")
    edit.gauge_on(document, found)


@action("scan-add", knob=Text(), low=Text(), high=Text(), shows=Text())
def add_scan(document: Project, form: Values) -> Done:
    """A scan over what some words name, or over a knob; with a range, and a gauge to tell of, where they are given."""
    knob = edit.knob_named(document, form.knob) if form.knob else something_to_turn(document)
    shows = edit.gauge_named(document, form.shows).id if form.shows else None
    something_to_watch(document)
    id_ = edit.fresh("scan", {s.id for s in document.scans})
    scan = ScanEntry(id=id_, over=[Sweep(knob=knob.id)], shows=shows)  # no list of gauges: all of them
    document.scans.append(scan)
    ends = ends_of_range(document, knob, {n: t for n in ("low", "high") if (t := getattr(form, n))}, f"scan.{id_}.{{end}}")
    scan.over[0].low, scan.over[0].high = ends.get("low"), ends.get("high")
    return Done(f"Add scan {id_}", id_, stage="scans")


MOST_LISTED = 2000  # points of a pasted list
RANGE = {
    f"{name}{k}": field
    for k in ("", "2")
    for name, field in (("knob", Part()), ("low", Text()), ("high", Text()), ("points", Part()), ("spacing", Part()))
}


@action("scan-edit", id=Key(), gauges=Several(), gauges_sent=Ticked(), band=Ticked(), within=Part(), shows=Part(), aim=Part(), **RANGE)
def edit_scan(document: Project, form: Values) -> Done:
    scan = document.scan(form.id)
    if scan is None:
        raise EditError("The scan is gone: reload the page.")
    edit_sweep(document, scan, 0, form, "")
    if form.knob2 == "":
        scan.over = scan.over[:1]
    elif form.knob2 is not None:
        if len(scan.over) < 2:
            scan.over = [*scan.over, Sweep(knob=edit.knob_named(document, form.knob2).id, points=scan.over[0].points)]
        edit_sweep(document, scan, 1, form, "2")
    if form.gauges_sent:
        scan.band = form.band
        scan.gauges = [] if set(form.gauges) == {g.id for g in document.gauges} else form.gauges
    if form.shows is not None:
        scan.shows = edit.gauge_named(document, form.shows).id if form.shows else None
    if form.aim is not None:
        scan.aim = form.aim
    if form.within is not None:
        scan.within = within_text(document, scan, form.within)
    return Done(f"Change scan {scan.id}", scan.id)


def within_text(document: Project, scan: ScanEntry, text: str) -> str | None:
    """What may be lost of the best, as the document keeps it. Raises EditError."""
    if not text:
        return None
    full = typed(document, f"scan.{scan.id}.within", text, "fraction")
    try:
        value = parse(full, "fraction")
    except QuantityError as error:
        raise EditError(str(error)) from None
    if not 0.0 < value < 1.0:
        raise EditError(f"“{text[:40]}” is no share of the best that may be lost: type for example 5 %.")
    return full


def edit_sweep(document: Project, scan: ScanEntry, k: int, form: Values, suffix: str) -> None:
    """Write what was posted of one knob of a scan; another knob begins with its own range."""
    sweep = scan.over[k]
    sent = {name: getattr(form, name + suffix) for name in ("knob", "low", "high", "points", "spacing")}
    knob = edit.knob_named(document, sent["knob"]) if sent["knob"] else document.knob(sweep.knob)
    if knob is None:
        raise EditError("The knob is gone: choose another.")
    turned = sweep.knob != knob.id
    sweep.knob = knob.id
    ends = ends_of_range(document, knob, {n: "" if turned else sent[n] for n in ("low", "high")}, f"scan.{scan.id}.{{end}}{suffix}")
    sweep.low, sweep.high = ends["low"] or None, ends["high"] or None
    if sent["points"] is not None:
        try:
            number, step = points_or_step(sent["points"])
        except QuantityError as error:
            raise EditError(str(error)) from None
        sweep.points, sweep.step = number or sweep.points, step
    if turned:
        sweep.step = None  # a step of another kind
    if sent["spacing"]:
        sweep.spacing = sent["spacing"]


@action("scan-list", id=Key(), listed=Text(200_000, "That list is too long: 2000 points are the most."))
def list_points(document: Project, form: Values) -> Done:
    """Take a pasted table of knob values for the points of a scan; nothing goes back to ranges."""
    scan = document.scan(form.id)
    if scan is None:
        raise EditError("The scan is gone: reload the page.")
    if not form.listed:
        scan.listed, scan.over = [], scan.over[:2]
        return Done(f"Scan {scan.id} over ranges again", scan.id)
    knobs, rows = read_points_of_knobs(document, scan, form.listed)
    scan.over, scan.listed = [Sweep(knob=k.id) for k in knobs], rows
    try:
        grid_of(document, scan)
    except ScanError as error:
        raise EditError(str(error)) from None
    return Done(f"Scan {scan.id} at {len(rows)} points of a list", scan.id)


@action("scan-pass", id=Key(), code=Key())
def let_pass(document: Project, form: Values) -> Done:
    """Let a doubt pass, so that points under it may be the best, or mind it again."""
    scan = document.scan(form.id) or document.search(form.id)
    if scan is None:
        raise EditError("The scan is gone: reload the page.")
    passes = form.code in scan.passing
    scan.passing = [c for c in scan.passing if c != form.code] if passes else [*scan.passing, form.code]
    return Done(f"{'Mind' if passes else 'Let pass'} the doubt “{form.code.replace('-', ' ')}” in scan {scan.id}", scan.id)


@action("scan-remove", id=Key())
def remove_scan(document: Project, form: Values) -> Done:
    document.scans = [s for s in document.scans if s.id != form.id]
    return Done(f"Remove scan {form.id}", "")


@action("carry", address=Text(), value=Text(), point=Mapping())
def carry(document: Project, form: Values) -> Done:
    """Carry a scanned point back to the process: one value, or one of each knob."""
    point = form.point or {form.address: form.value}
    done = turned(document, point)
    return done if len(point) == 1 else Done(f"Carry a point of the scan back: {', '.join(str(v) for v in point.values())}")


@action("take-chosen", choice=Text(), point=Mapping())
def take_chosen(document: Project, form: Values) -> Done:
    """Take the choice with which a search came to its best, and the knobs where it did."""
    address, _, value = form.choice.removeprefix("=").rpartition("=")
    found = next((c for c in choices(document) if c.address == address), None)
    try:
        other = choose(document, address, value)
    except KeyError as error:
        raise EditError(f"This choice is gone: {error.args[0]} Reload the page.") from None
    for name in type(document).model_fields:
        setattr(document, name, getattr(other, name))
    turned(document, form.point)
    assert found is not None  # it was chosen
    return Done(f"Take {found.options[value]} as {in_sentence(found.label)}, where it does best")


@action("keep-point", whole=True, name=Text(), point=Mapping())
def keep_point(project: Project, form: Values) -> Done:
    """Keep a scanned point as a variant of what is worked on, and work on it."""
    name = form.name or ", ".join(str(v) for v in form.point.values())
    variants.add(project, name)
    document = variants.worked(project)
    turned(document, form.point)
    new = variants.folded(project, document)
    for field in type(project).model_fields:
        setattr(project, field, getattr(new, field))
    return Done(f"Keep {name} as a variant")
