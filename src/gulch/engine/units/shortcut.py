"""The equations of shortcut columns: Fenske, Underwood, Gilliland, Kirkbride."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.fluids import LIQUID, VAPOUR
from gulch.engine.units.kernels.column import TRACE, underwood_of

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel


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
    least, found = underwood_of(*(np.ascontiguousarray(v, float) for v in (alpha, f, d)), q, light)
    if least < 0.0:
        raise ValueError("Underwood's equation has no root between the keys.")
    return float(least), {i: float(found[i]) for i in np.flatnonzero(found >= 0.0).tolist()}


def gilliland(minimum: float, least: float, R: float) -> float:
    """Stages from minimum stages, minimum reflux ratio and reflux ratio."""
    X = (R - least) / (R + 1.0)
    Y = 1.0 - np.exp((1.0 + 54.4 * X) / (11.0 + 117.2 * X) * (X - 1.0) / np.sqrt(X))
    return float((minimum + Y) / (1.0 - Y))


def kirkbride(stages: float, feed_ratio: float, key_ratio: float, flow_ratio: float) -> float:
    """Feed stage from the top. feed_ratio: z heavy/light; key_ratio: light in bottoms/heavy in distillate; flow_ratio: B/D."""
    above_below = (feed_ratio * key_ratio**2 * flow_ratio) ** 0.206
    return float(stages * above_below / (1.0 + above_below))


def k_values(model: PhaseModel, T: float, P: float, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """K = y/x at T [K] and P [Pa] by the fugacity coefficients of a liquid x and a vapour y, shape (n,)."""
    x, y = (np.maximum(np.asarray(v, float) / np.sum(v), TRACE) for v in (x, y))
    return np.exp(model.ln_phi(T, P, x, LIQUID) - model.ln_phi(T, P, y, VAPOUR))
