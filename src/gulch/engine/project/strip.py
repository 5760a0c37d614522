"""Order and hiding of the knobs and gauges above every page."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.document import StripEntry
from gulch.engine.project.edit import EditError

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.document.parts import Part

KINDS = ("knob", "gauge")


def ordered(project: Project, kind: str) -> tuple[list[Any], list[Any]]:
    """(entries that are shown, in order; hidden entries) of the knobs or gauges. kind: one of KINDS. Raises EditError for another."""
    if kind not in KINDS:
        raise EditError("This cannot be done here: reload the page and try again.")
    entries = getattr(project, f"{kind}s")
    if project.strip is None:
        return list(entries), []
    order, hidden = getattr(project.strip, f"{kind}s"), set(getattr(project.strip, f"hidden_{kind}s"))
    place = {id_: i for i, id_ in enumerate(order)}
    entries = sorted(entries, key=lambda e: place.get(e.id, len(place)))
    return [e for e in entries if e.id not in hidden], [e for e in entries if e.id in hidden]


def move(project: Project, kind: str, id_: str, to: int) -> None:
    """Put a knob or gauge at another place among those shown, counted from 0. Raises EditError where it is gone."""
    shown, hidden = ordered(project, kind)
    entry = _found(shown, id_)
    shown.remove(entry)
    shown.insert(max(to, 0), entry)
    setattr(_strip(project), f"{kind}s", [e.id for e in (*shown, *hidden)])


def hide(project: Project, kind: str, id_: str) -> bool:
    """Hide a knob or gauge, or show it again; returns whether it is hidden now. Raises EditError where it is gone."""
    shown, hidden = ordered(project, kind)
    _found([*shown, *hidden], id_)
    ids = [e.id for e in hidden if e.id != id_]
    now = len(ids) == len(hidden)
    setattr(_strip(project), f"hidden_{kind}s", [*ids, id_] if now else ids)
    return now


def _strip(project: Project) -> StripEntry:
    if project.strip is None:
        project.strip = StripEntry()
    return project.strip


def _found(entries: list, id_: str) -> Part:
    found = next((e for e in entries if e.id == id_), None)
    if found is None:
        raise EditError("It is no longer there: reload the page.")
    return found
