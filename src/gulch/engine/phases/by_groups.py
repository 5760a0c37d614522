"""Models by groups: rows of groups, what counts as polar, and predictive SRK with attraction fitted to vapour pressures."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy

from gulch.engine import fluids as k
from gulch.engine.fluids.cubic import compressibility, residual_gibbs
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.phases.known_liquids import known_volumes
from gulch.engine.species.groups import groups_of, missing, tables

if TYPE_CHECKING:
    from gulch.engine.species.records import Species


SCHEMES = {k.UNIFAC: "unifac", k.DORTMUND: "modified-unifac", k.PREDICTIVE_SRK: "predictive-srk"}

WATER = "7732-18-5"
GAS = 320.0  # K; what is critical below it dissolves in liquids by Henry's law

ALIKE, POLAR = 0.3, 0.05  # activities at which a further phase is looked for, of molecules alike and of polar ones beside others


def active(species: tuple) -> float:
    """Activity from which a species may be the heart of a further phase: low where a polar one can make a second liquid."""
    return POLAR if any(is_polar(s) for s in species) else ALIKE


def is_polar(species: Species) -> bool:
    """Whether a species counts as polar: oxygen, nitrogen or fluorine beside hydrogen, as in water, alcohols, acids, esters."""
    return "H" in species.atoms and bool({"O", "N", "F"} & set(species.atoms))


def group_rows(species: tuple, scheme: str, par: np.ndarray) -> np.ndarray:
    """Rows of groups as `Mixture` wants them; puts the sums of R and Q, and what hangs on them, into par, shape (n, N_COLUMNS)."""
    counts = [groups_of(s, scheme) for s in species]
    book = tables(scheme)
    ids = sorted({i for found in counts for i in found})
    n, g = len(species), len(ids)
    rows = np.zeros((n + 1 + 3 * g, g))
    for i, found in enumerate(counts):
        for group, often in found.items():
            rows[i, ids.index(group)] = often
            par[i, k.GROUP_R] += often * book.shapes[group][0]
            par[i, k.GROUP_Q] += often * book.shapes[group][1]
        if found:
            par[i, k.GROUP_SIZE] = par[i, k.GROUP_R] ** (0.75 if scheme == SCHEMES[k.DORTMUND] else 1.0)
            par[i, k.LN_SIZE] = math.log(par[i, k.GROUP_SIZE])
            par[i, k.LN_SHAPE] = math.log(par[i, k.GROUP_R] / par[i, k.GROUP_Q])
    for a, first in enumerate(ids):
        rows[n, a] = book.shapes[first][1]
        for b, second in enumerate(ids):
            acts = book.acts.get((book.shapes[first][2], book.shapes[second][2]), (0.0, 0.0, 0.0))
            if book.shapes[first][2] != book.shapes[second][2]:
                rows[n + 1 + a, b], rows[n + 1 + g + a, b], rows[n + 1 + 2 * g + a, b] = acts
    return rows


def fitted_attraction(row: np.ndarray, low: float, high: float, ln_p: np.ndarray) -> tuple:
    """Constants (c1, c2, c3) of the attraction with which SRK gives vapour pressures ln_p [ln Pa] at equal steps from low to high [K].

    row: the species' own, shape (N_COLUMNS,). Mathias & Copeman, Fluid Phase Equilib. 13 (1983) 91.
    """
    T = np.linspace(low, high, ln_p.size)
    roots = []
    for t, p in zip(T, np.exp(ln_p), strict=True):

        def apart(root: float, t: Any = t, p: Any = p) -> float:
            A, B = row[k.AC] * root**2 * p / (k.R * t) ** 2, row[k.B_] * p / (k.R * t)
            vapour, liquid = compressibility(A, B, 1.0, 0.0, k.VAPOUR), compressibility(A, B, 1.0, 0.0, k.LIQUID)
            if vapour == liquid:  # one root: says on which side the answer lies
                return -1.0 if vapour > 0.3 else 1.0
            return residual_gibbs(vapour, A, B, 1.0, 0.0) - residual_gibbs(liquid, A, B, 1.0, 0.0)

        guess = 1.0 + row[k.M_] * (1.0 - math.sqrt(t / row[k.TC]))
        roots.append(scipy.optimize.brentq(apart, 0.8 * guess, 1.25 * guess, xtol=1e-13))
    u = 1.0 - np.sqrt(T / row[k.TC])
    found = np.linalg.lstsq(np.column_stack([u, u**2, u**3]), np.array(roots) - 1.0, rcond=None)[0]
    return tuple(found.tolist())


def predictive(species: tuple, par: np.ndarray, n_pair: int) -> Mixture:
    """Mixture of predictive SRK over species whose rows stand in par, shape (n, N_COLUMNS), which is changed; n_pair: layers of pairs."""
    for i, s in enumerate(species):
        fit = s.vapour_pressure
        if s.non_volatile or fit is None or fit.estimated or par[i, k.TC] < GAS:
            continue
        low, high = max(fit.low, 0.45 * par[i, k.TC]), min(fit.high, 0.97 * par[i, k.TC])
        T = np.linspace(low, high, 12)
        ln_p = np.column_stack([np.ones_like(T), 1.0 / T, np.log(T), T, T * T]) @ fit.coefficients
        try:
            par[i, [k.M_, k.M2_, k.M3_]] = fitted_attraction(par[i], low, high, ln_p)
        except ValueError:
            continue  # vapour pressures beside the equation: Soave's attraction stands
    for i, s in enumerate(species):
        if s.has_critical:
            known_volumes(par[i], s, k.PREDICTIVE_SRK)
    rows = group_rows(species, "predictive-srk", par)
    return Mixture(k.PREDICTIVE_SRK, k.IDEAL, active(species), par, np.zeros((n_pair, len(species), len(species))), rows)


def known_by_groups(species: tuple, scheme: str) -> bool:
    """Whether a scheme has the groups of all of some species, and what they do to one another."""
    found = [groups_of(s, scheme) for s in species]
    return all(found) and not missing([g for groups in found for g in groups], scheme)
