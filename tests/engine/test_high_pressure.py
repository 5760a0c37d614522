"""What is refused above a critical pressure, and what is doubted of an ideal gas under pressure."""

import numpy as np
import pytest
from CoolProp.CoolProp import PropsSI
from helpers import document, feed

from gulch.engine.explain import solve
from gulch.engine.explain.phase_doubts import virial_term
from gulch.engine.phases import phase_model

WATER = {"water": "7732-18-5"}
LIGHT_ENDS = {"methane": "74-82-8", "ethane": "74-84-0", "propane": "74-98-6"}


def boiled(species, flow, P, share, model):
    return solve(
        document(
            species,
            [{"id": "H", "kind": "heater", "mode": "vapour-fraction", "vapour_fraction": share}],
            [feed("f", "H", flow, P=P), {"id": "o", "from": "H"}],
            phase_model=model,
        )
    )


@pytest.mark.parametrize("share", ["0 %", "50 %", "100 %"])
@pytest.mark.parametrize("model", ["peng-robinson", "soave-redlich-kwong", "predictive-srk"])
def test_a_vapour_fraction_above_the_critical_pressure_is_refused(share, model):
    """Methane, ethane and propane in equal parts at 150 bar are one fluid at every temperature; at 60 bar they boil."""
    flow = dict.fromkeys(LIGHT_ENDS, "10 kmol/h")
    solution = boiled(LIGHT_ENDS, flow, "150 bar", share, model)
    (said,) = [m for m in solution.messages if m.level == "error"]
    assert not solution.solved and "liquid and vapour are one there" in said.what and "Lower the pressure" in said.todo
    assert boiled(LIGHT_ENDS, flow, "60 bar", share, model).solved


@pytest.mark.parametrize("model", ["ideal", "peng-robinson", "unifac"])
def test_water_half_boiled_is_refused_above_221_bar(model):
    flow = {"water": "10 kmol/h"}
    assert not boiled(WATER, flow, "300 bar", "50 %", model).solved
    below = boiled(WATER, flow, "150 bar", "50 %", model)
    assert below.streams["o"].temperature == pytest.approx(PropsSI("T", "P", 150e5, "Q", 0.5, "Water"), abs=6.0)


def let_down(species, T, P, model):
    return solve(
        document(
            species,
            [{"id": "X", "kind": "expander", "pressure": "1 bar", "efficiency": "75 %"}],
            [feed("f", "X", {next(iter(species)): "3.6 kmol/h"}, T=T, P=P), {"id": "o", "from": "X"}],
            phase_model=model,
        )
    )


def test_steam_as_an_ideal_gas_is_doubted_by_its_second_virial_term():
    """At 50 bar and 300 degC steam takes 20 % less room than an ideal gas (CoolProp); at 1 bar hardly less."""
    solution = let_down(WATER, "300 degC", "50 bar", "ideal")
    (said,) = [m for m in solution.messages if "counted as an ideal gas" in m.what]
    assert said.where == "f" and "% less" in said.what and "cubic equation" in said.todo
    model = phase_model("ideal", ("7732-18-5",))
    z = PropsSI("Z", "T", 573.15, "P", 50e5, "Water")
    assert 1.0 + virial_term(np.ones(1), 573.15, 50e5, model) == pytest.approx(z, abs=0.03)
    assert not any("counted as" in m.what for m in let_down(WATER, "300 degC", "3 bar", "ideal").messages)
    assert not any("counted as" in m.what for m in let_down(WATER, "300 degC", "50 bar", "peng-robinson").messages)


def test_hydrogen_and_nitrogen_stay_ideal_far_longer():
    for cas in ("1333-74-0", "7727-37-9"):
        assert not any("counted as" in m.what for m in let_down({"gas": cas}, "200 degC", "50 bar", "ideal").messages)


@pytest.mark.parametrize(("P", "doubted"), [("100 bar", True), ("10 bar", False)])
def test_a_pump_to_a_high_pressure_is_doubted_under_the_ideal_model(P, doubted):
    solution = solve(
        document(
            WATER,
            [{"id": "P", "kind": "pump", "pressure": P}],
            [feed("f", "P", {"water": "3.6 kmol/h"}, P="1 bar"), {"id": "o", "from": "P"}],
        )
    )
    assert solution.solved and doubted == any("comes out too warm" in m.what for m in solution.messages)
