"""How large the errors of readings are: typed for a response, or of unknown size and found from the scatter.

Notation: sigma: standard deviations [SI], shape (N,); a size that is not known is 1 until the scatter tells it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.fitting.numbers import FitTrouble
from gulch.engine.measured import WHAT
from gulch.engine.measured.what import RATES
from gulch.engine.quantities import QuantityError, parse

if TYPE_CHECKING:
    from gulch.engine.document import FitEntry
    from gulch.engine.fitting.predicted import Predicted

LEAST = 1e-3  # of the largest reading of its kind: a relative error is not taken below that of it
OVER_DECADES = ("k", "K", *RATES)  # responses that go over decades: relative where nobody says


@dataclass(frozen=True)
class Error:
    """relative or absolute; size as a share or in SI, None where it is not known."""

    relative: bool
    size: float | None


def error_of(entry: FitEntry, what: str) -> Error:
    """The Error of a response as typed. Raises FitTrouble."""
    text = (entry.errors.get(what) or entry.errors.get("") or "").strip()
    if text in ("", "relative", "absolute"):
        return Error(text == "relative" or (not text and what in OVER_DECADES), None)
    if text.endswith("%"):
        try:
            size = parse(text, "fraction")
        except QuantityError as error:
            raise FitTrouble(f"Error of {WHAT[what].words}: {error}") from None
        if not 0.0 < size < 1.0:
            raise FitTrouble(f"An error of {text} is none: type a share between 0 and 100 %, as “2 %”.")
        return Error(WHAT[what].dimension != "fraction" or "of" in text, size)
    try:
        size = parse(text.replace("of each reading", "").strip(), WHAT[what].dimension or "ratio")
    except QuantityError as error:
        raise FitTrouble(f"Error of {WHAT[what].words}: {error}") from None
    if not size > 0.0:
        raise FitTrouble(f"An error of {text} is none: type one above zero.")
    return Error(False, size)


class Errors:
    """The errors of all readings of a fit."""

    def __init__(self, entry: FitEntry, predicted: Predicted) -> None:
        self.kinds = sorted({r.what for r in predicted.readings})
        self.of = np.array([self.kinds.index(r.what) for r in predicted.readings])
        self.errors = [error_of(entry, what) for what in self.kinds]
        self.values = predicted.values
        self.sizes = np.array([1.0 if e.size is None else e.size for e in self.errors])
        if self.unknown.any():
            self._first_sizes()

    @property
    def unknown(self) -> np.ndarray:
        """Which responses have errors of unknown size."""
        return np.array([e.size is None for e in self.errors])

    @property
    def known(self) -> bool:
        """Whether the size of every error was given."""
        return not self.unknown.any()

    def _first_sizes(self) -> None:
        for i in np.flatnonzero(self.unknown):
            of = np.abs(self.values[self.of == i])
            self.sizes[i] = 0.05 if self.errors[i].relative else 0.05 * max(float(of.max(initial=0.0)), 1e-300)

    def sigma(self, computed: np.ndarray | None = None) -> np.ndarray:
        """Standard deviations; relative ones of what is computed, once that is known, so that low readings do not count more."""
        base = self.values if computed is None or not np.all(np.isfinite(computed)) else computed
        out = np.empty(self.values.size)
        for i, error in enumerate(self.errors):
            of = self.of == i
            floor = LEAST * float(np.abs(self.values[of]).max(initial=0.0)) or 1.0
            out[of] = self.sizes[i] * (np.maximum(np.abs(base[of]), floor) if error.relative else 1.0)
        return out

    def learn(self, residuals: np.ndarray, numbers: int) -> None:
        """Take the sizes that are not known from the scatter of their responses. residuals: in units of sigma."""
        N = residuals.size
        for i in np.flatnonzero(self.unknown):
            of = self.of == i
            free = max(of.sum() * (1.0 - numbers / N), 1.0)
            scatter = float(np.sqrt((residuals[of] ** 2).sum() / free))
            if np.isfinite(scatter) and scatter > 0.0:
                self.sizes[i] *= scatter
