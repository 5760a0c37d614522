"""Entropies and estimated heat capacities of gases that one source had wrong, and what that did to equilibria."""

import numpy as np
import pytest
from helpers import document

from gulch.engine.chemistry.constants import agreeing, gibbs_spread
from gulch.engine.phases import phase_model
from gulch.engine.project.reading import constant_of, model_of
from gulch.engine.species import lookup
from gulch.engine.species.heat_capacity import BY_GROUPS, by_groups


@pytest.mark.parametrize(
    ("cas", "entropy"),
    [
        ("106-97-8", 310.1),
        ("75-28-5", 294.6),
        ("109-66-0", 349.0),
        ("106-98-9", 305.6),
        ("124-13-0", 500.0),
        ("108-88-3", 320.7),
        ("71-43-2", 269.2),
    ],
)
def test_entropies_are_those_of_the_gas_tables(cas, entropy):
    """S° at 298.15 K [J/(mol K)]: Stull, Westrum & Sinke, The Chemical Thermodynamics of Organic Compounds (1969), from memory."""
    assert lookup(cas).entropy.value == pytest.approx(entropy, abs=2.5)


def test_butanes_at_25_degc():
    """K of n-butane = isobutane is 4.5 to 5 at 25 °C (Stull, Westrum & Sinke; from memory); n-butane's entropy of one source made it 15."""
    project = document({"n": "106-97-8", "i": "75-28-5"}, reactions=[{"id": "r", "equation": "n = i", "equilibrium": {"source": "gibbs"}}])
    model, nu = model_of(project), np.array([-1.0, 1.0])
    K = np.exp(constant_of(project.reactions[0]).ln_k(298.15, nu, model))
    assert 3.5 < K < 9.5
    band = gibbs_spread(nu, model, 298.15)
    low, high = (np.exp(-g / (8.314462618 * 298.15)) for g in (band.high, band.low))
    assert low < 4.6 < high


def test_a_single_source_gives_no_narrow_band():
    alone = next(s for s in (lookup(c) for c in ("78-84-2", "80-62-6")) if not s.entropy.others)
    values = agreeing(alone.entropy, "entropy")
    assert max(values) - min(values) == pytest.approx(6.0)
    water = lookup("7732-18-5")
    assert (
        max(agreeing(water.formation_enthalpy, "formation_enthalpy")) - min(agreeing(water.formation_enthalpy, "formation_enthalpy"))
        < 1000.0
    )


@pytest.mark.parametrize(
    ("cas", "cp", "within"),
    [("100-42-5", 122.1, 0.03), ("98-95-3", 120.4, 0.01), ("123-86-4", 151.5, 0.01), ("80-62-6", 126.0, 0.05)],
)
def test_estimated_heat_capacities_meet_what_was_measured(cas, cp, within):
    """At 298 K [J/(mol K)]: styrene of Stull, Westrum & Sinke (from memory), CRC Handbook, Poling et al.; the last by groups alone."""
    fit = by_groups(cas)
    assert fit.estimated and fit.source.startswith(BY_GROUPS)
    model = phase_model("ideal", (cas,))
    h = [model.ideal_gas_enthalpies(298.15 + d)[0] for d in (-0.5, 0.5)]
    assert h[1] - h[0] == pytest.approx(cp, rel=within)


def test_what_has_no_groups_is_estimated_from_its_formula():
    assert by_groups("7440-37-1") is None and by_groups("") is None
