"""The diagram of a pair of species under a project's phase model, beside what was measured of it."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.document import MeasuredPair
from gulch.engine.fluids import PAIR_ALPHA
from gulch.engine.phases import binary, poorly_known, unpaired_acids
from gulch.engine.project.edit import set_pair
from gulch.engine.project.measured import in_si, measured_of
from gulch.engine.project.reading import model_of
from gulch.engine.quantities import QuantityError
from gulch.engine.species import SpeciesError

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.project.measured import Held


class PairTrouble(ValueError):
    """A pair without a diagram; the message is a sentence for the user."""


@dataclass(frozen=True)
class PairDiagram:
    """What is known of a pair in SI; x, y: mole fractions of the first. P [Pa] or T [K] is held, `value` is the other.

    curve: (x, y, value, two liquids); azeotropes: (x, value, two liquids); points: measured ones, (x, y or None, value);
    apart, apart_y: mean distances of the points; fit: {"b": (b12, b21) [K], "errors", "points",
    "texts" as `edit.set_pair` takes them} with its own curve and distances, or None.
    """

    first: str
    second: str
    P: float | None
    T: float | None
    curve: tuple
    azeotropes: tuple
    points: tuple
    apart: float | None
    apart_y: float | None
    fit: dict | None
    doubt: str = ""  # why the diagram is no good guide

    def to_dict(self) -> dict[str, Any]:
        """As plain data."""
        return asdict(self)


def pair_diagram(project: Project, first: str, second: str) -> PairDiagram:
    """The PairDiagram of two species, by id. Raises PairTrouble with a sentence."""
    ids = [s.id for s in project.species]
    if first not in ids or second not in ids or first == second:
        raise PairTrouble("Choose two different species of the project.")
    measured = measured_of(project, first, second) or MeasuredPair(pair=(first, second))
    first, second = measured.pair
    i, j = ids.index(first), ids.index(second)
    try:
        model = model_of(project)
        what, points = in_si(measured)
    except (SpeciesError, QuantityError) as error:
        raise PairTrouble(str(error)) from None
    for at in (i, j):
        if not model.volatile[at]:
            raise PairTrouble(f"{ids[at]} stays in the liquid: it has no part in a boiling diagram.")
    at = what._asdict()
    curve = binary.diagram(model, i, j, **at)
    if len(curve) < 2:
        raise PairTrouble(
            f"{first} and {second} have no bubble point at {measured.at} under this phase model: one is far above its critical point."
        )
    apart, apart_y, _ = binary.errors(model, i, j, points, **at) if points else (None, None, 0)
    fit = _fit(project, model, i, j, points, what) if points and project.phase_model.kind in ("nrtl", "wilson") else None
    found = binary.azeotropes(model, i, j, curve, **at)
    plain = tuple(tuple(float(v) for v in point) for point in curve)
    azeotropes = tuple(tuple(map(float, a)) for a in found)
    doubt = doubt_of(model, i, j)
    return PairDiagram(first, second, what.P, what.T, plain, azeotropes, points, apart, apart_y, fit, doubt)


def doubt_of(model: PhaseModel, i: int, j: int) -> str:
    """Why the phase model is a poor guide for a pair; "" where it is none."""
    pair = (min(i, j), max(i, j))
    if pair in unpaired_acids(model):
        acid = next(model.species[at].name for at in pair if at != model.water)
        return f"The vapour of this phase model counts no paired molecules of {acid}, so an azeotrope with water may be false"
    if pair in {(min(p), max(p)) for p in poorly_known(model)}:
        return "This phase model knows too little of the pair: boiling points and azeotropes may be far off"
    return ""


def _fit(project: Project, model: PhaseModel, i: int, j: int, points: tuple, what: Held) -> dict[str, Any] | None:
    """Fitted parameters of the pair, with the diagram and the distances that they give; None where there are too few points."""
    found = binary.fitted(model, i, j, points, **what._asdict())
    if found is None:
        return None
    ids = [s.id for s in project.species]
    texts = {"b_ab": f"{found.b[0]:.6g} K", "b_ba": f"{found.b[1]:.6g} K"}
    if project.phase_model.kind == "nrtl":
        texts["alpha"] = f"{model.mix.pairs[PAIR_ALPHA, i, j]:g}"  # the one that it was fitted with
    trial = project.model_copy(deep=True)
    set_pair(trial, ids[i], ids[j], texts)
    own = model_of(trial)
    apart, apart_y, _ = binary.errors(own, i, j, points, **what._asdict())
    curve = tuple(tuple(float(v) for v in p) for p in binary.diagram(own, i, j, **what._asdict()))
    told = {"b": found.b, "errors": found.errors, "points": found.points}
    return told | {"texts": texts, "apart": apart, "apart_y": apart_y, "curve": curve}
