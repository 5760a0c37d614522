"""Reaction equations, their balances and thermodynamics."""

from gulch.engine.chemistry.equations import (
    Ambiguous,
    EquationError,
    UnknownSpecies,
    balance,
    element_balance,
    parse_equation,
    resolve_equation,
    write_equation,
)
from gulch.engine.chemistry.thermo import reaction_properties

__all__ = [
    "Ambiguous",
    "EquationError",
    "UnknownSpecies",
    "balance",
    "element_balance",
    "parse_equation",
    "reaction_properties",
    "resolve_equation",
    "write_equation",
]
