"""Roots of a function of one knob that cannot be computed everywhere."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple


class Bracket(NamedTuple):
    """Two points of opposite sign, one behind the other, with their values; both the same where one is a root."""

    a: float
    f_a: float
    b: float
    f_b: float


def root_between(value: Callable, a: float, f_a: Any, b: float, f_b: float, tolerance: float) -> Bracket | None:
    """The Bracket left of closing in on a sign change of value(k) between a and b; None where no point between can be computed.

    value: a number, or None where it cannot be computed; such a point narrows the bracket and does not end the search.
    Secant steps (Illinois), halves where they do not pay.
    """
    g_a, g_b, side = f_a, f_b, 0
    for step in range(80):
        if abs(b - a) <= tolerance:
            break
        k = b - g_b * (b - a) / (g_b - g_a) if g_b != g_a and step % 3 != 2 else 0.5 * (a + b)
        f = value(k)
        if f is None:
            found = _beside(value, a, k, b)
            if found is None:
                return Bracket(a, f_a, b, f_b) if step else None
            k, f = found
        if f == 0.0:
            return Bracket(k, 0.0, k, 0.0)
        if (f > 0.0) == (f_a > 0.0):
            a, f_a, g_a = k, f, f
            g_b = 0.5 * g_b if side == -1 else g_b
            side = -1
        else:
            b, f_b, g_b = k, f, f
            g_a = 0.5 * g_a if side == 1 else g_a
            side = 1
    return Bracket(a, f_a, b, f_b)


def edge_between(value: Callable, inside: float, f: float, outside: float, steps: int) -> tuple[float, float]:
    """(k, value) nearest to `outside`, where there is none, that can be computed, from `inside` with value f, by halving."""
    for _ in range(steps):
        k = 0.5 * (inside + outside)
        found = value(k)
        if found is None:
            outside = k
        else:
            inside, f = k, found
    return inside, f


def _beside(value: Any, a: Any, hole: Any, b: Any) -> Any:
    """(k, value) of a point between a and b near one that cannot be computed, or None."""
    for share in (0.5, 0.25, 0.1, 0.02):
        for k in (hole + share * (b - hole), hole + share * (a - hole), b + share * (hole - b), a + share * (hole - a)):
            f = value(k)
            if f is not None:
                return k, f
    return None
