"""Edits of loops, ties and targets."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.document import TieEntry
from gulch.engine.pasted import pasted_guess
from gulch.engine.project import edit
from gulch.engine.project.couplings import read_tie, readings
from gulch.engine.project.edit import EditError
from gulch.engine.project.inputs import address_of, addresses, write
from gulch.engine.project.typed import typed, typed_tie
from gulch.engine.quantities import DISPLAY_SETS, QuantityError, parse, to_unit
from gulch.engine.settle import METHODS
from gulch.web.projects.forms import Key, Part, Text, Ticked, Whole
from gulch.web.projects.registry import Done, action

if TYPE_CHECKING:
    from gulch.engine.document.process import TargetEntry
    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Values


LOOP_STATES = {
    "any": "Leave the steady state to the search",
    "hottest": "Take the hottest steady state",
    "coldest": "Take the coldest steady state",
    "nearest": "Take a steady state",
}


@action("closing", method=Part(), max_passes=Whole("passes", 1, 5000, "{} passes cannot be the limit"), tolerance=Part(longest=40))
def closing(document: Project, form: Values) -> Done:
    """Method, tolerance and pass limit of all loops."""
    settings = document.closing
    if form.method is not None and form.method not in METHODS:
        raise EditError(f"There is no method “{form.method}”.")
    for name in ("method", "max_passes", "tolerance"):
        if getattr(form, name) is not None:
            setattr(settings, name, getattr(form, name))
    return Done("Change how loops are closed")


@action("cut-at", stream=Text(), instead=Text())
def cut_at(document: Project, form: Values) -> Done:
    """Cut a loop at a stream of the user's choice, or leave the choice to Gulch again."""
    stream, instead = form.stream, form.instead.split(",")
    for tear in document.tears:
        if tear.stream in instead:
            tear.chosen = False
    if stream:
        edit.tear_of(document, stream).chosen = True
    edit.tidy_tears(document)
    return Done(f"Cut the loop at {stream}" if stream else "Let Gulch choose where to cut the loop")


@action("loop-state", stream=Key(), state=Text(), near=Text())
def loop_state(document: Project, form: Values) -> Done:
    """Choose which of a loop's steady states runs."""
    if form.state not in LOOP_STATES:
        raise EditError(f"There is no steady state “{form.state}”.")
    edit.choose_state(document, form.stream, form.state, form.near)
    return Done(LOOP_STATES[form.state])


@action("guess", stream=Key(), text=Text())
def guess(document: Project, form: Values) -> Done:
    """Type or paste the guess of a torn stream; an empty text takes it back."""
    tear = edit.tear_of(document, form.stream)
    if form.text:
        tear.temperature, tear.pressure, tear.flow = pasted_guess(document, form.text)
        label = f"Guess {tear.stream}"
    else:
        if tear.open:
            raise EditError("The loop is open here, so its guess is needed: close the loop first.")
        tear.temperature, tear.pressure, tear.flow = None, None, {}
        label = f"Forget the guess of {tear.stream}"
    edit.tidy_tears(document)
    return Done(label)


@action("open-loop", stream=Key(), text=Text())
def open_loop(document: Project, form: Values) -> Done:
    """Leave a loop open at a stream; its last values become the guess where none is typed."""
    tear = edit.tear_of(document, form.stream)
    if not tear.flow:
        if not form.text:
            raise EditError("Nothing is known of this stream yet: type a guess first.")
        tear.temperature, tear.pressure, tear.flow = pasted_guess(document, form.text)
    tear.open = True
    return Done(f"Open the loop at {tear.stream}")


@action("close-loop", stream=Key(), text=Text(), keep_open=Ticked())
def close_loop(document: Project, form: Values) -> Done:
    """Close a loop again; with `text` what came back is the new guess."""
    tear = edit.tear_of(document, form.stream)
    if form.text:
        tear.temperature, tear.pressure, tear.flow = pasted_guess(document, form.text)
        if form.keep_open:
            return Done(f"Guess for {tear.stream} what came back")
    tear.open = False
    edit.tidy_tears(document)
    return Done(f"Close the loop at {tear.stream}")


# Ties


@action("tie", sets=Text(), formula=Text())
def tie(document: Project, form: Values) -> Done:
    """Set an input by a formula; refused with a sentence when the formula cannot be read."""
    address, formula = form.sets, form.formula
    found = address_of(document, address)
    if found is None:
        raise EditError(f"“{address}” is not an input: choose one from the list, for example feed.flow.water.")
    entry = document.tie(address)
    formula = typed_tie(document, address, formula, found.dimension)
    new = TieEntry(sets=address, formula=formula[:400])
    try:
        read_tie(new, document)
    except QuantityError as error:
        raise EditError(str(error)) from None
    document.ties = [new if t is entry else t for t in document.ties] if entry else [*document.ties, new]
    return Done(f"Tie {found.label[:1].lower() + found.label[1:]} to {formula[:60]}")


@action("tie-remove", sets=Key(), value=Text())
def remove_tie(document: Project, form: Values) -> Done:
    """Remove a tie; with `value` the input keeps what the tie had set."""
    document.ties = [t for t in document.ties if t.sets != form.sets]
    if form.value and form.sets in addresses(document):
        write(document, form.sets, form.value)
    return Done(f"Untie {form.sets}")


# Targets


@action("target", gauge=Text(), knob=Text(), value=Text(), sits=Text())
def target(document: Project, form: Values) -> Done:
    """Make a gauge a target, to be met by a knob."""
    gauge, knob, sits = form.gauge, form.knob, form.sits or "value"
    value = form.value
    found = document.gauge(gauge)
    outputs = readings(document)
    if found is not None and found.reads in outputs:
        asked = edit.fresh("target", {t.id for t in document.targets})
        value = typed(document, f"target.{asked}.value", value, outputs[found.reads].dimension)
        if sits == "value":
            try:
                parse(value, outputs[found.reads].dimension)
            except QuantityError as error:
                raise EditError(f"What the gauge must read: {error}") from None
    id_ = edit.add_target(document, gauge, knob, value or None, sits)
    return Done(f"Make {found.label or found.reads} a target", f"target.{id_}")


@action("target-edit", id=Key(), field=Key(), value=Text(), found=Text())
def edit_target(document: Project, form: Values) -> Done:
    entry = document.target(form.id)
    if entry is None:
        raise EditError("The target is gone: reload the page.")
    field, text = form.field, form.value
    if field == "on":
        entry.on = bool(form.value)
        keep_found(document, entry, form)
        return Done(f"Switch target {entry.id} {'on' if entry.on else 'off'}")
    if field == "value":
        gauge = document.gauge(entry.gauge)
        found = readings(document).get(gauge.reads) if gauge else None
        text = typed(document, f"target.{entry.id}.value", text, found.dimension) if found else text
        entry.value = text or None
    elif field == "sits" and text in ("value", "at_least", "at_most"):
        entry.sits = text
    elif field == "knob" and document.knob(text):
        entry.knob = text
    elif field == "gauge" and document.gauge(text):
        entry.gauge = text
    else:
        raise EditError("A target has no such part: reload the page.")
    return Done(f"Set {field.replace('_', ' ')} of target {entry.id} to {text}")


@action("target-remove", id=Key(), found=Text())
def remove_target(document: Project, form: Values) -> Done:
    """Remove a target; its knob keeps the value found."""
    entry = document.target(form.id)
    if entry is None:
        raise EditError("The target is gone: reload the page.")
    document.targets = [t for t in document.targets if t.id != entry.id]
    keep_found(document, entry, form)
    return Done(f"Remove target {entry.id}")


def keep_found(document: Project, entry: TargetEntry, form: Values) -> None:
    """Write what a target had found into the input it turned, so that nothing moves when it is switched off."""
    knob = document.knob(entry.knob)
    found = address_of(document, knob.input) if knob else None
    text = form.found
    if entry in document.targets and entry.on or found is None or not text:
        return
    unit = DISPLAY_SETS[document.display].unit(found.dimension)
    try:
        value = f"{to_unit(float(text), unit, found.dimension):.10g}"
    except ValueError:
        return
    text = value + ("" if unit == "1" else f" {unit}")
    write(document, found.address, text)
    edit.turn(document, {found.address: text})


@action("purge-target", splitter=Key(), species=Key(), share=Text())
def purge_target(document: Project, form: Values) -> Done:
    """Hold a species under a share before a splitter by what it draws: a gauge, a knob and a target at once."""
    splitter, species, share = form.splitter, form.species, form.share
    unit = document.unit(splitter)
    inlet = next((s for s in document.streams if s.enters == splitter), None)
    if unit is None or inlet is None or species not in {s.id for s in document.species}:
        raise EditError("The splitter or the species is gone: reload the page.")
    target_id = edit.fresh("target", {t.id for t in document.targets})
    share = typed(document, f"target.{target_id}.value", share, "fraction")
    try:
        wanted = parse(share, "fraction")
    except QuantityError as error:
        raise EditError(f"The share: {error}") from None
    if not 0.0 < wanted < 1.0:
        raise EditError(f"The share {share} is not between 0 and 100 %.")
    gauge = edit.gauge_on(document, f"{inlet.id}.fraction.{species}")
    knob = edit.knob_on(document, f"{splitter}.drawn", "0.1 %", "50 %")
    for t in document.targets:
        if t.knob == knob.id or t.gauge == gauge.id:
            t.on = False
    edit.add_target(document, gauge.id, knob.id, share)
    return Done(f"Hold {species} at {share} by what {splitter} draws")
