"""Fits, by the workers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from gulch.engine.fitting.study import Study
from gulch.engine.work import FitLaws
from gulch.web.projects import solving

if TYPE_CHECKING:
    from gulch.engine.document import FitEntry
    from gulch.web.projects.workspace import Workspace


@dataclass(frozen=True)
class FitAnswer:
    """What is known of the fit that is shown; pending: workers are at it."""

    entry: FitEntry | None = None
    study: Study | None = None
    trouble: str = ""
    pending: bool = False
    stopped: bool = False


def key_of(pk: int, fit: str) -> tuple:
    """The key of the job of a fit."""
    return "fit", pk, fit


def shown_fit(space: Workspace) -> FitAnswer:
    """The fit that is selected, its study where it is known, or workers that begin on it now."""
    head, _, rest = space.select.partition(":")
    entry = space.document.fit(rest.partition(":")[0]) if head == "fit" else None
    if entry is None and head not in ("sheet", "pair") and space.document.fits and space.document.measurements:
        entry = space.document.fits[0]
    return FitAnswer() if entry is None else fit_answer(space, entry)


def fit_answer(space: Workspace, entry: FitEntry) -> FitAnswer:
    """The study of a fit where it is known, or workers that begin on it now."""
    if not entry.sheets or not entry.free:
        words = "measurements" if not entry.sheets else "numbers that are sought"
        return FitAnswer(entry, trouble=f"Tick the {words} in the question.")
    outcome, pending = solving.answer(space.row, FitLaws(space.document.dump(), entry.id), key_of(space.row.pk, entry.id))
    if outcome is None:
        return FitAnswer(entry, pending=pending)
    data = outcome.data()
    if "messages" in data:  # broken off
        return FitAnswer(entry, trouble=data["messages"][0]["what"], stopped=True)
    study = Study.from_dict(data)
    return FitAnswer(entry, study, study.answer.trouble)
