"""Ideal-gas heat capacities, refitted to one closed form.

Cp/R = c0 + sum_k w_k (theta_k/T)^2 e^(theta_k/T) / (e^(theta_k/T) - 1)^2 with c0, w_k >= 0:
a sum of Einstein functions (Planck-Einstein form), as statistical mechanics gives for a
rigid-rotor harmonic-oscillator gas. Its enthalpy and entropy are analytic, and beyond the
fitted range it stays between c0 and its upper limit instead of running away as a polynomial.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache
from importlib.resources import files
from typing import Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them
from chemicals import heat_capacity as source_data
from chemicals import miscdata

from gulch.engine.species.kept import kept
from gulch.engine.species.records import Fit

R = 8.31446261815324  # J/(mol K), exact by definition of the SI (2019)
# Characteristic temperatures [K] shared by all species, so that one exponential serves them all.
THETAS = np.array([120.0, 250.0, 450.0, 750.0, 1150.0, 1700.0, 2500.0, 3800.0, 6000.0])

# Tables first where they exist; then correlations in the order in which they follow those tables.
_REFERENCE = "reference equation of state"
SOURCES = (_REFERENCE, "JANAF tables (1998)", "TRC gas tables (1994)", "Shomate, NIST", "Poling et al. (2001)")
ESTIMATE = "estimate of Lastovka & Shaw (2013)"
BY_GROUPS = "estimate of Joback & Reid (1987)"
JOBACK = (273.0, 1000.0)  # K, over which its groups were fitted


NOBLE = {"He", "Ne", "Ar", "Kr", "Xe"}


def basis(T: np.ndarray) -> np.ndarray:
    """Columns 1, E(theta_k/T) at temperatures T [K], shape (n,); returns shape (n, 1 + k)."""
    u = THETAS / np.asarray(T, float)[:, None]
    e = np.exp(-u)
    return np.column_stack([np.ones(len(u)), u * u * e / (1.0 - e) ** 2])


@lru_cache(maxsize=1)
def loaded() -> Any:
    """The heat-capacity module of `chemicals` with its tables read, once."""
    source_data._load_Cp_data()
    return source_data


@lru_cache(maxsize=1)
def graphite() -> tuple:
    """Graphite's (T [K], Cp [J/(mol K)]) of the JANAF (1998) tables."""
    return tuple(np.array(v, float) for v in loaded().Cp_dict_JANAF_solid["7782-42-5"][:2])


@lru_cache(maxsize=1)
def reference() -> dict[str, Any]:
    """{CAS number: (T [K], Cp [J/(mol K)])} of reference_heat_capacity.tsv, where the usual tables are off by over 2 %."""
    out = {}
    text = files("gulch.engine.species").joinpath("reference_heat_capacity.tsv").read_text(encoding="utf-8")
    for line in text.splitlines():
        if line and not line.startswith("#"):
            cas, T, cp = line.split("\t")
            out.setdefault(cas, []).append((float(T), float(cp)))
    return {cas: tuple(np.array(v) for v in zip(*rows, strict=True)) for cas, rows in out.items()}


def tables(cas: str) -> dict[str, Any]:
    """Every source of a species: {source: (T [K], Cp [J/(mol K)])}, both of shape (n,)."""
    source_data = loaded()
    out = {}
    if cas in reference():
        out[_REFERENCE] = reference()[cas]
    if cas in source_data.Cp_dict_JANAF_gas:
        T, cp = (np.array(v, float) for v in source_data.Cp_dict_JANAF_gas[cas][:2])
        keep = (T >= 200.0) & (T <= 3000.0)
        if keep.sum() >= 8:
            out["JANAF tables (1998)"] = (T[keep], cp[keep])
    if cas in source_data.TRC_gas_data.index:
        row = source_data.TRC_gas_data.loc[cas]
        T = _grid(row.Tmin, row.Tmax)
        coefficients = [float(row[f"a{i}"]) for i in range(8)]
        out["TRC gas tables (1994)"] = (T, np.array([source_data.TRCCp(t, *coefficients) for t in T]))
    if cas in source_data.WebBook_Shomate_gases:
        model = source_data.WebBook_Shomate_gases[cas]
        T = _grid(model.Tmin, model.Tmax)
        out["Shomate, NIST"] = (T, np.array([model.force_calculate(t) for t in T]))
    if cas in source_data.Cp_data_Poling.index:
        row = source_data.Cp_data_Poling.loc[cas]
        if math.isfinite(row.a0):
            T = _grid(row.Tmin, row.Tmax)
            cp = R * np.polyval([float(row[f"a{i}"]) for i in range(4, -1, -1)], T)
            out["Poling et al. (2001)"] = (T, cp)
    return {k: v for k, v in out.items() if np.all(np.isfinite(v[1])) and np.all(v[1] > 0.0)}


def _grid(low: float, high: float) -> np.ndarray:
    return np.geomspace(max(float(low), 200.0), min(float(high), 3000.0), 60)


def choose(candidates: dict[str, Any]) -> str:
    """The source to use: the first that covers 298-1000 K and does not stand alone against the others."""
    if _REFERENCE in candidates:
        return _REFERENCE
    covering = [s for s in SOURCES if s in candidates and candidates[s][0][0] <= 299 and candidates[s][0][-1] >= 990]
    for source in covering or [s for s in SOURCES if s in candidates]:
        if source in SOURCES[:2] or len(candidates) < 3:
            return source
        probe = np.array([400.0, 700.0, 950.0])
        here = np.interp(probe, *candidates[source])
        others = np.median([np.interp(probe, *candidates[s]) for s in candidates if s != source], axis=0)
        if np.max(np.abs(here / others - 1.0)) < 0.03:
            return source
    return (covering or list(candidates))[0]


def fit(T: np.ndarray, cp: np.ndarray, source: str) -> Fit:
    """Fit the closed form to a table. T [K], cp [J/(mol K)], shape (n,). Returns a Fit."""
    rows = basis(T)
    weights = 1.0 / cp  # relative error counts
    coefficients, _ = scipy.optimize.nnls(rows * (weights * R)[:, None], cp * weights)
    worst = float(np.max(np.abs(R * rows @ coefficients / cp - 1.0)))
    return Fit(coefficients, float(T[0]), float(T[-1]), worst, source)


def constant(cp: float, source: str, low: float = 250.0, high: float = 1000.0) -> Fit:
    """A heat capacity that does not change with temperature, as a Fit. cp [J/(mol K)]."""
    coefficients = np.zeros(THETAS.size + 1)
    coefficients[0] = cp / R
    return Fit(coefficients, low, high, 0.0, source)


CALORIE = 4.184  # J
SOLID_AGREES = 0.08  # by which a course and the handbook's value at 25 degC may differ
SOLID_LOW, SOLID_HIGH = 250.0, 3000.0  # K, within which rows of the JANAF tables are followed


def of_solid(cas: str, at_25: float | None) -> Fit | None:
    """Heat capacity of a solid over temperature; None where no course is known, or none that fits its value at 25 degC [J/(mol K)].

    JANAF tables (1998); else Perry's Chemical Engineers' Handbook, 7th ed., table 2-194 (in cal: a + b T + c/T² + d T²).
    """
    candidates = []
    if cas in loaded().Cp_dict_JANAF_solid:
        T, cp = (np.array(v, float) for v in loaded().Cp_dict_JANAF_solid[cas][:2])
        keep = (T >= SOLID_LOW) & (T <= SOLID_HIGH)
        candidates.append((T[keep], cp[keep], "JANAF tables (1998), solid"))
    row = loaded().Cp_dict_PerryI.get(cas, {}).get("c")
    if row is not None and row["Tmax"] and row["Tmin"] <= 300.0 and row["Tmax"] >= 500.0:
        T = np.linspace(row["Tmin"], row["Tmax"], 40)
        cp = CALORIE * (row["Const"] + row["Lin"] * T + row["Quadinv"] / T**2 + row["Quad"] * T**2)
        candidates.append((T, cp, "Perry’s Handbook, solid"))
    for T, cp, source in candidates:
        if at_25 is None or abs(float(np.interp(298.15, T, cp)) / at_25 - 1.0) < SOLID_AGREES:
            return fit(T, cp, source)
    return None


@kept
def heat_capacity(cas: str, atoms: dict[str, int], molar_mass: float) -> Fit:
    """Refitted heat capacity of a species; molar_mass [kg/mol] feeds the estimate used without data."""
    if list(atoms.values()) == [1] and set(atoms) <= NOBLE:
        return constant(2.5 * R, "monatomic ideal gas, exact", 20.0, 6000.0)
    candidates = tables(cas)
    if candidates:
        source = choose(candidates)
        T, cp = candidates[source]
        return fit(T, cp, source)
    return by_groups(cas) or estimate(atoms, molar_mass)


def by_groups(cas: str) -> Fit | None:
    """Heat capacity of a gas by Joback's groups, brought to a measured value at 25 degC where there is one; None without groups.

    Joback & Reid, Chem. Eng. Commun. 57 (1987) 233.
    """
    table, number = miscdata.joback_predictions, int(cas.replace("-", "")) if cas else 0
    if number not in table.index:
        return None
    T = np.linspace(*JOBACK, 40)
    cp = np.polyval([float(table.at[number, f"Cpg{i}"]) for i in (3, 2, 1, 0)], T)
    if not (np.isfinite(cp).all() and (cp > 0.0).all() and (np.diff(cp) > 0.0).all()):
        return None
    measured = _at_25(cas)
    source = BY_GROUPS if measured is None else f"{BY_GROUPS}, brought to the {measured[1]} at 25 °C"
    scale = 1.0 if measured is None else measured[0] / float(np.interp(298.15, T, cp))
    return replace(fit(T, scale * cp, source), estimated=True)


def _at_25(cas: str) -> tuple[float, str] | None:
    """(Heat capacity of the gas at 25 degC [J/(mol K)], its source) where one value was published."""
    tables = loaded()
    for table, column, name in (
        (tables.CRC_standard_data, "Cpg", "CRC Handbook's"),
        (tables.Cp_data_Poling, "Cpg", "value of Poling et al."),
    ):
        value = float(table.at[cas, column]) if cas in table.index else math.nan
        if math.isfinite(value) and value > 0.0:
            return value, name
    return None


def estimate(atoms: dict[str, int], molar_mass: float) -> Fit:
    """Heat capacity of a gas known by its formula only; molar_mass [kg/mol]."""
    T = np.geomspace(200.0, 1500.0, 50)
    similarity = sum(atoms.values()) / (molar_mass * 1000.0)  # mol/g
    cp = np.array([source_data.Lastovka_Shaw(t, similarity, MW=molar_mass * 1000.0) for t in T])
    return replace(fit(T, cp, ESTIMATE), estimated=True)
