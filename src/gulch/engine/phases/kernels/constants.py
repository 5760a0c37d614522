"""Numbers that all kernels share: what codes and columns mean."""

import numpy as np

from gulch.engine.species.heat_capacity import THETAS
from gulch.engine.species.heat_capacity import R as R

Array = np.ndarray  # what kernels are given: of floats unless their docstrings say otherwise

P0 = 1.0e5  # standard state pressure [Pa]

IDEAL, PENG_ROBINSON, SOAVE_REDLICH_KWONG = 0, 1, 2
VAPOUR, LIQUID = 1, 2

# Columns of `par`.
TC, PC, OMEGA, MW, B_, AC, M_, H_CONST, S_CONST, ZRA = range(10)
VP0 = 10  # ln(Psat/Pa) = a + b/T + c ln T + d T + e T^2: five columns
VP_TMIN, VP_TMAX = 15, 16
CP0 = 17  # constant part of Cp/R, then one weight per characteristic temperature
N_COLUMNS = CP0 + 1 + THETAS.size

MAX_NEWTON = 300  # steps of an equilibrium
T_LOW, T_HIGH = 30.0, 6000.0  # search range of every temperature solve [K]

# What a temperature is sought for: places in the properties of a flash, and the vapour's share.
ENTHALPY, ENTROPY, VAPOUR_SHARE = 0, 1, 3

# Outcome of a search.
FOUND, BELOW_RANGE, ABOVE_RANGE, NOT_FOUND = 0, 1, 2, 3
