"""Laws compared on the same readings: by Akaike's criterion, by the F test where one is a case of the other, and in a plain sentence.

Sources: Burnham & Anderson, Model Selection and Multimodel Inference (2002), ch. 2; Froment & Bischoff, Chemical Reactor Analysis and
Design, ch. 2.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.fitting.fit import fitted
from gulch.engine.fitting.judged import aicc, chance_words
from gulch.engine.fitting.numbers import FitTrouble
from gulch.engine.measured import SheetTrouble
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.document import FitEntry, Project
    from gulch.engine.fitting.fit import Least
    from gulch.engine.settle import Watch

TOLD_APART = 0.95  # probability from which a law is said to win
OWN = "as in the project"


@dataclass
class Rival:
    """A law's fit. odds: probability among all that were compared (Akaike's weight); numbers: texts of what was found."""

    name: str
    trouble: str = ""
    p: int = 0
    freedom: int = 0
    S: float = 0.0
    aicc: float = math.inf
    odds: float = 0.0
    nested: str = ""  # what the F test says beside the project's own law
    numbers: tuple[tuple[str, str], ...] = ()


def compared(project: Project, entry: FitEntry, own: Least, watch: Watch = UNWATCHED) -> tuple[list[Rival], str, list[Least | None]]:
    """(the project's own law and its rivals, the best first, a sentence, the Least of each).

    All count with the errors of the best of them, so that their sums of squares can be compared.
    """
    fits: list[Least | None] = [own]
    rows = [Rival(OWN)]
    for rival in entry.rivals:
        rows.append(Rival(rival.name))
        try:
            fits.append(fitted(project, entry, rival, watch=watch))
        except (FitTrouble, SheetTrouble) as error:
            fits.append(None)
            rows[-1].trouble = str(error)
        if watch.ended():
            break
    stands = [f for f in fits if f is not None]
    best = min(stands, key=lambda f: float((((f.predicted.values - f.computed) / own.sigma) ** 2).sum()))
    for i, (row, fit) in enumerate(zip(rows, fits, strict=True)):
        if fit is None:
            continue
        again = fit
        if fit is not best and not own.errors.known:
            again = fitted(project, entry, entry.rivals[i - 1] if i else None, best.sigma, watch)
            fits[i] = again if i else fit
        N, p = again.predicted.values.size, again.phi.size
        row.p, row.freedom, row.S = p, N - p, again.S
        row.aicc = aicc(again.S, N, p, own.errors.known)
        row.numbers = tuple((n.symbol, f"{n.shown(v):.4g} {n.unit}".strip()) for n, v in zip(again.laws.numbers, again.phi, strict=True))
    _weigh(rows)
    _nested(rows, fits, own.errors.known)
    order = sorted(range(len(rows)), key=lambda i: rows[i].aicc)
    return [rows[i] for i in order], _sentence([rows[i] for i in order]), [fits[i] for i in order]


def _weigh(rows: list[Rival]) -> None:
    least = min(r.aicc for r in rows)
    if not math.isfinite(least):
        return
    weights = np.array([math.exp(-0.5 * (r.aicc - least)) if math.isfinite(r.aicc) else 0.0 for r in rows])
    for row, weight in zip(rows, weights / weights.sum(), strict=True):
        row.odds = float(weight)


def _nested(rows: list[Rival], fits: list[Least | None], known: bool) -> None:
    """The F test (or chi squared, where errors are given) of laws that seek what the project's own seeks, and more or less of it."""
    own = fits[0]
    if own is None:
        return
    sought = {n.address for n in own.laws.numbers}
    for row, fit in list(zip(rows, fits, strict=True))[1:]:
        if fit is None:
            continue
        other = {n.address for n in fit.laws.numbers}
        if sought == other or not (sought < other or other < sought):
            continue
        small, large = (rows[0], row) if sought < other else (row, rows[0])
        gained, more = max(small.S - large.S, 0.0), large.p - small.p
        if known:
            chance = float(scipy.stats.chi2.sf(gained, more))
        else:
            chance = float(scipy.stats.f.sf(gained / more / (large.S / max(large.freedom, 1)), more, max(large.freedom, 1)))
        verdict = "the data call for it" if chance < 0.05 else "the data do not call for it"
        row.nested = (
            f"{more} number{'s' if more > 1 else ''} {'more' if large is row else 'fewer'}: {verdict} (probability {chance_words(chance)})"
        )


def _sentence(rows: list[Rival]) -> str:
    """Which law the data prefer, or that they cannot tell."""
    stand = [r for r in rows if not r.trouble]
    if len(stand) < 2:
        return ""
    first, second = stand[0], stand[1]
    if first.odds >= TOLD_APART:
        return f"These data prefer “{first.name}” (odds {_odds(first.odds)} among the laws compared)."
    ratio = first.odds / max(second.odds, 1e-12)
    return f"These data cannot tell “{first.name}” from “{second.name}” (odds {ratio:.1f} to 1)."


def _odds(p: float) -> str:
    return f"{100.0 * p:.0f} %" if p < 0.995 else "above 99 %"
