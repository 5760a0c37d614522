"""k_ij of Peng–Robinson and SRK from structural groups, over temperature.

E-PPR78: Jaubert & Mutelet, Fluid Phase Equilib. 224 (2004) 285, and the papers that followed it, as `thermo` carries their table; for SRK
the same groups with one factor: Jaubert & Privat, Fluid Phase Equilib. 295 (2010) 26.

Notation: T [K]; groups: {group of the table: how many}.
"""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine import fluids as k
from gulch.engine.fluids.cubic import COURSE, FIRST, LAST, RESTS
from gulch.engine.phases.by_groups import WATER
from gulch.engine.phases.parameters import parameters
from gulch.engine.species.groups import groups_of, tables
from gulch.engine.species.kept import kept

if TYPE_CHECKING:
    from gulch.engine.phases.pairs.source import Pair
    from gulch.engine.species.records import Species

FOR_SRK = 0.807341  # interactions of groups under SRK over those under Peng-Robinson
LOW, HIGH = FIRST, LAST
MOST, MOVES, MISFIT = 0.9, 0.35, 0.06  # of k_ij, of its change over temperature, of how well a course of two constants follows it
FARTHEST = 0.6  # from its value at 25 degC where a course comes to rest

# Molecules that are groups of their own.
MOLECULES = {
    "74-82-8": "CH4",
    "74-84-0": "C2H6",
    "124-38-9": "CO2",
    "7727-37-9": "N2",
    "7783-06-4": "H2S",
    "74-85-1": "C2H4",
    "1333-74-0": "H2",
    "630-08-0": "CO",
    "7440-59-7": "He",
    "7440-37-1": "Ar",
    "7446-09-5": "SO2",
    "7782-44-7": "O2",
    "10102-43-9": "NO",
    "463-58-1": "COS",
    "10024-97-2": "N2O",
    "74-86-2": "C2H2",
}
# What a group of modified UNIFAC is made of here.
PARTS = {
    "CH3": ("CH3",),
    "CH2": ("CH2",),
    "CH": ("CH",),
    "C": ("C",),
    "ACH": ("CHaro",),
    "AC": ("Caro",),
    "ACCH3": ("Caro", "CH3"),
    "ACCH2": ("Caro", "CH2"),
    "ACCH": ("Caro", "CH"),
    "CY-CH2": ("CH2cyclic",),
    "CY-CH": ("CHcyclic",),
    "CY-C": ("CHcyclic",),
    "CH2=CH": ("CH2CHalkenic", "CH2CHalkenic"),
    "CH=CH": ("CH2CHalkenic", "CH2CHalkenic"),
    "CH2=C": ("CH2CHalkenic", "Calkenic"),
    "CH=C": ("CH2CHalkenic", "Calkenic"),
    "C=C": ("Calkenic", "Calkenic"),
}
IN_RINGS = {"CH=CH": ("CHCcycloalkenic",) * 2, "CH=C": ("CHCcycloalkenic",) * 2}


@lru_cache(maxsize=1)
def interactions() -> dict[tuple[str, str], tuple[float, float]]:
    """{(group, group): (A, B) [MPa]} of the table, both ways round."""
    return dict(_plain_interactions())


@kept
def _plain_interactions() -> tuple:
    from thermo.group_contribution import ppr78 as source  # slow to load, and needed once per machine

    return tuple((pair, tuple(map(float, ab))) for pair, ab in source.EPPR78_INTERACTIONS_BY_STR.items())


def kij_groups(species: Species) -> dict[str, int]:
    """A species' groups; {} of one that the table does not have."""
    if species.cas in MOLECULES:
        return {MOLECULES[species.cas]: 1}
    names = {tables("modified-unifac").shapes[g][3]: often for g, often in groups_of(species, "modified-unifac").items()}
    if not names or not names.keys() <= PARTS.keys():
        return {}
    ring = any(name.startswith("CY-") for name in names)
    aromatic = sum(often for name, often in names.items() if name.startswith("AC"))
    out: dict[str, int] = {}
    for name, often in names.items():
        parts = IN_RINGS[name] if ring and name in IN_RINGS else PARTS[name]
        if name == "AC" and aromatic % 6:  # shared by two rings, not between two
            parts = ("Cfused_aromatic",)
        for part in parts:
            out[part] = out.get(part, 0) + often
    return out


def kij_at(T: float, groups: tuple[dict[str, int], dict[str, int]], rows: np.ndarray, factor: float = 1.0) -> float | None:
    """k_ij at T of two species; rows: their own, shape (2, N_COLUMNS); None where the table lacks an interaction.

    Eq. 4 of Jaubert & Mutelet (2004).
    """
    shares = [{name: often / sum(found.values()) for name, often in found.items()} for found in groups]
    apart = {name: shares[0].get(name, 0.0) - shares[1].get(name, 0.0) for name in {**groups[0], **groups[1]}}
    energy = 0.0
    for one, a in apart.items():
        for other, b in apart.items():
            if one == other:
                continue
            A, B = interactions().get((one, other), (0.0, 0.0))
            if A == 0.0:
                return None
            energy -= 0.5e6 * factor * a * b * A * (298.15 / T) ** (B / A - 1.0)
    root = np.sqrt(rows[:, k.AC]) * (1.0 + rows[:, k.M_] * (1.0 - np.sqrt(T / rows[:, k.TC]))) / rows[:, k.B_]
    return float((energy - (root[0] - root[1]) ** 2) / (2.0 * root[0] * root[1]))


def kij_course(pair: Pair) -> tuple[float, float, float] | None:
    """(k_ij at 25 degC, b, c) of its course as `kernels.constants.KIJ` says it, of a pair without water; None where groups are missing."""
    groups = (kij_groups(pair.first), kij_groups(pair.second))
    if WATER in pair.cas or not all(groups):
        return None
    code = k.PENG_ROBINSON if pair.kind == "peng-robinson" else k.SOAVE_REDLICH_KWONG
    rows = np.array([parameters(s, code) for s in (pair.first, pair.second)])
    factor = 1.0 if code == k.PENG_ROBINSON else FOR_SRK
    at_25 = kij_at(298.15, groups, rows, factor)
    if at_25 is None or abs(at_25) > MOST:
        return None
    T = np.linspace(LOW, HIGH, 23)
    with np.errstate(over="ignore", invalid="ignore"):  # far from the data behind it an interaction may run away
        values = np.array([kij_at(t, groups, rows, factor) for t in T], float)
    near = np.abs(values - at_25) < MOVES
    s, s25 = COURSE / (COURSE + T[near]), COURSE / (COURSE + 298.15)
    columns = np.column_stack([s - s25, s * s - s25 * s25])
    b, c = np.linalg.lstsq(columns, values[near] - at_25, rcond=None)[0]
    ends = COURSE / (COURSE + np.linspace(LOW - RESTS, HIGH + RESTS, 40))  # where it comes to rest
    course = at_25 + b * (ends - s25) + c * (ends * ends - s25 * s25)
    runs_away = np.abs(course).max() > 1.0 or np.abs(course - at_25).max() > FARTHEST
    if runs_away or np.abs(columns @ (b, c) - values[near] + at_25).max(initial=0.0) > MISFIT:
        return at_25, 0.0, 0.0  # beyond the data behind it
    return at_25, float(b), float(c)
