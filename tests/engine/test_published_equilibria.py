"""Equilibrium constants of reactions of gases, each at three temperatures, beside published ones.

JANAF: enthalpies and entropies of formation and the rows of heat capacities of NIST-JANAF, 4th ed. (1998), integrated here.
Formulas of K, from memory: ammonia, Gillespie & Beattie (1930); methanol and the shift beside it, Graaf et al. (1986); sulfur trioxide,
Eklund (1956); hydrogen chloride with oxygen, Arnold & Kobe (1952); nitrogen dioxide, Bodenstein (1922); dimethyl ether, Hayashi & Moffat
(1982); ethylbenzene, Sheel & Crowe (1969); the shift, Moe (1962); reforming, Numaguchi &
Kikuchi (1988). JANAF's formaldehyde (-115.9 kJ/mol) is left out: newer measurements all lie near -109.
"""

import math
from pathlib import Path

import CoolProp.CoolProp as coolprop
import numpy as np
import pandas
import pytest
from chemicals import reaction as formation
from chemicals.heat_capacity import Cp_dict_JANAF_gas
from scipy.integrate import quad
from scipy.interpolate import PchipInterpolator

from gulch.engine.chemistry.constants import gibbs_spread, ln_equilibrium_constants
from gulch.engine.phases import phase_model

R = 8.314462618
ATM = 1.01325  # bar
LN10 = math.log(10.0)
CAS = {
    "H2": "1333-74-0", "N2": "7727-37-9", "O2": "7782-44-7", "Cl2": "7782-50-5", "H2O": "7732-18-5", "CO": "630-08-0",
    "CO2": "124-38-9", "CH4": "74-82-8", "NH3": "7664-41-7", "NO": "10102-43-9", "NO2": "10102-44-0", "SO2": "7446-09-5",
    "SO3": "7446-11-9", "H2S": "7783-06-4", "HCl": "7647-01-0", "C2H4": "74-85-1", "C2H2": "74-86-2", "HCN": "74-90-8",
    "COS": "463-58-1", "CS2": "75-15-0", "COCl2": "75-44-5", "N2O": "10024-97-2", "HF": "7664-39-3",
    "N2O4": "10544-72-6", "CH3Cl": "74-87-3", "S2": "23550-45-0", "CH3OH": "67-56-1", "DME": "115-10-6", "EB": "100-41-4",
    "styrene": "100-42-5", "Br2": "7726-95-6",
    "HBr": "10035-10-6", "I2": "7553-56-2", "HI": "10034-85-2", "NOCl": "2696-92-6", "PCl5": "10026-13-8", "PCl3": "7719-12-2",
    "SO2Cl2": "7791-25-5", "CCl4": "56-23-5", "SiCl4": "10026-04-7", "SiHCl3": "10025-78-2",
}  # fmt: skip
ELEMENTS = {"H2": "Hydrogen", "N2": "Nitrogen", "O2": "Oxygen"}
CL2 = ([298.15, 400, 500, 600, 700, 800, 900, 1000, 1200, 1500], [33.95, 35.30, 36.06, 36.55, 36.87, 37.11, 37.29, 37.44, 37.68, 38.0])
JANAF = {
    "shift": {"CO": -1, "H2O": -1, "CO2": 1, "H2": 1},
    "reforming": {"CH4": -1, "H2O": -1, "CO": 1, "H2": 3},
    "dry reforming": {"CH4": -1, "CO2": -1, "CO": 2, "H2": 2},
    "steam": {"H2": -1, "O2": -0.5, "H2O": 1},
    "carbon monoxide burnt": {"CO": -1, "O2": -0.5, "CO2": 1},
    "ammonia": {"N2": -0.5, "H2": -1.5, "NH3": 1},
    "nitric oxide": {"N2": -0.5, "O2": -0.5, "NO": 1},
    "nitrogen dioxide": {"NO": -1, "O2": -0.5, "NO2": 1},
    "nitrous oxide": {"N2O": -1, "N2": 1, "O2": 0.5},
    "dimer of nitrogen dioxide": {"NO2": -2, "N2O4": 1},
    "sulfur trioxide": {"SO2": -1, "O2": -0.5, "SO3": 1},
    "hydrogen sulfide": {"H2S": -1, "H2": 1, "S2": 0.5},
    "sulfur of Claus": {"H2S": -2, "SO2": -1, "S2": 1.5, "H2O": 2},
    "carbonyl sulfide": {"COS": -1, "H2O": -1, "CO2": 1, "H2S": 1},
    "carbon disulfide": {"CH4": -1, "S2": -2, "CS2": 1, "H2S": 2},
    "chlorine of hydrogen chloride": {"HCl": -2, "O2": -0.5, "Cl2": 1, "H2O": 1},
    "phosgene": {"CO": -1, "Cl2": -1, "COCl2": 1},
    "methyl chloride": {"CH4": -1, "Cl2": -1, "CH3Cl": 1, "HCl": 1},
    "acetylene hydrogenated": {"C2H2": -1, "H2": -1, "C2H4": 1},
    "acetylene from methane": {"CH4": -2, "C2H2": 1, "H2": 3},
    "hydrogen cyanide": {"CH4": -1, "NH3": -1, "HCN": 1, "H2": 3},
    "hydrogen bromide": {"H2": -1, "Br2": -1, "HBr": 2},
    "hydrogen iodide": {"H2": -1, "I2": -1, "HI": 2},
    "nitrosyl chloride": {"NOCl": -2, "NO": 2, "Cl2": 1},
    "phosphorus pentachloride": {"PCl5": -1, "PCl3": 1, "Cl2": 1},
    "sulfuryl chloride": {"SO2Cl2": -1, "SO2": 1, "Cl2": 1},
    "carbon tetrachloride": {"CH4": -1, "Cl2": -4, "CCl4": 1, "HCl": 4},
    "silicon tetrachloride": {"SiCl4": -1, "H2": -1, "SiHCl3": 1, "HCl": 1},
    "ethylene from methane": {"CH4": -2, "C2H4": 1, "H2": 2},
}
FORMULAS = {  # log10 K with pressures in bar
    "ammonia": (
        {"N2": -0.5, "H2": -1.5, "NH3": 1},
        (500.0, 600.0, 700.0),
        lambda T: -2.691122 * math.log10(T) - 5.519265e-5 * T + 1.848863e-7 * T**2 + 2001.6 / T + 2.6899 - math.log10(ATM),
    ),
    "methanol": ({"CO": -1, "H2": -2, "CH3OH": 1}, (480.0, 510.0, 540.0), lambda T: 5139.0 / T - 12.621),
    "shift with methanol": ({"CO2": -1, "H2": -1, "CO": 1, "H2O": 1}, (480.0, 510.0, 540.0), lambda T: -2073.0 / T + 2.029),
    "sulfur trioxide": (
        {"SO2": -1, "O2": -0.5, "SO3": 1}, (700.0, 800.0, 900.0), lambda T: 4956.0 / T - 4.678 - 0.5 * math.log10(ATM)
    ),
    "chlorine": (
        {"HCl": -4, "O2": -1, "Cl2": 2, "H2O": 2},
        (550.0, 650.0, 750.0),
        lambda T: 5881.7 / T - 0.93035 * math.log10(T) + 1.37014e-4 * T - 1.7584e-8 * T**2 - 4.1744 - math.log10(ATM),
    ),
    "nitrogen dioxide": (
        {"NO2": -2, "NO": 2, "O2": 1},
        (500.0, 600.0, 700.0),
        lambda T: -5749.0 / T + 1.75 * math.log10(T) - 5e-4 * T + 2.839 + math.log10(ATM),
    ),
    "dimethyl ether": ({"CH3OH": -2, "DME": 1, "H2O": 1}, (500.0, 550.0, 600.0), lambda T: math.log10(0.106) + 21858.0 / (R * T) / LN10),
    "styrene": (
        {"EB": -1, "styrene": 1, "H2": 1},
        (800.0, 850.0, 900.0),
        lambda T: -(122725.0 - 126.267 * T - 2.194e-3 * T**2) / (R * T) / LN10,
    ),
    "shift": ({"CO": -1, "H2O": -1, "CO2": 1, "H2": 1}, (500.0, 600.0, 700.0), lambda T: (4577.8 / T - 4.33) / LN10),
    "reforming": (
        {"CH4": -1, "H2O": -1, "CO": 1, "H2": 3}, (900.0, 1000.0, 1100.0), lambda T: math.log10(1.198e17) - 26830.0 / T / LN10 - 4.0
    ),
}  # fmt: skip
TABLE = pandas.read_csv(Path(formation.folder) / "JANAF_1998.tsv", sep="\t", index_col="CAS")


def gibbs_of(name, T):
    """h - T s [J/mol] on the elements basis from JANAF's rows; of the three commonest elements heats by CoolProp's ideal gases."""
    if name in ELEMENTS:
        cp = lambda t: coolprop.PropsSI("Cp0molar", "T", t, "P", 101325.0, ELEMENTS[name])  # noqa: E731
        h, s = 0.0, {"H2": 130.680, "N2": 191.609, "O2": 205.147}[name]
    else:
        cp = PchipInterpolator(*(CL2 if name == "Cl2" else Cp_dict_JANAF_gas[CAS[name]][:2]))
        h, s = (0.0, 223.079) if name == "Cl2" else TABLE.loc[CAS[name], ["Hfg", "S0g"]]
    return h + quad(cp, 298.15, T)[0] - T * (s + quad(lambda t: cp(t) / t, 298.15, T)[0])


def ours(nu, T):
    """(log10 K, lowest, highest inside the stated band)."""
    model = phase_model("ideal", tuple(CAS[name] for name in nu))
    row = np.array(list(nu.values()), float)
    spread = gibbs_spread(row, model, T)
    return ln_equilibrium_constants(row[None, :], T, model)[0] / LN10, *(-g / (R * T) / LN10 for g in (spread.high, spread.low))


@pytest.mark.parametrize("reaction", JANAF)
def test_constants_of_the_janaf_tables(reaction):
    nu = JANAF[reaction]
    for T in (500.0, 800.0, 1200.0):
        published = -sum(v * gibbs_of(name, T) for name, v in nu.items()) / (R * T) / LN10
        k, low, high = ours(nu, T)
        assert abs(k - published) < 0.1 or low <= published <= high, (T, k, published)


@pytest.mark.parametrize("reaction", FORMULAS)
def test_constants_of_published_formulas(reaction):
    nu, temperatures, log_k = FORMULAS[reaction]
    for T in temperatures:
        k, low, high = ours(nu, T)
        assert abs(k - log_k(T)) < 0.1 or low <= log_k(T) <= high, (T, k, log_k(T))


def test_thirty_reactions_stand_here():
    assert len({tuple(sorted(nu)) for nu in [*JANAF.values(), *(f[0] for f in FORMULAS.values())]}) >= 30
