"""Sizing a reactor from rates, by the workers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.document import RegionEntry, SizingEntry
from gulch.engine.regions.question import Answer
from gulch.engine.scans.sizing import Sizing
from gulch.engine.units import KINDS
from gulch.engine.work import Attain, Size
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


@dataclass(frozen=True)
class RegionAnswer:
    """What is known of what can be had. entry: the question, the document's own or a first guess of one."""

    entry: RegionEntry
    asked: bool = False
    ready: bool = False
    found: Answer | None = None
    trouble: str = ""
    pending: bool = False


def attain(space: Workspace) -> RegionAnswer:
    """The region that is known, or one that workers begin on now."""
    document, row = space.document, space.row
    entry = document.region or first_region(document)
    asked, ready = document.region is not None, any(r.rate for r in document.reactions) and bool(document.reaction_sets)
    if not (asked and ready):
        return RegionAnswer(entry, asked, ready)
    if not space.fresh:
        return RegionAnswer(entry, asked, ready, trouble="The process is not solved: the stream's state is known once it is.")
    task = Attain(document.dump(), bytes(row.outcome().packed), entry.model_dump())
    outcome, pending = solving.answer(row, task, ("region", row.pk))
    if outcome is None:
        return RegionAnswer(entry, asked, ready, pending=pending)
    data = outcome.data()
    if "messages" in data:  # broken off
        return RegionAnswer(entry, asked, ready, trouble=data["messages"][0]["what"])
    return RegionAnswer(entry, asked, ready, Answer.of(data["found"]) if "found" in data else None, data.get("trouble", ""), pending)


def first_region(document: Project) -> RegionEntry:
    """A question to begin with: what enters the first reactor by rates, at its own temperature, with its catalyst."""
    x, y = _first_axes(document)
    reactor = next((u for u in document.units if getattr(KINDS[u.kind], "needs_rates", False)), None)
    guess = first_guess(document)
    if reactor is None:
        return RegionEntry(set=guess.set, stream=guess.stream, x=x, y=y)
    stream = next((s.id for s in document.streams if s.enters == reactor.id), guess.stream)
    bed = {"void": reactor.void or "100 %", "bulk_density": reactor.bulk_density, "surface": reactor.catalyst.surface}
    phase = "vapour" if reactor.phase in ("vapour", "held-vapour") else "liquid"
    return RegionEntry(set=reactor.set or guess.set, stream=stream, phase=phase, **bed, x=x, y=y)


def _first_axes(document: Project) -> tuple[str | None, str | None]:
    """Species as axes where nothing says what conversion and yield count on."""
    if document.measures is not None or len(document.species) < 2:
        return None, None
    return document.species[0].id, document.species[1].id


def first_guess(document: Project) -> SizingEntry:
    """A question to begin with: the first set, the first feed."""
    rated = {r.id for r in document.reactions if r.rate}
    chosen = next((s.id for s in document.reaction_sets if rated & {i for step in s.steps for i in step}), "")
    feed = next((s.id for s in document.streams if s.is_feed), "")
    return SizingEntry(set=chosen, stream=feed)
