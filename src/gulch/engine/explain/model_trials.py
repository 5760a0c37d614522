"""Phase models tried on what was published, or pasted, of the pairs of a project: which of them reproduces it.

Azeotropes at 1 atm (Horsley 1973, in `phases/azeotropes.tsv`), solubilities of gases in water at 25 degC (sources of `pairs/dissolved`),
and points that the user pasted. Of each the miss is counted in what is near enough: 1 K, a third of a solubility.

Notation: T [K], P [Pa].
"""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from functools import lru_cache
from importlib.resources import files
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from gulch.engine import fluids as k
from gulch.engine.explain.model_advice import MODERATE, advised, highest_pressure
from gulch.engine.phases import PHASE_MODELS, binary
from gulch.engine.phases.model import WATER
from gulch.engine.phases.pairs.dissolved import beside_ions, compiled, guideline
from gulch.engine.phases.weak import MODELLED
from gulch.engine.project.measured import in_si
from gulch.engine.project.reading import model_of
from gulch.engine.quantities import QuantityError, show
from gulch.engine.species import SpeciesError

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document import Project
    from gulch.engine.phases.model import PhaseModel

TRIED = ("peng-robinson", "soave-redlich-kwong", "predictive-srk", "unifac", "modified-unifac", "nrtl", "electrolytes")
MOST = 6  # of each kind of data that are looked at
ATM = 101325.0
DILUTE = 1e-6  # mole fraction at which a solubility is asked for
LOST = 5.0  # the miss that an azeotrope counts which is not found, or found where none is
NEAR = 1.0  # K of a boiling point, and the factor of a solubility that are near enough
SOLUBLE = math.log(1.3)
ALIKE_X, NEAR_P = 0.02, 0.02  # of a mole fraction, and of a pressure in proportion, likewise
CLEAR = 0.5  # by which the mean miss of another model has to be less


class Told(NamedTuple):
    """A datum, what was measured, and what a model makes of it: its miss in what is near enough, and words."""

    label: str
    measured: str
    miss: float
    words: str


@dataclass(frozen=True)
class Trial:
    """One phase model: its mean miss in what is near enough, and what it makes of each datum, in words."""

    kind: str
    label: str
    miss: float
    words: list[str]


@dataclass(frozen=True)
class Trials:
    """All models tried, the nearest first; best: the kind to take; data: (what, as measured) of each.

    passed_over: of a model that comes clearly nearer than the one to take, why it is not the one; "" where none does.
    """

    trials: list[Trial]
    best: str
    data: list[tuple[str, str]]
    passed_over: str = ""

    def to_dict(self) -> dict[str, Any]:
        """As plain data."""
        return asdict(self)


@lru_cache(maxsize=1)
def azeotropes() -> dict[frozenset, tuple]:
    """{pair of CAS numbers: (CAS of the first, its mole fraction and the boiling point [K], or two None)}."""
    out = {}
    for line in files("gulch.engine.phases").joinpath("azeotropes.tsv").read_text(encoding="utf-8").splitlines():
        if not line.startswith("#"):
            first, second, x, celsius = line.split("\t")
            out[frozenset((first, second))] = (first, float(x), float(celsius) + 273.15) if x else (first, None, None)
    return out


def solubility(cas: str | None) -> float | None:
    """Henry's constant [Pa] of a gas in water at 25 degC that was measured, or None."""
    return (guideline(cas, 298.15) or beside_ions(cas, 298.15) or compiled(cas, 298.15)) if cas else None


def has_data(project: Project) -> bool:
    """Whether anything that was measured is known of a project's pairs."""
    cas = [s.cas for s in project.species if s.cas]
    pairs = {frozenset((a, b)) for n, a in enumerate(cas) for b in cas[n + 1 :]}
    return bool(project.phase_model.measured or pairs & set(azeotropes()) or (WATER in cas and any(solubility(c) for c in cas)))


def tried(project: Project) -> Trials:
    """The Trials of a project; without data no trial stands in it."""
    found, data = [], []
    ions = sum(s.cas in MODELLED for s in project.species) > 1
    for kind in dict.fromkeys((*TRIED, project.phase_model.kind)):
        if kind == "electrolytes" and not ions and project.phase_model.kind != kind:
            continue
        trial = project.model_copy(deep=True)
        trial.phase_model.kind = kind
        try:
            model = model_of(trial)
        except (SpeciesError, QuantityError):
            continue
        told = list(_misses(trial, model))
        if told:
            data = [(t.label, t.measured) for t in told]
            found.append(Trial(kind, PHASE_MODELS[kind][0], float(np.mean([t.miss for t in told])), [t.words for t in told]))
    found.sort(key=lambda t: t.miss)
    best = _best(project, found)
    return Trials(found, best, data, _passed_over(project, found, best))


def _best(project: Project, found: list[Trial]) -> str:
    """The kind to take: the nearest that the highest pressure allows; the chosen one where none is clearly nearer."""
    advice = advised(project)
    if advice is not None and advice.kind == "electrolytes":  # the others know nothing of what reacts in water
        return advice.kind
    P = highest_pressure(project) or 0.0
    allowed = [t for t in found if P <= MODERATE or PHASE_MODELS[t.kind][1] < k.UNIFAC]
    chosen = next((t for t in allowed if t.kind == project.phase_model.kind), None)
    if not allowed or (chosen is not None and chosen.miss <= allowed[0].miss + CLEAR):
        return project.phase_model.kind
    return allowed[0].kind


def _passed_over(project: Project, found: list[Trial], best: str) -> str:
    """Why the model that comes nearest is not the one to take; "" where it is, or is hardly nearer."""
    taken = next((t for t in found if t.kind == best), None)
    if taken is None or taken.miss <= found[0].miss + CLEAR:
        return ""
    if best == "electrolytes":
        return f"{found[0].label} comes nearer, but knows nothing of what reacts in water"
    above = show(MODERATE, "pressure", project.display, 3)
    return f"{found[0].label} comes nearer, but is meant for pressures up to {above}"


def _misses(project: Project, model: PhaseModel) -> Iterator[Told]:
    """What a model makes of each datum of the project."""
    yield from _of_azeotropes(project, model)
    yield from _of_gases(project, model)
    ids = [s.id for s in project.species]
    for entry in project.phase_model.measured[:MOST]:
        what, points = in_si(entry)
        i, j = (ids.index(name) for name in entry.pair)
        apart, _, count = binary.errors(model, i, j, points, **what._asdict()) if points else (None, None, 0)
        held = what.P is not None
        size = NEAR if held else NEAR_P * float(np.mean([p[2] for p in points] or [1.0]))
        words = f"{show(apart, 'temperature difference' if held else 'pressure', project.display, 2)} away" if count else "not computed"
        label = " and ".join(project.species[n].shown for n in (i, j))
        yield Told(label, f"{len(points)} points pasted", min(apart / size, LOST) if count else LOST, words)


def _of_azeotropes(project: Project, model: PhaseModel) -> Iterator[Told]:
    names, known, cas = [s.shown for s in project.species], azeotropes(), [s.cas for s in model.species]
    pairs = [(i, j) for i in range(model.n) for j in range(model.n) if i != j and model.volatile[i] and model.volatile[j]]
    published = [(i, j, *known[frozenset((cas[i], cas[j]))]) for i, j in pairs if frozenset((cas[i], cas[j])) in known]

    def words(T: float, x: float) -> str:
        return f"{show(T, 'temperature', project.display, 4)} at {x:.2f}"

    for i, j, _, x, T in [p for p in published if cas[p[0]] == p[2]][:MOST]:
        found = binary.azeotropes(model, i, j, binary.diagram(model, i, j, P=ATM), P=ATM)
        label = f"azeotrope of {names[i]} with {names[j]}"
        near = min(found, key=lambda a: abs(a.x - (x or 0.5)), default=None)
        if x is None:
            yield Told(label, "none", LOST if near else 0.0, words(near.value, near.x) if near else "none")
        elif near is None:
            yield Told(label, words(T, x), LOST, "none")
        else:
            miss = 0.5 * (abs(near.value - T) / NEAR + abs(near.x - x) / ALIKE_X)
            yield Told(label, words(T, x), min(miss, LOST), words(near.value, near.x))


def _of_gases(project: Project, model: PhaseModel) -> Iterator[Told]:
    if model.water is None:
        return
    gases = [i for i, s in enumerate(model.species) if model.volatile[i] and not model.of_ions[i] and solubility(s.cas)]
    for i in gases[:MOST]:
        H = solubility(model.species[i].cas) or 1.0
        label, measured = f"{project.species[i].shown} in water", f"x = {ATM / H:.2e} at 25 °C, 1 atm"
        if model.par[i, k.IONIC] > 0.0:
            yield Told(label, measured, 0.0, "as measured, with its ions")
            continue
        two = np.zeros(model.n)
        two[model.water], two[i] = 1.0, DILUTE
        ratio = H / (math.exp(model.ln_phi(298.15, ATM, two, k.LIQUID)[i]) * ATM)
        times = f"{ratio:.2f}" if 0.095 < ratio < 9.95 else f"{ratio:.2g}"
        yield Told(label, measured, min(abs(math.log(ratio)) / SOLUBLE, LOST), f"{times} × that")
