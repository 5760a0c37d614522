"""Vapours whose carboxylic acids form dimers and are ideal gases otherwise.

Chemical theory: Prausnitz, Lichtenthaler & de Azevedo, Molecular Thermodynamics of Fluid-Phase Equilibria, 3rd ed., ch. 5. The
constant of a mixed dimer is twice the geometric mean of those of its two acids, so that one unknown remains.

Notation: T [K], P [Pa]; y: apparent mole fractions, shape (n,); root: square roots of the constants of dimers [Pa^-1/2], shape (n,).
"""

from __future__ import annotations

from gulch.engine.compiling import Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.constants import DIMER_A, DIMER_B, P0

kernel = chapter(__name__)


@kernel
def dimer_roots(T: float, par: Matrix, root: Vector) -> bool:
    """Fill root; returns whether anything associates."""
    found = False
    for i in range(root.size):
        if par[i, DIMER_B] != 0.0:
            root[i] = math.sqrt(math.exp(par[i, DIMER_A] + par[i, DIMER_B] / T) / P0)
            found = True
        else:
            root[i] = 0.0
    return found


@kernel.part
def dimer_pressure(P: float, y: Vector, root: Vector) -> float:
    """Partial pressure of all dimers [Pa] in a vapour of apparent composition y."""
    low, high = 0.0, math.sqrt(P)
    s = 0.0
    for i in range(y.size):
        s += root[i] * y[i] * P
    if s == 0.0:
        return 0.0
    s = min(s, 0.7 * high)
    for _ in range(100):
        f, slope = -s, -1.0
        for i in range(y.size):
            below = 1.0 + 2.0 * root[i] * s
            term = root[i] * y[i] / below
            f += term * (P + s * s)
            slope += term * (2.0 * s - (P + s * s) * 2.0 * root[i] / below)
        if f > 0.0:
            low = s
        else:
            high = s
        new = s - f / slope
        if not low < new < high:
            new = 0.5 * (low + high)
        if abs(new - s) <= 1e-15 * s:
            return new * new
        s = new
    return s * s


@kernel
def dimer_ln_phi(P: float, y: Vector, root: Vector, ln_phi: Vector) -> float:
    """Fill ln fugacity coefficients of the apparent species; returns the compressibility, true moles over apparent ones."""
    dimers = dimer_pressure(P, y, root)
    s = math.sqrt(dimers)
    above = math.log(1.0 + dimers / P)
    for i in range(y.size):
        ln_phi[i] = above - math.log(1.0 + 2.0 * root[i] * s)
    return P / (P + dimers)
