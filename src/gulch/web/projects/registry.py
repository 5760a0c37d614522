"""Edits by name: each takes the document and the posted form and returns Done.

Stages register theirs in their own `actions` module; one view serves them all.
"""

from dataclasses import dataclass

ACTIONS = {}


@dataclass(frozen=True)
class Done:
    """What was done, in words for the history, and what to show selected next (None: as before)."""

    label: str
    select: str | None = None


def action(name):
    """Register an edit under a name."""

    def keep(function):
        ACTIONS[name] = function
        return function

    return keep
