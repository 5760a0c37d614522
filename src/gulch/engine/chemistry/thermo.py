"""Standard heat, entropy and Gibbs energy of reaction."""

from __future__ import annotations

from dataclasses import dataclass
from math import exp
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.fluids import R

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel


@dataclass(frozen=True)
class ReactionProperties:
    """Ideal gas, 1 bar, at one temperature: J/mol, J/(mol K), J/mol, and ln K."""

    temperature: float
    dh: float
    ds: float | None
    dg: float | None
    ln_k: float | None

    @property
    def k(self) -> float | None:
        return exp(self.ln_k) if self.ln_k is not None and abs(self.ln_k) < 690 else None


def reaction_properties(nu: np.ndarray | list[float], model: PhaseModel, T: float = 298.15) -> ReactionProperties:
    """Standard properties of reaction. nu: signed coefficients, shape (n,); T [K].

    Entropy, Gibbs energy and ln K are None when a species has no entropy datum.
    Source: any thermodynamics text; dG = dH - T dS, ln K = -dG/(R T).
    """
    nu = np.asarray(nu, float)
    dh = float(nu @ model.ideal_gas_enthalpies(T))
    if any(v and s.entropy is None for v, s in zip(nu, model.species, strict=True)):
        return ReactionProperties(T, dh, None, None, None)
    ds = float(nu @ model.ideal_gas_entropies(T))
    dg = dh - T * ds
    return ReactionProperties(T, dh, ds, dg, -dg / (R * T))
