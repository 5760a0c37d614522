"""Gases dissolved in water: Henry's constants against handbooks' solubilities."""

import numpy as np
import pytest
from helpers import document, feed

from gulch.engine.explain import solve
from gulch.engine.phases import kernels as k
from gulch.engine.phases import phase_model
from gulch.engine.phases.pairs.dissolved import COURSES, HIGH, LOW, POINTS, compiled, guideline, in_water

WATER = "7732-18-5"
# Henry's constants in water at 25 degC [bar]: Perry's Handbook, 7th ed., table 2-124 ff., and Sander (2015); both from memory
AT_25 = {
    "1333-74-0": 71.4e3, "7727-37-9": 86.5e3, "7782-44-7": 43.9e3, "630-08-0": 58.4e3, "124-38-9": 1.65e3, "74-82-8": 40.6e3,
    "74-84-0": 30.4e3, "74-85-1": 11.6e3, "74-86-2": 1.34e3, "7440-37-1": 40.0e3,
}  # fmt: skip


def measured(cas, T):
    return guideline(cas, T) or compiled(cas, T)


@pytest.mark.parametrize("cas", AT_25)
def test_henrys_constants_are_the_handbooks(cas):
    assert measured(cas, 298.15) / 1e5 == pytest.approx(AT_25[cas], rel=0.05)


@pytest.mark.parametrize("cas", [*COURSES, *POINTS])
def test_the_course_in_use_follows_the_measured_one(cas):
    a, b, c = in_water(cas, guideline if cas in COURSES else compiled)
    for T in np.linspace(LOW, HIGH, 9):
        assert np.exp(a + b / T + c * np.log(T)) == pytest.approx(measured(cas, T), rel=0.05)
    hottest = max(np.linspace(LOW, HIGH, 200), key=lambda T: measured(cas, T))
    assert 320.0 < hottest < 460.0  # every gas dissolves least somewhere between 50 and 180 degC (Fernandez-Prini et al., 2003)


@pytest.mark.parametrize("kind", ["unifac", "nrtl", "free-water"])
def test_a_liquid_holds_what_henrys_law_says(kind):
    """Ethylene over water at 25 degC: x = y P/H, at a pressure where the gas is ideal to 1 %."""
    model = phase_model(kind, (WATER, "74-85-1"))
    state = model.at_temperature(298.15, 1.2e5, np.array([0.5, 0.5]))
    _, _, x, _ = state.liquids[0]
    y = state.phases[0][2]
    assert x[1] == pytest.approx(y[1] * 1.2e5 / measured("74-85-1", 298.15), rel=0.01)
    assert str(model.origins[1, 0]) == "Henry's constant: Sander (2015)"


def test_a_gas_without_groups_is_known_in_water():
    model = phase_model("unifac", (WATER, "10102-43-9"))
    assert not model.unknown_pairs
    assert k.ln_phi_phase(298.15, 1e5, np.array([1.0 - 1e-9, 1e-9]), k.LIQUID, *model.mix)[1] == pytest.approx(
        np.log(measured("10102-43-9", 298.15) / 1e5), abs=0.02
    )


# Gases that activity models take for liquids

TAKEN = {"h2s": "7783-06-4", "so2": "7446-09-5", "cl2": "7782-50-5", "propane": "74-98-6", "propylene": "115-07-1", "butane": "106-97-8"}


def over_water(gas, cas, kind, amount="1 kmol/h", **more):
    return document(
        {gas: cas, "water": "7732-18-5"},
        [{"id": "D", "kind": "flash-drum"}],
        [feed("f", "D", {gas: amount, "water": "100 kmol/h"}, P="2 bar"), {"id": "v", "from": "D.vapour"}, {"id": "l", "from": "D.liquid"}],
        phase_model=kind,
        **more,
    )


@pytest.mark.parametrize("kind", ["unifac", "modified-unifac", "nrtl"])
@pytest.mark.parametrize("gas", TAKEN)
def test_gases_taken_for_solvents_are_doubted_from_a_trace_on(gas, kind):
    """Propane at 1 bar and 25 degC: 2.7e-5 in water (Sander 2015: 1.5e-5 mol/(m3 Pa), from memory), the models have 20 times that."""
    solution = solve(over_water(gas, TAKEN[gas], kind))
    (said,) = [m for m in solution.messages if "for a liquid among liquids" in m.what]
    assert gas in said.what and "fitted to measured solubilities" in said.todo
    trace = solve(over_water(gas, TAKEN[gas], kind, "0.005 kmol/h"))
    assert not any("for a liquid among liquids" in m.what for m in trace.messages)


@pytest.mark.parametrize(("gas", "cas"), [("methane", "74-82-8"), ("ammonia", "7664-41-7"), ("ether", "115-10-6"), ("pentane", "109-66-0")])
def test_gases_that_dissolve_by_henry_or_mix_with_water_are_not(gas, cas):
    assert not any("for a liquid among liquids" in m.what for m in solve(over_water(gas, cas, "unifac")).messages)
