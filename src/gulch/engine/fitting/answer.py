"""What a fit answers, as plain data: numbers with their intervals, what was computed for each reading, curves, and sentences."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.fitting.fit import FitTrouble, Search, bounds_of, fitted
from gulch.engine.fitting.judged import Judged, judged, off_by
from gulch.engine.fitting.profiles import profiles
from gulch.engine.measured import WHAT, SheetTrouble
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.document import FitEntry, Project
    from gulch.engine.fitting.fit import Least
    from gulch.engine.fitting.profiles import Profile
    from gulch.engine.settle import Watch

UNBOUNDED = math.log(1e3)  # of ln k: an end that is further off than this factor is none
CURVE = 41  # points of a curve through readings


@dataclass
class Found:
    """A number found, in its unit. low, high: of the 95 % interval by the profile, None where it is open; linear: half the width by the
    linear theory, a factor less one where the number is sought by its logarithm; phi, sigma: as it was sought; curve: of the profile."""

    address: str
    kind: str
    symbol: str
    unit: str
    value: float
    low: float | None
    high: float | None
    linear: tuple[float, float]
    phi: float
    sigma: float
    curve: list[tuple[float, float]]
    text: str = ""
    logarithmic: bool = False  # phi is ln of the value in SI


@dataclass
class Point:
    """A reading beside what is computed, in SI. off: residual in standard deviations of its error, as it is for that leverage."""

    sheet: str
    row: int
    column: int
    run: int
    what: str
    species: int
    s: float
    T: float
    measured: float
    computed: float
    off: float
    leverage: float


@dataclass
class Curve:
    """What the laws read along a run, in SI."""

    run: int
    what: str
    species: int
    s: list[float]
    value: list[float]


@dataclass
class Single:
    """ln k of one run alone, by its temperature [K]; sigma of ln k."""

    address: str
    T: float
    ln_k: float
    sigma: float


@dataclass
class Answer:
    """trouble: why there is none; T [K]: at which k is told; sizes: {response: (size of an error in SI or as a share, relative, known)}."""

    trouble: str = ""
    where: str = ""
    T: float = 0.0
    numbers: list[Found] = field(default_factory=list)
    covariance: list[list[float]] = field(default_factory=list)
    correlation: list[list[float]] = field(default_factory=list)
    points: list[Point] = field(default_factory=list)
    runs: list[str] = field(default_factory=list)
    along: list[str] = field(default_factory=list)
    curves: list[Curve] = field(default_factory=list)
    singles: list[Single] = field(default_factory=list)
    S: float = 0.0
    freedom: int = 0
    aicc: float = 0.0
    sizes: dict[str, tuple[float, bool, bool]] = field(default_factory=dict)
    fit: list[float] = field(default_factory=list)  # F and probability of the lack of fit; nothing without replicates
    said: list[str] = field(default_factory=list)
    starts: int = 0
    same: int = 0
    solves: int = 0

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> Answer:
        """An Answer of the plain data that `asdict` makes."""
        made = dict(data)
        for name, kind in (("numbers", Found), ("points", Point), ("curves", Curve), ("singles", Single)):
            made[name] = [kind(**row) for row in data.get(name, [])]
        made["sizes"] = {what: tuple(v) for what, v in data.get("sizes", {}).items()}
        return cls(**made)

    def to_dict(self) -> dict[str, Any]:
        """Plain data."""
        return asdict(self)


def answer(project: Project, entry: FitEntry, watch: Watch = UNWATCHED) -> tuple[Answer, Least | None]:
    """(the Answer of a fit of the project's own laws, the Least behind it); a trouble is told in the Answer."""
    try:
        least = fitted(project, entry, watch=watch)
        low, high = bounds_of(entry, least.laws)
    except (FitTrouble, SheetTrouble) as error:
        return Answer(trouble=str(error)), None
    unseen = least.unseen()
    found = [] if unseen else profiles(least, low, high, watch)
    better = next((p.better for p in found if p.better is not None), None)
    if better is not None:  # the search had stopped short of the best
        least = _again(least, better, low, high, watch)
        unseen = least.unseen()
        found = [] if unseen else profiles(least, low, high, watch)
    if watch.ended():
        return Answer(trouble="The fit was stopped."), None
    return _answer(project, least, found, judged(project, least, found, unseen, (low, high))), least


def _again(least: Least, start: np.ndarray, low: np.ndarray, high: np.ndarray, watch: Watch) -> Least:
    phi, _ = Search(least.predicted, least.sigma, low, high, watch).least(start)
    computed, J = least.predicted.computed(phi)
    r = (computed - least.predicted.values) / least.sigma
    least.phi, least.computed, least.J, least.S = phi, computed, J / least.sigma[:, None], float(r @ r)
    return least


def _answer(project: Project, least: Least, found: list[Profile], judged_: Judged) -> Answer:
    covariance = least.covariance()
    sigma = np.sqrt(np.maximum(np.diag(covariance), 0.0))
    out = Answer(
        T=least.laws.T,
        covariance=covariance.tolist(),
        correlation=(covariance / np.outer(sigma, sigma)).tolist() if np.all(sigma > 0.0) else [],
        runs=[r.name for r in least.predicted.runs],
        along=[r.along for r in least.predicted.runs],
        S=least.S,
        freedom=least.freedom,
        aicc=judged_.aicc,
        fit=list(judged_.lack) if judged_.lack is not None else [],
        said=judged_.said,
        starts=least.starts,
        same=least.same,
        solves=least.predicted.solves,
    )
    for i, n in enumerate(least.laws.numbers):
        profile = found[i] if found else None
        half = least.quantile * sigma[i]
        ends = [None if end is None else n.shown(end) for end in ((profile.low, profile.high) if profile is not None else (None, None))]
        if profile is not None and profile.low is None and n.kind == "adsorption":
            ends[0] = 0.0
        if n.logarithmic:
            ends = [None if end is None or abs(math.log(end / n.shown(least.phi[i]))) > UNBOUNDED else end for end in ends]
        curve = [] if profile is None else [(n.shown(v), t) for v, t in profile.curve]
        linear = (n.shown(least.phi[i] - half), n.shown(least.phi[i] + half))
        row = Found(
            n.address,
            n.kind,
            n.symbol,
            n.unit,
            n.shown(least.phi[i]),
            ends[0],
            ends[1],
            linear,
            float(least.phi[i]),
            float(sigma[i]),
            curve,
            logarithmic=n.logarithmic,
        )
        row.text = "not determined" if i in judged_.unseen else text_of(row)
        out.numbers.append(row)
    for i, what in enumerate(least.errors.kinds):
        out.sizes[what] = (float(least.errors.sizes[i]), least.errors.errors[i].relative, least.errors.errors[i].size is not None)
    out.points = _points(least)
    out.curves = list(_curves(least))
    out.singles = list(_singles(least))
    return out


def text_of(number: Found) -> str:
    """Value and interval as one writes them: 62.3 ± 0.5 kJ/mol; 0.021 (0.017 to 0.031) 1/min where it is lopsided."""
    low, high, value = number.low, number.high, number.value
    unit = f" {number.unit}" if number.unit else ""
    if low is None or high is None:
        shown = f"{_digits(value, 0.1 * abs(value))}{unit}"
        if low is None and high is None:
            return f"{shown} (not bounded)"
        known = high if low is None else low
        return f"{shown} ({'below' if low is None else 'above'} {_digits(known or 0.0, 0.1 * abs(known or 0.0))})"
    below, above = value - low, high - value
    half = 0.5 * (below + above)
    if half <= 0.0:
        return f"{value:.4g}{unit}"
    if max(below, above) > 1.25 * min(below, above):
        return f"{_digits(value, half)} ({_digits(low, half)} to {_digits(high, half)}){unit}"
    return (
        f"{_digits(value, half)} ± {half:.1g}{unit}"
        if half < 1e-3 or half >= 1e4
        else f"{_digits(value, half)} ± {_digits(half, half)}{unit}"
    )


def _digits(value: float, half: float) -> str:
    """A value to the digits that half an interval leaves it, two of that."""
    if value == 0.0 or not math.isfinite(value) or half <= 0.0:
        return f"{value:.3g}"
    size = math.floor(math.log10(abs(half)))
    first = half / 10.0**size
    places = -size + (1 if first < 3.0 else 0)
    if abs(value) >= 1e5 or abs(value) < 1e-3:
        digits = max(math.floor(math.log10(abs(value))) + places + 1, 1)
        return f"{value:.{min(digits, 8) - 1}e}"
    return f"{value:.{max(places, 0)}f}"


def _points(least: Least) -> list[Point]:
    leverage = least.leverage()
    off = off_by(least)
    out = []
    for i, r in enumerate(least.predicted.readings):
        run = least.predicted.runs[r.run]
        s = float(run.points[r.point]) if run.along else 0.0
        out.append(
            Point(
                run.sheet, r.row, r.column, r.run, r.what, r.species, s, run.T, r.value, float(least.computed[i]), float(off[i]),
                float(leverage[i]),
            )
        )  # fmt: skip
    return out


def _curves(least: Least) -> Any:
    for i, run in enumerate(least.predicted.runs):
        if not run.along or len(run.points) < 2:
            continue
        grid = np.linspace(0.0 if run.kind != "tank" else float(run.points[0]), float(run.points[-1]), CURVE)[
            0 if run.kind != "tube" else 1 :
        ]
        for group in least.predicted.groups[i]:
            if WHAT[group.what].part == "response":
                value = least.predicted.along(run, least.phi, grid, group.what, group.species)
                if np.all(np.isfinite(value)):
                    yield Curve(i, group.what, group.species, grid.tolist(), value.tolist())


def _singles(least: Least) -> Any:
    """ln k that fits the runs of one temperature alone, for each k whose energy is sought too: the points of an Arrhenius plot."""
    sought = {n.address: i for i, n in enumerate(least.laws.numbers)}
    temperatures = np.array([least.predicted.runs[r.run].T for r in least.predicted.readings])
    rounded = np.round(temperatures, 1)
    for address, at in sought.items():
        n = least.laws.numbers[at]
        energy = sought.get(address[: -len(n.kind)] + ("energy" if n.kind == "k" else "back_energy"))
        if n.kind not in ("k", "back_k") or energy is None or len(set(rounded)) > 30:
            continue
        for T in sorted(set(rounded)):
            of = rounded == T
            slope = least.J[of, at]  # of ln k, at the same numbers else: one step of Newton's method from the common answer
            size = float(slope @ slope)
            if size <= 0.0:
                continue
            step = float(slope @ least.residuals[of]) / size
            mean = float(temperatures[of].mean())
            E = float(least.phi[energy])
            ln_k = float(least.phi[at]) - E / 8.314462618 * (1.0 / mean - 1.0 / least.laws.T) + step
            yield Single(address, mean, ln_k - math.log(n.si), math.sqrt(least.variance / size))
