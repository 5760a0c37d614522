"""An integrator for what may be stiff, ended by a count: scipy's own goes on for as long as a wild number makes it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

MOST_LOOKS = 20_000  # evaluations; what is usual takes some hundreds


class _Enough(ArithmeticError):
    pass


def followed(change: Callable, grid: np.ndarray, start: np.ndarray, rtol: float, atol: float) -> np.ndarray | None:
    """y of dy/ds = change(s, y) at the places of a rising grid, shape (n, k), by LSODA; None where the end is not reached.

    start: y at the first place, shape (n,).
    """
    looks = 0

    def looked(s: float, y: np.ndarray) -> np.ndarray:
        nonlocal looks
        looks += 1
        if looks > MOST_LOOKS:
            raise _Enough
        return change(s, y)

    try:
        found = scipy.integrate.solve_ivp(looked, (grid[0], grid[-1]), start, "LSODA", t_eval=grid, rtol=rtol, atol=atol)
    except _Enough:
        return None
    return found.y if found.success and found.y.shape[1] == grid.size and np.isfinite(found.y).all() else None
