"""The split of lowest Gibbs energy: one or two phases tested for stability, and a third looked for only where the test points to it.

Notation: z: fractions of the feed, x, y, w: compositions, ln_k, each of shape (n,); fluid: a `fluid.Fluid`, the mixture prepared at
T [K] and P [Pa].
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import assign, assign_rows, copied, copied_rows
from gulch.engine.fluids.constants import SOLVENT, UNIFAC
from gulch.engine.fluids.fluid import phase_ln_phi
from gulch.engine.fluids.mixture import Fluid
from gulch.engine.fluids.split import gibbs_of_split, two_phase
from gulch.engine.fluids.stability import HALF_LIQUID, NO_MORE, VAPOUR_AND_LIQUID, find_instability
from gulch.engine.fluids.three import three_phase

kernel = chapter(__name__)

RESTARTS = 4
DENSE = 0.35  # compressibility below which a phase is no vapour
FIRST_SHARE = 0.05  # of the phase that a trial points to
BETTER = 1e-12  # by which a split's Gibbs energy over RT has to be lower


@kernel.part
def watery(fluid: Fluid, x: Vector) -> bool:
    """Whether half of a composition is water, in a fluid of an equation of state."""
    water = 0.0
    for i in range(x.size):
        water += x[i] * fluid.par[i, SOLVENT]
    return water > 0.5 and fluid.kind < UNIFAC


@kernel
def unstable(fluid: Fluid, beta: float, x: Vector, y: Vector, phis: Matrix, w: Vector) -> bool:
    """Whether a trial phase lies below the tangent plane of a converged split; w then holds it. phis as in `two_phase`."""
    n = x.size
    at = 0 if beta < 0.5 else 1
    ref, other = (x, y) if at == 0 else (y, x)
    d = np.empty(n)
    for i in range(n):
        d[i] = math.log(ref[i]) + phis[at, i]
    trials = NO_MORE
    if phis[0, n] < DENSE and phis[1, n] < DENSE:
        trials = VAPOUR_AND_LIQUID  # of two dense phases a vapour may be missing
    elif watery(fluid, other) and not watery(fluid, ref):
        trials = HALF_LIQUID  # beside water's, a liquid hardly denser than the vapour may be missing
    return find_instability(fluid, d, ref, other, trials, fluid.active, w)


@kernel
def gibbs_of_three(fluid: Fluid, shares: Vector, parts: Matrix) -> float:
    """Mixing and residual Gibbs energy over RT of three phases; shares: shape (3,), parts: shape (3, n)."""
    phi = np.empty(parts.shape[1])
    total = 0.0
    for k in range(3):
        phase_ln_phi(fluid, parts[k], 0, phi)
        for i in range(phi.size):
            total += shares[k] * parts[k, i] * (math.log(parts[k, i]) + phi[i])
    return total


@kernel
def lowest_of_three(fluid: Fluid, z: Vector, parts: Matrix, shares: Vector) -> int:
    """Test three phases for stability; let what lies below them take the place of each in turn, keep the lowest.

    parts, shares: shapes (3, n) and (3,), changed. Returns 1 where a further phase is still indicated.
    """
    n = z.size
    w, others, theirs, phis = np.empty(n), np.empty((3, n)), np.empty(3), np.empty((2, n + 1))
    for _ in range(RESTARTS):
        for k in range(2):
            phis[k, n], _, _, _ = phase_ln_phi(fluid, parts[k], 0, phis[k])
        if not unstable(fluid, 0.0, parts[0], parts[1], phis, w):
            return 0
        best = gibbs_of_three(fluid, shares, parts)
        lowest, found = copied_rows(parts), copied(shares)
        improved = False
        for k in range(3):
            assign_rows(others, parts)
            assign(theirs, shares)
            assign(others[k], w)
            if three_phase(fluid, z, others, theirs) == 3:
                g = gibbs_of_three(fluid, theirs, others)
                if g < best - BETTER:
                    best, improved = g, True
                    assign_rows(lowest, others)
                    assign(found, theirs)
        if not improved:
            return 1
        assign_rows(parts, lowest)
        assign(shares, found)
    return 1


@kernel
def lowest_split(
    fluid: Fluid, z: Vector, beta: float, ln_k: Vector, x: Vector, y: Vector, phis: Matrix, w: Vector
) -> tuple[float, float, int]:
    """Test a converged split for stability; go on from what lies below it, in three phases or two, keep the lowest.

    Returns (beta, share of w, third): the share of w is zero where two phases suffice; third = 1 where a further phase is indicated
    that no split was found for.
    """
    n = z.size
    parts, shares = np.empty((3, n)), np.empty(3)
    for _ in range(RESTARTS):
        if not unstable(fluid, beta, x, y, phis, w):
            return beta, 0.0, 0
        best = gibbs_of_split(beta, x, y, phis)
        assign(parts[0], y)
        assign(parts[1], x)
        assign(parts[2], w)
        shares[0], shares[1], shares[2] = beta * (1.0 - FIRST_SHARE), (1.0 - beta) * (1.0 - FIRST_SHARE), FIRST_SHARE
        outcome = three_phase(fluid, z, parts, shares)
        if outcome == 3:
            if gibbs_of_three(fluid, shares, parts) >= best - BETTER:
                return beta, 0.0, 1
            third = lowest_of_three(fluid, z, parts, shares)
            assign(y, parts[0])
            assign(x, parts[1])
            assign(w, parts[2])
            return shares[0], shares[2], third
        k2, x2, y2, p2 = np.empty(n), np.empty(n), np.empty(n), np.empty((2, n + 1))
        improved = False
        for pair in range(3):
            # the two that a vanishing phase leaves; else the trial against either
            if outcome >= 0 and pair != outcome or outcome < 0 and pair == 2:
                continue
            one, two = parts[(pair + 1) % 3], parts[(pair + 2) % 3]
            if outcome < 0:
                one, two = w, x if pair == 0 else y
            for i in range(n):
                k2[i] = math.log(one[i]) - math.log(two[i])
            b2 = two_phase(fluid, z, k2, x2, y2, p2)
            if 0.0 < b2 < 1.0:
                g2 = gibbs_of_split(b2, x2, y2, p2)
                if g2 < best - BETTER:
                    best, beta, improved = g2, b2, True
                    assign(x, x2)
                    assign(y, y2)
                    assign(ln_k, k2)
                    assign_rows(phis, p2)
        if not improved:
            return beta, 0.0, 1
    return beta, 0.0, 1
