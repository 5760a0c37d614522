"""What models beyond the plain cubic equations are told: groups and their tables, attraction fitted to vapour pressures, pairs, Henry.

Notation: T [K], P [Pa]; species: Species records in the order of the project; par: a row for each, shape (n, N_COLUMNS).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.phases import kernels as k
from gulch.engine.phases.dissolved import HIGH, LOW, SOURCES, in_water
from gulch.engine.phases.kernels.cubic import compressibility, residual_gibbs
from gulch.engine.phases.kernels.fluid import Mixture
from gulch.engine.phases.kernels.ideal_gas import ln_psat
from gulch.engine.phases.known_liquids import known_volumes
from gulch.engine.phases.parameters import parameters
from gulch.engine.species.groups import groups_of, missing, tables

if TYPE_CHECKING:
    from gulch.engine.species.records import Species

SCHEMES = {k.UNIFAC: "unifac", k.DORTMUND: "modified-unifac", k.PREDICTIVE_SRK: "predictive-srk"}
GAS = 320.0  # K; what is critical below it dissolves in liquids by Henry's law
ALIKE, POLAR = 0.3, 0.05  # activities at which a further phase is looked for, of molecules alike and of polar ones beside others
FILLED_AT = (298.15, 333.15, 373.15)  # temperatures at which parameters of pairs are taken over from UNIFAC
WATER = "7732-18-5"
NONRANDOM = 0.3  # alpha of NRTL where none is typed (Renon & Prausnitz, 1968: 0.2 to 0.47)
PARTS = 12.0  # ln of the activity coefficient at infinite dilution of water where it is taken apart: 6e-6 of it in the other liquid
LEAST_LN_H = math.log(1e3)  # of H in Pa: a gas held more firmly reacts with the solvent, which a constant does not tell
NO_HENRY = "taken as ideal: predictive SRK tells no solubility"
KEPT_APART = "apart, though it mixes with water"
# ln(K bar) = A + B/T of the dimers of vapours, A and B: Gmehling & Onken, Vapor-Liquid Equilibrium Data Collection, part 1 (from memory).
DIMERS = {"64-18-6": (-18.117, 7099.0), "64-19-7": (-17.374, 7290.0), "79-09-4": (-18.347, 7635.0)}


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

        def apart(root, t=t, p=p):
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


def dissolving(gas: Species, solvent: Species, row: np.ndarray) -> tuple:
    """((a, b, c, low, high), origin) of ln(H/Pa) = a + b/T + c ln T of a gas in a solvent from low to high [K].

    Measured where that is known, else by predictive SRK; where neither says anything that can be, the gas's vapour pressure, as if the
    two mixed ideally. row: the gas's, shape (1, N_COLUMNS).
    """
    found = in_water(gas.cas) if solvent.cas == WATER else None
    if found:
        return (*found, LOW, HIGH), f"Henry's constant: {SOURCES[gas.cas]}"
    course = henry(gas, solvent)
    if course:
        return course, "Henry's constant by predictive SRK"
    T = np.linspace(LOW, HIGH, 30)
    return (*_course(T, [ln_psat(t, row, 0)[0] for t in T]), LOW, HIGH), NO_HENRY


def _course(T, ln_h):
    """(a, b, c) of ln H = a + b/T + c ln T through values, both of shape (m,)."""
    rows = np.column_stack([np.ones_like(T), 1.0 / T, np.log(T)])
    return np.linalg.lstsq(rows, np.array(ln_h), rcond=None)[0].tolist()


def henry(gas: Species, solvent: Species) -> tuple | None:
    """(a, b, c, low, high) of ln(H/Pa) = a + b/T + c ln T of a gas in a solvent between temperatures [K], from predictive SRK.

    At the solvent's vapour pressure: Holderbaum & Gmehling, Fluid Phase Equilib. 70 (1991) 251. Where groups are missing their part of
    the mixing rule is ideal. None where a gas is held more firmly than one that only dissolves can be.
    """
    two = (gas, solvent)
    par = np.array([parameters(s, k.PREDICTIVE_SRK) for s in two])
    mix = predictive(two, par, k.N_PAIR)
    top = min(0.85 * par[1, k.TC], 450.0)
    T = np.linspace(min(max(0.45 * par[1, k.TC], 260.0), top - 20.0), top, 8)
    fit = solvent.vapour_pressure
    ln_p = np.column_stack([np.ones_like(T), 1.0 / T, np.log(T), T, T * T]) @ fit.coefficients
    x = np.array([1e-8, 1.0 - 1e-8])
    values = [k.ln_phi_phase(t, p, x, k.LIQUID, *mix)[0] + math.log(p) for t, p in zip(T, np.exp(ln_p), strict=True)]
    if not np.isfinite(values).all() or min(values) < LEAST_LN_H:
        return None
    return *_course(T, values), float(T[0]), float(T[-1])


def water_apart(vapour: int, species: tuple, water: int | None, par: np.ndarray) -> tuple:
    """(Mixture, origins) of liquids that are ideal but for water, which parts from all of them; as `activity` gives them.

    NRTL without non-randomness is the two-suffix Margules equation: ln gamma of water in the others is PARTS (1 - x)^2, and
    theirs in water PARTS x^2, so that each liquid is pure to some 1e-5 (immiscible liquids: any handbook's steam distillation).
    """
    n = len(species)
    typed: dict = {}
    for i in range(n):
        for j in range(i + 1, n):
            half = 0.5 * PARTS if water in (i, j) else 0.0
            typed[i, j] = typed[j, i] = (half, 0.0)
            typed[i, j, "alpha"] = 0.0
    mix, origins = activity(k.NRTL, vapour, species, par, typed)
    for (i, j), origin in origins.items():
        if origin == "typed":
            mixes = water in (i, j) and is_polar(species[i]) and is_polar(species[j])
            origins[i, j] = KEPT_APART if mixes else "apart" if water in (i, j) else "ideal"
    return mix, origins


def unknown_pairs(kind: int, species: tuple, par: np.ndarray, origin: dict) -> list:
    """[(i, j)] of species of which a model by groups knows nothing, so that they mix ideally; par: shape (n, N_COLUMNS)."""
    out = []
    for i, a in enumerate(species):
        for j, b in enumerate(species[:i]):
            gases = par[i, k.DISSOLVED] + par[j, k.DISSOLVED]
            said = origin.get((j, i)) or origin.get((i, j))
            if said == KEPT_APART:
                out.append((j, i))
            if said is not None and said.startswith("Henry's constant: "):
                continue
            if said == NO_HENRY:
                out.append((j, i))
            if a.non_volatile or b.non_volatile or gases == 2.0 or said in ("typed", "apart", "ideal", KEPT_APART):
                continue
            scheme = "predictive-srk" if gases else SCHEMES.get(kind, "unifac")
            found = groups_of(a, scheme), groups_of(b, scheme)
            if not all(found) or missing([*found[0], *found[1]], scheme):
                out.append((j, i))
    return out


def like_groups(kind: int, i: int, j: int, mix: Mixture) -> tuple:
    """(b_ij, b_ji) [K] of NRTL or Wilson with which a pair mixes as UNIFAC says, at FILLED_AT in the mean.

    mix: a UNIFAC Mixture of all species. Least squares of ln gamma over the composition range.
    """
    at = np.array([i, j])
    n = mix.par.shape[0]
    two = Mixture(k.UNIFAC, k.IDEAL, mix.active, mix.par[at], np.zeros((k.N_PAIR, 2, 2)), np.vstack([mix.groups[at], mix.groups[n:]]))
    if not (two.par[:, k.GROUP_Q] > 0.0).all():
        return 0.0, 0.0
    x = [np.array([a, 1.0 - a]) for a in (0.02, 0.1, 0.25, 0.5, 0.75, 0.9, 0.98)]
    wanted = np.array([ln_gamma(two, t, z) for t in FILLED_AT for z in x])

    def apart(b):
        pairs = np.zeros((k.N_PAIR, 2, 2))
        pairs[k.PAIR_B, 0, 1], pairs[k.PAIR_B, 1, 0] = b
        pairs[k.PAIR_ALPHA] = NONRANDOM
        own = Mixture(kind, k.IDEAL, mix.active, two.par, pairs, np.zeros((3, 0)))
        return (np.array([ln_gamma(own, t, z) for t in FILLED_AT for z in x]) - wanted).ravel()

    starts = [(0.0, 0.0), (300.0, 300.0), (800.0, 100.0), (100.0, 800.0)]
    found = min((scipy.optimize.least_squares(apart, s, x_scale=300.0) for s in starts), key=lambda f: f.cost)
    return float(found.x[0]), float(found.x[1])


def ln_gamma(mix: Mixture, T: float, x: np.ndarray) -> np.ndarray:
    """ln activity coefficients of an activity model at T [K] and mole fractions x, shape (n,)."""
    n = x.size
    mixed = k.ln_phi_phase(T, 1e5, x, k.LIQUID, *mix)
    alone = [k.ln_phi_phase(T, 1e5, np.eye(n)[i], k.LIQUID, *mix)[i] for i in range(n)]
    return mixed - np.array(alone)


def activity(kind: int, vapour: int, species: tuple, par: np.ndarray, typed: dict) -> tuple:
    """(Mixture, {(i, j): origin of the pair's parameters}) of an activity model; par is changed.

    typed: {(i, j): (a, b [K])} of NRTL or Wilson, both ways round, and {(i, j, "alpha"): value}.
    """
    n = len(species)
    pairs = np.zeros((k.N_PAIR, n, n))
    pairs[k.PAIR_ALPHA] = NONRANDOM
    origin = {}
    rows = group_rows(species, SCHEMES.get(kind, "unifac"), par)
    for i, s in enumerate(species):
        if not s.non_volatile and par[i, k.TC] < GAS:
            par[i, k.DISSOLVED] = 1.0
        elif vapour == k.IDEAL and s.cas in DIMERS:
            par[i, k.DIMER_A], par[i, k.DIMER_B] = DIMERS[s.cas]
    for i, gas in enumerate(species):
        for j, solvent in enumerate(species):
            if par[i, k.DISSOLVED] and not par[j, k.DISSOLVED] and not solvent.non_volatile:
                pairs[k.HENRY : k.HENRY_HIGH + 1, i, j], origin[i, j] = dissolving(gas, solvent, par[[i]])
    if kind in (k.NRTL, k.WILSON):
        by_groups = Mixture(k.UNIFAC, k.IDEAL, ALIKE, par, pairs, rows)
        for i in range(n):
            for j in range(i + 1, n):
                if par[i, k.DISSOLVED] or par[j, k.DISSOLVED] or species[i].non_volatile or species[j].non_volatile:
                    continue
                if (i, j) in typed:
                    (pairs[k.PAIR_A, i, j], pairs[k.PAIR_B, i, j]) = typed[i, j]
                    (pairs[k.PAIR_A, j, i], pairs[k.PAIR_B, j, i]) = typed[j, i]
                    pairs[k.PAIR_ALPHA, i, j] = pairs[k.PAIR_ALPHA, j, i] = typed.get((i, j, "alpha"), NONRANDOM)
                    origin[i, j] = "typed"
                else:
                    pairs[k.PAIR_B, i, j], pairs[k.PAIR_B, j, i] = like_groups(kind, i, j, by_groups)
                    unknown = bool(unknown_pairs(kind, (species[i], species[j]), par[[i, j]], {}))
                    origin[i, j] = "taken as ideal: UNIFAC does not know it" if unknown else "filled from UNIFAC"
        rows = np.zeros((n + 1, 0))
    return Mixture(kind, vapour, active(species), par, pairs, rows), origin
