"""Parameters of NRTL and Wilson: typed, or such that the pair mixes as UNIFAC says.

Notation: T [K]; x: shape (n,).
"""

from __future__ import annotations

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine import fluids as k
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.phases.by_groups import WATER, known_by_groups
from gulch.engine.phases.pairs.source import Liquids, Pair, Source

FILLED_AT = (298.15, 333.15, 373.15)  # temperatures at which parameters of pairs are taken over from UNIFAC
NONRANDOM = 0.3  # alpha of NRTL where none is typed (Renon & Prausnitz, 1968: 0.2 to 0.47)


def like_groups(kind: int, i: int, j: int, mix: Mixture) -> tuple:
    """(b_ij, b_ji) [K] of NRTL or Wilson with which a pair mixes as UNIFAC says, at FILLED_AT in the mean.

    mix: a UNIFAC Mixture of all species. Least squares of ln gamma over the composition range.
    """
    at = np.array([i, j])
    n = mix.par.shape[0]
    two = Mixture(k.UNIFAC, k.IDEAL, mix.active, mix.par[at], np.zeros((k.N_PAIR, 2, 2)), np.vstack([mix.groups[at], mix.groups[n:]]))
    if not (two.par[:, k.GROUP_Q] > 0.0).all():
        return 0.0, 0.0
    a = np.tile([0.02, 0.1, 0.25, 0.5, 0.75, 0.9, 0.98], len(FILLED_AT))
    x, T = np.column_stack([a, 1.0 - a]), np.repeat(FILLED_AT, len(a) // len(FILLED_AT))
    wanted = k.ln_gammas(T, 1e5, x, *two)

    def apart(b: np.ndarray) -> np.ndarray:
        pairs = np.zeros((k.N_PAIR, 2, 2))
        pairs[k.PAIR_B, 0, 1], pairs[k.PAIR_B, 1, 0] = b
        pairs[k.PAIR_ALPHA] = NONRANDOM
        own = Mixture(kind, k.IDEAL, mix.active, two.par, pairs, np.zeros((3, 0)))
        return (k.ln_gammas(T, 1e5, x, *own) - wanted).ravel()

    starts = [(0.0, 0.0), (300.0, 300.0), (800.0, 100.0), (100.0, 800.0)]
    found = min((scipy.optimize.least_squares(apart, s, x_scale=300.0) for s in starts), key=lambda f: f.cost)
    return float(found.x[0]), float(found.x[1])


def _typed(pair: Pair) -> tuple[float, ...] | None:
    i, j = pair.at
    if (i, j) not in pair.typed:
        return None
    return (*pair.typed[i, j], *pair.typed[j, i], pair.typed.get((i, j, "alpha"), NONRANDOM))


def _filled(pair: Liquids) -> tuple[float, ...]:
    i, j = pair.at
    forth, back = like_groups(k.NRTL if pair.kind == "nrtl" else k.WILSON, i, j, pair.by_groups)
    return 0.0, forth, 0.0, back, NONRANDOM


def _as_unifac(pair: Liquids) -> tuple[float, ...] | None:
    return _filled(pair) if known_by_groups((pair.first, pair.second), "unifac") else None


# tau = a + b/T of ammonia with water, of water with ammonia, and alpha: least squares in ln of ammonia's activity coefficient along the
# Henry's constant and the interaction of Edwards et al. up to 20 mol/kg, and in that of both along Ziegler & Trepp's equation beyond.
AMMONIA, AMMONIA_WATER = "7664-41-7", (0.893, 2218.2, -0.3815, -1202.4, 0.16895)


def _ammonia(pair: Pair) -> tuple[float, ...] | None:
    cas = (pair.first.cas, pair.second.cas)
    a, b, c, d, alpha = AMMONIA_WATER
    if pair.kind != "nrtl" or set(cas) != {AMMONIA, WATER}:
        return None
    return (a, b, c, d, alpha) if cas[0] == AMMONIA else (c, d, a, b, alpha)


TYPED = Source("typed", "", _typed, measured=True)
# Each gives (a, b [K]) of the first with the second, (a, b [K]) of the second with the first, and alpha.
LIQUIDS = (
    TYPED,
    Source(
        "fitted to published equations of ammonia in water",
        "Edwards, Maurer, Newman & Prausnitz, AIChE J. 24 (1978) 966; Ziegler & Trepp, Int. J. Refrig. 7 (1984) 101",
        _ammonia,
        273.15,
        423.15,
        measured=True,
    ),
    Source(
        "filled from UNIFAC",
        "Hansen et al., Ind. Eng. Chem. Res. 30 (1991) 2352; Wittig, Lohmann & Gmehling, Ind. Eng. Chem. Res. 42 (2003) 183",
        _as_unifac,
        FILLED_AT[0],
        FILLED_AT[-1],
    ),
    Source("taken as ideal: UNIFAC does not know it", "", _filled, unknown=True),
)
