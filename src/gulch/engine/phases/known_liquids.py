"""Volumes and heats of known liquids: what a phase model's own pure liquids lack to them.

Equilibria are the model's; volumes, enthalpies and entropies of its liquids are moved to the published ones (`kernels.liquid`).

Notation: T [K], P [Pa]; row: numbers of one species, shape (N_COLUMNS,); code: of the model; tc, pc: critical constants [K], [Pa].
"""

from __future__ import annotations

import math
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine import fluids as k
from gulch.engine.fluids.cubic import compressibility, cubic_constants
from gulch.engine.fluids.ideal_gas import ideal_gas_cp, ln_psat, rackett_volume
from gulch.engine.fluids.liquid import lacked_heat
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.species.kept import kept_under
from gulch.engine.species.liquids import HIGHEST, T_LIQUID, heats, saturated_volumes

if TYPE_CHECKING:
    from gulch.engine.species.records import Species

LEAST = 1e3  # Pa at which the volume of a liquid is looked at
LIGHTEST = 3.0  # volume over b of what still is a liquid
POWERS = (0.0, 0.38, 1.0, 2.0, 3.0, 4.0)
BY_HEAT, BY_CAPACITY, BY_ANCHOR = 0.003, 0.01, 0.001  # relative errors that the courses are given in the fit
BY_VAPOUR = 0.15  # of what Peng-Robinson says a saturated vapour has beyond an ideal gas
BY_SLOPE, BY_ESTIMATE = 0.2, 0.25  # share by which a heat capacity is off what heats of vaporisation, and an estimate, say if it is odd
COLDEST = 0.45  # of the critical temperature, down to where a course through one heat is drawn
PRESSED = (1.1, 1.5, 3.0, 10.0)  # pressures over the vapour pressure at which a model's liquid is looked for


class KnownHeat(NamedTuple):
    """Heat of vaporisation to an ideal gas as a sum of POWERS of 1 - T/Tc [J/mol], between low and high [K].

    capacity_source: "" where the heats alone say it.
    """

    coefficients: np.ndarray
    tc: float
    low: float
    high: float
    source: str
    capacity_source: str
    paired: bool

    def at(self, T: np.ndarray) -> np.ndarray:
        """The heat [J/mol] at T [K], shape (m,)."""
        return _powers(T, self.tc) @ self.coefficients


def _powers(T: np.ndarray, tc: float) -> np.ndarray:
    u = 1.0 - np.asarray(T, float) / tc
    return np.column_stack([u**power for power in POWERS])


def _slopes(T: np.ndarray, tc: float) -> np.ndarray:
    u = 1.0 - np.asarray(T, float) / tc
    return np.column_stack([-power * u ** (power - 1.0) if power else 0.0 * u for power in POWERS]) / tc


def known_volumes(row: np.ndarray, species: Species, code: int) -> None:
    """Put what the volume of a model's liquid lacks into the row of a species whose attraction stands."""
    T, volume = course_of_volume(species, row[k.TC], row[k.PC])
    own = np.array([own_volume(row, code, t) for t in T])
    there = np.isfinite(own)  # else what was typed leaves the equation no liquid
    if not there.any():
        return
    T, apart = T[there], volume[there] - own[there]
    found = np.polynomial.Polynomial.fit(T * 1e-3, apart, min(k.N_VOLUME - 1, T.size - 1), domain=[]).coef
    row[k.VOLUME0 : k.VOLUME0 + found.size] = found
    row[k.VOLUME_LOW], row[k.VOLUME_HIGH] = T[0], T[-1]


def course_of_volume(species: Species, tc: float, pc: float) -> tuple:
    """(T [K], molar volumes [m3/mol] of the liquid there), both of shape (m,): the databank's, moved to a density typed at 25 degC."""
    course = saturated_volumes(species.cas, tc, pc) if species.cas else None
    points = np.array(course.points if course else np.empty((0, 2)))
    if not species.liquid_density or tc * HIGHEST <= T_LIQUID:
        return points[:, 0], points[:, 1]
    typed = species.molar_mass.value / species.liquid_density.value
    if not points.size:
        return np.array([T_LIQUID]), np.array([typed])
    return points[:, 0], points[:, 1] * typed / np.interp(T_LIQUID, points[:, 0], points[:, 1])


def own_volume(row: np.ndarray, code: int, T: float) -> float:
    """Molar volume [m3/mol] of the saturated liquid at T [K] as the model has it by itself; nan where it has none.

    A cubic equation's at the vapour pressure of Lee & Kesler (1975), which the volume of a liquid hardly hangs on.
    """
    if code == k.IDEAL or code >= k.UNIFAC:
        return float(rackett_volume(T, row[None, :], 0))
    tr, w = T / row[k.TC], row[k.OMEGA]
    ln_pr = 5.92714 - 6.09648 / tr - 1.28862 * np.log(tr) + 0.169347 * tr**6
    ln_pr += w * (15.2518 - 15.6875 / tr - 13.4721 * np.log(tr) + 0.43577 * tr**6)
    P = max(row[k.PC] * float(np.exp(min(ln_pr, 0.0))), LEAST)  # far below, roots of a cubic are lost
    d1, d2 = cubic_constants(k.PENG_ROBINSON if code == k.PENG_ROBINSON else k.SOAVE_REDLICH_KWONG)
    u = 1.0 - np.sqrt(tr)
    a = row[k.AC] * (1.0 + u * (row[k.M_] + u * (row[k.M2_] + u * row[k.M3_]))) ** 2
    A, B = a * P / (k.R * T) ** 2, row[k.B_] * P / (k.R * T)
    v = float(compressibility(A, B, d1, d2, k.LIQUID) * k.R * T / P)
    return v if v < LIGHTEST * row[k.B_] else math.nan


def known_density(species: Species | None) -> tuple | None:
    """(density [kg/m3] of the liquid at 25 degC, source) from the databank; None where it is no liquid there or unknown."""
    if species is None or not species.has_critical or not species.cas or species.non_volatile:
        return None
    tc, pc = (d.value for d in (species.critical_temperature, species.critical_pressure) if d is not None)
    course = saturated_volumes(species.cas, tc, pc)
    volume = course.at(T_LIQUID) if course else None
    return None if course is None or volume is None else (species.molar_mass.value / volume, course.source)


def courses_of(species: Species | None) -> tuple:
    """What `species.liquids.heats` knows of a species: (heat of vaporisation, heat capacity, anchor), None each where unknown."""
    if species is None or not species.has_critical or not species.cas or species.non_volatile:
        return None, None, None
    constants = (species.critical_temperature, species.critical_pressure, species.acentric_factor)
    tc, pc, omega = (d.value for d in constants if d is not None)
    tb = species.boiling_point.value if species.boiling_point else 0.7 * tc
    return heats(species.cas, tc, pc, omega, tb, species.molar_mass.value)


def known_heat(species: Species | None, row: np.ndarray) -> KnownHeat | None:
    """Heat of vaporisation of a species to an ideal gas from its courses; None where nothing is known. row: for Peng-Robinson.

    Least squares of heats of vaporisation, taken to the ideal gas by Peng-Robinson's saturated vapour, and of the slope that heat
    capacities give. Where molecules are paired in the vapour, the heat is that of formation data at 25 degC.
    """
    vaporised, capacity, anchor = courses_of(species)
    if vaporised is None and anchor is None:
        return None
    tc = row[k.TC]
    rows, values = [], []
    if anchor is not None:
        T = np.array([T_LIQUID])
        rows.append(_powers(T, tc) / (BY_ANCHOR * anchor))
        values.append(np.full(1, 1.0 / BY_ANCHOR))
    else:
        T, heat = np.array(vaporised.points).T
        beyond = np.array([vapour_residual(row, t) for t in T])
        unsure = BY_HEAT * heat + BY_VAPOUR * np.abs(beyond)
        heat = heat - beyond
        rows.append(_powers(T, tc) / unsure[:, None])
        values.append(heat / unsure)
    low, high = T[0], T[-1]
    if len(vaporised.points if vaporised else ()) < 2 or anchor is not None:  # one heat alone says little of its course
        T = np.linspace(COLDEST, HIGHEST, 7) * tc
        heat = (anchor or heat[0]) * ((1.0 - T / tc) / (1.0 - (T_LIQUID if anchor else low) / tc)) ** 0.38
        rows.append(_powers(T, tc) / (0.05 * heat[:, None]))
        values.append(np.full(T.size, 1.0 / 0.05))
        low, high = COLDEST * tc, T[-1]
    source = ""
    if capacity is not None:
        T, cp = np.array(capacity.points).T
        own = np.array([ideal_gas_cp(t, row[None, :], 0) for t in T])
        by_heats = own - _slopes(T, tc) @ np.linalg.lstsq(np.vstack(rows), np.concatenate(values), rcond=None)[0]
        odd = np.abs(cp / by_heats - 1.0) > BY_SLOPE
        if not (odd & (np.abs(cp / (own + estimated_rise(T / tc, row[k.OMEGA])) - 1.0) > BY_ESTIMATE)).any():
            rows.append(_slopes(T, tc) / (BY_CAPACITY * cp[:, None]))
            values.append((own - cp) / (BY_CAPACITY * cp))
            source = capacity.source
    found = np.linalg.lstsq(np.vstack(rows), np.concatenate(values), rcond=None)[0]
    said = "formation data, CRC Handbook" if anchor is not None else vaporised.source
    return KnownHeat(found, tc, float(low), float(high), said, source, anchor is not None)


def estimated_rise(tr: np.ndarray, omega: float) -> np.ndarray:
    """Heat capacity of a liquid above that of the ideal gas [J/(mol K)] at reduced temperatures tr, shape (m,).

    Bondi's corresponding states as given by Poling, Prausnitz & O'Connell, The Properties of Gases and Liquids, 5th ed., eq. 6-6.4.
    """
    u = 1.0 - tr
    return k.R * (1.586 + 0.49 / u + omega * (4.2775 + 6.3 * u ** (1.0 / 3.0) / tr + 0.4355 / u))


def vapour_residual(row: np.ndarray, T: float) -> float:
    """What the saturated vapour of a species has beyond an ideal gas [J/mol] at T [K] by Peng-Robinson; row: for that model."""
    P = math.exp(min(ln_psat(T, row[None, :], 0)[0], math.log(row[k.PC])))
    d1, d2 = cubic_constants(k.PENG_ROBINSON)
    root = math.sqrt(T / row[k.TC])
    q = 1.0 + row[k.M_] * (1.0 - root)
    a, slope, b = row[k.AC] * q * q, -row[k.AC] * q * row[k.M_] * root, row[k.B_]  # slope: T da/dT
    A, B = a * P / (k.R * T) ** 2, b * P / (k.R * T)
    Z = compressibility(A, B, d1, d2, k.VAPOUR)
    return k.R * T * (Z - 1.0) + (slope - a) * math.log((Z + d1 * B) / (Z + d2 * B)) / (b * (d1 - d2))


def alone(row: np.ndarray, code: int) -> Mixture:
    """The Mixture of one species under a model without groups."""
    return Mixture(code, k.IDEAL, 0.3, row[None, :], np.zeros((k.N_PAIR, 1, 1)), np.zeros((2, 0)))


def _own_heat(mix: Mixture, T: float) -> float:
    """Enthalpy beyond the ideal gas [J/mol] of the pure liquid of one species as its model has it by itself."""
    if mix.kind == k.IDEAL or mix.kind >= k.UNIFAC:
        return 0.0  # without an equation of state the known heat is all there is
    row = mix.par[0]
    h_ig = k.phase_properties(T, k.P0, np.ones(1), k.VAPOUR, *alone(row, k.IDEAL))[0]
    boils = math.exp(min(ln_psat(T, mix.par, 0)[0], 25.0))
    for above in PRESSED:
        h, _, v = k.phase_properties(T, max(above * boils, LEAST), np.ones(1), k.LIQUID, *mix)
        if v < LIGHTEST * row[k.B_]:
            return h - h_ig
    return math.nan


def with_known_heat(mix: Mixture, species: Species, row: np.ndarray) -> np.ndarray:
    """The row of mix, which is of one species, with what the heat of its liquid lacks where that is known, shape (N_COLUMNS,).

    row: of the species for Peng-Robinson. What databank species lack is kept on disk, because much is computed for it.
    """

    def found() -> np.ndarray | None:
        heat = known_heat(species, row)
        return None if heat is None else lacked_heats(mix, heat)[k.HEAT_LOW : k.DILUTED].copy()

    if not species.cas:
        lacked = found()
    else:
        said = (_code(), mix.kind, mix.vapour, mix.par.tobytes(), mix.groups.tobytes(), row.tobytes(), repr(species))
        lacked = kept_under(species.cas, f"heat {sha256(repr(said).encode()).hexdigest()[:20]}", found)
    if lacked is not None:
        mix.par[0, k.HEAT_LOW : k.DILUTED] = lacked
    return mix.par[0]


@cache
def _code() -> str:
    """A hash of the code that `with_known_heat` hangs on."""
    here = Path(__file__).parent
    files = sorted([*here.glob("**/*.py"), *(here.parent / "fluids").glob("*.py")])
    return sha256(b"\0".join(file.read_bytes() for file in files)).hexdigest()


def lacked_heats(mix: Mixture, heat: KnownHeat) -> np.ndarray:
    """The row of mix, which is of one species, with what enthalpy and entropy of its model's pure liquid lack, shape (N_COLUMNS,).

    Entropy follows by ds = dh/T from where it boils at 1 atm: there both phases keep the Gibbs energy that the model gives them.
    """
    row = mix.par[0]
    grid = np.linspace(heat.low, min(heat.high, HIGHEST * row[k.TC]), k.N_NODE)
    found = np.array([(T, _own_heat(mix, T)) for T in grid])
    found = found[np.isfinite(found[:, 1])]
    if found.shape[0] < k.N_NODE // 2:
        return row  # what was typed leaves the equation no liquid
    grid = np.linspace(found[0, 0], found[-1, 0], k.N_NODE)
    course = scipy.interpolate.CubicSpline(found[:, 0], -heat.at(found[:, 0]) - found[:, 1])
    slope = course.derivative()
    places, weights = np.polynomial.legendre.leggauss(6)
    step = grid[1] - grid[0]
    inside = grid[:-1, None] + 0.5 * step * (1.0 + places)
    entropy = np.concatenate([[0.0], np.cumsum(0.5 * step * (slope(inside) / inside) @ weights)])
    row[k.HEAT_LOW], row[k.HEAT_STEP] = grid[0], step
    row[k.HEAT0 : k.HEAT0 + k.N_NODE] = course(grid)
    row[k.SLOPE0 : k.SLOPE0 + k.N_NODE] = slope(grid)
    row[k.ENTROPY0 : k.ENTROPY0 + k.N_NODE] = entropy
    boils = _boils(mix.par, grid[0], grid[-1])
    h, s = lacked_heat(boils, mix.par, 0)
    beyond = 0.0  # its Gibbs energy beyond the ideal gas at P0
    if mix.kind == k.IDEAL or mix.kind >= k.UNIFAC:
        beyond = k.R * boils * k.ln_phi_phase(boils, k.P0, np.ones(1), k.LIQUID, *mix)[0]
    row[k.ENTROPY0 : k.ENTROPY0 + k.N_NODE] += (h - beyond) / boils - s
    return row


def _boils(par: np.ndarray, low: float, high: float) -> float:
    """Temperature [K] between two at which the vapour pressure is 1 atm, or the nearer of them."""
    for _ in range(60):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if ln_psat(middle, par, 0)[0] > math.log(101325.0) else (middle, high)
    return 0.5 * (low + high)
