"""Weak electrolytes in water: what is free, what is an ion, and what both do to one another.

Ammonia, carbon dioxide, hydrogen sulfide and sulfur dioxide dissociate as in Edwards, Maurer, Newman & Prausnitz, AIChE J. 24 (1978)
966; ions act on one another by Pitzer's equations (Activity Coefficients in Electrolyte Solutions, 2nd ed., ch. 3) without mixing terms of
like charges, with the limiting slope of Chen, Britt, Boston & Evans, AIChE J. 28 (1982) 588. Hydrogen chloride, sodium hydroxide and
their salts are ions altogether. All follows from one Gibbs energy: of the molecules among themselves, and of the ions in the water.

Notation: T [K]; m: molalities of the ions [mol/kg], shape (N_ION,), cations first; free: of the molecules that dissociate, shape (4,);
ln_g: ln gamma of the ions, ln_f: of those molecules; totals: molalities of what all was made of, shape (N_BASIS,).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.activity import held
from gulch.engine.fluids.arrays import fill
from gulch.engine.fluids.constants import MOLAR_KG

kernel = chapter(__name__)

# What every dissolved species is made of, one column of `par` each from ION0 on.
WATER, NH3, CO2, H2S, SO2, HCL, NAOH = 0, 1, 2, 3, 4, 5, 6
# Ions, cations first.
H, NA, NH4, OH, CL, HCO3, CO3, CARBAMATE, HS, S, HSO3, SO3, N_ION = 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12
N_CATION = 3
CHARGE = np.array([1.0, 1.0, 1.0, -1.0, -1.0, -1.0, -2.0, -1.0, -1.0, -2.0, -1.0, -2.0])
# ln K [mol/kg] = a/T + b ln T + c T + d of Edwards et al. (1978), table 2: water; NH3 + H2O = NH4 + OH; CO2 + H2O = HCO3 + H; HCO3 =
# CO3 + H; H2S = HS + H; HS = S + H; SO2 + H2O = HSO3 + H; HSO3 = SO3 + H; NH3 + HCO3 = NH2COO + H2O.
CONSTANTS = np.array(
    [
        [-13445.9, -22.4773, 0.0, 140.932],
        [-3335.7, 1.4971, -0.0370566, 2.76],
        [-12092.1, -36.7816, 0.0, 235.482],
        [-12431.7, -35.4819, 0.0, 220.067],
        [-12995.4, -33.5471, 0.0, 218.599],
        [-7211.2, 0.0, 0.0, -7.489],
        [637.396, 0.0, -0.0151337, -1.96211],
        [1333.4, 0.0, 0.0, -21.274],
        [2895.65, 0.0, 0.0, -8.5994],
    ]
)
K_W, K_N, K_C, K_CC, K_S, K_SS, K_SO, K_SOO, K_CARBAMATE, N_K = 0, 1, 2, 3, 4, 5, 6, 7, 8, 9
T_K_LOW, T_K_HIGH = 273.15, 443.15  # between which these constants hold
T_SLOPE_HIGH = 373.15  # up to which the limiting slope is followed: interactions of 25 degC do not outweigh it where it is steeper
# Pitzer's beta0, beta1 and C_phi at 25 degC, cation by anion; zero where nothing is known. Pitzer & Mayorga, J. Phys. Chem. 77 (1973)
# 2300; of carbonates Peiper & Pitzer (1982) and Roy et al.; of sulfites Rosenblatt, AIChE J. 27 (1981) 619. Taken for another of like
# charge and size: hydrosulfides as chlorides and bromides, ammonium's carbonate as potassium's, its sulfites as sodium's, carbamates as
# chlorides, sulfides as of other two-valued ions.
BETA0 = np.array(
    [
        [0.0, 0.1775, 0.0, 0.0, 0.0, 0.0, 0.0, 0.15, 0.0],
        [0.0864, 0.0765, 0.0277, 0.0399, 0.0765, 0.0973, 0.1, 0.0249, 0.0799],
        [0.06, 0.0522, -0.038, 0.1288, 0.0522, 0.0522, 0.1, 0.0249, 0.0799],
    ]
)
BETA1 = np.array(
    [
        [0.0, 0.2945, 0.0, 0.0, 0.0, 0.0, 0.0, 0.4, 0.0],
        [0.253, 0.2664, 0.0411, 1.389, 0.2664, 0.2791, 1.3, 0.2455, 1.185],
        [0.2, 0.1918, 0.07, 1.433, 0.1918, 0.1918, 1.3, 0.2455, 1.185],
    ]
)
C_PHI = np.array(
    [
        [0.0, 0.0008, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0],
        [0.0044, 0.00127, 0.0, 0.0044, 0.0, 0.0, 0.0, 0.0, 0.0],
        [0.0, -0.00301, 0.0, 0.0005, 0.0, 0.0, 0.0, 0.0, 0.0],
    ]
)
# Molecules salted out by sodium: Harvie, Moller & Weare, Geochim. Cosmochim. Acta 48 (1984) 723 (CO2); Barta & Bradley, ibid. 49 (1985)
# 195 (H2S); Clegg & Brimblecombe, J. Phys. Chem. 93 (1989) 7237 (NH3). None is known of sulfur dioxide.
SALTED = np.array([0.0175, 0.1, 0.08, 0.0])
DISTANCE = 1.2  # b of the Debye-Hueckel term [kg^1/2/mol^1/2]
CROWDED = 80.0  # mol/kg of ions and what they come from, from which virials grow in proportion only: no parameter holds there
DRIEST = 1e-9  # share of the water there was that always stays
FULL, FILLS = 60.0, 0.03  # mol/kg of ions from which there is no more room, and by what [kg/mol] each more raises ln gamma
DENSEST, LEAST_WATER = 300.0, 1e-3  # mol/kg of salts, and mole fraction of water, beyond which a liquid is taken for one without ions
MOST_TURNS, ENOUGH = 120, 1e-13


@kernel.part
def limiting_slope(T: float) -> float:
    """A_phi [kg^1/2/mol^1/2] of the Debye-Hueckel term (Chen et al. 1982)."""
    t = held(T, T_K_LOW, T_SLOPE_HIGH)
    u = (t - 273.15) / 273.15
    e = math.exp(u)
    bend = 183.5379 * math.log(t / 273.15) - 0.6820223 * (t - 273.15) + 7.875695e-4 * (t * t - 273.15 * 273.15)
    return -61.44534 * e + 2.864468 * e * e + bend + 58.95788 * 273.15 / t


@kernel
def dissociation(T: float, ln_k: Vector) -> None:
    """Fill ln K of the dissociations."""
    t = held(T, T_K_LOW, T_K_HIGH)
    ln_t = math.log(t)
    for r in range(N_K):
        ln_k[r] = CONSTANTS[r, 0] / t + CONSTANTS[r, 1] * ln_t + CONSTANTS[r, 2] * t + CONSTANTS[r, 3]


@kernel.part
def ln_k_hydrogen_chloride(T: float) -> float:
    """ln of a_H a_Cl over the fugacity in Pa: Brimblecombe & Clegg, J. Atmos. Chem. 7 (1988) 1, and ions of the CRC Handbook."""
    t = held(T, T_K_LOW, T_K_HIGH)
    u = 298.15 / t
    return math.log(2.04e6 / 101325.0) + 9003.0 * (1.0 / t - 1.0 / 298.15) - 19.9 * (u - 1.0 - math.log(u))


@kernel
def ionic_activities(T: float, m: Vector, free: Vector, ln_g: Vector, ln_f: Vector) -> float:
    """Fill ln gamma of the ions and what ions do to that of the molecules; returns what they do to ln a of water."""
    I, z, ions = 0.0, 0.0, 0.0
    for i in range(N_ION):
        I += 0.5 * m[i] * CHARGE[i] * CHARGE[i]
        z += m[i] * abs(CHARGE[i])
        ions += m[i]
    root, A = math.sqrt(I), limiting_slope(T)
    ln_d = math.log(1.0 + DISTANCE * root)
    per_charge = -A * (root / (1.0 + DISTANCE * root) + 2.0 / DISTANCE * ln_d)
    u = 2.0 * root
    decay = math.exp(-u)
    g = 1.0 if u < 1e-4 else 2.0 * (1.0 - (1.0 + u) * decay) / (u * u)
    per_I = 0.0 if u < 1e-4 else -2.0 * (1.0 - (1.0 + u + 0.5 * u * u) * decay) / (u * u * I)
    fill(ln_g, 0.0)
    fill(ln_f, 0.0)
    virial, of_charge, of_strength = 0.0, 0.0, 0.0
    for c in range(N_CATION):
        for a in range(N_CATION, N_ION):
            b0, b1, c_phi = BETA0[c, a - N_CATION], BETA1[c, a - N_CATION], C_PHI[c, a - N_CATION]
            if b0 == 0.0 and b1 == 0.0:
                continue
            third = 0.5 * c_phi / math.sqrt(abs(CHARGE[a]))
            between = 2.0 * (b0 + b1 * g) + z * third
            both = m[c] * m[a]
            virial += both * between
            of_charge += both * third
            of_strength += both * b1 * per_I
            ln_g[c] += m[a] * between
            ln_g[a] += m[c] * between
    crowd = ions
    for k in range(free.size):
        crowd += free[k]
        ln_f[k] = 2.0 * SALTED[k] * m[NA]
        virial += free[k] * ln_f[k]
        ln_g[NA] += 2.0 * SALTED[k] * free[k]
    t = (crowd / CROWDED) ** 3
    fades = (1.0 + t) ** (-1.0 / 3.0)
    fading = -t / (1.0 + t) * fades / crowd * virial
    beyond = max(ions - FULL, 0.0)
    whole = -4.0 * A * I / DISTANCE * ln_d + fades * virial + 0.5 * FILLS * beyond * beyond
    shared = 0.0
    for i in range(N_ION):
        n = CHARGE[i] * CHARGE[i]
        ln_g[i] = n * (per_charge + fades * of_strength) + fades * (ln_g[i] + abs(CHARGE[i]) * of_charge) + fading + FILLS * beyond
        shared += m[i] * ln_g[i]
    for k in range(free.size):
        ln_f[k] = fades * ln_f[k] + fading
        shared += free[k] * ln_f[k]
    return -MOLAR_KG * (ions + shared - whole)


@kernel
def parted_at(ln_h: float, totals: Vector, k: Vector, m: Vector, free: Vector) -> float:
    """Fill m and free at a molality of hydrogen ions; returns ln of positive over negative charge. k: constants of molalities, ln."""
    h = math.exp(ln_h)
    hydroxide = math.exp(k[K_W] - ln_h)
    ammonium = math.exp(k[K_N]) / hydroxide
    c1 = math.exp(k[K_C] - ln_h)
    c2 = math.exp(k[K_CC] - ln_h) * c1
    bound = math.exp(k[K_CARBAMATE]) * c1
    # n (a + bound c) = N and c (b + bound n) = C
    a, b, N, C = 1.0 + ammonium, 1.0 + c1 + c2, totals[NH3], totals[CO2]
    half = a * b + bound * (N - C)
    root = math.sqrt(half * half + 4.0 * b * bound * C * a)
    c = 2.0 * C * a / (half + root) if half > 0.0 else (root - half) / (2.0 * b * bound)
    n = N / (a + bound * c)
    s1 = math.exp(k[K_S] - ln_h)
    s2 = math.exp(k[K_SS] - ln_h) * s1
    s = totals[H2S] / (1.0 + s1 + s2)
    o1 = math.exp(k[K_SO] - ln_h)
    o2 = math.exp(k[K_SOO] - ln_h) * o1
    o = totals[SO2] / (1.0 + o1 + o2)
    free[0], free[1], free[2], free[3] = n, c, s, o
    m[H], m[NA], m[NH4] = h, totals[NAOH], ammonium * n
    m[OH], m[CL], m[HCO3], m[CO3], m[CARBAMATE] = hydroxide, totals[HCL], c1 * c, c2 * c, bound * n * c
    m[HS], m[S], m[HSO3], m[SO3] = s1 * s, s2 * s, o1 * o, o2 * o
    positive = m[H] + m[NA] + m[NH4]
    negative = m[OH] + m[CL] + m[HCO3] + 2.0 * m[CO3] + m[CARBAMATE] + m[HS] + 2.0 * m[S] + m[HSO3] + 2.0 * m[SO3]
    return math.log(positive / negative)


@kernel
def neutral(start: float, totals: Vector, k: Vector, m: Vector, free: Vector) -> float:
    """ln of the molality of hydrogen ions at which charges balance; fills m and free there. Secants, in a bracket."""
    low, high = -75.0, 35.0  # what is below zero at one, and above at the other, whatever is dissolved
    last, at = start, start
    f_last = f = parted_at(start, totals, k, m, free)
    for _ in range(100):
        if abs(f) < 1e-15:
            break
        if f < 0.0:
            low = max(low, at)
        else:
            high = min(high, at)
        slope = (f - f_last) / (at - last) if at != last else 1.0
        new = at - min(max(f / slope, -4.0), 4.0) if slope > 1e-6 else low
        if not low < new < high:
            new = 0.5 * (low + high)
        if abs(new - at) < 1e-15 * (1.0 + abs(at)):
            break
        last, f_last, at = at, f, new
        f = parted_at(at, totals, k, m, free)
    return at
