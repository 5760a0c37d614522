"""Bubble and dew points, and every temperature of a vapour fraction. The functions take the PhaseModel.

Notation: T [K], P [Pa]; z: amounts of any size, x, y: mole fractions, shape (n,).
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.phases import kernels as k

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel

GRID = 90  # temperatures at which a vapour fraction is looked for
HOTTEST_BOILING = 1200.0  # K


def boundary(model: PhaseModel, dew: bool, P: float, z: np.ndarray, guess: float) -> tuple | None:
    """(T [K], x, y) at the dew point, or the bubble point, of amounts z at P, shape (n,) each; None where it is not found so.

    Newton's method on ln sum(z K) or ln sum(z/K) in T, the incipient phase following by substitution: a tenth of what
    flashes take, but not tested for stability (Michelsen & Mollerup, Thermodynamic Models, 2nd ed., ch. 12).
    """
    if not model.all_volatile and z[~model.volatile].sum() > 0.0:
        return None
    present, zc, mix = model.active(z)
    if zc.size < 2:
        return None
    sign = -1.0 if dew else 1.0

    def ln_k(T, other):
        x, y = (other, zc) if dew else (zc, other)
        liquid = k.ln_phi_phase(T, P, x, k.LIQUID, *mix)
        return liquid - k.ln_phi_phase(T, P, y, k.VAPOUR, *mix)

    T, slope, before = guess, None, None
    if not model.in_one_equation:
        other = zc
    else:  # Wilson's K values, in whose own boundary the search begins
        wilson = np.log(mix.par[:, k.PC] / P), 5.373 * (1.0 + mix.par[:, k.OMEGA])
        for _ in range(30):
            weights = zc * np.exp(sign * np.clip(wilson[0] + wilson[1] * (1.0 - mix.par[:, k.TC] / T), -100.0, 100.0))
            rise = float((weights / weights.sum()) @ (wilson[1] * mix.par[:, k.TC])) / T**2
            step = sign * math.log(weights.sum()) / rise
            T -= min(max(step, -0.2 * T), 0.2 * T)
            if abs(step) < 1e-3 * T:
                break
        other = weights / weights.sum()
        T = guess if abs(guess - T) < 15.0 else T
    for _ in range(60):
        values = ln_k(T, other)
        weights = zc * np.exp(np.clip(sign * values, -200.0, 200.0))
        total = weights.sum()
        f = sign * float(np.log(total))  # rises with temperature
        changed = float(np.abs(weights / total - other).max())
        other = weights / total
        if not np.isfinite(f):
            return None
        if abs(f) < 1e-12 and changed < 1e-10:
            break
        if slope is None or changed > 1e-3:
            h = 1e-5 * T
            weights = zc * np.exp(np.clip(sign * ln_k(T + h, other), -200.0, 200.0))
            here = zc * np.exp(np.clip(sign * ln_k(T, other), -200.0, 200.0))
            slope = sign * float(np.log(weights.sum() / here.sum())) / h
        elif before is not None and before[0] != T and (f - before[1]) / (T - before[0]) > 0.0:
            slope = (f - before[1]) / (T - before[0])
        if slope <= 0.0:
            return None
        before = (T, f)
        T = T - min(max(f / slope, -0.1 * T), 0.1 * T)
    else:
        return None
    if (model.in_one_equation and np.abs(values).max() < 0.02) or not k.T_LOW < T < k.T_HIGH:
        return None  # both phases became one
    x, y = (other, zc) if dew else (zc, other)
    return (T, x, y) if present is None else (T, model.spread(x, present), model.spread(y, present))


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
            found.append(state)
    return found[::-1] or [model.at_vapour_fraction(fraction, P, z, guess)]
