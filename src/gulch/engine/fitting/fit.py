"""Least squares of rate laws on measurements: starts, the search, and what the linear theory says of the answer.

Sources: Bates & Watts, Nonlinear Regression Analysis and Its Applications (1988), ch. 2 and 6; Seber & Wild, Nonlinear Regression (1989).

Notation: phi: numbers sought, shape (p,); residuals in units of their sigma, shape (N,); J: slopes of what is computed over sigma, (N, p).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.chemistry.rates import PER
from gulch.engine.fitting.errors import Errors
from gulch.engine.fitting.laws import TYPICAL_ENERGY, Laws
from gulch.engine.fitting.numbers import FitTrouble
from gulch.engine.fitting.predicted import Predicted
from gulch.engine.measured import SheetTrouble, runs_of
from gulch.engine.project.reading import model_of
from gulch.engine.settle import UNWATCHED
from gulch.engine.species import SpeciesError

if TYPE_CHECKING:
    from gulch.engine.document import FitEntry, Project, RateEntry, RivalEntry
    from gulch.engine.measured import Run
    from gulch.engine.settle import Watch

FAR = 1e3  # sigmas that a reading counts for which a vessel cannot be followed
MOST_STARTS, MOST_SOLVES = 8, 300
K_GRID = np.linspace(-26.0, 22.0, 25)  # ln k in units of 1/(typical time), at which the first look is taken
ALIKE = 1e-6  # relative: sums of squares of starts that end at one answer
UNSEEN = 1e-7  # singular value over the largest, below which the data see no combination of numbers


@dataclass
class Least:
    """What least squares found. S: sum of squared residuals; starts: how many were tried and how many ended here."""

    predicted: Predicted
    errors: Errors
    sigma: np.ndarray
    phi: np.ndarray
    computed: np.ndarray
    J: np.ndarray
    S: float
    starts: int = 1
    same: int = 1
    others: list[tuple[float, np.ndarray]] = field(default_factory=list)  # other minima: (S, phi)

    @property
    def laws(self) -> Laws:
        return self.predicted.laws

    @property
    def residuals(self) -> np.ndarray:
        """Measured less computed, in sigmas."""
        return (self.predicted.values - self.computed) / self.sigma

    @property
    def freedom(self) -> int:
        """Degrees of freedom: readings less numbers."""
        return self.predicted.values.size - self.phi.size

    @property
    def variance(self) -> float:
        """What a residual's square is on average: 1 where the errors were given."""
        return 1.0 if self.errors.known else self.S / max(self.freedom, 1)

    @property
    def quantile(self) -> float:
        """Half the width of a 95 % interval in standard deviations."""
        if self.errors.known:
            return float(scipy.stats.norm.ppf(0.975))
        return float(scipy.stats.t.ppf(0.975, max(self.freedom, 1)))

    def covariance(self) -> np.ndarray:
        """Of the numbers by the linear theory, shape (p, p)."""
        U = np.linalg.svd(self.J / self._scale(), full_matrices=False)
        inner = (U[2].T / np.maximum(U[1], 1e-12 * U[1][0]) ** 2) @ U[2]
        return self.variance * inner / np.outer(self._scale(), self._scale())

    def _scale(self) -> np.ndarray:
        norms = np.sqrt((self.J**2).sum(axis=0))
        return np.where(norms > 0.0, norms, 1.0)

    def unseen(self) -> list[int]:
        """Positions of numbers that the data do not determine: those in a combination that changes nothing."""
        norms = np.sqrt((self.J**2).sum(axis=0))
        if not np.all(norms > 0.0):
            return np.flatnonzero(~(norms > 0.0)).tolist()
        _, size, V = np.linalg.svd(self.J / norms, full_matrices=False)
        if size[-1] > UNSEEN * size[0]:
            return []
        return np.flatnonzero(np.abs(V[-1]) > 0.1).tolist()

    def leverage(self) -> np.ndarray:
        """How much each reading holds what is computed there, 0 to 1, shape (N,)."""
        U = np.linalg.svd(self.J / self._scale(), full_matrices=False)[0]
        return (U**2).sum(axis=1)


def sheets_of(project: Project, entry: FitEntry) -> list:
    """The sheets that count. Raises FitTrouble."""
    found = [s for s in project.measurements if s.id in entry.sheets]
    if not found:
        raise FitTrouble("No measurements are chosen: tick those that count.")
    return found


def prepared(project: Project, entry: FitEntry, rival: RivalEntry | None = None) -> tuple[Predicted, Errors]:
    """The Predicted and Errors of a fit, or of a rival in it. Raises FitTrouble or SheetTrouble."""
    chosen = project.set(entry.set)
    reactions = [i for step in chosen.steps for i in step] if chosen is not None else []
    if not reactions:
        raise FitTrouble("No reaction set is chosen, or it is empty: choose which reactions run.")
    free = list(dict.fromkeys(rival.free if rival is not None else entry.free))
    if not free:
        raise FitTrouble("No number is sought: tick those that the measurements are to find.")
    try:
        model = model_of(project)
    except SpeciesError as error:
        raise FitTrouble(str(error)) from None
    runs: list[Run] = []
    for sheet in sheets_of(project, entry):
        runs += runs_of(project, sheet, model, len(runs))
    laws: dict[str, RateEntry] = rival.laws if rival is not None else {}
    readings = sum(len(r.readings) for r in runs)
    cold = sum(len(r.readings) / r.T for r in runs) / readings
    T = round(1.0 / cold - 273.15) + 273.15
    predicted = Predicted(runs, Laws(project, reactions, free, T, laws), model)
    if readings <= len(free):
        raise FitTrouble(
            f"{readings} reading{'s' if readings > 1 else ''} cannot find {len(free)} number{'s' if len(free) > 1 else ''}: measure more, "
            "or seek fewer."
        )
    _bulk_known(predicted)
    return predicted, Errors(entry, predicted)


def _bulk_known(predicted: Predicted) -> None:
    for run in predicted.runs:
        missing = {per for per in predicted.laws.per if run.kind not in ("constants", "differential") and not run.vessel.shares[per] > 0.0}
        if missing:
            counted = [*PER.values()][min(missing)]
            raise FitTrouble(
                f"{run.sheet}: the rates count on {counted}, but nothing says how much there is. Type what a volume of charge or "
                "bed holds of it, and of catalyst where the table goes along its mass."
            )


def bounds_of(entry: FitEntry, laws: Laws) -> tuple[np.ndarray, np.ndarray]:
    """(lowest, highest) phi: as typed, else the widest that a number can have. Raises FitTrouble."""
    low, high = np.array([n.low for n in laws.numbers]), np.array([n.high for n in laws.numbers])
    for i, n in enumerate(laws.numbers):
        for typed, into in ((entry.low, low), (entry.high, high)):
            text = typed.get(n.address, "").strip()
            if text:
                try:
                    into[i] = n.phi_of(float(text.split(" ")[0]))
                except (ValueError, OverflowError):
                    raise FitTrouble(f"The bound “{text}” of {n.symbol} is no number above zero in {n.unit or 'no unit'}.") from None
        if not low[i] < high[i]:
            raise FitTrouble(f"The bounds of {n.symbol} leave nothing between them: exchange them.")
    return low, high


class Search:
    """Searches of one Predicted with given sigmas and bounds."""

    def __init__(self, predicted: Predicted, sigma: np.ndarray, low: np.ndarray, high: np.ndarray, watch: Watch = UNWATCHED) -> None:
        self.predicted, self.sigma, self.low, self.high, self.watch = predicted, sigma, low, high, watch
        self._last: tuple[bytes, np.ndarray, np.ndarray] | None = None

    def at(self, phi: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """(residuals computed less measured, slopes), in sigmas."""
        key = phi.tobytes()
        if self._last is None or self._last[0] != key:
            computed, J = self.predicted.computed(phi)
            r, J = (computed - self.predicted.values) / self.sigma, J / self.sigma[:, None]
            lost = ~(np.isfinite(r) & np.all(np.isfinite(J), axis=1))
            r[lost], J[lost] = FAR, 0.0
            self._last = key, r, J
        return self._last[1], self._last[2]

    def cost(self, phi: np.ndarray) -> float:
        """Sum of squares at phi, without slopes."""
        computed, _ = self.predicted.computed(phi, False)
        r = (computed - self.predicted.values) / self.sigma
        r[~np.isfinite(r)] = FAR
        return float(r @ r)

    def least(self, start: np.ndarray, held: int | None = None, most: int = 60) -> tuple[np.ndarray, float]:
        """(phi, S) of the least squares from a start, one number held where it is."""
        free = np.ones(start.size, bool)
        if held is not None:
            free[held] = False
        if not free.any():
            return start, self.cost(start)

        def whole(part: np.ndarray) -> np.ndarray:
            phi = start.copy()
            phi[free] = part
            return phi

        begin = np.clip(start, self.low, self.high)[free]
        misses, slopes = lambda part: self.at(whole(part))[0], lambda part: self.at(whole(part))[1][:, free]
        ends = dict(xtol=1e-10, ftol=1e-12, gtol=1e-12)
        if np.all(self.low[free] < begin) and np.all(begin < self.high[free]):  # Levenberg's and Marquardt's way knows no bounds
            part, _ = scipy.optimize.leastsq(misses, begin, Dfun=slopes, maxfev=most, **ends)
            if np.all(self.low[free] < part) and np.all(part < self.high[free]):
                r = misses(part)
                return whole(part), float(r @ r)
        bounds = (self.low[free], self.high[free])
        found = scipy.optimize.least_squares(misses, begin, jac=slopes, bounds=bounds, x_scale="jac", max_nfev=most, **ends)
        return whole(found.x), 2.0 * float(found.cost)


def fitted(
    project: Project,
    entry: FitEntry,
    rival: RivalEntry | None = None,
    sigma: np.ndarray | None = None,
    watch: Watch = UNWATCHED,
) -> Least:
    """The best fit of the project's laws, or of a rival's. sigma: where they are given by another fit of the same readings.

    Raises FitTrouble or SheetTrouble with a sentence.
    """
    predicted, errors = prepared(project, entry, rival)
    low, high = bounds_of(entry, predicted.laws)
    return searched(predicted, errors, low, high, sigma, watch)


def searched(
    predicted: Predicted, errors: Errors, low: np.ndarray, high: np.ndarray, sigma: np.ndarray | None = None, watch: Watch = UNWATCHED
) -> Least:
    """The best of several starts, with errors of unknown size taken from the scatter.

    sigma: shape (N,), where it is known; low, high: bounds of phi, shape (p,). Raises FitTrouble where nothing can be followed.
    """
    given = sigma is not None
    sigma = errors.sigma() if sigma is None else sigma
    search = Search(predicted, sigma, low, high, watch)
    ends = []
    for start in starts(search):
        if watch.ended():
            break
        ends.append(search.least(start))
        best = min(S for _, S in ends)
        if sum(best * (1.0 + ALIKE) + 1e-12 >= S for _, S in ends) >= 3:
            break
    if not ends:
        raise FitTrouble("The fit was stopped before it had an answer.")
    ends.sort(key=lambda e: e[1])
    phi, S = ends[0]
    if not given:
        for _ in range(6):
            computed, _ = predicted.computed(phi, False)
            before = sigma
            errors.learn((predicted.values - computed) / sigma, phi.size)
            sigma = errors.sigma(computed)
            if np.all(np.abs(sigma - before) <= 1e-7 * before):
                break
            search = Search(predicted, sigma, low, high, watch)
            phi, S = search.least(phi)
    computed, J = predicted.computed(phi)
    if not np.all(np.isfinite(computed)):
        raise FitTrouble("No start was found from which the measurements can be followed: type starting values nearer to what you expect.")
    same = sum(end[1] <= ends[0][1] * (1.0 + ALIKE) + 1e-12 for end in ends)
    others = [(s, p) for p, s in ends[1:] if s > ends[0][1] * (1.0 + 1e-3)]
    r = (computed - predicted.values) / sigma
    return Least(predicted, errors, sigma, phi, computed, J / sigma[:, None], float(r @ r), len(ends), same, others)


def starts(search: Search) -> list[np.ndarray]:
    """Where searches begin, the most promising first: as typed, and by a look over k of all laws and then of each."""
    laws, low, high = search.predicted.laws, search.low, search.high
    inside = np.clip(laws.start(), low, high)
    for i, n in enumerate(laws.numbers):
        if n.kind in ("energy", "back_energy") and inside[i] == 0.0:
            inside[i] = np.clip(TYPICAL_ENERGY, low[i], high[i])
    constants = [i for i, n in enumerate(laws.numbers) if n.kind in ("k", "back_k")]
    if not constants:  # those of a formula are looked at from where they are typed
        steep = [i for i, n in enumerate(laws.numbers) if n.kind == "number" and n.logarithmic]
        for i in [i for i, n in enumerate(laws.numbers) if n.kind == "lnK_A"]:
            inside = _best_of(search, inside, [i], np.linspace(-40.0, 40.0, 41))
        for i in steep:
            inside = _best_of(search, inside, [i], inside[i] + np.linspace(-7.0, 7.0, 15))
    found = [inside]
    if constants:
        looked = inside.copy()
        grid = K_GRID - math.log(_typical_time(search))
        looked = _best_of(search, looked, constants, grid)
        for i in constants if len(constants) > 1 else []:
            looked = _best_of(search, looked, [i], looked[i] + np.linspace(-6.0, 6.0, 9))
        for i, n in enumerate(laws.numbers):
            if n.kind == "lnK_A":
                looked = _best_of(search, looked, [i], np.linspace(-20.0, 20.0, 21))
            if n.kind == "adsorption":
                looked = _best_of(search, looked, [i], looked[i] * np.exp(np.linspace(-6.0, 6.0, 7)))
        found.append(looked)
    sampler = scipy.stats.qmc.Sobol(inside.size, seed=7)
    spread = np.array([2.5 if n.logarithmic else 2.5e4 if "energy" in n.kind or "heat" in n.kind else 0.8 for n in laws.numbers])
    around = found[-1]
    spread = np.where([n.kind == "adsorption" for n in laws.numbers], 0.95 * np.abs(around), spread)
    found += [np.clip(around + spread * (2.0 * u - 1.0), low, high) for u in sampler.random(8)]
    costs = [search.cost(phi) for phi in found]
    first = found[: 2 if constants else 1]
    rest = [found[i] for i in np.argsort(costs) if not any(found[i] is f for f in first)]
    return [*sorted(first, key=search.cost), *rest][:MOST_STARTS]


def _best_of(search: Search, phi: np.ndarray, which: list[int], values: np.ndarray) -> np.ndarray:
    """phi with some numbers at the value, the same for all, that fits best."""
    best, least = phi, search.cost(phi)
    for value in values:
        trial = phi.copy()
        trial[which] = np.clip(value, search.low[which], search.high[which])
        if (cost := search.cost(trial)) < least:
            best, least = trial, cost
    return best


def _typical_time(search: Search) -> float:
    """A time (or size) in which the runs happen, in SI; 1 where nothing runs along."""
    ends = [float(r.points[-1]) for r in search.predicted.runs if r.along and r.points[-1] > 0.0]
    return float(np.median(ends)) if ends else 1.0


__all__ = ["FitTrouble", "Least", "Search", "SheetTrouble", "fitted", "prepared", "searched"]
