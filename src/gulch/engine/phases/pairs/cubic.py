"""Binary interaction parameters k_ij of cubic equations: typed, from a short list of published values, or from structural groups.

Pairs with water have none: one k_ij cannot serve both phases there, and the literature's values differ by more than 0.3; with the
alcohols, which mix with water in all proportions, a zero would make a false split.
"""

from __future__ import annotations

from gulch.engine.phases.pairs.by_kij_groups import HIGH, LOW, kij_course
from gulch.engine.phases.pairs.source import Source

PENG_ROBINSON = {
    frozenset(("124-38-9", "74-82-8")): 0.092,  # carbon dioxide - methane
    frozenset(("124-38-9", "74-84-0")): 0.132,  # carbon dioxide - ethane
    frozenset(("124-38-9", "74-98-6")): 0.124,  # carbon dioxide - propane
    frozenset(("124-38-9", "7727-37-9")): -0.017,  # carbon dioxide - nitrogen
    frozenset(("7727-37-9", "74-82-8")): 0.031,  # nitrogen - methane
    frozenset(("7727-37-9", "74-84-0")): 0.052,  # nitrogen - ethane
    # water - ethanol, fitted here to x, y and T at 1.013 bar (Perry's Handbook): 0.024 in y, 1.1 K; the model then shows
    # no azeotrope, which one k_ij cannot give beside the rest
    frozenset(("7732-18-5", "64-17-5")): -0.10,
    frozenset(("7783-06-4", "124-38-9")): 0.097,  # hydrogen sulfide - carbon dioxide
}


# Each gives k_ij, or (k_ij at 25 degC, b, c) of its course over temperature.
CUBIC = (
    Source("typed here", "", lambda pair: pair.typed.get(pair.at), measured=True),
    Source(
        "published for Peng–Robinson",
        "Knapp et al., Vapor-Liquid Equilibria for Mixtures of Low Boiling Substances (1982); water with ethanol fitted here",
        lambda pair: PENG_ROBINSON.get(pair.cas) if pair.kind == "peng-robinson" else None,
        measured=True,
    ),
    Source(
        "by groups (E-PPR78)",
        "Jaubert & Mutelet, Fluid Phase Equilib. 224 (2004) 285; for SRK Jaubert & Privat, Fluid Phase Equilib. 295 (2010) 26",
        kij_course,
        LOW,
        HIGH,
    ),
    Source("none at hand: zero", "", lambda pair: 0.0, unknown=True),
)
