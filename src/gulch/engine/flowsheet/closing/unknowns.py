"""The vector of unknowns of a group: which of its entries mean what."""

from __future__ import annotations

import numpy as np


class Unknowns:
    """Layout of the vector: of each tear its flows [mol/s], warmth [J/mol] and pressure [Pa], then the values of
    iterated ties, then the knobs of targets.

    What the methods return are views: writing to them writes to the vector. `x` may also be a matrix of such vectors,
    one a row, shape (m, size).
    """

    def __init__(self, species: list[str], tears: tuple, ties: tuple, targets: tuple) -> None:
        self.n, self.tears, self.count = len(species), list(tears), len(tears)
        self.names = (*tears, *ties, *targets, *species)  # what secants belong to, the order of species included
        self._at_ties = (self.n + 2) * self.count
        self._at_knobs = self._at_ties + len(ties)
        self.size = self._at_knobs + len(targets)

    def parts(self, x: np.ndarray) -> np.ndarray:
        """Entries of the tears, shape (tears, n + 2)."""
        return x[..., : self._at_ties].reshape(*x.shape[:-1], self.count, self.n + 2)

    def flows(self, x: np.ndarray) -> np.ndarray:
        """Flows of the tears [mol/s], shape (tears, n)."""
        return self.parts(x)[..., : self.n]

    def warmths(self, x: np.ndarray) -> np.ndarray:
        """Of the tears, molar enthalpies above those of their species as ideal gases at 25 °C [J/mol], shape (tears,).

        A warmth stays where it is when amounts change; on the elements basis an enthalpy would not.
        """
        return self.parts(x)[..., self.n]

    def pressures(self, x: np.ndarray) -> np.ndarray:
        """Pressures of the tears [Pa], shape (tears,)."""
        return self.parts(x)[..., self.n + 1]

    def ties(self, x: np.ndarray) -> np.ndarray:
        """Values of the iterated ties."""
        return x[..., self._at_ties : self._at_knobs]

    def knobs(self, x: np.ndarray) -> np.ndarray:
        """Values of the targets' knobs."""
        return x[..., self._at_knobs :]

    def filled(self, value: float) -> np.ndarray:
        """A new vector."""
        return np.full(self.size, value)
