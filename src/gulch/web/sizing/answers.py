"""Sizing a reactor from rates, by the workers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from gulch.engine.document import RegionEntry, SizingEntry
from gulch.engine.regions.question import Answer
from gulch.engine.scans.sizing import Sizing
from gulch.engine.units import KINDS
from gulch.engine.work import Attain, Size
from gulch.web.projects import solving

if TYPE_CHECKING:
    from collections.abc import Callable

    from gulch.engine.document.project import Project
    from gulch.web.projects.workspace import Workspace


EntryT = TypeVar("EntryT", SizingEntry, RegionEntry)
FoundT = TypeVar("FoundT", Sizing, Answer)


@dataclass(frozen=True)
class StreamAnswer(Generic[EntryT, FoundT]):
    """What is known of a question of a stream. entry: the question, the document's own or a first guess of one."""

    entry: EntryT
    asked: bool = False
    ready: bool = False
    found: FoundT | None = None
    trouble: str = ""
    pending: bool = False


class SizingAnswer(StreamAnswer[SizingEntry, Sizing]):
    """What is known of the project's sizing."""


class RegionAnswer(StreamAnswer[RegionEntry, Answer]):
    """What is known of what can be had."""


AnswerT = TypeVar("AnswerT", SizingAnswer, RegionAnswer)


def size(space: Workspace) -> SizingAnswer:
    """The sizing that is known, or one that workers begin on now."""
    own = space.document.sizing
    return _answer(space, SizingAnswer, own or first_guess(space.document), own is not None, Size, lambda data: Sizing(**data))


def attain(space: Workspace) -> RegionAnswer:
    """The region that is known, or one that workers begin on now."""
    own = space.document.region
    return _answer(space, RegionAnswer, own or first_region(space.document), own is not None, Attain, Answer.of)


def _answer(space: Workspace, kind: type[AnswerT], entry: Any, asked: bool, task: type[Size | Attain], read: Callable) -> AnswerT:
    """The answer of a task to a question, as far as it is known."""
    document, row = space.document, space.row
    ready = any(r.rate for r in document.reactions) and bool(document.reaction_sets)
    if not (asked and ready):
        return kind(entry, asked, ready)
    if not space.fresh:
        return kind(entry, asked, ready, trouble="The process is not solved: the stream's state is known once it is.")
    asking = task(document.dump(), bytes(row.outcome().packed), entry.model_dump())
    outcome, pending = solving.answer(row, asking, (task.name, row.pk))
    trouble, found = read_answer(outcome.data(), read) if outcome is not None else ("", None)
    return kind(entry, asked, ready, found, trouble, pending)


def read_answer(data: dict[str, Any], read: Callable) -> tuple[str, Any]:
    """(trouble, what was found or None) of a worker's answer."""
    if "messages" in data:  # broken off
        return data["messages"][0]["what"], None
    return data.get("trouble", ""), read(data["found"]) if "found" in data else None


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
