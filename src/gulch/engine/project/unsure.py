"""Which data of a project are not sure: those that were given ranges, and numbers of rate laws as a fit left them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.project.inputs import addresses

if TYPE_CHECKING:
    from gulch.engine.document import FitEntry, Project


def fits_in_use(project: Project) -> list[FitEntry]:
    """Fits whose numbers stand in the laws as they were found; a number that was typed over since takes its fit out."""
    taken = [f for f in project.fits if f.found is not None and f.found.numbers]
    if not taken:
        return []
    known = addresses(project)
    return [
        f
        for f in taken
        if f.found is not None
        and len(f.found.texts) == len(f.found.numbers)
        and all(a in known and known[a].text == text for a, text in zip(f.found.numbers, f.found.texts, strict=True))
    ]


def anything_unsure(project: Project) -> bool:
    """Whether there is anything to sample."""
    return bool(project.spreads) or bool(fits_in_use(project))
