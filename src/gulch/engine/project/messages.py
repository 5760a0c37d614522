"""To-do lines: what is said of a project, where, and what to do about it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from gulch.engine.declared.told import Code, Cure
from gulch.engine.project.places import Place, stored


@dataclass
class Message:
    """A to-do line. level: error (nothing computed there), question, warning, or assumed (values that nobody typed)."""

    level: str
    place: Place
    what: str
    todo: str = ""
    answers: list = field(default_factory=list)  # for a question: [(label, document text)]
    code: Code = Code.NONE
    cure: Cure | None = None  # one press that mends it

    @property
    def where(self) -> str:
        """The address of what it concerns, "" for the whole project."""
        return str(self.place)

    def to_dict(self) -> dict[str, Any]:
        """Plain data."""
        return {
            "level": self.level,
            "where": self.where,
            "about": self.place.about.value,
            "what": self.what,
            "todo": self.todo,
            "answers": self.answers,
            "code": self.code.value,
            "cure": self.cure and list(self.cure),
        }

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> Message:
        """Rebuild what `to_dict` wrote."""
        place = stored(data["where"], data.get("about"))
        cure = Cure(*data["cure"]) if data.get("cure") else None
        return cls(data["level"], place, data["what"], data["todo"], data["answers"], Code(data.get("code", "")), cure)
