"""Intervals of the numbers found: by the likelihood's profile, which knows how the law bends, beside those of the linear theory.

A number is held off its best value and all others are fitted again; where the sum of squares has grown by quantile² times the variance its
interval ends. Source: Bates & Watts, Nonlinear Regression Analysis and Its Applications (1988), ch. 6.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.fitting.fit import Search
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.fitting.fit import Least
    from gulch.engine.settle import Watch

MOST_TRIES = 14  # fits on one side of one number
CLOSE = 2e-4  # of the quantile, within which an end is met
WIDEST = 60.0  # standard deviations: an interval is open beyond them


@dataclass
class Profile:
    """An interval of phi. low, high: None where it is open; curve: (phi, signed root of the growth in standard deviations) of each fit;
    better: phi of a better fit that was met on the way, or None."""

    low: float | None
    high: float | None
    curve: list[tuple[float, float]]
    better: np.ndarray | None = None


def profile(least: Least, at: int, low: np.ndarray, high: np.ndarray, watch: Watch = UNWATCHED) -> Profile:
    """The Profile of the number at a position; low, high: bounds of all phi, shape (p,)."""
    search = Search(least.predicted, least.sigma, low, high, watch)
    covariance = least.covariance()
    deviation = math.sqrt(max(covariance[at, at], 0.0))
    if not (deviation > 0.0 and math.isfinite(deviation)):
        return Profile(None, None, [(float(least.phi[at]), 0.0)])
    direction = covariance[:, at] / covariance[at, at]
    found = Profile(None, None, [(float(least.phi[at]), 0.0)])
    for sign in (-1.0, 1.0):
        end = _end(least, search, at, sign, deviation, direction, found)
        if sign < 0.0:
            found.low = end
        else:
            found.high = end
        if found.better is not None or watch.ended():
            break
    found.curve.sort()
    return found


def _end(least: Least, search: Search, at: int, sign: float, deviation: float, direction: np.ndarray, found: Profile) -> float | None:
    """Where the interval ends on one side; None where it does not."""
    wanted, best = least.quantile, float(least.phi[at])
    inner, outer = (0.0, 0.0), None  # (distance in standard deviations, growth): below and beyond what is wanted
    phi, step = least.phi, wanted
    for _ in range(MOST_TRIES):
        value = best + sign * step * deviation
        limit = search.low[at] if sign < 0.0 else search.high[at]
        beyond = (value - limit) * sign >= 0.0
        if beyond:
            value = float(limit)
        begin = phi + direction * (value - phi[at])
        begin[at] = value
        phi, S = search.least(begin, at, 40)
        growth = S - least.S
        if growth < -1e-6 * max(least.S, 1.0):
            found.better = phi
            return None
        root = math.sqrt(max(growth, 0.0) / least.variance)
        reached = abs(value - best) / deviation
        found.curve.append((value, sign * root))
        if abs(root - wanted) < CLOSE * wanted:
            return value
        if root < wanted:
            if beyond or reached > WIDEST:
                return None
            inner = (reached, root)
        else:
            outer = (reached, root)
        step = _next(inner, outer, wanted)
        if outer is not None and outer[0] - inner[0] < 1e-7 * outer[0]:
            return best + sign * outer[0] * deviation
    return None if outer is None else best + sign * outer[0] * deviation


def _next(inner: tuple[float, float], outer: tuple[float, float] | None, wanted: float) -> float:
    """The next distance to try: where a straight line through both sides meets what is wanted, or further out."""
    if outer is None:
        grown = wanted / inner[1] if inner[1] > 0.0 else 4.0
        return inner[0] * min(max(grown, 1.02), 4.0) if inner[0] > 0.0 else wanted
    width = outer[0] - inner[0]
    slope = (outer[1] - inner[1]) / width if width > 0.0 else 0.0
    guess = inner[0] + (wanted - inner[1]) / slope if slope > 0.0 else 0.5 * (inner[0] + outer[0])
    return min(max(guess, inner[0] + 0.02 * width), outer[0] - 0.02 * width)


def profiles(least: Least, low: np.ndarray, high: np.ndarray, watch: Watch = UNWATCHED) -> list[Profile]:
    """The Profile of each number. low, high: bounds of phi, shape (p,)."""
    return [profile(least, i, low, high, watch) for i in range(least.phi.size)]
