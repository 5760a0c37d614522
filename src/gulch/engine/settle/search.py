"""What every search shares: the pass with its limits, how it ended, what it found.

Notation: the vector of unknowns has shape (size,); a history of differences has shape (size, depth).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

import numpy as np


class PassFailed(Exception):
    """Raised by a pass that could not be computed at an iterate; the search may step back and try another."""


class Reason(Enum):
    SETTLED = "the tear is within the tolerance of its answer"
    OUT_OF_PASSES = "the pass limit came first"
    STALLED = "it stopped coming nearer"
    OUT_OF_TIME = "it was stopped by the time limit"
    NOT_FINITE = "a pass returned a value that is not finite"
    PASS_FAILED = "a pass could not be computed"
    CANCELLED = "it was stopped"

    @property
    def settled(self) -> bool:
        return self is Reason.SETTLED


class Watch:
    """What a long calculation asks on its way, and whom it tells. This one never ends it and tells nobody.

    Searches are limited by their counts, so that a busy machine changes no outcome; a watch ends them from outside.
    """

    def ended(self) -> Reason | None:
        """A Reason to stop now, or None."""
        return None

    def passed(self, residual: float) -> None:
        """One more pass was made; residual: its largest scaled change."""


UNWATCHED = Watch()


@dataclass(frozen=True)
class LoopResult:
    """tear, change: last finite iterate and its change in one pass, shape (n,), unscaled."""

    tear: np.ndarray
    change: np.ndarray
    reason: Reason
    history: tuple  # largest scaled change of each pass
    gain: float | None  # dominant eigenvalue of one pass
    mode: np.ndarray | None  # scaled direction of the slowest change, shape (n,)
    distance: float | None  # estimated, scaled
    secants: tuple = ()  # scaled (changes of the tear, changes of the pass's change), each (n, m)
    passes: int = 0  # all that were made, those for differences included
    iterates: tuple = ()  # (x, change) of each pass in the history, unscaled
    slopes: np.ndarray | None = None  # scaled derivatives of the pass near the answer, shape (n, n), where they are known
    slopes_at: np.ndarray | None = None  # from where they were made, unscaled, shape (n,)


class Search:
    """What every method shares: the pass with its limits, and how it ended."""

    def __init__(
        self, one_pass: Callable, scale: np.ndarray, floor: np.ndarray, ceiling: np.ndarray, tol: float, max_passes: int, watch: Watch
    ) -> None:
        self.one_pass, self.scale, self.floor, self.ceiling, self.tol = one_pass, scale, floor, ceiling, tol
        self.left, self.watch = max_passes, watch
        self.passes = 0

    def allow(self, passes: int) -> None:
        """Let so many passes more be made."""
        self.left = passes

    def ended(self) -> Reason | None:
        """A Reason to stop before another pass, or None."""
        return self.watch.ended() or (Reason.OUT_OF_PASSES if self.left <= 0 else None)

    def change(self, x: np.ndarray) -> np.ndarray:
        """Scaled change of one pass from x."""
        self.left -= 1
        self.passes += 1
        out = (self.one_pass(x) - x) / self.scale
        self.watch.passed(float(np.max(np.abs(out))) if out.size else 0.0)
        return out

    def bounded(self, new: np.ndarray, fallback: np.ndarray) -> np.ndarray:
        """`new`, its entries outside the bounds replaced by those of the fallback inside them."""
        out = (new < self.floor) | (new > self.ceiling)
        new[out] = np.clip(fallback[out], self.floor[out], self.ceiling[out])
        return new
