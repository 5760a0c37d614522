"""Solving the variants beside the base."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from gulch.engine.document import DocumentError, Project
from gulch.engine.flowsheet.solution import Solution
from gulch.engine.project.variants import applied
from gulch.engine.work import Solve
from gulch.web.projects import solving

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace


PATIENCE = 0.5  # s that the page waits for each variant


@dataclass(frozen=True)
class VariantAnswer:
    """What is known of a variant, or of the base under "". pending: it is still being solved; misfit: why it has no document."""

    document: Project | None
    solution: Solution | None = None
    pending: bool = False
    misfit: str = ""


def solved_variants(space: Workspace) -> dict[str, VariantAnswer]:
    """{id: VariantAnswer} of the base and every variant; what is not known yet is handed to the workers."""
    found = {}
    for variant in (None, *space.whole.variants):
        id_ = variant.id if variant else ""
        try:
            document = applied(space.whole, variant) if variant else space.whole
        except DocumentError as error:
            found[id_] = VariantAnswer(None, misfit=str(error))
            continue
        found[id_] = _answer(space, id_, document)
    return found


def _answer(space: Workspace, id_: str, document: Project) -> VariantAnswer:
    row = space.row
    task = Solve(document.dump(), start=solving.start_of(row))
    if task.digest == row.current.digest:
        return VariantAnswer(document, space.latest, space.job is not None)
    outcome, pending = solving.answer(row, task, ("variant", row.pk, id_), PATIENCE)
    return VariantAnswer(document, outcome.solution() if outcome else None, pending)
