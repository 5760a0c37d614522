"""The state of material: temperature, pressure, phases and their properties."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from gulch.engine.fluids.constants import ENTHALPY, ENTROPY, T_HIGH, T_LOW, VAPOUR_SHARE
from gulch.engine.quantities import Worded

ALIKE = 1e-4  # mole fractions by which one phase may differ on both sides of a jump


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
    further_phase: bool  # the stability test indicates one more phase than was found
    middle_share: float = 0.0  # of a liquid between the two, where there are three phases
    w: np.ndarray | None = None
    middle_properties: tuple | None = None
    _phases: list | None = field(default=None, repr=False, compare=False)

    @property
    def vapour_fraction(self) -> float:
        share = self.light_share if self.light == "vapour" else 0.0
        return share + (1.0 - self.light_share if self.heavy == "vapour" else 0.0)

    @property
    def phases(self) -> list:
        """The phases there are from light to heavy: (name, share, mole fractions, (h, s, v))."""
        if self._phases is not None:
            return self._phases
        heavy = 1.0 - self.light_share - self.middle_share
        found: list[tuple] = [(self.light, self.light_share, self.y, self.light_properties)]
        if self.middle_share > 0.0:
            found.append(("liquid", self.middle_share, self.w, self.middle_properties))
        found.append((self.heavy, heavy, self.x, self.heavy_properties))
        self._phases = [p for p in found if p[1] > 0.0]
        return self._phases

    @property
    def liquids(self) -> list:
        """The liquid ones of `phases`."""
        return [p for p in self.phases if p[0] == "liquid"]


class StateNotFinite(Worded):
    """A flash whose figures are no finite numbers; the message says of what."""


class TemperatureNotFound(Worded):
    """No temperature in the searched range gives the wanted enthalpy, entropy or vapour fraction; above: it would lie above."""

    def __init__(self, words: str, *parts: Any, above: bool = False) -> None:
        super().__init__(words, *parts)
        self.above = above


def beyond(what: str, above: bool) -> TemperatureNotFound:
    """What is said where the temperature for a value would lie below or above all that are searched."""
    bound = "above" if above else "below"
    words = f"the temperature for this {what} would lie {bound} {{}}"
    return TemperatureNotFound(words, (T_HIGH if above else T_LOW, "temperature"), above=above)


def nowhere(what: str) -> TemperatureNotFound:
    """What is said where no temperature between the searched ends has a value."""
    return TemperatureNotFound(f"no temperature between {{}} and {{}} has this {what}", *((T, "temperature") for T in (T_LOW, T_HIGH)))


def between(below: PhaseState, above: PhaseState, column: int, target: float) -> PhaseState:
    """Lever rule across a jump, where a pure species, an azeotrope or two liquids boil at one temperature."""
    pick = {ENTHALPY: "enthalpy", ENTROPY: "entropy", VAPOUR_SHARE: "vapour_fraction"}[column]
    a, b = getattr(below, pick), getattr(above, pick)
    w = (target - a) / (b - a) if b != a else 1.0
    w = min(max(w, 0.0), 1.0)
    if abs(b - a) < 1e-6 or w in (0.0, 1.0):
        return above if w > 0.5 else below
    return mixed(below, above, w)


def mixed(below: PhaseState, above: PhaseState, w: float) -> PhaseState:
    """Both sides of a jump as one state, the share w of it from above."""
    phases = []  # [name, moles, moles of each species, moles times properties]
    for share, state in ((1.0 - w, below), (w, above)):  # the liquids below stand from light to heavy
        for name, part, z, properties in state.phases:
            moles = share * part
            if moles <= 0.0:
                continue
            like = next((p for p in phases if p[0] == name and np.abs(p[2] / p[1] - z).max() < ALIKE), None)
            if like is None:
                phases.append(like := [name, 0.0, 0.0 * z, np.zeros(3)])
            like[1] += moles
            like[2] = like[2] + moles * z
            like[3] = like[3] + moles * np.array(properties)
    if len(phases) > 3 or sum(p[0] == "vapour" for p in phases) > 1:
        return above if w > 0.5 else below
    return assembled(above.temperature, above.pressure, phases)


def assembled(T: float, P: float, phases: list, further: bool = False) -> PhaseState:
    """PhaseState at T [K] and P [Pa] of up to three phases, of which the liquids are given from light to heavy.

    phases: [name, moles, moles of each species, moles times (h, s, v)] each; moles of any size.
    """
    order = sorted(phases, key=lambda p: p[0] != "vapour")
    total = sum(p[1] for p in order)
    h, s, v = (sum(p[3] for p in order) / total).tolist()
    parts = [(p[0], p[1] / total, p[2] / p[1], tuple((p[3] / p[1]).tolist())) for p in order]
    (light, share, y, light_properties), (heavy, _, x, heavy_properties) = parts[0], parts[-1]
    if len(parts) == 1:
        share = 1.0 if light == "vapour" else 0.0
    state = PhaseState(T, P, share, light, heavy, x, y, h, s, v, heavy_properties, light_properties, further)
    if len(parts) == 3:
        _, state.middle_share, state.w, state.middle_properties = parts[1]
    return state
