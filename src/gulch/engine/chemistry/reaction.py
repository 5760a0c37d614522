"""A reaction with its numbers, as reactors take it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gulch.engine.chemistry.constants import Constant
from gulch.engine.chemistry.rates import RateLaw


@dataclass(frozen=True)
class Reaction:
    """A reaction ready for a reactor. nu: shape (n,); dh: standard heat at 298.15 K [J/mol]."""

    id: str
    nu: np.ndarray
    key: int | None
    conversion: float | None
    dh: float
    constant: Constant
    polynomial: tuple | None = None  # of the conversion, in T [K]
    rate: RateLaw | None = None

    def conversion_at(self, T: float | None) -> float | None:
        """Conversion at T [K], kept inside 0 to 1; None where none is given, or T is needed and not known."""
        if self.polynomial is None:
            return self.conversion
        if T is None:
            return None
        return min(max(float(np.polynomial.polynomial.polyval(T, self.polynomial)), 0.0), 1.0)
