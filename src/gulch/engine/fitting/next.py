"""What to measure next: runs that would part rival laws most, or narrow the numbers most; each is computed before it is told.

Sources: the divergence of predictions over their own uncertainty: Buzzi-Ferraris, Forzatti, Emig & Hofmann, Chem. Eng. Sci. 39 (1984) 81;
D-optimal designs: Box & Lucas, Biometrika 46 (1959) 77.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.fitting.predicted import Predicted
from gulch.engine.measured import WHAT, Reading
from gulch.engine.quantities import DISPLAY_SETS, pretty_unit, to_unit

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.fitting.fit import Least
    from gulch.engine.measured import Run

READ = 6  # readings along a run that is proposed
BEYOND = 20.0  # K, how far above and below the temperatures measured a run may be
AMOUNTS = (0.5, 1.0, 2.0, 5.0)  # times what was charged, of each species that is used
MOST = 240  # runs that are looked at
COLDEST, HOTTEST = 200.0, 2000.0


@dataclass
class Proposal:
    """words: the run; why: what it would bring; reads: {law: what it would read at the last point}; gain: the measure it was chosen by."""

    words: str
    why: str
    gain: float
    reads: tuple[tuple[str, str], ...] = ()


def candidates(least: Least) -> list[tuple[Run, float, tuple[float, ...]]]:
    """(run, T [K], factors of what is charged) within reach of what was measured: hotter and colder, with more and less of what reacts."""
    found, seen = [], set()
    runs = least.predicted.runs
    temperatures = sorted({round(r.T, 2) for r in runs})
    lowest, highest = max(temperatures[0] - BEYOND, COLDEST), min(temperatures[-1] + BEYOND, HOTTEST)
    looked = sorted({lowest, highest, *(temperatures if len(temperatures) < 4 else (temperatures[0], temperatures[-1]))})
    for run in runs:
        used = np.flatnonzero((run.vessel.n0 > 0.0) & np.any(least.laws.rates.nu != 0.0, axis=0))
        key = (run.kind, run.along, tuple(np.round(run.vessel.n0, 6)))
        if key in seen or run.kind == "constants":
            continue
        seen.add(key)
        for T, factors in itertools.product(looked, itertools.product(AMOUNTS, repeat=min(len(used), 2))):
            n0 = run.vessel.n0.copy()
            n0[used[: len(factors)]] *= factors
            vessel = run.vessel._replace(n0=n0, course=np.array([[0.0, T]]))
            points = np.linspace(0.0, run.points[-1], READ + 1)[1:] if run.along else run.points[:1]
            found.append((replace(run, vessel=vessel, T=T, points=points, readings=[]), T, factors))
    step = max(len(found) // MOST, 1)
    return found[::step]


def _read(least: Least, run: Run) -> Run:
    """A run with readings of every response that runs of its kind had, of unknown values."""
    kinds = {(r.what, r.species) for r in least.predicted.readings if least.predicted.runs[r.run].kind == run.kind}
    rows = [Reading(0, p, what, species, 1.0, 0, 0) for what, species in sorted(kinds) for p in range(len(run.points))]
    return replace(run, readings=rows)


def _sigma(least: Least, what: list[str], values: np.ndarray) -> np.ndarray:
    sizes = np.array([least.errors.sizes[least.errors.kinds.index(w)] for w in what])
    relative = np.array([least.errors.errors[least.errors.kinds.index(w)].relative for w in what])
    largest = np.array([np.abs(least.predicted.values[least.errors.of == least.errors.kinds.index(w)]).max() for w in what])
    return sizes * np.where(relative, np.maximum(np.abs(values), 1e-3 * largest), 1.0)


def _at(least: Least, run: Run) -> tuple[np.ndarray, np.ndarray]:
    """(what a law reads along a run, its slopes)."""
    return Predicted([run], least.laws, least.predicted.model).computed(least.phi)


def narrowing(project: Project, least: Least) -> Proposal | None:
    """The run that would narrow the numbers most, taken together; None where none is found."""
    before = least.J.T @ least.J
    scale = np.sqrt(np.maximum(np.diag(before), 1e-300))
    best: tuple[float, Run, np.ndarray] | None = None
    for run, _, _ in candidates(least):
        asked = _read(least, run)
        values, J = _at(least, asked)
        if not np.all(np.isfinite(values)) or not np.all(np.isfinite(J)):
            continue
        J = J / _sigma(least, [r.what for r in asked.readings], values)[:, None]
        after = before + J.T @ J
        sign, grown = np.linalg.slogdet(after / np.outer(scale, scale))
        if sign > 0.0 and (best is None or grown > best[0]):
            best = float(grown), asked, after
    if best is None:
        return None
    _, run, after = best
    old, new = np.sqrt(np.diag(least.covariance())), np.sqrt(least.variance * np.diag(np.linalg.inv(after)))
    most = int(np.argmin(new / old))
    n = least.laws.numbers[most]
    return Proposal(
        _words(project, least, run),
        f"would narrow {n.symbol} to {new[most] / old[most]:.2g} of its interval"
        + (f", and all {len(old)} together to {_all(old, new):.2g}" if len(old) > 1 else ""),
        best[0],
    )


def _all(old: np.ndarray, new: np.ndarray) -> float:
    return float(np.exp(np.mean(np.log(new / old))))


def parting(project: Project, names: list[str], fits: list[Least]) -> Proposal | None:
    """The run that would part the first two laws most: where their readings differ most beside their own uncertainty."""
    a, b = fits[:2]
    best: tuple[float, Run, np.ndarray, np.ndarray] | None = None
    for run, _, _ in candidates(a):
        asked = _read(a, run)
        (of_a, J_a), (of_b, J_b) = _at(a, asked), _at(b, asked)
        if not (np.all(np.isfinite(of_a)) and np.all(np.isfinite(of_b))):
            continue
        sigma = _sigma(a, [r.what for r in asked.readings], of_a)
        unsure = 2.0 * sigma**2 * a.variance
        for J, fit in ((J_a, a), (J_b, b)):
            unsure = unsure + np.einsum("ip,pq,iq->i", J, fit.covariance(), J)
        apart = float((((of_a - of_b) ** 2) / unsure).sum())
        if best is None or apart > best[0]:
            best = apart, asked, of_a, of_b
    if best is None:
        return None
    apart, run, of_a, of_b = best
    at = int(np.argmax(np.abs(of_a - of_b)))
    r = run.readings[at]
    reads = tuple((name, _shown(project, r.what, float(v[at]))) for name, v in zip(names, (of_a, of_b), strict=False))
    species = f" of {a.laws.species[r.species]}" if r.species >= 0 else ""
    told = f"{WHAT[r.what].words}{species}{_when(project, run, r.point)} would read "
    told += f"{reads[0][1]} by “{names[0]}”, {reads[1][1]} by “{names[1]}”"
    if apart < len(run.readings):
        told += "; even that is hardly more than the scatter"
    return Proposal(_words(project, a, run), told, apart, reads)


def _shown(project: Project, what: str, value: float) -> str:
    dimension = WHAT[what].dimension
    return _short(project, value, dimension) if dimension else f"{value:.3g}"


def _short(project: Project, value: float, dimension: str) -> str:
    """A quantity to three digits, as one would set it."""
    unit = DISPLAY_SETS[project.display].unit(dimension)
    return f"{to_unit(value, unit, dimension):.3g} {pretty_unit(unit)}".strip()


def _when(project: Project, run: Run, point: int) -> str:
    if not run.along:
        return ""
    return f" at {WHAT[run.along].symbol} {_short(project, float(run.points[point]), WHAT[run.along].dimension)}"


def _words(project: Project, least: Least, run: Run) -> str:
    """The run as one would set it up."""
    n0, vessel = run.vessel.n0, run.vessel
    charged = []
    for i in np.flatnonzero(n0 > 0.0):
        if run.kind in ("batch-volume", "differential") or vessel.kind == 0:
            charged.append(f"{_short(project, float(n0[i] / vessel.volume), 'molar concentration')} {least.laws.species[i]}")
        else:
            charged.append(f"{_short(project, float(n0[i] / n0.sum()), 'fraction')} {least.laws.species[i]}")
    up_to = f", up to{_when(project, run, -1).removeprefix(' at')}" if run.along else ""
    return f"a run at {_short(project, run.T, 'temperature')} with {', '.join(charged[:4])}{up_to}"
