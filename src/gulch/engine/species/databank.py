"""Data of a species by CAS number, each with its source.

Where sources disagree the choice is made by rule, not by luck: sources in a fixed order of
trust, but one that stands alone against at least two others is passed over. All values stay
readable in `Datum.others`.
"""

import math
from functools import lru_cache

import numpy as np
from chemicals import acentric, critical, identifiers, phase_change, reaction
from chemicals.elements import periodic_table, simple_formula_parser

from gulch.engine.species.heat_capacity import heat_capacity, loaded
from gulch.engine.species.records import Datum, Species
from gulch.engine.species.vapour_pressure import vapour_pressure

SOURCE_NAMES = {
    "ATCT_G": "Active Thermochemical Tables 1.112",
    "JANAF": "JANAF tables (1998)",
    "CRC": "CRC Handbook",
    "API_TDB_G": "API Technical Data Book",
    "WEBBOOK": "NIST",
    "YAWS": "Yaws (2014)",
    "IUPAC": "IUPAC critical-constant reviews",
    "HEOS": "reference equation of state",
    "PINAMARTINES": "Pina-Martinez et al. (2018)",
    "MATTHEWS": "Matthews (1972)",
    "PSRK": "Horstmann et al. (2005)",
    "PD": "Passut & Danner (1973)",
}
_FORMATION = ("ATCT_G", "JANAF", "CRC", "API_TDB_G", "WEBBOOK", "YAWS")
_ENTROPY = ("JANAF", "CRC", "WEBBOOK", "YAWS")
_CRITICAL = ("IUPAC", "CRC", "MATTHEWS", "HEOS", "PINAMARTINES", "WEBBOOK", "PSRK", "PD", "YAWS")
_ACENTRIC = ("HEOS", "PSRK", "PD", "YAWS")

# Standard entropies of the elements [J/(mol K)] at 298.15 K and 1 bar per mole of atoms,
# from CODATA Key Values (Cox, Wagman & Medvedev, 1989); others from `chemicals`.
_ELEMENT_ENTROPY = {"C": 5.74, "H": 130.680 / 2, "O": 205.152 / 2, "N": 191.609 / 2, "S": 32.054,
                    "Cl": 223.081 / 2, "F": 202.791 / 2, "Br": 152.206 / 2, "I": 116.139 / 2}  # fmt: skip


class SpeciesError(LookupError):
    """A species that is unknown or lacks a datum; the message is a sentence for the user."""


def element_entropy(symbol):
    """Entropy per mole of atoms of an element in its standard state [J/(mol K)], or None."""
    if symbol in _ELEMENT_ENTROPY:
        return _ELEMENT_ENTROPY[symbol]
    element = getattr(periodic_table, symbol, None)
    return element.S0 if element is not None else None


def choose(values, order, alone):
    """Datum out of {method: value}: first in `order` that is not alone.

    A value is alone when at least two others agree within `alone` with each other and all
    others lie farther than `alone` from it.
    """
    known = {m: values[m] for m in order if values.get(m) is not None and math.isfinite(values[m])}
    for method in known:
        rest = [v for m, v in known.items() if m != method]
        if len(rest) >= 2:
            middle = float(np.median(rest))
            agreeing = [v for v in rest if abs(v - middle) <= alone]
            if len(agreeing) >= 2 and all(abs(v - known[method]) > alone for v in agreeing):
                continue
        others = {SOURCE_NAMES.get(m, m): v for m, v in known.items() if m != method}
        return Datum(known[method], SOURCE_NAMES.get(method, method), others)
    return None


def _gather(function, methods, cas):
    found = {}
    for method in methods:
        try:
            found[method] = function(cas, method=method)
        except (ValueError, KeyError):
            continue
    return found


def _elements_are_standard(cas, atoms):
    """True for an element in its standard gaseous state, whose formation enthalpy is zero by definition."""
    return len(atoms) == 1 and cas in {"1333-74-0", "7782-44-7", "7727-37-9", "7782-50-5", "7782-41-4",
                                       "7440-59-7", "7440-37-1", "7440-01-9", "7439-90-9", "7440-63-3"}  # fmt: skip


@lru_cache(maxsize=512)
def lookup(cas):
    """Species by CAS number. Raises SpeciesError naming the missing datum."""
    try:
        meta = identifiers.search_chemical(cas)
    except ValueError:
        raise SpeciesError(f"The databank has no species with CAS number {cas}.") from None
    name = meta.common_name
    atoms = {e: int(n) for e, n in simple_formula_parser(meta.formula).items()}
    tc = choose(_gather(critical.Tc, _CRITICAL, cas), _CRITICAL, 5.0)
    pc = choose(_gather(critical.Pc, _CRITICAL, cas), _CRITICAL, 2e5)
    omega = choose(_gather(acentric.omega, _ACENTRIC, cas), _ACENTRIC, 0.03)
    if tc is None or pc is None or omega is None:
        raise SpeciesError(f"The databank has no critical constants for {name} ({cas}), so no phase model can use it.")
    if _elements_are_standard(cas, atoms):
        hf = Datum(0.0, "element in its standard state")
    else:
        hf = choose(_gather(reaction.Hfg, _FORMATION, cas), _FORMATION, 4000.0)
    if hf is None:
        raise SpeciesError(f"The databank has no gas-phase formation enthalpy for {name} ({cas}).")
    entropy = choose(_gather(reaction.S0g, _ENTROPY, cas), _ENTROPY, 3.0)
    if _elements_are_standard(cas, atoms):
        ((symbol, count),) = atoms.items()
        if symbol in _ELEMENT_ENTROPY:
            entropy = Datum(count * _ELEMENT_ENTROPY[symbol], "CODATA Key Values (1989)", entropy.others)
    molar_mass = meta.MW / 1000.0
    boiling = phase_change.Tb(cas)
    return Species(
        cas=cas,
        name=name,
        formula=meta.formula,
        atoms=atoms,
        molar_mass=Datum(molar_mass, "atomic weights, IUPAC"),
        critical_temperature=tc,
        critical_pressure=pc,
        acentric_factor=omega,
        formation_enthalpy=hf,
        entropy=entropy,
        heat_capacity=heat_capacity(cas, atoms, molar_mass),
        vapour_pressure=vapour_pressure(cas, tc.value, pc.value, omega.value),
        boiling_point=Datum(float(boiling), "databank") if boiling else None,
    )


@lru_cache(maxsize=1)
def usable():
    """CAS numbers of all species with the data every phase model needs, as a tuple."""
    cp_data = loaded()
    reaction._load_reaction_data()
    with_cp = (
        set(cp_data.Cp_dict_JANAF_gas)
        | set(cp_data.WebBook_Shomate_gases)
        | set(cp_data.TRC_gas_data.index)
        | set(cp_data.Cp_data_Poling.index)
        | set(reaction.Hfg_API_TDB_data.index)
        | set(reaction.Hfg_ATcT_data.index)
    )
    found = []
    for cas in sorted(with_cp):
        has_critical = critical.Tc_methods(cas) and critical.Pc_methods(cas) and acentric.omega_methods(cas)
        if has_critical and (set(reaction.Hfg_methods(cas)) & set(_FORMATION) or cas in ("7440-59-7", "7440-37-1")):
            found.append(cas)
    return tuple(found)
