"""Which pairs of species a phase model knows too little of to be believed where both are liquid."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.fluids import DIMER_A, DISSOLVED, HENRY_HIGH, IDEAL, PREDICTIVE_SRK, UNIFAC
from gulch.engine.phases.by_groups import is_polar
from gulch.engine.phases.model import WATER
from gulch.engine.phases.nonideal import DIMERS, boils_cold

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.state import PhaseState

ACIDS = ("7647-01-0", "7664-39-3", "10035-10-6", "7697-37-2", "7664-93-9", "64-18-6", "64-19-7")
# Carbon compounds that are gases where water is liquid, dissolve little, and part from it as the models say.
_GASES = ("124-38-9", "630-08-0", "463-58-1", "74-82-8", "74-84-0", "74-85-1", "74-86-2", "74-98-6", "115-07-1")
DISSOLVED_NEED = 1e-4  # mole fraction of a gas in water from which it matters
LIQUID_PAIRS_NEED = 0.02  # mole fraction of both in the liquids of a stream before it matters


@lru_cache(maxsize=64)
def poorly_known(model: PhaseModel) -> list:
    """[(i, j)] of a PhaseModel: water with acids or organics, of which it has no interaction parameter; under a model by
    groups, those that it has no groups for.

    Ideal mixing is taken to hold for none of them; a cubic model with k_ij = 0 misses hydrogen bonds and dissociation
    (common practice; Sandler, Chemical, Biochemical and Engineering Thermodynamics, ch. 9 and 10).
    """
    if model.unknown_pairs or model.code >= PREDICTIVE_SRK:
        return sorted({*model.unknown_pairs, *unpaired_acids(model)})
    out = []
    species = model.species
    for i in range(model.n):
        for j in range(model.n):
            a, b = species[i], species[j]
            if a.cas != WATER or i == j or not model.volatile[j] or b.cas in _GASES:
                continue
            organic = "C" in b.atoms and ("H" in b.atoms or "Cl" in b.atoms)
            if (organic or b.cas in ACIDS) and (model.code == IDEAL or model.kij[i, j] == 0.0):
                out.append((i, j))
    return out


@lru_cache(maxsize=64)
def unpaired_acids(model: PhaseModel) -> list:
    """[(i, j)] of water and a carboxylic acid whose paired molecules the model's vapour does not count.

    Most of such a vapour is pairs (Gmehling & Onken, whose constants `nonideal.DIMERS` holds); without them acids seem too volatile, and
    azeotropes with water appear that nobody has measured.
    """
    if model.water is None or model.kind == "free-water":
        return []
    acids = [j for j, s in enumerate(model.species) if s.cas in DIMERS and model.volatile[j] and model.par[j, DIMER_A] == 0.0]
    return [(min(model.water, j), max(model.water, j)) for j in acids]


@lru_cache(maxsize=64)
def taken_for_solvents(model: PhaseModel) -> list[int]:
    """Positions of gases that an activity model takes for a liquid that mixes with water, which may dissolve many times too much of them.

    They boil below 25 °C at 1 atm but lie above the critical temperature from which Henry's law is used. Pairs with typed parameters are
    believed; polar molecules and acids mix with water indeed.
    """
    if model.code < UNIFAC or model.water is None or model.kind == "free-water":
        return []
    out = []
    for i in np.flatnonzero(model.volatile & (model.par[:, DISSOLVED] == 0.0)):
        pair = model.origins.get((min(i, model.water), max(i, model.water)))
        known = (pair is not None and pair.measured) or is_polar(model.species[i]) or model.species[i].cas in ACIDS
        mended = model.mix.pairs[HENRY_HIGH, i, model.water] > 0.0  # by a Henry's constant
        if i != model.water and not known and not mended and boils_cold(model.par, int(i)):
            out.append(int(i))
    return out


def gas_in_liquid(state: PhaseState, model: PhaseModel, enough: float = 0.05) -> tuple[int, float] | None:
    """(index, mole fraction) of the supercritical gas that a state of two liquids or of an indicated third phase would
    carry off in a liquid, or None."""
    if not state.further_phase and (len(state.liquids) < 2 or state.vapour_fraction > 0.0):
        return None
    critical = np.array([s.critical_temperature.value if s.critical_temperature else np.inf for s in model.species])
    worst = None
    for _, _, z, _ in state.liquids:
        held = np.where(critical < 0.9 * state.temperature, z, 0.0)
        i = int(np.argmax(held))
        if held[i] > enough and (worst is None or held[i] > worst[1]):
            worst = (i, float(held[i]))
    return worst
