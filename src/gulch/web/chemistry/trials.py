"""Phase models tried on published and pasted data of a project's pairs: a part of the Chemistry page that comes by itself."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from gulch.engine.explain.model_advice import advised
from gulch.engine.explain.model_trials import has_data
from gulch.engine.phases import PHASE_MODELS
from gulch.engine.work import TryModels
from gulch.web.projects import solving

if TYPE_CHECKING:
    from gulch.engine.document import Project as Document
    from gulch.web.projects.models import Project

SHOWN = 3  # models beside the chosen one


@dataclass(frozen=True)
class Line:
    """A datum: what it is, as measured, and what each model shown makes of it."""

    label: str
    measured: str
    cells: list[str]


@dataclass
class TrialsShown:
    """What the page says: the model to take where it is another, why, and the models tried."""

    pending: bool = False
    asked: bool = False  # before: the page waits a little until it asks again
    take: str = ""
    label: str = ""
    why: str = ""
    heads: list[str] = field(default_factory=list)  # the models tried, the chosen one first
    lines: list[Line] = field(default_factory=list)
    passed_over: str = ""  # why the model that comes nearest is not the one to take


def shown_of(row: Project, document: Document, begin: bool = False) -> TrialsShown:
    """The advice on the phase model: by trial where anything was measured of the pairs, else by the kind of molecules.

    begin: whether workers begin on what is not known yet; else it is pending, and the page asks for it.
    """
    shown, chosen, advice = TrialsShown(), document.phase_model.kind, advised(document)
    if has_data(document):
        task = TryModels(document.dump())
        if begin:
            shown.asked = True
            outcome, shown.pending = solving.answer(row, task, ("trials", row.pk))
        else:
            outcome = row.outcomes.filter(digest=task.digest).first()
            shown.pending = outcome is None
        found = outcome.data() if outcome is not None else {}
        kept = [t for t in found.get("trials", []) if t["kind"] == chosen]
        kept += [t for t in found.get("trials", []) if t["kind"] != chosen][:SHOWN]
        best = found.get("best", "")
        shown.heads = [t["label"].removesuffix(" (activity model)") for t in kept]
        shown.lines = [Line(what, said, [t["words"][n] for t in kept]) for n, (what, said) in enumerate(found.get("data", []))]
        shown.passed_over = found.get("passed_over", "")
        if best and best != chosen:
            by_kind = [advice.reason] if advice is not None and advice.kind == best else []
            nearest = ["it comes nearest to what was measured"] if found["trials"][0]["kind"] == best else []
            nearer = [] if nearest or by_kind else ["it comes nearest of those that its pressures allow"]
            shown.take, shown.label, shown.why = best, PHASE_MODELS[best][0], ", and ".join(by_kind + nearest + nearer)
    if not shown.lines and not shown.pending:
        if advice is not None and advice.kind != chosen:
            shown.take, shown.label, shown.why = advice.kind, advice.label, advice.reason
    return shown
