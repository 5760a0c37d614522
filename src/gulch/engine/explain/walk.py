"""The first walk: from an empty project to a closed loop and a scan, one step after another, each shown where it is done."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from gulch.engine.document import source_of
from gulch.engine.flowsheet.graph import material_loops
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project


@dataclass(frozen=True)
class Step:
    """One step. words: what to do; stage: where; select: what is selected there; at: selector of the control it is done with."""

    name: str
    done: bool
    words: str
    stage: str
    select: str
    at: str


@dataclass(frozen=True)
class Walk:
    """Where a project stands in its first walk: the number of the next step, of how many, and the Step."""

    number: int
    of: int
    step: Step


def next_step(project: Project, answered: bool = True) -> Walk | None:
    """The Walk as it stands, or None where all its steps are made. answered: whether a scan of it has run to its end."""
    steps = list(_steps(project, answered))
    at = next((i for i, step in enumerate(steps) if not step.done), None)
    return Walk(at + 1, len(steps), steps[at]) if at is not None else None


def _steps(project: Project, answered: bool) -> Iterator[Step]:
    feeds = [s for s in project.streams if s.given is not None]
    feed = feeds[0].id if feeds else ""
    reactors, separators = _of("reactors", project), _of("separators", project)
    words = "Type the reaction, for example C2H4 + H2O = ethanol. Its species come along."
    yield Step("reaction", bool(project.reactions), words, "chemistry", "", "#new-equation")
    yield Step("feed", bool(feeds), "Add a feed.", "process", "", "#add-feed")
    amounts = any(s.given.flow or s.given.mass_flow or s.given.total for s in feeds if s.given)
    first = project.species[0].id if project.species else ""
    yield Step("amounts", amounts, "Type how much of each reactant is fed.", "process", feed, f"[id='f-{feed}.flow.{first}']")
    open_end = _open_end(project) or feed
    words = "Append a reactor: a stoichiometric one runs the reaction to a conversion that you type."
    yield Step("reactor", bool(reactors), words, "process", open_end, "#append .kind-filter")
    words = "Append a separator, for example a flash drum, perhaps behind a cooler."
    yield Step("separator", bool(separators), words, "process", open_end, "#append .kind-filter")
    words = "Send what did not react back to the reactor. A splitter before that lets a purge out."
    yield Step("return", bool(material_loops(project)), words, "process", _to_return(project, separators), "#send-to")
    yield Step(
        "scan",
        bool(project.scans),
        "Ask what an input does over a range: the question names one, and you can name any other.",
        "scans",
        "",
        "#add-first-scan",
    )
    scan = project.scans[0].id if project.scans else ""
    yield Step("answer", answered, "Run it: the answer stands in a sentence above its picture.", "scans", scan, "#run-scan")


def _of(family: str, project: Project) -> list[str]:
    """Ids of the units of a family."""
    return [u.id for u in project.units if KINDS[u.kind].family == family]


def _open_end(project: Project) -> str:
    """The newest stream that leads nowhere yet, fed or made."""
    return next((s.id for s in reversed(project.streams) if s.to is None), "")


def _to_return(project: Project, separators: list[str]) -> str:
    """The open stream that most likely goes back: behind a splitter that follows a separator, else a separator's first outlet."""
    kinds = {u.id: u.kind for u in project.units}
    ends = {s.id: source_of(s) for s in project.streams if s.to is None and s.source is not None}
    behind = [id_ for id_, (unit, _) in ends.items() if kinds.get(unit) == "splitter"]
    parted = [(_place(kinds[unit], port), id_) for id_, (unit, port) in ends.items() if unit in separators]
    return behind[-1] if behind else min(parted, default=(0, ""))[1]


def _place(kind: str, port: str | None) -> int:
    """Which of a kind's outlets a port is."""
    names = [p.name for p in KINDS[kind].outlets]
    return names.index(port) if port in names else 0
