"""Sizing a reactor from rates, by the workers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.document import SizingEntry
from gulch.engine.scans.sizing import Sizing
from gulch.engine.work import Size
from gulch.web.projects import solving

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.workspace import Workspace


@dataclass(frozen=True)
class SizingAnswer:
    """What is known of the project's sizing. entry: the question, the document's own or a first guess of one."""

    entry: SizingEntry
    asked: bool = False
    ready: bool = False
    found: Sizing | None = None
    trouble: str = ""
    pending: bool = False


def size(space: Workspace) -> SizingAnswer:
    """The sizing that is known, or one that workers begin on now."""
    document, row = space.document, space.row
    entry = document.sizing or first_guess(document)
    asked, ready = document.sizing is not None, any(r.rate for r in document.reactions) and bool(document.reaction_sets)
    if not (asked and ready):
        return SizingAnswer(entry, asked, ready)
    if not space.fresh:
        return SizingAnswer(entry, asked, ready, trouble="The process is not solved: the stream's state is known once it is.")
    task = Size(document.dump(), bytes(row.outcome().packed), entry.model_dump())
    outcome, pending = solving.answer(row, task, ("size", row.pk))
    trouble, found = read_sizing(outcome.data()) if outcome is not None else ("", None)
    return SizingAnswer(entry, asked, ready, found, trouble, pending)


def read_sizing(data: Any) -> tuple:
    """(trouble, Sizing or None) of a worker's answer."""
    if "messages" in data:  # broken off
        return data["messages"][0]["what"], None
    return data.get("trouble", ""), Sizing(**data["found"]) if "found" in data else None


def first_guess(document: Project) -> SizingEntry:
    """A question to begin with: the first set, the first feed."""
    rated = {r.id for r in document.reactions if r.rate}
    chosen = next((s.id for s in document.reaction_sets if rated & {i for step in s.steps for i in step}), "")
    feed = next((s.id for s in document.streams if s.is_feed), "")
    return SizingEntry(set=chosen, stream=feed)
