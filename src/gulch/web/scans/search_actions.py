"""Edits of searches: the best, and the trade-off of two aims."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.document import SearchEntry, Turned
from gulch.engine.project import edit
from gulch.engine.project.basis import ends_of_range
from gulch.engine.project.edit import EditError
from gulch.web.projects.forms import Key, Part, Text, Ticked
from gulch.web.projects.registry import Done, action
from gulch.web.scans.actions import free_knobs, something_to_turn, something_to_watch

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Values


GONE = "The search is gone: reload the page."


@action("search-add", trade=Ticked(), aim=Text(), way=Part(), against=Text())
def add_search(document: Any, form: Values) -> Done:
    """A search for the best of what some words name, or of the first gauge without limits; with `trade` against the next gauge."""
    something_to_turn(document)
    something_to_watch(document)
    if form.trade and len(document.gauges) < 2:
        raise EditError("A trade-off is between two gauges: turn another result into a gauge first (○ beside it in the inspector).")
    taken = {s.id for s in (*document.scans, *document.searches)}
    id_ = edit.fresh("trade" if form.trade else "best", taken)
    free = next((g for g in document.gauges if g.at_least is None and g.at_most is None), document.gauges[0])
    if form.aim:
        free = edit.gauge_named(document, form.aim)
    entry = SearchEntry(id=id_, aim=free.id, **({"way": form.way} if form.way else {}))
    if form.trade:
        entry.against = next(g.id for g in document.gauges if g is not free)
    document.searches.append(entry)
    return Done("Ask for a trade-off" if form.trade else "Ask for the best", id_, stage="scans")


def _found(document: Project, form: Values) -> SearchEntry:
    entry = document.search(form.id)
    if entry is None:
        raise EditError(GONE)
    return entry


@action("search-edit", id=Key(), aim=Part(), way=Part(), against=Part(), against_way=Part())
def edit_search(document: Project, form: Values) -> Done:
    """Change the aims of a search."""
    entry = _found(document, form)
    for name in ("aim", "way", "against", "against_way"):
        value = getattr(form, name)
        if value is None:
            continue
        if name in ("aim", "against"):
            value = edit.gauge_named(document, value).id if value else None
        setattr(entry, name, value or None)
    if entry.against == entry.aim and entry.against is not None:
        raise EditError("Both aims are the same gauge: choose another for one of them.")
    return Done(f"Change search {entry.id}", entry.id)


@action("search-turn", id=Key(), knob=Text(), on=Ticked(), low=Text(), high=Text())
def turn_knob(document: Project, form: Values) -> Done:
    """Let a search turn a knob, in its own range or another, or leave it out."""
    entry, knob = _found(document, form), edit.knob_named(document, form.knob)
    over = list(entry.over) or [Turned(knob=k.id) for k in free_knobs(document)]
    rest = [t for t in over if t.knob != knob.id]
    if form.on:
        sent = {name: getattr(form, name) or "" for name in ("low", "high")}
        typed = ends_of_range(document, knob, sent, f"search.{entry.id}.{{end}}.{knob.id}")
        ends = {name: text if text and text != getattr(knob, name) else None for name, text in typed.items()}
        order = [k.id for k in document.knobs]
        rest = sorted([*rest, Turned(knob=knob.id, **ends)], key=lambda t: order.index(t.knob) if t.knob in order else 0)
    elif not rest:
        raise EditError("A search must turn a knob: tick another one before you leave this one out.")
    whole = {t.knob for t in rest} == {k.id for k in free_knobs(document)} and not any(t.low or t.high for t in rest)
    entry.over = [] if whole else rest
    return Done(f"Change what search {entry.id} turns", entry.id)


@action("search-remove", id=Key())
def remove_search(document: Project, form: Values) -> Done:
    """Remove a search."""
    document.searches = [s for s in document.searches if s.id != form.id]
    return Done(f"Remove search {form.id}", "")
