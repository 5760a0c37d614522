"""Binary interaction parameters k_ij: a short list of published values, zero elsewhere.

Peng-Robinson values from memory of Knapp et al., Vapor-Liquid Equilibria for Mixtures of
Low Boiling Substances (1982), for gases and light hydrocarbons. Pairs with water keep zero:
one k_ij cannot serve both phases there, and the literature's values differ by more than 0.3;
with the alcohols, which mix with water in all proportions, a zero would make a false split.
"""

from __future__ import annotations

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


def published(kind: str, cas_a: str, cas_b: str) -> float:
    """k_ij of a pair, 0.0 where the table has none. kind: the phase model's name."""
    if kind != "peng-robinson":
        return 0.0
    return PENG_ROBINSON.get(frozenset((cas_a, cas_b)), 0.0)
