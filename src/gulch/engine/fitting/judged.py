"""How good a fit is, in sentences that can be acted on; each is tested before it is said.

Sources: lack of fit against replicates: Draper & Smith, Applied Regression Analysis, ch. 2; AICc: Burnham & Anderson, Model Selection and
Multimodel Inference (2002), ch. 2; trend of residuals by Spearman's rank correlation.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.measured import WHAT
from gulch.engine.vessels.course import CONSTANT_VOLUME

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.fitting.fit import Least
    from gulch.engine.fitting.laws import Number
    from gulch.engine.fitting.profiles import Profile

CORRELATED = 0.95
UNLIKELY = 0.01


@dataclass
class Judged:
    """said: sentences; unseen: positions of numbers that are not determined; lack: (F, probability) of the lack of fit."""

    said: list[str] = field(default_factory=list)
    unseen: list[int] = field(default_factory=list)
    lack: tuple[float, float] | None = None
    aicc: float = math.inf


def judged(project: Project, least: Least, found: list[Profile], unseen: list[int], bounds: tuple[np.ndarray, np.ndarray]) -> Judged:
    """The Judged of a fit. unseen: positions of numbers; bounds: lowest and highest phi, shape (p,) each."""
    out = Judged(
        unseen=unseen, lack=lack_of_fit(least), aicc=aicc(least.S, least.predicted.values.size, least.phi.size, least.errors.known)
    )
    numbers = least.laws.numbers
    if unseen:
        out.said.append(_unseen(least, [numbers[i] for i in unseen]))
    out.said += _at_bounds(least, bounds)
    out.said += _scatter(least, out.lack)
    out.said += _balance(least)
    out.said += _open(numbers, found)
    out.said += _correlated(least) if not unseen else []
    out.said += _trends(least)
    out.said += _uneven(least) or _odd(least)
    if least.others and least.others[0][0] - least.S < 4.0 * least.variance:
        other = ", ".join(f"{n.symbol} {n.shown(v):.4g} {n.unit}".strip() for n, v in zip(numbers, least.others[0][1], strict=True))
        out.said.append(
            f"Other numbers fit nearly as well: {other}. Type bounds that keep the one you do not believe out, or measure more."
        )
    return out


def aicc(S: float, N: int, p: int, known: bool) -> float:
    """Akaike's criterion for few readings: of a scatter that is found from them, or of errors that were given."""
    q = p if known else p + 1
    base = S if known else N * math.log(max(S, 1e-300) / N)
    return base + 2.0 * q + (2.0 * q * (q + 1) / (N - q - 1) if N - q - 1 > 0 else math.inf)


def replicates(least: Least) -> dict[tuple, list[int]]:
    """{point of a run and response: positions of its readings} where there is more than one."""
    found: dict[tuple, list[int]] = {}
    for i, r in enumerate(least.predicted.readings):
        run = least.predicted.runs[r.run]
        found.setdefault((r.run, r.point if run.along else 0, r.what, r.species), []).append(i)
    return {key: rows for key, rows in found.items() if len(rows) > 1}


def lack_of_fit(least: Least) -> tuple[float, float] | None:
    """(F, probability of a larger one) of what the law misses beside how replicates scatter; None without them."""
    groups = replicates(least).values()
    pure = sum(float((((v := least.predicted.values[g] / least.sigma[g]) - v.mean()) ** 2).sum()) for g in groups)
    of_pure = sum(len(g) - 1 for g in groups)
    of_lack = least.freedom - of_pure
    if of_pure < 1 or of_lack < 1 or pure <= 0.0:
        return None
    F = (max(least.S - pure, 0.0) / of_lack) / (pure / of_pure)
    return F, float(scipy.stats.f.sf(F, of_lack, of_pure))


def _unseen(least: Least, numbers: list[Number]) -> str:
    names = " and ".join(n.symbol for n in numbers)
    kinds = {n.kind.removeprefix("back_") for n in numbers}
    if len(numbers) == 1:
        return (
            f"The data do not determine {names}: nothing that was measured changes with it. Take it out of what is sought, "
            f"or {_would(kinds)}."
        )
    return f"The data do not determine {names} apart: only a combination of them. Seek one less, or {_would(kinds)}."


def _would(kinds: set[str]) -> str:
    """What measurements tell numbers of these kinds apart as a rule; nothing is computed of it here (`next` does)."""
    if "energy" in kinds or "adsorption_heat" in kinds or "power" in kinds:
        words = "measure at other temperatures"
    elif "order" in kinds or "adsorption" in kinds:
        words = "measure over a wider range of concentrations, of each species by itself"
    elif "back_k" in kinds:
        words = "measure nearer to equilibrium, or from the products’ side"
    else:
        words = "measure over a longer time, and more of the species"
    return f"{words} (a rule of thumb)"


def _at_bounds(least: Least, bounds: tuple[np.ndarray, np.ndarray]) -> list[str]:
    out = []
    for n, phi, low, high in zip(least.laws.numbers, least.phi, *bounds, strict=True):
        for end, word in ((low, "lowest"), (high, "highest")):
            if abs(phi - end) < 1e-9 * max(abs(end), 1.0) and n.kind != "adsorption":
                out.append(
                    f"{n.symbol} stands at its {word} value, {n.shown(end):.4g} {n.unit}".strip() + ": the data would have it beyond."
                )
    return out


def _scatter(least: Least, lack: tuple[float, float] | None) -> list[str]:
    said = []
    if least.errors.known:
        mean, chance = math.sqrt(least.S / max(least.freedom, 1)), float(scipy.stats.chi2.sf(least.S, max(least.freedom, 1)))
        if chance < UNLIKELY:
            said.append(
                f"The residuals are {mean:.2g} times as large as the errors given: the law is not right, or the errors are larger than "
                "typed. The intervals count on the errors given."
            )
        elif chance > 1.0 - UNLIKELY:
            said.append(f"The residuals are only {mean:.2g} times as large as the errors given, which seem typed too large.")
        else:
            said.append("The residuals are as large as the errors given.")
    if lack is not None:
        F, chance = lack
        if chance < UNLIKELY:
            said.append(
                f"The law misses the points by more than replicates scatter (F {F:.3g}, probability {chance_words(chance)}): it is not all."
            )
        else:
            said.append("What the law misses is no more than how replicates scatter.")
    return said


def chance_words(p: float) -> str:
    """A probability in words."""
    return f"{p:.2g}" if p >= 1e-4 else "below 0.0001"


def _balance(least: Least) -> list[str]:
    """Where species read together cannot all be right: no extents of the reactions lead there, by more than their errors allow."""
    off: list[tuple[float, float]] = []
    seen: set[str] = set()
    for i, run in enumerate(least.predicted.runs):
        groups = [g for g in least.predicted.groups[i] if g.what == "concentration"]
        if len(groups) < 2 or run.vessel.kind != CONSTANT_VOLUME:
            continue
        species = [g.species for g in groups]
        nu = least.laws.rates.nu[:, species].T  # (s, m)
        left = np.eye(len(groups)) - nu @ np.linalg.pinv(nu)  # what no extents make
        if np.linalg.matrix_rank(left, tol=1e-9) == 0:
            continue
        for point in range(len(run.points)):
            at = [g.of[g.at == point] for g in groups]
            if any(a.size == 0 for a in at):
                continue
            first = np.array([a[0] for a in at])
            change = least.predicted.values[first] - run.vessel.n0[species] / run.vessel.volume
            spread = np.sqrt(np.diag(left @ np.diag(least.sigma[first] ** 2 * least.variance) @ left.T)).max()
            off.append((float(np.abs(left @ change).max()), float(spread)))
            seen |= {least.laws.species[s] for s in species}
    worst = np.array(off)
    if len(off) < 3 or np.median(worst[:, 0] / np.maximum(worst[:, 1], 1e-300)) < 3.0:
        return []
    share = float(np.median(worst[:, 0]) / max(np.abs(least.predicted.values).max(), 1e-300))
    return [
        f"The readings of {' and '.join(sorted(seen))} contradict the reactions’ balance by {100.0 * share:.2g} % of the largest: "
        "something else is made of them, or one is measured wrongly."
    ]


def _open(numbers: list[Number], found: list[Profile]) -> list[str]:
    out = []
    for n, p in zip(numbers, found, strict=False):
        if p.low is None and n.kind == "adsorption":
            out.append(f"{n.symbol} may as well be zero: these data do not show that it is adsorbed.")
            if p.high is not None:
                continue
        if p.low is None or p.high is None:
            side = "neither end" if p.low is None and p.high is None else "no lower end" if p.low is None else "no upper end"
            out.append(
                f"The interval of {n.symbol} has {side}: these data cannot bound it. To do so, {_would({n.kind.removeprefix('back_')})}."
            )
    return out


def _correlated(least: Least) -> list[str]:
    covariance = least.covariance()
    sigma = np.sqrt(np.diag(covariance))
    if not np.all(sigma > 0.0):
        return []
    r = covariance / np.outer(sigma, sigma)
    pairs = [(abs(r[i, j]), i, j) for i in range(len(sigma)) for j in range(i)]
    out = []
    for size, i, j in sorted(pairs, reverse=True)[:2]:
        if size > CORRELATED:
            a, b = least.laws.numbers[j], least.laws.numbers[i]
            kinds = {a.kind.removeprefix("back_"), b.kind.removeprefix("back_")}
            out.append(f"{a.symbol} and {b.symbol} are {r[i, j]:.2f} correlated: to tell them apart, {_would(kinds - {'k'} or kinds)}.")
    return out


def _trends(least: Least) -> list[str]:
    """Runs whose residuals rise or fall along the way by more than chance; so many are looked at, so much stricter is the bound."""
    out, tried = [], []
    residuals = least.residuals
    for i, run in enumerate(least.predicted.runs):
        if not run.along:
            continue
        for group in least.predicted.groups[i]:
            if len(set(group.at.tolist())) >= 6:
                found = scipy.stats.spearmanr(run.points[group.at], residuals[group.of])
                tried.append((float(found.pvalue), float(found.statistic), run, group))
    for chance, way, run, group in sorted(tried, key=lambda t: t[0])[:2]:
        if chance < UNLIKELY / max(len(tried), 1):
            word = "rise" if way > 0.0 else "fall"
            species = least.laws.species[group.species] if group.species >= 0 else ""
            what = WHAT[group.what].words + (f" of {species}" if species else "")
            along = {"time": "time"}.get(run.along, "the way")
            told = f"The residuals of {what} at {run.name} {word} with {along}: the law does not follow there."
            loses = group.what == "conversion" and way < 0.0 or group.what == "concentration" and way > 0.0 and _used(least, group.species)
            if loses and run.along == "time":
                told += " Late in the run less reacts than it says, as where something loses activity, or the reverse reaction counts."
            out.append(told)
    return out


def _used(least: Least, species: int) -> bool:
    return bool(np.all(least.laws.rates.nu[:, species] <= 0.0)) and bool(np.any(least.laws.rates.nu[:, species] < 0.0))


def _uneven(least: Least) -> list[str]:
    """Where errors of unknown size were taken alike for all readings of a response and are not, or the other way round."""
    out = []
    for i, what in enumerate(least.errors.kinds):
        of, error = least.errors.of == i, least.errors.errors[i]
        if error.size is not None or of.sum() < 12:
            continue
        found = scipy.stats.spearmanr(np.abs(least.computed[of]), np.abs(least.residuals[of]))
        if found.pvalue < UNLIKELY and (found.statistic > 0.0) != error.relative:
            out.append(
                f"{'High' if found.statistic > 0.0 else 'Low'} readings of {WHAT[what].words} scatter more than they count for: "
                f"errors that are {'alike for all' if error.relative else 'a share of each reading'} would suit them better."
            )
    return out


def off_by(least: Least) -> np.ndarray:
    """How far each reading is off, in standard deviations of what it would be if it did not count itself, shape (N,)."""
    r = least.residuals / np.sqrt(least.variance * np.maximum(1.0 - least.leverage(), 1e-6))
    if least.errors.known or least.freedom < 2:
        return r
    return r * np.sqrt((least.freedom - 1) / np.maximum(least.freedom - r**2, 1e-9))


def _odd(least: Least) -> list[str]:
    """Readings that are further off than one among so many is by chance."""
    off, leverage = off_by(least), least.leverage()
    spread = scipy.stats.norm if least.errors.known else scipy.stats.t(max(least.freedom - 1, 1))
    odd = float(spread.isf(0.5 * UNLIKELY / off.size))
    out = []
    for i in np.argsort(-np.abs(off))[:2]:
        if abs(off[i]) > odd and leverage[i] < 0.999:
            r = least.predicted.readings[i]
            run = least.predicted.runs[r.run]
            out.append(
                f"Row {r.row} of {run.sheet} is {abs(off[i]):.2g} standard deviations {'above' if off[i] > 0.0 else 'below'} the law: "
                "look whether it is a slip; a row can be left out with a reason."
            )
    return out
