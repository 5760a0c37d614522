"""Where a search for equilibrium may begin: extents that leave every species that can be there above zero.

Notation: n0: amounts [mol/s], shape (n,); nu: shape (m, n); extents: shape (m,).
"""

from __future__ import annotations

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them


class EquilibriumTrouble(ValueError):
    """An equilibrium that cannot be computed; the message is a sentence for the user."""


class PhaseMissing(EquilibriumTrouble):
    """The phase that a constant is for does not exist at the equilibrium; `phase` names it."""

    def __init__(self, phase: str) -> None:
        super().__init__(f"No {phase} exists at this state.")
        self.phase = phase


def dependent_reaction(nu: np.ndarray) -> int | None:
    """Position of the first reaction that is a combination of those before it, or None."""
    for m in range(1, len(nu) + 1):
        if np.linalg.matrix_rank(nu[:m]) < m:
            return m - 1
    return None


def interior(n0: np.ndarray, nu: np.ndarray) -> tuple:
    """Extents that leave every species that can be present above zero.

    n0: shape (n,); nu: changes per extent, shape (m, n). Returns (extents, blocked): blocked marks the reactions
    that cannot run because a species they need is absent and cannot be made.
    Raises EquilibriumTrouble.
    """
    quick = _middle(n0, nu)
    if quick is not None:
        return quick, np.zeros(len(nu), bool)
    blocked = np.zeros(len(nu), bool)
    while True:
        rows = nu[~blocked]
        if not len(rows):
            return np.zeros(len(nu)), blocked
        touched = np.flatnonzero(np.abs(rows).sum(axis=0) > 0.0)
        size = np.abs(n0).sum()
        # maximise the smallest amount among the touched species
        A = np.hstack([-rows[:, touched].T, np.ones((touched.size, 1))])
        found = scipy.optimize.linprog(
            np.r_[np.zeros(len(rows)), -1.0],
            A_ub=A,
            b_ub=n0[touched] / size,
            bounds=[(None, None)] * len(rows) + [(None, 1.0)],
            method="highs",
        )
        if found.status == 0 and found.x[-1] > 1e-12:
            out = np.zeros(len(nu))
            out[~blocked] = found.x[:-1] * size
            return out, blocked
        if n0.min() < -1e-12 * size:
            raise EquilibriumTrouble("The held reactions use up more than there is.")
        # which species stay at zero whatever runs?
        stuck = []
        for i in touched[n0[touched] <= 1e-12 * size]:
            most = scipy.optimize.linprog(
                -rows[:, i], A_ub=-rows[:, touched].T, b_ub=n0[touched] / size, bounds=[(None, None)] * len(rows), method="highs"
            )
            if most.status == 0 and -most.fun <= 1e-12:
                stuck.append(i)
        newly = ~blocked & (np.abs(nu[:, stuck]).sum(axis=1) > 0.0 if stuck else np.ones(len(nu), bool))
        blocked |= newly


def _middle(n0: np.ndarray, nu: np.ndarray) -> np.ndarray | None:
    """Extents by moving each reaction in turn to the middle of its room; None where that leaves a species at zero."""
    n, x = n0.copy(), np.zeros(len(nu))
    if n.min() < 0.0:
        return None
    touched = (nu != 0.0).any(axis=0)
    least = 1e-9 * n.sum()
    for _ in range(len(nu) + 1):
        if n[touched].min() > least:
            return x
        for r, row in enumerate(nu):
            used, made = row < 0.0, row > 0.0
            forward = np.min(n[used] / -row[used]) if used.any() else 0.0
            backward = np.min(n[made] / row[made]) if made.any() else 0.0
            step = 0.5 * (forward - backward)
            x[r] += step
            n = n + step * row
    return x if n[touched].min() > least else None
