"""Two species boiling together: the diagram of a pair, its azeotropes, how near measured points are, parameters fitted to them.

Notation: i, j: positions of the two species in the model; x, y: mole fraction of i in the liquid and in the vapour; T [K], P [Pa].
"""

from __future__ import annotations

import math
from functools import lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine import fluids as k
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.phases.model import PhaseModel
from gulch.engine.phases.pairs.liquids import NONRANDOM
from gulch.engine.phases.state import TemperatureNotFound

if TYPE_CHECKING:
    from collections.abc import Callable

POINTS = 41
SAME = 1e-9  # difference of compositions from which vapour and liquid are told apart
SIGMA_P, SIGMA_Y = 0.01, 0.01  # errors that measured pressures (relative) and vapour fractions are given beside each other
STARTS = ((0.0, 0.0), (300.0, 300.0), (800.0, 0.0), (0.0, 800.0))
TRACE = 1e-6
HIGHEST = 5e7  # Pa
LARGEST = 3000.0  # K, of fitted parameters


class Boil(NamedTuple):
    """One point of a diagram: x, y, and T [K] or P [Pa], whichever is not fixed; two: whether the liquid is two."""

    x: float
    y: float
    value: float
    two: bool


class Azeotrope(NamedTuple):
    """Where liquid and vapour are alike: x, T [K] or P [Pa]; two: of two liquids (heteroazeotrope)."""

    x: float
    value: float
    two: bool


class Fitted(NamedTuple):
    """Parameters b_ij and b_ji [K] of NRTL or Wilson with their standard errors [K], and the number of points behind them."""

    b: tuple
    errors: tuple
    points: int


def at_pressure(model: PhaseModel, i: int, j: int, P: float, x: float, guess: float) -> Boil | None:
    """The bubble point at P of a liquid with x of i; None where it has none in range."""
    z = _amounts(model, i, j, x)
    try:
        state = model.saturated(False, P, z, guess)
    except (TemperatureNotFound, ValueError, ArithmeticError):
        return None
    T = state.temperature
    two = len(model.at_temperature(T - 0.01, P, z).liquids) > 1
    if two:
        state = model.at_vapour_fraction(TRACE, P, z, T)
    vapour = next((p for p in state.phases if p[0] == "vapour"), None)
    if vapour is not None:
        return Boil(x, float(vapour[2][i]), state.temperature, two)
    found = model.boundary(False, P, z, T)
    return Boil(x, float(found[2][i]), float(found[0]), False) if found is not None else None


def at_temperature(model: PhaseModel, i: int, j: int, T: float, x: float) -> Boil | None:
    """The bubble point at T of a liquid with x of i, by substitution; None where it has none in range."""
    z = _amounts(model, i, j, x)
    found = _bubble_pressure(model, i, z, T)
    if found is None:
        return None
    liquids = model.at_temperature(T, 1.02 * found[0], z).liquids
    if len(liquids) > 1:  # both have one vapour
        found = _bubble_pressure(model, i, liquids[0][2], T) or found
    return Boil(x, found[1], found[0], len(liquids) > 1)


def boiling(model: PhaseModel, i: int, j: int, x: float, guess: float, P: float | None, T: float | None) -> Boil | None:
    """The bubble point of a liquid with x of i at P, found from a guess of T, or at T; None where it has none in range."""
    if P is not None:
        return at_pressure(model, i, j, P, x, guess)
    return at_temperature(model, i, j, T, x) if T is not None else None


def _amounts(model: PhaseModel, i: int, j: int, x: float) -> np.ndarray:
    z = np.zeros(model.n)
    z[i], z[j] = x, 1.0 - x
    return z


def _bubble_pressure(model: PhaseModel, i: int, z: np.ndarray, T: float) -> tuple | None:
    """(P, y of i) over a liquid of amounts z at T, or None."""
    present, zc, mix = model.active(z)
    P, y = 1e5, zc
    for _ in range(200):
        values = k.ln_phi_phase(T, P, zc, k.LIQUID, *mix) - k.ln_phi_phase(T, P, y, k.VAPOUR, *mix)
        if np.abs(values).max() < 1e-10 and model.in_one_equation:  # no liquid yet
            P, y = 1.5 * P, zc
            if P > HIGHEST:
                return None
            continue
        weights = zc * np.exp(np.clip(values, -100.0, 100.0))
        total = float(weights.sum())
        if not np.isfinite(total) or total <= 0.0:
            return None
        changed = float(np.abs(weights / total - y).max())
        y, P = weights / total, min(max(P * min(max(total, 0.2), 5.0), 1.0), HIGHEST)
        if abs(total - 1.0) < 1e-11 and changed < 1e-9:
            full = y if present is None else model.spread(y, present)
            return P, float(full[i])
    return None


def diagram(model: PhaseModel, i: int, j: int, *, P: float | None = None, T: float | None = None) -> list:
    """Boils of a pair over the whole composition at a fixed P or a fixed T; what cannot be computed is left out."""
    out, guess = [], 350.0
    for x in np.linspace(0.0, 1.0, POINTS):
        x = float(min(max(x, 1e-7), 1.0 - 1e-7))
        found = boiling(model, i, j, x, guess, P, T)
        if found is not None:
            guess = found.value if P is not None else guess
            out.append(found)
    return out


def azeotropes(model: PhaseModel, i: int, j: int, curve: list, *, P: float | None = None, T: float | None = None) -> list:
    """Azeotropes between points of a diagram, each solved.

    Near one a flash cannot tell vapour from liquid (y = x to its last digits): points there say nothing of the side that they are on, and
    the azeotrope is found as the extremum of the boiling temperature or pressure (Smith, Van Ness & Abbott, 7th ed., ch. 10).
    """
    out = []
    for a, b in pairwise([c for c in curve if abs(c.y - c.x) > SAME]):
        if (a.y - a.x) * (b.y - b.x) >= 0.0:
            continue

        def point(x: float, near: Any = a) -> Boil | None:
            return boiling(model, i, j, x, near.value, P, T)

        found = _by_extremum(point, a, b) or _by_sides(point, a, b)
        if found is not None and 1e-4 < found[0] < 1.0 - 1e-4:
            out.append(Azeotrope(float(found[0]), found[1].value, found[1].two))
    return out


def _by_extremum(point: Callable, a: Boil, b: Boil) -> tuple[float, Boil] | None:
    """(x, Boil) where a boiling temperature or pressure is extreme between two points of one liquid; None where it is not."""
    middle = point(0.5 * (a.x + b.x))
    if middle is None or a.two or b.two or middle.two:
        return None
    sign = 1.0 if middle.value < 0.5 * (a.value + b.value) else -1.0

    def value(x: float) -> float:
        found = point(x)
        return sign * found.value if found is not None else math.inf

    # a little beyond both ends: one of them may lie on the azeotrope
    reach = 0.25 * (b.x - a.x)
    low, high = max(a.x - reach, 1e-6), min(b.x + reach, 1.0 - 1e-6)
    least = scipy.optimize.minimize_scalar(value, bounds=(low, high), method="bounded", options={"xatol": 1e-6})
    found = point(float(least.x))
    inside = low + 1e-4 < least.x < high - 1e-4
    return (float(least.x), found) if inside and found is not None and not found.two else None


def _by_sides(point: Callable, a: Boil, b: Boil) -> tuple[float, Boil] | None:
    """(x, Boil) where vapour and liquid, or both liquids together, have one composition between two points; None where none is found."""

    def apart(x: float) -> float:
        found = point(x)
        return found.y - x if found is not None else math.nan

    try:
        x = scipy.optimize.brentq(apart, a.x, b.x, xtol=1e-7)
    except ValueError:
        return None
    found = point(x)
    return (float(x), found) if found is not None else None


def errors(model: PhaseModel, i: int, j: int, points: tuple, *, P: float | None = None, T: float | None = None) -> tuple:
    """Mean distances (in T [K] or P [Pa], and in y) of measured points from the model, None where none, and how many it could compute.

    points: ((x, y or None, T or P), …).
    """
    apart, apart_y, count = [], [], 0
    for x, y, value in points:
        inside = min(max(x, 1e-7), 1.0 - 1e-7)
        found = boiling(model, i, j, inside, value, P, T)
        if found is None:
            continue
        count += 1
        apart.append(abs(found.value - value))
        if y is not None:
            apart_y.append(abs(found.y - y))
    return (float(np.mean(apart)) if apart else None), (float(np.mean(apart_y)) if apart_y else None), count


@lru_cache(maxsize=64)
def fitted(model: PhaseModel, i: int, j: int, points: tuple, P: float | None = None, T: float | None = None) -> Fitted | None:
    """Parameters of NRTL or Wilson fitted to measured points, None where there are too few: least squares in ln P and y.

    Standard errors from the curvature at the answer and the residuals left (Bard, Nonlinear Parameter Estimation, ch. 7). points as in
    `errors`; the points of the pure species say nothing of a pair and are left out.
    """
    inner = [p for p in points if 1e-4 < p[0] < 1.0 - 1e-4]
    if len(inner) < 3:
        return None
    two = model.part(np.array([i, j]))

    def residuals(b: np.ndarray) -> np.ndarray:
        pairs = two.pairs.copy()
        pairs[k.PAIR_A] = 0.0
        pairs[k.PAIR_B, 0, 1], pairs[k.PAIR_B, 1, 0] = b
        pairs[k.PAIR_ALPHA] = np.where(pairs[k.PAIR_ALPHA] > 0.0, pairs[k.PAIR_ALPHA], NONRANDOM)
        return np.array([r for p in inner for r in _residual(two._replace(pairs=pairs), p, P, T)])

    runs = [scipy.optimize.least_squares(residuals, s, x_scale=300.0, bounds=(-LARGEST, LARGEST)) for s in STARTS]
    best = min(runs, key=lambda r: r.cost)
    free = len(best.fun) - 2
    try:
        covariance = np.linalg.inv(best.jac.T @ best.jac) * (2.0 * best.cost / max(free, 1))
    except np.linalg.LinAlgError:
        return None
    spread = np.sqrt(np.abs(np.diag(covariance)))
    if not (np.isfinite(spread).all() and np.isfinite(best.x).all()):
        return None  # the points say nothing of the parameters
    return Fitted((float(best.x[0]), float(best.x[1])), (float(spread[0]), float(spread[1])), len(inner))


def _residual(mix: Mixture, point: tuple, P: float | None, T: Any) -> list[float]:
    """Scaled distances of one measured point: in ln P, and in y where it was measured."""
    x, y, value = point
    T, P = (value, P) if P is not None else (T, value)
    z = np.array([x, 1.0 - x])
    liquid, vapour = k.ln_phi_phase(T, P, z, k.LIQUID, *mix), z
    for _ in range(4):  # the vapour is nearly ideal: few steps do
        weights = z * np.exp(np.clip(liquid - k.ln_phi_phase(T, P, vapour, k.VAPOUR, *mix), -50.0, 50.0))
        vapour = weights / weights.sum()
    out = [math.log(weights.sum()) / SIGMA_P]
    if y is not None:
        out.append((vapour[0] - y) / SIGMA_Y)
    return out
