"""Raoult's law with liquid water as a liquid of its own: immiscible liquids, as handbooks treat steam distillation."""

import numpy as np
import pytest
from CoolProp.CoolProp import PropsSI
from helpers import document, feed
from scipy.optimize import brentq

from gulch.engine.explain import Plan
from gulch.engine.phases import phase_model, poorly_known

WATER, BENZENE, TOLUENE, ETHANOL, HYDROGEN = "7732-18-5", "71-43-2", "108-88-3", "64-17-5", "1333-74-0"


@pytest.mark.parametrize(("cas", "name"), [(BENZENE, "Benzene"), (TOLUENE, "Toluene")])
def test_two_liquids_boil_where_their_vapour_pressures_together_make_the_pressure(cas, name):
    """Vapour pressures by CoolProp; 69.3 degC with 0.70 benzene, 84.4 degC with toluene in handbooks (from memory)."""
    P = 101325.0

    def pressures(T):
        return PropsSI("P", "T", T, "Q", 0, "Water"), PropsSI("P", "T", T, "Q", 0, name)

    T = brentq(lambda t: sum(pressures(t)) - P, 300.0, 370.0)
    state = phase_model("free-water", (WATER, cas)).at_vapour_fraction(0.3, P, np.array([0.5, 0.5]))
    assert state.temperature == pytest.approx(T, abs=0.3)
    vapour, light, heavy = state.phases
    assert vapour[2] == pytest.approx(np.array(pressures(T)) / P, abs=5e-3)
    assert light[2][1] > 0.9999 and heavy[2][0] > 0.9999


def test_every_liquid_is_water_or_holds_none_of_it():
    model = phase_model("free-water", (WATER, BENZENE, TOLUENE, HYDROGEN))
    rng = np.random.default_rng(3)
    seen = set()
    for _ in range(400):
        z = rng.dirichlet(np.ones(4))
        state = model.at_temperature(rng.uniform(280.0, 470.0), 10.0 ** rng.uniform(4.5, 6.0), z)
        assert not state.further_phase
        assert sum(p[1] * p[2] for p in state.phases) == pytest.approx(z, abs=1e-12)
        for _, _, x, _ in state.liquids:
            assert x[0] < 1e-4 or x[0] > 0.999
        seen.add(len(state.phases))
    assert seen == {1, 2, 3}


def test_hydrocarbons_beside_the_water_obey_raoult():
    """Without water's vapour in the pressure: y P = x Psat for benzene and toluene, by the ideal model's own flash."""
    T, P = 350.0, 1.0e5
    state = phase_model("free-water", (WATER, BENZENE, TOLUENE)).at_temperature(T, P, np.array([0.6, 0.25, 0.15]))
    vapour, oil, _ = state.phases
    alone = phase_model("ideal", (BENZENE, TOLUENE)).at_vapour_fraction(0.0, P * (1.0 - vapour[2][0]), oil[2][1:])
    assert alone.temperature == pytest.approx(T, abs=0.05)
    assert vapour[2][0] * P == pytest.approx(PropsSI("P", "T", T, "Q", 0, "Water"), rel=0.01)


def test_what_mixes_with_water_is_told():
    model = phase_model("free-water", (WATER, ETHANOL, BENZENE))
    assert poorly_known(model) == [(0, 1)]
    assert (str(model.origins[0, 2]), str(model.origins[1, 2])) == ("apart", "ideal")
    wet = document(
        {"water": WATER, "ethanol": ETHANOL},
        phase_model="free-water",
        units=[{"id": "H", "kind": "heater", "temperature": "40 degC"}],
        streams=[feed("in", "H", {"water": "1 kmol/h", "ethanol": "1 kmol/h"}, P="1 bar"), {"id": "out", "from": "H"}],
    )
    out = Plan(wet).run()
    assert out.solved and any("water with ethanol" in m.what for m in out.messages)
