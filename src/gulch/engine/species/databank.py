"""Data of a species by CAS number, each with its source.

Where sources disagree the choice is made by rule, not by luck: sources in a fixed order of
trust, but one that stands alone against at least two others is passed over. All values stay
readable in `Datum.others`.
"""

from __future__ import annotations

import math
from functools import lru_cache, wraps
from types import SimpleNamespace
from typing import TYPE_CHECKING, Any

from chemicals import acentric, critical, identifiers, miscdata, phase_change, reaction
from chemicals.elements import molecular_weight, simple_formula_parser
from chemicals.heat_capacity import TRCCp_integral_over_T

from gulch.engine.species.elements import ELEMENT_ENTROPY
from gulch.engine.species.heat_capacity import constant, fit, graphite, loaded, of_solid
from gulch.engine.species.kept import Unknown, kept
from gulch.engine.species.records import Datum
from gulch.engine.species.sources import ALONE, stands_alone

if TYPE_CHECKING:
    from collections.abc import Callable


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
_ENTROPY = ("JANAF", "CRC", "TRC", "WEBBOOK", "YAWS")
_CRITICAL = ("IUPAC", "CRC", "MATTHEWS", "HEOS", "PINAMARTINES", "WEBBOOK", "PSRK", "PD", "YAWS")
GRAPHITE = "7782-42-5"
_ACENTRIC = ("HEOS", "PSRK", "PD", "YAWS")
_CONDENSED = ("CRC", "WEBBOOK", "JANAF")
# A network of measurements reviewed as a whole: never passed over.
REVIEWED = ("ATCT_G",)
# What only hot gases hold, and what is known of them: atoms, radicals, and molecules of what is a solid or liquid at rest.
GAS_ONLY = {
    "23550-45-0", "13798-23-7", "13827-32-2",  # S2, S6, SO
    "17778-80-2", "12385-13-6", "17778-88-0", "22537-15-1",  # O, H, N, Cl
    "10097-28-6", "12185-09-0", "2229-07-4", "12185-10-3",  # SiO, P2, CH3, P4
}  # fmt: skip
MISNAMED = {"12185-10-3": ("tetraphosphorus", "P4")}  # which the tables of names take for P
NO_LIQUID = "taken as a gas at every temperature: nothing is known of its liquid"
PERMANENT = {"critical_temperature": 40.0, "critical_pressure": 20e5, "acentric_factor": 0.0}  # of a gas that nobody cools so far
AT_REST = {"7704-34-9"}  # sulfur: the element, of which burning and Claus's process are counted
# Heat capacity [J/(mol K)] that gives enthalpy and entropy from 25 °C through melting to boiling: of sulfur H(500 K) − H(298 K) is 8.8, at
# 700 K 15.9 kJ/mol (JANAF tables, 1998: solid, transition, melting, liquid); Gibbs energies come out within 0.2 kJ/mol.
MOLTEN = {"7704-34-9": 40.0}
THROUGH_MELTING = "JANAF tables (1998), in the mean from the solid through melting"
HIGHEST_BOILING = 800.0  # K; what boils higher is taken as it is known, as a solid or liquid


# Elements of inorganic formulas from left to right (IUPAC Red Book 2005, table VI; metals before all of these).
_ORDER = ("B", "Si", "C", "Sb", "As", "P", "N", "H", "Te", "Se", "S", "At", "I", "Br", "Cl", "O", "F")


def written(formula: str) -> str:
    """A formula as chemists write it: HCl, NaOH and H2SO4 where an index sorts them as ClH, HNaO and H2O4S.

    >>> written("ClH"), written("HNaO"), written("H2O4S"), written("CCaO3"), written("H3N"), written("C2H6O")
    ('HCl', 'NaOH', 'H2SO4', 'CaCO3', 'NH3', 'C2H6O')
    """
    atoms = simple_formula_parser(formula)
    metals = sorted(e for e in atoms if e not in _ORDER)
    if ("C" in atoms and "H" in atoms and not metals) or not all(float(n).is_integer() for n in atoms.values()):
        return formula
    rest = sorted((e for e in atoms if e in _ORDER), key=_ORDER.index)
    if "H" in rest and not metals and "O" in rest and len(rest) > 2:
        rest = ["H", *(e for e in rest if e != "H")]  # an oxygen acid
    if "H" in rest and metals and "O" in rest:
        rest = [*(e for e in rest if e != "H"), "H"] if len(rest) == 2 else ["H", *(e for e in rest if e != "H")]
    return "".join(f"{e}{int(atoms[e]) if atoms[e] != 1 else ''}" for e in (*metals, *rest))


class SpeciesError(LookupError):
    """A species that is unknown or lacks a datum; the message is a sentence for the user."""


COLLECTIONS = ("API_TDB_G", "CRC", "YAWS")  # of values that were not weighed against one another
# Entropies that lie 45 J/(mol K) and more from what groups, or the row of homologues, say, while another source lies there.
MISPRINTED = {"3302-16-7": "TRC", "591-87-7": "TRC", "760-20-3": "TRC", "2883-02-5": "TRC"}
FAR, NEAR = 45e3, 25e3  # J/mol from groups: what is not believed any more, and what is


def choose(values: dict[str, Any], order: tuple, alone: float) -> Datum | None:
    """Datum out of {method: value}: first in `order` that is not alone; None where there is no value.

    A value is alone when at least two others agree within `alone` with each other and all
    others lie farther than `alone` from it. Where every one is alone the first stands, as disputed.
    """
    known = {m: values[m] for m in order if values.get(m) is not None and math.isfinite(values[m])}
    for method in known:
        if method not in REVIEWED and stands_alone(method, known, alone):
            continue
        return _datum(known, method)
    return _datum(known, next(iter(known)), True) if known else None


def _datum(known: dict[str, float], method: str, disputed: bool = False) -> Datum:
    others = {SOURCE_NAMES.get(m, m): v for m, v in known.items() if m != method}
    return Datum(known[method], SOURCE_NAMES.get(method, method), others, disputed)


def _gather(function: Callable, methods: tuple, cas: str) -> dict:
    found = {}
    for method in methods:
        try:
            found[method] = function(cas, method=method)
        except (ValueError, KeyError):
            continue
    return found


def beside_groups(cas: str, values: dict[str, float]) -> tuple:
    """What `choose` takes of formation enthalpies [J/mol]: a collection's value that nobody confirms comes last where Joback's groups say
    that another is the right one (Joback & Reid, Chem. Eng. Commun. 57 (1987) 233; mean error 8 kJ/mol).
    """
    alone = ALONE["formation_enthalpy"]
    order: tuple[str, ...] = _FORMATION
    table, number = miscdata.joback_predictions, int(cas.replace("-", ""))
    estimate = float(table.at[number, "Hfg"]) if number in table.index else math.nan
    first = next((m for m in order if values.get(m) is not None), None)
    others = [v for m, v in values.items() if m != first and v is not None]
    if first in COLLECTIONS and math.isfinite(estimate) and abs(values[first] - estimate) > FAR:
        if any(abs(v - estimate) < NEAR for v in others) and not any(abs(v - values[first]) <= alone for v in others):
            order = (*(m for m in order if m != first), first)
    return values, order, alone


def _tabulated_entropy(cas: str) -> dict[str, float]:
    """{"TRC": entropy of the ideal gas at 298.15 K and 1 bar [J/(mol K)]} where the course of the heat capacity was given with it.

    The equation's constant of integration: Frenkel et al., Thermodynamics of Organic Compounds in the Gas State (TRC, 1994).
    """
    table = loaded().TRC_gas_data
    if cas not in table.index:
        return {}
    row = table.loc[cas]
    try:
        a0, a1, a2, a3, a4, a5, a6, a7, j = (float(row[name]) for name in ("a0", "a1", "a2", "a3", "a4", "a5", "a6", "a7", "J"))
        return {"TRC": float(TRCCp_integral_over_T(298.15, a0, a1, a2, a3, a4, a5, a6, a7, j))}
    except ZeroDivisionError:
        return {}


def _elements_are_standard(cas: str, atoms: dict[str, int]) -> bool:
    """True for an element in its standard gaseous state, whose formation enthalpy is zero by definition."""
    return len(atoms) == 1 and cas in {
        "1333-74-0",
        "7782-44-7",
        "7727-37-9",
        "7782-50-5",
        "7782-41-4",
        "7440-59-7",
        "7440-37-1",
        "7440-01-9",
        "7439-90-9",
        "7440-63-3",
    }


@lru_cache(maxsize=512)
def _of_the_databank(function: Callable) -> Callable:
    """Let a species that is known to be none be refused in words."""

    @wraps(function)
    def ask(cas: str) -> dict[str, Any]:
        try:
            return function(cas)
        except Unknown:
            raise SpeciesError(NO_SUCH.format(cas)) from None

    return ask


NO_SUCH = "The databank has no species with CAS number {}."


@_of_the_databank
@kept
def known(cas: str) -> dict[str, Any] | None:
    """What the databank holds of a CAS number: {field of Species: value or None}. Raises SpeciesError.

    `sources` adds {field: {source: value}} with every source of the single numbers, chosen or not.
    """
    if cas == GRAPHITE:
        return _graphite()
    try:
        meta = identified(cas)
    except ValueError:
        raise SpeciesError(NO_SUCH.format(cas)) from None
    if meta.formula[-1] in "+-" or "+" in meta.formula or "-" in meta.formula:
        raise SpeciesError(
            f"{meta.common_name or meta.formula} is an ion, which has no place without its partner: take the salt, acid or base that it "
            "comes from. Under weak electrolytes in water ions form by themselves."
        )
    atoms = {e: int(n) for e, n in simple_formula_parser(meta.formula).items()}
    gathered = {
        "critical_temperature": (_gather(critical.Tc, _CRITICAL, cas), _CRITICAL, 5.0),
        "critical_pressure": (_gather(critical.Pc, _CRITICAL, cas), _CRITICAL, 2e5),
        "acentric_factor": (_gather(acentric.omega, _ACENTRIC, cas), _ACENTRIC, 0.03),
        "formation_enthalpy": beside_groups(cas, _gather(reaction.Hfg, _FORMATION, cas)),
        "entropy": (
            _gather(reaction.S0g, _ENTROPY, cas) | _tabulated_entropy(cas),
            tuple(sorted(_ENTROPY, key=lambda m: m == MISPRINTED.get(cas))),
            ALONE["entropy"],
        ),
    }
    found = {name: choose(*given) for name, given in gathered.items()}
    if _elements_are_standard(cas, atoms):
        found["formation_enthalpy"] = Datum(0.0, "element in its standard state")
        ((symbol, count),) = atoms.items()
        if symbol in ELEMENT_ENTROPY:
            rest = found["entropy"].others if found["entropy"] else {}
            found["entropy"] = Datum(count * ELEMENT_ENTROPY[symbol], "CODATA Key Values (1989)", rest)
    boiling = phase_change.Tb(cas)
    if cas in GAS_ONLY:
        found |= {field: Datum(value, NO_LIQUID) for field, value in PERMANENT.items()}
    if cas in AT_REST:  # the vapour's atom is not what is meant
        found |= condensed(cas)
    if None in (found["critical_temperature"], found["critical_pressure"], found["acentric_factor"]):
        if boiling and boiling < HIGHEST_BOILING:
            _estimate_critical(cas, float(boiling), found)
        else:  # what is known as a solid or liquid only can still take part in a liquid or as a solid
            found |= condensed(cas)
    return found | {
        "cas": cas,
        "name": meta.common_name,
        "formula": written(meta.formula),
        "atoms": atoms,
        "molar_mass": Datum(meta.MW / 1000.0, "atomic weights, IUPAC"),
        "boiling_point": Datum(float(boiling), "databank") if boiling else None,
    }


def identified(cas: str) -> Any:
    """What the tables of names say of a CAS number, without their slips. Raises ValueError."""
    meta = identifiers.search_chemical(cas)
    if cas not in MISNAMED:
        return meta
    name, formula = MISNAMED[cas]
    mass = molecular_weight(simple_formula_parser(formula))
    return SimpleNamespace(common_name=name, formula=formula, MW=mass, iupac_name=name, synonyms=[formula], charge=0)


def _estimate_critical(cas: str, boiling: float, found: dict[str, Any]) -> None:
    """Put estimates where a volatile species lacks critical constants; boiling [K]."""
    for field, function in (("critical_temperature", critical.Tc), ("critical_pressure", critical.Pc)):
        if found[field] is None:
            value = _gather(function, ("WILSON_JASPERSON",), cas).get("WILSON_JASPERSON")
            if value is None or not math.isfinite(value):
                return
            found[field] = Datum(value, "estimate of Wilson & Jasperson (1996)")
    tc, pc = found["critical_temperature"].value, found["critical_pressure"].value
    if found["acentric_factor"] is None and boiling < 0.95 * tc and pc > 2e5:
        found["acentric_factor"] = Datum(
            float(acentric.LK_omega(boiling, tc, pc)), "estimate of Lee & Kesler (1975) from its boiling point"
        )


@lru_cache(maxsize=512)
@kept
def condensed(cas: str) -> dict[str, Any]:
    """Formation enthalpy, entropy and heat capacity of the solid, else the liquid, for a species that stays in the liquid.

    {field of Species: value}, with `non_volatile`; empty where nothing is known of either.
    """
    for state, enthalpy, entropy, column in (
        ("solid", reaction.Hfs, reaction.S0s, "Cps"),
        ("liquid", reaction.Hfl, reaction.S0l, "Cpl"),
    ):
        h = choose(_gather(enthalpy, _CONDENSED, cas), _CONDENSED, ALONE["formation_enthalpy"])
        if h is None:
            continue
        s = choose(_gather(entropy, _CONDENSED, cas), _CONDENSED, ALONE["entropy"])
        if cas in MOLTEN:
            capacity = MOLTEN[cas]
            found = {"formation_enthalpy": _in_state(h, state), "entropy": _in_state(s, state)}
            return found | {"non_volatile": True, "heat_capacity": constant(capacity, THROUGH_MELTING, 298.0, 720.0)}
        out = {"non_volatile": True, "formation_enthalpy": _in_state(h, state), "entropy": _in_state(s, state)}
        table = loaded().CRC_standard_data
        cp = float(table.loc[cas, column]) if cas in table.index else math.nan
        known_cp = cp if math.isfinite(cp) and cp > 0.0 else None
        course = of_solid(cas, known_cp) if state == "solid" else None
        if course is not None:
            out["heat_capacity"] = course
        elif known_cp is not None:
            out["heat_capacity"] = constant(known_cp, f"CRC Handbook, {state}, constant")
        return out
    return {}


def _in_state(datum: Any, state: Any) -> Any:
    if datum is None:
        return None
    return Datum(datum.value, f"{datum.source}, {state}", {f"{k}, {state}": v for k, v in datum.others.items()}, datum.disputed)


def _graphite() -> Any:
    """Carbon as graphite: enthalpy 0, entropy 5.74 J/(mol K) (CODATA), heat capacity of JANAF (1998)."""
    T, cp = graphite()
    keep = (T >= 250.0) & (T <= 3000.0)
    return {
        "cas": GRAPHITE,
        "name": "graphite",
        "formula": "C",
        "atoms": {"C": 1},
        "non_volatile": True,
        "molar_mass": Datum(molecular_weight({"C": 1}) / 1000.0, "atomic weights, IUPAC"),
        "critical_temperature": None,
        "critical_pressure": None,
        "acentric_factor": None,
        "formation_enthalpy": Datum(0.0, "element in its standard state"),
        "entropy": Datum(5.74, "CODATA Key Values (1989)"),
        "boiling_point": None,
        "liquid_density": Datum(2260.0, "CRC Handbook"),
        "heat_capacity": fit(T[keep], cp[keep], "JANAF tables (1998), solid"),
    }


@lru_cache(maxsize=1)
def usable() -> tuple:
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
    return (*found, *(c for c in sorted(GAS_ONLY | AT_REST) if c not in found), GRAPHITE)
