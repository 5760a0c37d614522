"""Edits by name: each takes the document and the posted form and returns Done.

Stages register theirs in their own `actions` module; one view serves them all.
"""

from dataclasses import dataclass

ACTIONS = {}
WHOLE = set()  # names of edits that concern all variants


@dataclass(frozen=True)
class Done:
    """What was done, in words for the history, and what to show selected next (None: as before)."""

    label: str
    select: str | None = None


def action(name, whole=False):
    """Register an edit under a name; a `whole` one is given the project with its variants, not the one worked on."""

    def keep(function):
        ACTIONS[name] = function
        if whole:
            WHOLE.add(name)
        return function

    return keep
