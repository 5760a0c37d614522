"""Edits of what is unsure."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.document import SpreadEntry
from gulch.engine.project.edit import EditError
from gulch.engine.project.inputs import address_of
from gulch.engine.quantities import QuantityError, complete, difference_of, parse, split_text
from gulch.engine.scans import ScanError, by_sources, ready_plan
from gulch.web.projects.forms import Key, Part, Text
from gulch.web.projects.registry import Done, action

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Values


GONE = "It is no longer on the list: reload the page."


def _entry(text: str) -> SpreadEntry:
    """The SpreadEntry that a choice of the page names, "what.of". Raises EditError."""
    what, _, of = text.partition(".")
    holder = {"input": "input", "constant": "reaction", "rate": "reaction", "bought": "species", "sold": "species"}.get(what)
    if holder is None or not of:
        raise EditError(GONE)
    return SpreadEntry(what=what, **{holder: of})


@action("spread-add", of=Key())
def add_spread(document: Project, form: Values) -> Done:
    """Put a datum on the list of what is unsure, within 10 %, or within what the sources of a constant say."""
    entry = _entry(form.of)
    if any(e.key == entry.key for e in document.spreads):
        raise EditError("It is on the list already.")
    found = address_of(document, entry.input or "")
    if entry.what == "input":
        if found is None:
            raise EditError(GONE)
        if found.dimension in ("fraction", "temperature"):
            entry.by = complete("5", difference_of(found.dimension), document.display)
    if entry.what == "constant":
        try:
            share = by_sources(ready_plan(document), entry.reaction or "")
        except ScanError:
            share = None
        entry.by = f"{max(round(100.0 * share), 1)} %" if share else "20 %"
    document.spreads = [*document.spreads, entry]
    return Done(f"Say how sure {entry.key.partition('.')[2]} is", "sure")


def _at(document: Project, key: str) -> SpreadEntry:
    entry = next((e for e in document.spreads if e.key == key), None)
    if entry is None:
        raise EditError(GONE)
    return entry


@action("spread-edit", key=Key(), by=Text())
def edit_spread(document: Project, form: Values) -> Done:
    """How far a datum may be off: a bare number takes the unit shown."""
    entry = _at(document, form.key)
    found = address_of(document, entry.input or "")
    dimension = difference_of(found.dimension) if found is not None else "fraction"
    try:
        text = form.by if split_text(form.by)[1] == "%" else complete(form.by, dimension, document.display)
        value = parse(text, "fraction" if text.endswith("%") else dimension)
    except QuantityError as error:
        raise EditError(str(error)) from None
    if not value > 0.0:
        raise EditError(f"“{form.by[:40]}” leaves nothing open: type a range above 0, or remove it from the list.")
    entry.by = text
    return Done(f"Change how sure {entry.key.partition('.')[2]} is", "sure")


@action("spread-shape", key=Key(), shape=Key())
def shape_spread(document: Project, form: Values) -> Done:
    """How a datum is spread: evenly, or around its value."""
    entry = _at(document, form.key)
    if form.shape not in ("even", "normal", "log-normal"):
        raise EditError("It is spread evenly, normally or log-normally: reload the page.")
    entry.shape = form.shape
    return Done(f"Change how {entry.key.partition('.')[2]} is spread", "sure")


@action("spread-cause", key=Key(), cause=Part(), correlation=Part())
def share_cause(document: Project, form: Values) -> Done:
    """What a datum has in common with others, and how much of it."""
    entry = _at(document, form.key)
    if form.cause is not None:
        if len(form.cause) > 60:
            raise EditError("That is too long for a cause: name it in 60 characters.")
        entry.cause = form.cause.strip()
    if form.correlation is not None:
        try:
            value = parse(form.correlation, "ratio")
        except QuantityError as error:
            raise EditError(str(error)) from None
        if not -1.0 <= value <= 1.0:
            raise EditError(f"A correlation lies between −1 and 1, “{form.correlation[:40]}” does not.")
        entry.correlation = value
    return Done(f"Change what {entry.key.partition('.')[2]} moves with", "sure")


@action("sure-samples", samples=Key())
def draw_more(document: Project, form: Values) -> Done:
    """How many samples are drawn."""
    known = {"64": 64, "256": 256, "1024": 1024}
    if form.samples not in known:
        raise EditError("64, 256 or 1024 samples are drawn: reload the page.")
    setattr(document, "samples", known[form.samples])  # noqa: B010  (checked by the model)
    return Done(f"Draw {form.samples} samples", "sure")


@action("spread-remove", key=Key())
def remove_spread(document: Project, form: Values) -> Done:
    """Take a datum off the list."""
    document.spreads = [e for e in document.spreads if e.key != form.key]
    return Done("Take a datum off the list of what is unsure", "sure")
