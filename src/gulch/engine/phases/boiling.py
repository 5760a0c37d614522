"""Bubble and dew points, and every temperature of a vapour fraction. The functions take the PhaseModel.

Notation: T [K], P [Pa]; z: amounts of any size, x, y: mole fractions, shape (n,).
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine import fluids as k
from gulch.engine.phases.state import TemperatureNotFound

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.state import PhaseState

GRID = 90  # temperatures at which a vapour fraction is looked for
HOTTEST_BOILING = 1200.0  # K
BESIDE = 1e-7  # share of T beside a boiling point at which its other side is looked at
NOTHING = np.empty(0)
ONE_FLUID = 1e-3  # relative difference of the volumes on both sides of a name's change, below which liquid and vapour are one


def boundary(model: PhaseModel, dew: bool, P: float, z: np.ndarray, guess: float, beside: np.ndarray = NOTHING) -> tuple | None:
    """(T [K], x, y) at the dew point, or the bubble point, of amounts z at P, shape (n,) each; None where it is not found so.

    beside: the incipient phase near which it is, where that is known.
    """
    if not model.all_volatile and z[~model.volatile].sum() > 0.0:
        return None
    found, T, x, y = k.boundary_of(dew, P, z, guess, beside, *model.mix)
    if not found and beside.size:
        return boundary(model, dew, P, z, guess)
    return (T, x, y) if found else None


def saturated(model: PhaseModel, dew: bool, P: float, z: np.ndarray, guess: float, beside: np.ndarray = NOTHING) -> PhaseState:
    """Flash of amounts z, shape (n,), at the dew point, or at the bubble point, and P [Pa]. Raises TemperatureNotFound."""
    fraction = 1.0 if dew else 0.0
    found = boundary(model, dew, P, z, guess, beside)
    if found is not None:
        state = model.at_temperature(found[0], P, z)
        if abs(state.vapour_fraction - fraction) < 1e-6 and not state.further_phase:
            return state
        guess = found[0]  # of a liquid that parts in two: near
    return model.at_vapour_fraction(fraction, P, z, guess)


def all_at_vapour_fraction(model: PhaseModel, fraction: float, P: float, z: np.ndarray, guess: float = 350.0) -> list:
    """Every state in range at a vapour fraction in [0, 1] and P, hottest first; at least one. Raises TemperatureNotFound.

    A mixture may reach the same fraction at several temperatures: beside its boiling range where it is dense, or
    where a light gas condenses far below. What looks like a crossing but is a change of a dense phase's name does not
    count.
    """
    edge = min(max(fraction, 1e-9), 1.0 - 1e-9)
    if model.volatile.sum() == 1 or (z[model.volatile] > 0.0).sum() <= 1 or z[~model.volatile].sum() > 0.0:
        return [model.at_vapour_fraction(fraction, P, z, guess)]
    grid = np.geomspace(k.T_LOW, HOTTEST_BOILING, GRID)
    shares = np.array([model.at_temperature(T, P, z).vapour_fraction for T in grid]) - edge
    found = []
    for (low, high), (f_low, f_high) in zip(pairwise(grid), pairwise(shares), strict=True):
        if f_low == 0.0 or f_low * f_high >= 0.0:
            continue
        T = scipy.optimize.brentq(lambda t: model.at_temperature(t, P, z).vapour_fraction - edge, low, high, xtol=1e-11, rtol=1e-14)
        state = model.at_temperature(T, P, z)
        if abs(state.vapour_fraction - edge) < 1e-6:
            try:
                at_an_edge(model, state, edge < 0.5, z)
            except TemperatureNotFound:
                continue
            found.append(state)
    return found[::-1] or [model.at_vapour_fraction(fraction, P, z, guess)]


def hottest(model: PhaseModel, z: np.ndarray) -> float:
    """Highest critical temperature [K] of the volatile species in amounts z, shape (n,); inf where one is not known."""
    known = model.par[model.volatile & (z > 0.0), k.TC]
    return float(known.max()) if known.size and known.min() > k.UNKNOWN_TC else math.inf


def at_an_edge(model: PhaseModel, state: PhaseState, bubble: bool, z: np.ndarray) -> None:
    """Raise TemperatureNotFound where one phase of amounts z, shape (n,), at a boiling point is no edge of two. Raises it."""
    if len(state.phases) == 1 and model.all_volatile:
        beside = state.temperature * (1.0 + (BESIDE if bubble else -BESIDE))
        not_one_fluid(model, model.flashed(beside, state.pressure, z), state, z)


def not_one_fluid(model: PhaseModel, a: PhaseState, b: PhaseState, z: np.ndarray) -> None:
    """Raise TemperatureNotFound where two states of z, shape (n,), beside a boundary differ by no more than a name. Raises it."""
    low, high = sorted((a, b), key=lambda s: s.temperature)
    alike = len(a.phases) == len(b.phases) == 1 and abs(a.volume - b.volume) < ONE_FLUID * b.volume
    if alike or low.temperature <= hottest(model, z) < high.temperature:
        raise TemperatureNotFound("liquid and vapour are one there, for it lies above the critical pressure")
