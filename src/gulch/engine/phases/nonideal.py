"""Activity models: what of them hangs on pairs, on gases that dissolve, and on vapours that pair.

Notation: T [K], P [Pa]; species: Species records in the order of the project; par: a row for each, shape (n, N_COLUMNS).
"""

from __future__ import annotations

import math
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine import fluids as k
from gulch.engine.fluids.ideal_gas import ln_psat
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.phases.by_groups import ALIKE, GAS, SCHEMES, WATER, active, group_rows, is_polar, known_by_groups
from gulch.engine.phases.pairs import DISSOLVED, LIQUIDS, Source, asked
from gulch.engine.phases.pairs.dissolved import lacking
from gulch.engine.phases.pairs.liquids import NONRANDOM, TYPED
from gulch.engine.phases.pairs.source import Dissolving, Liquids
from gulch.engine.phases.weak import mark

if TYPE_CHECKING:
    from collections.abc import Mapping

PARTS = 12.0  # ln of the activity coefficient at infinite dilution of water where it is taken apart: 6e-6 of it in the other liquid
# ln(K bar) = A + B/T of the dimers of vapours, A and B: Gmehling & Onken, Vapor-Liquid Equilibrium Data Collection, part 1
DIMERS = {"64-18-6": (-18.117, 7099.0), "64-19-7": (-17.374, 7290.0), "79-09-4": (-18.347, 7635.0)}
HANDBOOK = "immiscible liquids: any handbook's steam distillation"
APART = Source("apart", HANDBOOK, lambda pair: None, measured=True)
MIXED = Source("ideal", "Raoult's law", lambda pair: None, measured=True)
KEPT_APART = Source("apart, though it mixes with water", HANDBOOK, lambda pair: None, unknown=True, measured=True)


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
        if origin is TYPED:
            mixes = water in (i, j) and is_polar(species[i]) and is_polar(species[j])
            origins[i, j] = KEPT_APART if mixes else APART if water in (i, j) else MIXED
    return mix, origins


def unknown_pairs(kind: int, species: tuple, par: np.ndarray, origin: Mapping[tuple, Source]) -> list:
    """[(i, j)] of species of which a model by groups knows nothing, so that they mix ideally; par: shape (n, N_COLUMNS)."""
    out = []
    for j, i in combinations(range(len(species)), 2):
        gases = par[i, k.DISSOLVED] + par[j, k.DISSOLVED]
        source = origin.get((j, i)) or origin.get((i, j))
        mended = source in DISSOLVED and gases == 0.0
        if (par[i, k.IONIC] > 0.0 and par[j, k.IONIC] > 0.0) or gases == 2.0:
            known = True
        elif source is not None and (source.unknown or source.measured or mended):
            known = not source.unknown
        elif species[i].non_volatile or species[j].non_volatile:
            known = par[i, k.IONIC] + par[j, k.IONIC] == 0.0  # what salts do to other solutes is not known
        else:
            known = known_by_groups((species[i], species[j]), "predictive-srk" if gases else SCHEMES.get(kind, "unifac"))
        if not known:
            out.append((j, i))
    return sorted(out, key=lambda pair: (pair[1], pair[0]))


def activity(kind: int, vapour: int, species: tuple, par: np.ndarray, typed: dict) -> tuple:
    """(Mixture, {(i, j): Source of the pair's parameters}) of an activity model; par is changed.

    typed: {(i, j): (a, b [K])} of NRTL or Wilson, both ways round, and {(i, j, "alpha"): value}.
    """
    n = len(species)
    pairs = np.zeros((k.N_PAIR, n, n))
    pairs[k.PAIR_ALPHA] = NONRANDOM
    rows = group_rows(species, SCHEMES.get(kind, "unifac"), par)
    for i, s in enumerate(species):
        if not s.non_volatile and par[i, k.TC] < GAS:
            par[i, k.DISSOLVED] = 1.0
        elif vapour == k.IDEAL and s.cas in DIMERS:
            par[i, k.DIMER_A], par[i, k.DIMER_B] = DIMERS[s.cas]
    if kind == k.ELECTROLYTES:
        mark(species, par)
    origin = _dissolving(species, par, pairs)
    if kind >= k.NRTL:
        by_groups = Mixture(k.UNIFAC, k.IDEAL, ALIKE, par, pairs, rows)
        origin |= _liquids("wilson" if kind == k.WILSON else "nrtl", species, by_groups, typed)
        rows = np.zeros((n + 1, 0))
    mix = Mixture(kind, vapour, active(species), par, pairs, rows)
    molecules = mix._replace(kind=k.NRTL) if kind == k.ELECTROLYTES else mix  # what gases lack, they lack as molecules
    return mix, origin | _mended(species, molecules, origin)


def boils_cold(par: np.ndarray, i: int) -> bool:
    """Whether a species is a gas at 25 degC and 1 atm."""
    return bool(ln_psat(298.15, par, i)[0] > math.log(101325.0))


def _mended(species: tuple, mix: Mixture, origin: Mapping[tuple, Source]) -> dict[tuple, Source]:
    """{(gas, solvent): Source} of Henry's constants by which ln gamma of a gas that is no dissolved one is mended, in pairs of mix.

    In water by published courses; elsewhere by predictive SRK where the model's own groups know nothing of the pair.
    """
    found, scheme = {}, SCHEMES.get(mix.kind, "unifac")
    liquids = [i for i, s in enumerate(species) if not s.non_volatile and mix.par[i, k.DISSOLVED] == 0.0 and s.vapour_pressure is not None]
    gases = [i for i in liquids if species[i].has_critical and species[i].cas and boils_cold(mix.par, i)]
    for i, j in ((i, j) for i in gases for j in liquids if i != j and species[j].has_critical and j not in gases):
        known = origin.get((min(i, j), max(i, j)))
        if known is not None and known.measured:
            continue
        if species[j].cas != WATER and known_by_groups((species[i], species[j]), scheme):
            continue
        course, source = asked(DISSOLVED, Dissolving("dissolved", species[i], species[j], (i, j), row=mix.par[[i]]))
        if not source.measured and not known_by_groups((species[i], species[j]), "predictive-srk"):
            continue
        lacks = None if source.unknown else lacking(species[i], species[j], only_two(mix, i, j), course)
        if lacks is not None:
            mix.pairs[k.HENRY : k.HENRY_HIGH + 1, i, j], found[min(i, j), max(i, j)] = lacks, source
            if not known_by_groups((species[i], species[j]), scheme):  # ideal until now: the two-suffix equation, alike both ways
                mix.pairs[k.HENRY : k.HENRY_HIGH + 1, j, i] = lacks
    return found


def only_two(mix: Mixture, i: int, j: int) -> Mixture:
    """The Mixture of two species of one, as it is before its ln gamma is mended."""
    at, n = np.array([i, j]), mix.par.shape[0]
    pairs = mix.pairs[:, at][:, :, at].copy()
    pairs[k.HENRY : k.HENRY_HIGH + 1] = 0.0
    return mix._replace(par=mix.par[at], pairs=pairs, groups=np.vstack([mix.groups[at], mix.groups[n:]]))


def _dissolving(species: tuple, par: np.ndarray, pairs: np.ndarray) -> dict[tuple, Source]:
    """{(gas, solvent): Source} of Henry's constants, which are put into pairs."""
    origin = {}
    for i, gas in enumerate(species):
        for j, solvent in enumerate(species):
            if par[i, k.DISSOLVED] and par[i, k.IONIC] != k.IONS and not par[j, k.DISSOLVED] and not solvent.non_volatile:
                pair = Dissolving("dissolved", gas, solvent, (i, j), row=par[[i]])
                pairs[k.HENRY : k.HENRY_HIGH + 1, i, j], origin[i, j] = asked(DISSOLVED, pair)
    return origin


def _liquids(name: str, species: tuple, mix: Mixture, typed: dict) -> dict[tuple, Source]:
    """{(i, j): Source} of the parameters of NRTL or Wilson, which are put into the pairs of mix."""
    origin, pairs = {}, mix.pairs
    for i, j in combinations(range(len(species)), 2):
        if mix.par[[i, j], k.DISSOLVED].any() or species[i].non_volatile or species[j].non_volatile:
            continue
        found, origin[i, j] = asked(LIQUIDS, Liquids(name, species[i], species[j], (i, j), typed, by_groups=mix))
        pairs[k.PAIR_A, i, j], pairs[k.PAIR_B, i, j], pairs[k.PAIR_A, j, i], pairs[k.PAIR_B, j, i], alpha = found
        pairs[k.PAIR_ALPHA, i, j] = pairs[k.PAIR_ALPHA, j, i] = alpha
    return origin
