"""Filling, copying and adding up small arrays, in loops: whole-array expressions take numba seconds each to compile.

Shapes: Vector (n,), Matrix (m, n).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Matrix, Vector, chapter

kernel = chapter(__name__)


@kernel
def fill(out: Vector, value: float) -> None:
    """Set all numbers of out."""
    for i in range(out.size):
        out[i] = value


@kernel
def fill_rows(out: Matrix, value: float) -> None:
    """Set all numbers of out."""
    for i in range(out.shape[0]):
        for j in range(out.shape[1]):
            out[i, j] = value


@kernel
def assign(out: Vector, values: Vector) -> None:
    """Set out to values."""
    for i in range(out.size):
        out[i] = values[i]


@kernel
def assign_rows(out: Matrix, values: Matrix) -> None:
    """Set out to values."""
    for i in range(out.shape[0]):
        for j in range(out.shape[1]):
            out[i, j] = values[i, j]


@kernel
def copied(values: Vector) -> Vector:
    """An array of its own with the same values."""
    out = np.empty(values.size)
    assign(out, values)
    return out


@kernel
def copied_rows(values: Matrix) -> Matrix:
    """An array of its own with the same values."""
    out = np.empty((values.shape[0], values.shape[1]))
    assign_rows(out, values)
    return out


@kernel
def sum_of(values: Vector) -> float:
    """Sum of all values."""
    out = 0.0
    for i in range(values.size):
        out += values[i]
    return out


@kernel
def fractions(values: Vector) -> Vector:
    """Values over their sum."""
    out = np.empty(values.size)
    whole = sum_of(values)
    for i in range(values.size):
        out[i] = values[i] / whole
    return out
