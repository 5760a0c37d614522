"""The state of material: temperature, pressure, phases and their properties."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gulch.engine.phases.kernels.constants import ENTHALPY, ENTROPY, VAPOUR_SHARE


@dataclass(slots=True)
class PhaseState:
    """A flashed mixture; molar properties in SI, mole fractions of shape (n,). Not to be changed (not frozen: speed)."""

    temperature: float
    pressure: float
    light_share: float  # moles in the lighter phase over all moles
    light: str  # "vapour" or "liquid"
    heavy: str
    x: np.ndarray  # heavier phase
    y: np.ndarray  # lighter phase
    enthalpy: float
    entropy: float
    volume: float
    heavy_properties: tuple  # h, s, v
    light_properties: tuple
    further_phase: bool  # the stability test indicates one more phase than is modelled

    @property
    def vapour_fraction(self) -> float:
        share = self.light_share if self.light == "vapour" else 0.0
        return share + (1.0 - self.light_share if self.heavy == "vapour" else 0.0)


class TemperatureNotFound(ValueError):
    """No temperature in the searched range gives the wanted enthalpy, entropy or vapour fraction; above: it would lie above."""

    def __init__(self, words, above=False):
        super().__init__(words)
        self.above = above


def between(below: PhaseState, above: PhaseState, column: int, target: float) -> PhaseState:
    """Lever rule across a jump, where a pure species (or an azeotrope) boils."""
    pick = {ENTHALPY: "enthalpy", ENTROPY: "entropy", VAPOUR_SHARE: "vapour_fraction"}[column]
    a, b = getattr(below, pick), getattr(above, pick)
    w = (target - a) / (b - a) if b != a else 1.0
    w = min(max(w, 0.0), 1.0)
    vapour = (1.0 - w) * below.vapour_fraction + w * above.vapour_fraction
    if not 0.0 < vapour < 1.0 or abs(b - a) < 1e-6:
        return above if w > 0.5 else below
    y = (1.0 - w) * below.vapour_fraction * below.y + w * above.vapour_fraction * above.y
    x = (1.0 - w) * (1.0 - below.vapour_fraction) * below.x + w * (1.0 - above.vapour_fraction) * above.x
    light = above.light_properties if above.vapour_fraction > 0 else below.light_properties
    heavy = below.heavy_properties if below.vapour_fraction < 1 else above.heavy_properties
    mixed = [vapour * light[c] + (1.0 - vapour) * heavy[c] for c in range(3)]
    return PhaseState(
        above.temperature,
        above.pressure,
        vapour,
        "vapour",
        "liquid",
        x / x.sum(),
        y / y.sum(),
        mixed[0],
        mixed[1],
        mixed[2],
        heavy,
        light,
        False,
    )
