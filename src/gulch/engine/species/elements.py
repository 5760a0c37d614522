"""Elements in their standard states."""

from __future__ import annotations

from chemicals.elements import periodic_table

# Standard entropies of the elements [J/(mol K)] at 298.15 K and 1 bar per mole of atoms,
# from CODATA Key Values (Cox, Wagman & Medvedev, 1989); others from `chemicals`.
ELEMENT_ENTROPY = {
    "C": 5.74,
    "H": 130.680 / 2,
    "O": 205.152 / 2,
    "N": 191.609 / 2,
    "S": 32.054,
    "Cl": 223.081 / 2,
    "F": 202.791 / 2,
    "Br": 152.206 / 2,
    "I": 116.139 / 2,
}


def element_entropy(symbol: str) -> float | None:
    """Entropy per mole of atoms of an element in its standard state [J/(mol K)], or None."""
    if symbol in ELEMENT_ENTROPY:
        return ELEMENT_ENTROPY[symbol]
    element = getattr(periodic_table, symbol, None)
    return element.S0 if element is not None else None
