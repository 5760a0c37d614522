"""Compiled thermodynamics in chapters: ideal gas, cubic equations, stability, splits, flashes, temperatures.

Arrays in, numbers and arrays out. ``par`` has one row per species and the columns named in `constants`; ``kij`` is the
symmetric matrix of binary interaction parameters, shape (n, n). Units are SI and molar: K, Pa, mol, J/mol, J/(mol K), m3/mol.
A chapter imports from those before it only; chapters of reactions stand with chemistry, those of reactors with them.
"""

from gulch.engine.fluids.boundary import boundary_of
from gulch.engine.fluids.constants import *  # noqa: F403  (what codes and columns mean)
from gulch.engine.fluids.distance import further_phase_distance
from gulch.engine.fluids.flash import enthalpies, flash_amounts
from gulch.engine.fluids.ideal_gas import ideal_gas_of
from gulch.engine.fluids.phase import dissociated_in, ln_gammas, ln_phi_phase, phase_properties
from gulch.engine.fluids.slopes import fugacity_slopes, state_slopes
from gulch.engine.fluids.temperature import flash_amounts_to

__all__ = [
    "boundary_of",
    "dissociated_in",
    "enthalpies",
    "flash_amounts",
    "flash_amounts_to",
    "fugacity_slopes",
    "further_phase_distance",
    "ideal_gas_of",
    "ln_gammas",
    "ln_phi_phase",
    "phase_properties",
    "state_slopes",
]
