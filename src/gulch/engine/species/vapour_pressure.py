"""Vapour pressures, refitted to ln P = a + b/T + c ln T + d T + e T^2 (P in Pa, T in K)."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from chemicals import vapor_pressure as source_data
from chemicals.vapor_pressure import Ambrose_Walton, Antoine, Wagner, Wagner_original

from gulch.engine.species.kept import kept
from gulch.engine.species.records import Fit

ESTIMATE = "estimate of Ambrose & Walton (1989) from critical constants"


@lru_cache(maxsize=1)
def _load() -> None:
    source_data.load_vapor_pressure_dfs()


def table(cas: str, tc: float, pc: float, omega: float) -> tuple:
    """(T [K], P [Pa], source) of the best source of a species; an estimate where there is none."""
    _load()
    top = 0.995 * tc
    if cas in source_data.Psat_data_WagnerMcGarry.index:
        r = source_data.Psat_data_WagnerMcGarry.loc[cas]
        T = np.linspace(max(r.Tmin, 0.35 * r.Tc), 0.998 * r.Tc, 50)
        return T, [Wagner_original(t, r.Tc, r.Pc, r.A, r.B, r.C, r.D) for t in T], "McGarry (1983), Wagner form"
    if cas in source_data.Psat_data_WagnerPoling.index:
        r = source_data.Psat_data_WagnerPoling.loc[cas]
        T = np.linspace(max(r.Tmin, 0.35 * r.Tc), 0.998 * r.Tc, 50)
        return T, [Wagner(t, r.Tc, r.Pc, r.A, r.B, r.C, r.D) for t in T], "Poling et al. (2001), Wagner form"
    if cas in source_data.Psat_data_Perrys2_8.index:
        r = source_data.Psat_data_Perrys2_8.loc[cas]
        T = np.linspace(max(r.Tmin, 0.35 * tc), min(r.Tmax, top), 50)
        P = [math.exp(r.C1 + r.C2 / t + r.C3 * math.log(t) + r.C4 * t**r.C5) for t in T]
        return T, P, "Perry's Handbook, 8th ed., table 2-8"
    if cas in source_data.Psat_data_AntoinePoling.index:
        r = source_data.Psat_data_AntoinePoling.loc[cas]
        T = np.linspace(r.Tmin, min(r.Tmax, top), 30)
        return T, [Antoine(t, r.A, r.B, r.C) for t in T], "Poling et al. (2001), Antoine form"
    T = np.linspace(0.45 * tc, top, 50)
    return T, [Ambrose_Walton(t, tc, pc, omega) for t in T], ESTIMATE


@kept
def vapour_pressure(cas: str, tc: float, pc: float, omega: float) -> Fit:
    """Refitted vapour pressure: a Fit whose coefficients are a, b, c, d, e."""
    T, P, source = table(cas, tc, pc, omega)
    T, P = np.asarray(T, float), np.asarray(P, float)
    if not (np.isfinite(P).all() and (P > 0.0).all() and T[-1] > T[0]):  # a source without a usable range
        T, P, source = (np.asarray(v, float) if i < 2 else v for i, v in enumerate(table("", tc, pc, omega)))
    ln_p = np.log(P)
    rows = np.column_stack([np.ones_like(T), 1.0 / T, np.log(T), T, T * T])
    scale = np.abs(rows).max(axis=0)
    coefficients = np.linalg.lstsq(rows / scale, ln_p, rcond=None)[0] / scale
    worst = float(np.max(np.abs(np.expm1(rows @ coefficients - ln_p))))
    return Fit(coefficients, float(T[0]), float(T[-1]), worst, source)


def through_points(T: np.ndarray, P: np.ndarray, source: str) -> Fit:
    """A Fit through typed points, T [K] and P [Pa] of shape (n,): ln P = a + b/T, with c ln T from three points on."""
    ln_p = np.log(P)
    rows = np.column_stack([np.ones_like(T), 1.0 / T, np.log(T)])[:, : 2 if len(T) == 2 else 3]
    found = np.linalg.lstsq(rows, ln_p, rcond=None)[0]
    worst = float(np.max(np.abs(np.expm1(rows @ found - ln_p))))
    coefficients = np.zeros(5)
    coefficients[: found.size] = found
    return Fit(coefficients, float(T[0]), float(T[-1]), worst, source)
