"""A fit with all that stands beside it: rivals on the same data, and what to measure next."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.fitting.answer import Answer, answer
from gulch.engine.fitting.next import Proposal, narrowing, parting
from gulch.engine.fitting.rivals import Rival, compared
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.document import FitEntry, Project
    from gulch.engine.settle import Watch


@dataclass
class Study:
    """rivals: the project's own law among them, the best first; told: which the data prefer; narrows, parts: what to measure next."""

    answer: Answer
    rivals: list[Rival] = field(default_factory=list)
    told: str = ""
    narrows: Proposal | None = None
    parts: Proposal | None = None

    def to_dict(self) -> dict[str, Any]:
        """Plain data."""
        return asdict(self)

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> Study:
        """A Study of the plain data that `to_dict` makes."""
        narrows, parts = (Proposal(**p) if (p := data.get(name)) else None for name in ("narrows", "parts"))
        return cls(Answer.from_dict(data["answer"]), [Rival(**r) for r in data.get("rivals", [])], data.get("told", ""), narrows, parts)


def study(project: Project, entry: FitEntry, watch: Watch = UNWATCHED) -> Study:
    """The Study of a fit; what cannot be fitted is told in its answer."""
    found, least = answer(project, entry, watch)
    out = Study(found)
    if least is None or watch.ended():
        return out
    if entry.rivals:
        rows, out.told, fits = compared(project, entry, least, watch)
        out.rivals = rows
        stand = [(row.name, fit) for row, fit in zip(rows, fits, strict=True) if fit is not None]
        if len(stand) > 1 and not watch.ended():
            out.parts = parting(project, [name for name, _ in stand], [fit for _, fit in stand])
    if not watch.ended():
        out.narrows = narrowing(project, least)
    return out
