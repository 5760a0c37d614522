"""What a revision changed, from what to what, and what that did to the gauges."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from gulch.engine.document import DocumentError
from gulch.engine.project.couplings import readings
from gulch.engine.project.variants import differences, words
from gulch.engine.quantities import QuantityError, difference_of, show
from gulch.engine.work import unpack

if TYPE_CHECKING:
    from gulch.web.projects.models import Outcome, Project, Revision


LISTED = 8  # changes told of one revision; a comparison tells all
ALIKE = 1e-6  # relative difference up to which a gauge has not moved


@dataclass
class Changed:
    """changes: [(where, before, after)]; more: how many are not listed; gauges: [(label, before, after, difference)]."""

    changes: list
    more: int
    gauges: list
    trouble: str = ""


def changed(before: Revision, after: Revision, outcomes: dict[str, Outcome], most: int = LISTED) -> Changed:
    """The Changed between two Revisions. outcomes: {digest: Outcome} of their project."""
    try:
        old, new = before.read, after.read
        edits = differences(old.dump(), new.dump())
        rows = [words(old, e) for e in edits[:most]]
        return Changed(rows, max(len(edits) - most, 0), moved(before, after, outcomes))
    except DocumentError as error:
        return Changed([], 0, [], f"It cannot be read: {error}")


def moved(before: Revision, after: Revision, outcomes: dict[str, Outcome]) -> list[tuple]:
    """Gauges that stand otherwise in two Revisions whose figures are both known."""
    found = [outcomes.get(r.digest) for r in (before, after)]
    if None in found or before.digest == after.digest:
        return []
    old, new = (unpack(o.packed)["gauges"] for o in found)
    document = after.worked
    known, out = readings(document), []
    for gauge in document.gauges:
        a, b = old.get(gauge.id), new.get(gauge.id)
        if gauge.reads not in known or a is None or b is None or abs(b - a) <= ALIKE * max(abs(a), abs(b)):
            continue
        dimension = known[gauge.reads].dimension
        try:
            texts = [show(v, dimension, document.display) for v in (a, b)]
        except QuantityError:
            continue
        if dimension == "fraction":  # a share moves by points
            share = ("+" if b > a else "−") + show(abs(b - a), difference_of(dimension), document.display, 3)
        else:
            share = f"{100.0 * (b - a) / abs(a):+.3g} %" if a else ""
        out.append((gauge.label or gauge.id, *texts, share.replace("-", "−")))
    return out


def outcomes_of(row: Project, revisions: list[Revision] | tuple) -> dict[str, Outcome]:
    """{digest: solved Outcome} of some Revisions."""
    return {o.digest: o for o in row.outcomes.filter(digest__in=[r.digest for r in revisions], solved=True)}
