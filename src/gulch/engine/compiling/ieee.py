"""The functions of `math` that kernels use, with IEEE 754's answers where `math` raises: so that plain kernels say what compiled ones do.

Their results are `numpy.float64`, whose own arithmetic goes on in the same way (1/0 is infinite).
"""

from __future__ import annotations

import math

import numpy as np

inf, nan = np.float64(np.inf), np.float64(np.nan)
_number = np.float64


def exp(x: float) -> float:
    """e to the power x; infinite beyond the largest number."""
    try:
        return _number(math.exp(x))
    except OverflowError:
        return inf


def expm1(x: float) -> float:
    """exp(x) - 1 without cancellation; infinite beyond the largest number."""
    try:
        return _number(math.expm1(x))
    except OverflowError:
        return inf


def log(x: float) -> float:
    """Natural logarithm; -inf at 0, nan below."""
    return _number(math.log(x)) if x > 0.0 else -inf if x == 0.0 else nan


def log1p(x: float) -> float:
    """log(1 + x) without cancellation; -inf at -1, nan below."""
    return _number(math.log1p(x)) if x > -1.0 else -inf if x == -1.0 else nan


def sqrt(x: float) -> float:
    """Square root; nan below 0."""
    return _number(math.sqrt(x)) if x >= 0.0 else nan


def acos(x: float) -> float:
    """Angle of a cosine; nan outside -1 to 1."""
    return _number(math.acos(x)) if -1.0 <= x <= 1.0 else nan


def cos(x: float) -> float:
    """Cosine; nan of what is infinite."""
    return _number(math.cos(x)) if math.isfinite(x) else nan


def tanh(x: float) -> float:
    """Hyperbolic tangent."""
    return _number(math.tanh(x))


def log10(x: float) -> float:
    """Logarithm to the base ten; -inf at 0, nan below."""
    return _number(math.log10(x)) if x > 0.0 else -inf if x == 0.0 else nan


def floor(x: float) -> float:
    """Greatest whole number up to x."""
    return np.floor(x)


def copysign(x: float, y: float) -> float:
    """x with the sign of y."""
    return _number(math.copysign(x, y))


def isfinite(x: float) -> bool:
    """Whether x is a number with an end."""
    return math.isfinite(x)


ONE = (exp, expm1, log, log1p, log10, sqrt, acos, cos, tanh, floor)  # functions of one number that return one
