"""Trade-offs of several choices laid over each other: where which one holds the common front.

Notation: a curve: readings of both aims, shape (k, 2), larger is better in both; from the best for the second aim to that for the first.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

LOOKS = 200  # levels of the first aim at which the curves are compared
ALIKE = 2e-3  # of what the second aim moves by, within which two are as good


@dataclass(frozen=True)
class Stretch:
    """A stretch of the common front, in the first aim: from low to high the curve of position `of` is the best."""

    of: int
    low: float
    high: float


def reach(curve: np.ndarray, level: float) -> float:
    """The most of the second aim that a curve gives with the first at a level or beyond; −inf where it does not come so far.

    curve: shape (k, 2); between its points it runs straight.
    """
    x, y = curve[:, 0], curve[:, 1]
    beyond = y[x >= level]
    best = float(beyond.max()) if beyond.size else -np.inf
    for (x0, y0), (x1, y1) in zip(curve[:-1], curve[1:], strict=True):
        if min(x0, x1) <= level <= max(x0, x1) and x1 != x0:
            best = max(best, float(y0 + (y1 - y0) * (level - x0) / (x1 - x0)))
    return best


def _within(curve: np.ndarray, level: float, give: float) -> float:
    """The level, or the end of a curve, shape (k, 2), that ends no farther before it than `give`."""
    end = float(curve[:, 0].max())
    return end if 0.0 < level - end <= give else level


def stretches(curves: list[np.ndarray]) -> list[Stretch]:
    """Who holds the common front of curves, each of shape (k, 2), from the lowest level of the first aim to the highest.

    Where two are as good, who holds it goes on, at the beginning the earlier one.
    """
    every = np.vstack([c for c in curves if len(c)])
    low, high = float(every[:, 0].min()), float(every[:, 0].max())
    levels = np.unique(np.r_[np.linspace(low, high, LOOKS), every[:, 0]])
    slack = ALIKE * max(float(np.ptp(every[:, 1])), 1e-300)
    found: list[Stretch] = []
    for level in levels:
        reads = [reach(c, _within(c, float(level), ALIKE * (high - low))) if len(c) else -np.inf for c in curves]
        as_good = [i for i, r in enumerate(reads) if r >= max(reads) - slack]
        of = found[-1].of if found and found[-1].of in as_good else as_good[0]
        if found and found[-1].of == of:
            found[-1] = Stretch(of, found[-1].low, float(level))
        else:
            found.append(Stretch(of, found[-1].high if found else float(level), float(level)))
    return found
