"""Numbers that all kernels share: what codes and columns mean."""

from gulch.engine.species.heat_capacity import THETAS
from gulch.engine.species.heat_capacity import R as R

P0 = 1.0e5  # standard state pressure [Pa]

IDEAL, PENG_ROBINSON, SOAVE_REDLICH_KWONG = 0, 1, 2  # kinds of models, as numbers for the kernels
PREDICTIVE_SRK, UNIFAC, DORTMUND, NRTL, WILSON, ELECTROLYTES = 3, 4, 5, 6, 7, 8
VAPOUR, LIQUID = 1, 2

UNKNOWN_TC = 1.0  # stands for a critical temperature that nobody knows [K]

# Columns of `par`.
TC, PC, OMEGA, MW, B_, AC, M_, H_CONST, S_CONST, ZRA = range(10)
VP0 = 10  # ln(Psat/Pa) = a + b/T + c ln T + d T + e T^2: five columns
VP_TMIN, VP_TMAX = 15, 16
CP0 = 17  # constant part of Cp/R, then one weight per characteristic temperature
GROUP_R = CP0 + 1 + THETAS.size  # volume and area of a species' groups
GROUP_Q = GROUP_R + 1
M2_, M3_ = GROUP_R + 2, GROUP_R + 3  # further constants of the attraction beside M_ (Mathias & Copeman)
DIMER_A, DIMER_B = GROUP_R + 4, GROUP_R + 5  # ln(K bar) = A + B/T of its vapour's dimers; none where B is zero
DISSOLVED = GROUP_R + 6  # 1 where it is a gas that dissolves by Henry's law
GROUP_SIZE = GROUP_R + 7  # a molecule's size among others by its groups: its volume, or that to the power 3/4 (Dortmund)
LN_SIZE, LN_SHAPE = GROUP_SIZE + 1, GROUP_SIZE + 2  # its logarithm, and that of volume over area
LACKED = GROUP_R + 10  # what the model's pure liquid lacks to the known one:
VOLUME0, N_VOLUME = LACKED, 4  # volume [m3/mol] in powers of T/1000 K between two temperatures
VOLUME_LOW, VOLUME_HIGH = VOLUME0 + N_VOLUME, VOLUME0 + N_VOLUME + 1
HEAT_LOW, HEAT_STEP, N_NODE = VOLUME_HIGH + 1, VOLUME_HIGH + 2, 16  # and at N_NODE temperatures in equal steps:
HEAT0 = HEAT_STEP + 1  # enthalpy [J/mol]
SLOPE0 = HEAT0 + N_NODE  # its slope [J/(mol K)]
ENTROPY0 = SLOPE0 + N_NODE  # the entropy [J/(mol K)] that belongs to it
DILUTED = ENTROPY0 + N_NODE  # ln of the factor by which dissolved salts lower all fugacities in the watery liquid; the same in all rows
SOLVENT = DILUTED + 1  # 1 for water
IONIC = SOLVENT + 1  # what a species is among weak electrolytes: 0 none, A_MOLECULE, or IONS where no molecule of it is left
A_MOLECULE, IONS = 1.0, 2.0
ION0 = IONIC + 1  # of what a mole of it is made, in N_BASIS columns (`ions`)
N_BASIS = 7
KEPT = 40.0  # ln of a fugacity coefficient, negative, that keeps salts out of a vapour
N_COLUMNS = ION0 + N_BASIS

MOLAR_KG = 0.0180153  # of water [kg/mol]

MOLAR_KG = 0.0180153  # of water [kg/mol]

# Layers of `pairs`, a matrix of species by species each.
KIJ = 0  # k_ij at 25 degC, and how it goes on with s = 300/(300 + T/K): k_ij + b (s - s25) + c (s² - s25²), two places
PAIR_A, PAIR_B, PAIR_ALPHA = 3, 4, 5  # tau (NRTL) or -ln of the energy factor (Wilson) = a + b/T [K]; non-randomness
# ln(H/Pa) of a gas that dissolves, the first, in the second, or of any other species what its ln gamma there lacks at infinite dilution:
HENRY = 6  # a + b/T + c ln T: three places
HENRY_LOW, HENRY_HIGH = 9, 10  # between which temperatures that course is known; none where HENRY_HIGH is zero
N_PAIR = 11

MAX_NEWTON = 300  # steps of an equilibrium
T_LOW, T_HIGH = 30.0, 6000.0  # search range of every temperature solve [K]

# What a temperature is sought for: places in the properties of a flash, and the vapour's share.
ENTHALPY, ENTROPY, VAPOUR_SHARE = 0, 1, 3

# Outcome of a search.
FOUND, BELOW_RANGE, ABOVE_RANGE, NOT_FOUND = 0, 1, 2, 3
