"""A root between two places of unlike sign, narrowed by regula falsi: the side that stays is halved, and now and then the middle is taken.

A search keeps one Vector: `bracket` makes it, `place_of` says where to look, `narrow` takes what was found there.

Source: the Illinois rule (Dowell and Jarratt, BIT 11 (1971) 168).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Vector, chapter

kernel = chapter(__name__)

LOW, F_LOW, HIGH, F_HIGH, STAYED, LOOKS = 0, 1, 2, 3, 4, 5  # what its entries are; STAYED: 1 where the high side stayed, -1 the low one
MIDDLE = 5  # every so many looks the middle


@kernel
def bracket(low: float, f_low: float, high: float, f_high: float) -> Vector:
    """A search between two places and the values there, which are of unlike sign."""
    b = np.empty(6)
    b[LOW], b[F_LOW], b[HIGH], b[F_HIGH], b[STAYED], b[LOOKS] = low, f_low, high, f_high, 0.0, 0.0
    return b


@kernel
def place_of(b: Vector) -> float:
    """Where to look next."""
    low, f_low, high, f_high = b[LOW], b[F_LOW], b[HIGH], b[F_HIGH]
    if b[LOOKS] % MIDDLE == MIDDLE - 1 or f_low == f_high:
        return 0.5 * (low + high)
    return (low * f_high - high * f_low) / (f_high - f_low)


@kernel
def narrow(b: Vector, at: float, f: float) -> float:
    """Take the value found at a place between; how far the ends are apart now."""
    b[LOOKS] += 1.0
    if (f > 0.0) == (b[F_LOW] > 0.0):
        b[LOW], b[F_LOW] = at, f
        b[F_HIGH] *= 0.5 if b[STAYED] == 1.0 else 1.0
        b[STAYED] = 1.0
    else:
        b[HIGH], b[F_HIGH] = at, f
        b[F_LOW] *= 0.5 if b[STAYED] == -1.0 else 1.0
        b[STAYED] = -1.0
    return b[HIGH] - b[LOW]
