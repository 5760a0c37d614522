"""The equations of shortcut columns: Fenske, Underwood, Gilliland, Kirkbride."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
import scipy

TRACE = 1e-9  # mole fraction at which an absent species is looked at


def fenske(light_ratio: float, heavy_ratio: float, alpha: float) -> float:
    """Minimum stages. light_ratio: d/b of the light key; heavy_ratio: b/d of the heavy key; alpha: of the keys."""
    return float(np.log(light_ratio * heavy_ratio) / np.log(alpha))


def underwood(alpha: np.ndarray, f: np.ndarray, d: np.ndarray, q: float, light: int) -> tuple:
    """(minimum reflux ratio, {species: amount in the distillate} of what boils between the keys).

    alpha: volatilities on the heavy key; f, d: feed and distillate by species [mol/s], shape (n,); q: quality of the
    feed; light: the light key. Each species between the keys that distributes adds a root of sum(alpha f/(alpha -
    theta)) = F (1 - q) and an equation sum(alpha d/(alpha - theta)) = D (R + 1); they are linear in its amounts and
    D (R + 1). One that would leave by less than nothing or by more than all of it does not distribute.
    Source: Underwood, Chem. Eng. Progr. 44 (1948) 603; King, Separation Processes, 2nd ed., ch. 8. Raises ValueError
    when a root is missing.
    """
    F, top = float(f.sum()), np.array(d, float)
    between = [i for i in np.argsort(-alpha) if 1.0 + 1e-6 < alpha[i] < alpha[light] * (1.0 - 1e-6) and f[i] > TRACE * F]
    amounts = dict.fromkeys(between, None)  # None: distributes

    def excess(theta: float) -> float:
        return float(np.sum(alpha * f / (alpha - theta))) / F - 1.0 + q

    ends = [float(alpha[light]), *(float(alpha[i]) for i in between), 1.0]
    roots = [
        scipy.optimize.brentq(excess, b + 1e-9 * (a - b), a - 1e-9 * (a - b), xtol=1e-14, rtol=1e-14) for a, b in itertools.pairwise(ends)
    ]
    kept = list(range(len(roots)))  # root k lies above species between[k]
    while True:
        free = [i for i in between if amounts[i] is None]
        top[between] = [amounts[i] or 0.0 for i in between]
        rows, right = [], []
        for theta in (roots[k] for k in kept):
            weights = alpha / (alpha - theta)
            rows.append([*(-weights[i] for i in free), 1.0])
            right.append(float(weights @ top))
        *found, boilup = np.linalg.solve(np.array(rows), np.array(right))
        away = [(max(-x, x - f[i]) / f[i], i, x) for i, x in zip(free, found, strict=True)]
        worst, i, x = max(away, default=(0.0, None, 0.0))
        if worst <= 1e-12:
            break
        amounts[i] = 0.0 if x < 0.0 else float(f[i])
        kept.remove(_other_root(kept, between.index(i), x < 0.0))
    amounts.update(zip(free, (float(min(max(x, 0.0), f[i])) for i, x in zip(free, found, strict=True)), strict=True))
    D = float(sum(top[i] for i in range(len(top)) if i not in amounts) + sum(v or 0.0 for v in amounts.values()))
    return max(0.0, boilup / D - 1.0), amounts


def _other_root(kept: Any, k: Any, below: Any) -> Any:
    """The root that falls away with species k: the next one below it where it all stays down, above where it all goes up."""
    if below:
        return next((r for r in kept if r > k), kept[-1])
    return next((r for r in reversed(kept) if r <= k), kept[0])


def gilliland(minimum: float, least: float, R: float) -> float:
    """Stages from minimum stages, minimum reflux ratio and reflux ratio."""
    X = (R - least) / (R + 1.0)
    Y = 1.0 - np.exp((1.0 + 54.4 * X) / (11.0 + 117.2 * X) * (X - 1.0) / np.sqrt(X))
    return float((minimum + Y) / (1.0 - Y))


def kirkbride(stages: float, feed_ratio: float, key_ratio: float, flow_ratio: float) -> float:
    """Feed stage from the top. feed_ratio: z heavy/light; key_ratio: light in bottoms/heavy in distillate; flow_ratio: B/D."""
    above_below = (feed_ratio * key_ratio**2 * flow_ratio) ** 0.206
    return float(stages * above_below / (1.0 + above_below))
