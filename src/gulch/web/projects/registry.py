"""Edits by name: each takes the document and what was posted and returns Done.

Stages register theirs in their own `actions` module; one view serves them all.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.web.projects.forms import LONGEST, Posted

if TYPE_CHECKING:
    from django.http import QueryDict

    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Text


ACTIONS: dict[str, Action] = {}


@dataclass(frozen=True)
class Done:
    """What was done, in words for the history; then: what to show selected (None: as before), what is told, which stage ('': the same)."""

    label: str
    select: str | None = None
    said: str = ""
    stage: str = ""


@dataclass(frozen=True)
class Action:
    """An edit: its function, the form it is posted with, and whether it concerns all variants."""

    function: Callable
    form: type[Posted]
    whole: bool = False

    def longest(self, name: str) -> int:
        """Most characters of what is posted under a name."""
        return getattr(self.form.base_fields.get(name), "max_length", None) or LONGEST

    def change(self, document: Project, data: QueryDict) -> Done:
        """Make the edit as posted. Raises EditError with a sentence."""
        return self.function(document, self.form(data).read())


def action(name: Text | str, /, whole: bool = False, **fields: Any) -> Callable:
    """Register an edit under a name, with the fields of its form.

    A `whole` one is given the project with its variants, not the one worked on.
    """

    def keep(function: Callable) -> Callable:
        ACTIONS[name] = Action(function, type("Posted", (Posted,), fields), whole)
        return function

    return keep
