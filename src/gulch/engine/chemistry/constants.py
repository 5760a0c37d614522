"""Equilibrium constants: where they come from, what they are counted in, and how sure they are.

Notation: T [K]; nu: signed coefficients of one reaction, shape (n,), of several (m, n).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry.kernels.rates import between_points
from gulch.engine.fluids import R
from gulch.engine.species.sources import ALONE, SURE, stands_alone

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.species.records import Datum

SOURCES = {
    "gibbs": "Gibbs energies",
    "formula": "ln K = A + B/T + C ln T + D T",
    "table": "table of T and K",
    "constant": "constant",
}
QUOTIENT_BASES = {
    "activity": "fugacity or activity",
    "partial-pressure": "partial pressure",
    "mole-fraction": "mole fraction",
    "concentration": "molar concentration",
}
BASIS_UNITS = {"partial-pressure": ("pressure", "bar"), "concentration": ("molar concentration", "kmol/m3")}


@dataclass(frozen=True)
class Constant:
    """K of one reaction.

    basis and phase say what the quotient is made of: f/(1 bar) in the vapour, activities relative to the pure
    liquid in the liquid (activity); p/unit; mole fraction; c/unit. `scale` is that unit in SI (Pa or mol/m3).
    K from Gibbs energies is always for f/(1 bar), whichever phase the fugacities are taken in.
    low, high: the temperatures between which it is believed [K], or None.
    """

    source: str = "gibbs"
    phase: str = "vapour"
    basis: str = "activity"
    scale: float = 1.0
    coefficients: tuple = (0.0, 0.0, 0.0, 0.0)
    points: tuple = ((), ())  # (T [K], ln K), rising
    low: float | None = None
    high: float | None = None
    shift: float = 0.0  # added to ln K: how far a sample of what is unsure lies from the value in use

    def ln_k(self, T: float, nu: Any, model: Any) -> float:
        """ln K at T [K], in the basis of the constant. nu: shape (n,)."""
        return self._ln_k(T, nu, model) + self.shift

    def _ln_k(self, T: float, nu: np.ndarray, model: PhaseModel) -> float:
        if self.source == "gibbs":
            return float(ln_equilibrium_constants(nu[None, :], T, model)[0])
        if self.source == "table":
            return between_points(T, *(np.array(p) for p in self.points))
        a, b, c, d = self.coefficients
        return a + b / T + c * math.log(T) + d * T

    @property
    def counts_fugacity(self) -> bool:
        """Whether the quotient is made of f/(1 bar)."""
        return self.source == "gibbs" or (self.basis == "activity" and self.phase == "vapour")

    def believed(self, T: float) -> bool:
        """Whether T [K] lies in the stated range, a table's own ends counting where none is stated."""
        low, high = self.range()
        return (low is None or low - 1e-6 <= T) and (high is None or high + 1e-6 >= T)

    def range(self) -> tuple:
        """(low, high) [K], None where open."""
        ends = (self.points[0][0], self.points[0][-1]) if self.source == "table" and self.points[0] else (None, None)
        return self.low if self.low is not None else ends[0], self.high if self.high is not None else ends[1]

    def reaction_heat(self, T: float, nu: np.ndarray | None, model: PhaseModel | None) -> float:
        """d ln K/d(-1/T) R: the heat of reaction that the constant itself implies [J/mol] (van 't Hoff)."""
        h = 1e-4
        up, down = self.ln_k(T * (1 + h), nu, model), self.ln_k(T * (1 - h), nu, model)
        return R * (up - down) / (1 / (T * (1 - h)) - 1 / (T * (1 + h)))


def ln_equilibrium_constants(nu: np.ndarray, T: float, model: PhaseModel) -> np.ndarray:
    """ln K of reactions from Gibbs energies, ideal gas at 1 bar. nu: shape (m, n); T [K]. Returns shape (m,)."""
    h, s = model.ideal_gas_properties(T)
    return -(nu @ (h - T * s)) / (R * T)


@dataclass(frozen=True)
class Spread:
    """How far the sources of the formation data let a reaction's Gibbs energy vary at a temperature [J/mol]."""

    low: float
    used: float
    high: float
    parts: tuple  # (position of the species, its share of high - low [J/mol]), largest first


def gibbs_spread(nu: np.ndarray, model: PhaseModel, T: float) -> Spread | None:
    """Lowest and highest Gibbs energy of reaction over every choice of source for each species, at T [K].

    Sources that stand alone against two others that agree are left out, as in the databank's own choice.
    Returns a Spread, or None when an entropy is missing.
    """
    if any(v and (s.entropy is None or s.formation_enthalpy is None) for v, s in zip(nu, model.species, strict=True)):
        return None
    used = -R * T * float(ln_equilibrium_constants(np.asarray(nu, float)[None, :], T, model)[0])
    low = high = used
    parts = []
    for i, (v, species) in enumerate(zip(nu, model.species, strict=True)):
        if v == 0.0:
            continue
        h_low, h_high = _reach(species.formation_enthalpy, "formation_enthalpy")
        s_low, s_high = _reach(species.entropy, "entropy")
        ends = v * (h_low - T * s_high), v * (h_high - T * s_low)
        low += min(ends)
        high += max(ends)
        parts.append((i, abs(ends[1] - ends[0])))
    return Spread(low, used, high, tuple(sorted(parts, key=lambda p: -p[1])))


def _reach(datum: Datum, field: str) -> tuple[float, float]:
    """How far below and above the value in use the sources of a datum go."""
    values = agreeing(datum, field)
    return min(values) - datum.value, max(values) - datum.value


def agreeing(datum: Datum, field: str) -> list[float]:
    """Values of a datum's sources without those that stand alone; the one in use is always kept.

    What the user typed, or picked, stands for itself.
    """
    return [datum.value] if datum.typed else _agreeing(datum.source, datum.value, tuple(datum.others.items()), ALONE[field])


@lru_cache(maxsize=4096)
def _agreeing(source: str, value: float, others: tuple, alone: float) -> list[float]:
    everything = {source: value, **dict(others)}
    if not others and not source.startswith(SURE):
        return [value, value - alone, value + alone]  # one source that nothing confirms
    return [value, *(v for other, v in others if not stands_alone(other, everything, alone))]
