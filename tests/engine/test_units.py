"""Unit kinds: balances of every kind, and hand calculations."""

import numpy as np
import pytest
from CoolProp.CoolProp import PropsSI
from helpers import document, feed, simple

from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.reactors.stoichiometric import run_step
from gulch.engine.units import KINDS

KMOL_H = 1.0 / 3.6  # mol/s

CASES = [
    {"kind": "mixer"},
    {"kind": "splitter", "drawn": "30 %", "second": "20 %"},
    {"kind": "heater", "temperature": "90 degC"},
    {"kind": "heater", "mode": "duty", "duty": "-500 kW"},
    {"kind": "heater", "mode": "vapour-fraction", "vapour_fraction": "40 %", "pressure_drop": "0.1 bar"},
    {"kind": "flash-drum", "mode": "temperature", "temperature": "80 degC"},
    {"kind": "flash-drum", "pressure": "0.5 bar"},
    {"kind": "species-separator", "share": {"methanol": "95 %", "water": "2 %"}},
    {
        "kind": "species-separator",
        "share": {"methanol": "95 %"},
        "first_temperature": "40 degC",
        "second_temperature": "95 degC",
        "second_pressure": "0.5 bar",
    },
    {"kind": "valve", "pressure": "0.2 bar"},
]


@pytest.mark.parametrize("unit", CASES, ids=lambda u: u["kind"] + "-" + u.get("mode", "plain"))
def test_every_unit_closes_its_balances(unit):
    solution = solve(simple(**unit))
    assert solution.solved, solution.messages
    balances = solution.units["U"].balances
    assert abs(balances["mass"]) < 1e-9
    assert all(abs(v) < 1e-9 for v in balances["elements"].values())
    assert abs(balances["energy"]) < 1e-7
    assert abs(solution.overall["balances"]["energy"]) < 1e-7


def test_every_kind_is_exercised():
    """Here, or by name below, in test_equilibrium and in test_kinetics."""
    assert set(KINDS) - {u["kind"] for u in CASES} <= {
        "compressor",
        "stoichiometric-reactor",
        "batch-reactor",  # test_batches.py
        "semi-batch-reactor",
        "multibed-converter",  # test_converters.py
        "quench-converter",
        "side-fed-tube",
        "membrane-reactor",  # test_membranes.py
        "recycle-reactor",  # test_not_ideal.py
        "tanks-in-series",
        "dispersed-tube",
        "residence-time-reactor",
        "electrolytic-reactor",  # test_electrolytic.py
        "equilibrium-reactor",
        "gibbs-reactor",
        "stirred-tank",
        "plug-flow",
        "expander",
        "pump",
        "exchanger",  # test_separation.py
        "shortcut-column",
        "decanter",
        "three-phase-separator",  # test_trust.py
        "washer",
    }


def reactor(conversions, flows, steps, heat=None, **more):
    """Methane oxidations in one stoichiometric reactor."""
    equations = {
        "partial": "CH4 + 0.5 O2 = CO + 2 H2",
        "full": "CH4 + 2 O2 = CO2 + 2 H2O",
        "shift": "CO + H2O = CO2 + H2",
    }
    species = {
        "methane": "74-82-8",
        "oxygen": "7782-44-7",
        "co": "630-08-0",
        "co2": "124-38-9",
        "water": "7732-18-5",
        "hydrogen": "1333-74-0",
    }
    keys = {"partial": "methane", "full": "methane", "shift": "co"}
    return document(
        species,
        [
            {
                "id": "R",
                "kind": "stoichiometric-reactor",
                "set": "s",
                "heat": heat or {"mode": "isothermal", "temperature": "500 degC"},
                **more,
            }
        ],
        [feed("feed", "R", flows, T="500 degC"), {"id": "out", "from": "R"}],
        [{"id": i, "equation": equations[i], "conversion": {"key": keys[i], "value": v}} for i, v in conversions.items()],
        [{"id": "s", "steps": steps}],
    )


def test_80_per_cent_of_50_leaves_10_and_makes_40():
    """Any handbook's stoichiometric table."""
    solution = solve(reactor({"full": "80 %"}, {"methane": "50 kmol/h", "oxygen": "200 kmol/h"}, [["full"]]))
    out = solution.streams["out"].flow
    assert out["methane"] == pytest.approx(10 * KMOL_H)
    assert out["co2"] == pytest.approx(40 * KMOL_H)
    assert out["oxygen"] == pytest.approx(120 * KMOL_H)


@pytest.mark.parametrize(("oxygen", "achieved"), [("1440 kg/h", 0.6), ("1600 kg/h", 0.6), ("720 kg/h", 0.3), ("144 kg/h", 0.06)])
def test_oxygen_limits_partial_oxidation(oxygen, achieved):
    """150 kmol/h CH4 at 60 % needs 150 · 0.6 / 2 = 45 kmol/h = 1440 kg/h O2; below that it falls in proportion (hand calculation)."""
    base = reactor({"partial": "60 %"}, {"methane": "150 kmol/h", "oxygen": "1 kmol/h"}, [["partial"]]).dump()
    base["streams"][0]["given"] |= {
        "basis": "mass",
        "mass_flow": {"methane": f"{150 * 16.0425} kg/h", "oxygen": oxygen},
    }
    solution = solve(load(base))
    assert solution.units["R"].values["achieved"]["partial"] == pytest.approx(achieved, rel=3e-4)
    row = solution.units["R"].reactions[0]
    assert row["limited_by"] == ("oxygen" if achieved < 0.6 else None)
    assert any("oxygen is used up" in m.what for m in solution.messages) == (achieved < 0.6)


def test_parallel_and_series_differ():
    flows = {"methane": "100 kmol/h", "oxygen": "200 kmol/h"}
    together = solve(reactor({"partial": "50 %", "full": "40 %"}, flows, [["partial", "full"]]))
    following = solve(reactor({"partial": "50 %", "full": "40 %"}, flows, [["partial"], ["full"]]))
    assert together.streams["out"].flow["methane"] == pytest.approx(10 * KMOL_H)
    assert following.streams["out"].flow["methane"] == pytest.approx(30 * KMOL_H)  # 100 · 0.5 · 0.6


def test_step_stops_reactions_that_share_a_used_up_reactant():
    """A → (with B) twice: B runs out at a common share, the third reaction goes on. Derived by hand: progress 10/(6 + 14) = 0.5."""
    nu = np.array([[-1.0, -1.0, 1.0, 0.0], [-1.0, -1.0, 0.0, 1.0], [-1.0, 0.0, 1.0, 0.0]])
    reached, limits = run_step(nu, np.array([6.0, 14.0, 5.0]), np.array([100.0, 10.0, 0.0, 0.0]))
    np.testing.assert_allclose(reached, [3.0, 7.0, 5.0])
    assert limits.tolist() == [1, 1, -1]


def test_products_of_a_step_are_not_consumed_in_it():
    reached, _ = run_step(np.array([[-1.0, 1.0, 0.0], [0.0, -1.0, 1.0]]), np.array([5.0, 3.0]), np.array([10.0, 1.0, 0.0]))
    np.testing.assert_allclose(reached, [5.0, 1.0])


def test_adiabatic_reactor_heats_by_the_heat_of_reaction():
    """Outlet enthalpy equals inlet enthalpy; the duty of the isothermal run equals what the adiabatic one keeps."""
    flows = {"methane": "10 kmol/h", "oxygen": "200 kmol/h"}
    hot = solve(reactor({"full": "100 %"}, flows, [["full"]], {"mode": "adiabatic"}))
    held = solve(reactor({"full": "100 %"}, flows, [["full"]]))
    assert hot.streams["out"].temperature > 900.0
    assert hot.units["R"].values["duty"] == pytest.approx(0.0, abs=1e-3)
    assert held.units["R"].values["duty"] == pytest.approx(-802.3e3 * 10 * KMOL_H, rel=0.01)  # 500 °C against 25 °C
    given = solve(reactor({"full": "100 %"}, flows, [["full"]], {"mode": "duty", "duty": f"{held.units['R'].values['duty']} W"}))
    assert given.streams["out"].temperature == pytest.approx(773.15, abs=1e-4)
    same = solve(reactor({"full": "100 %"}, flows, [["full"]], {"mode": "feed-temperature"}, pressure_drop="2 bar"))
    assert same.streams["out"].temperature == pytest.approx(773.15)
    assert same.streams["out"].pressure == pytest.approx(8e5)


def test_outlet_beyond_the_data_is_warned_of():
    flows = {"methane": "10 kmol/h", "oxygen": "20 kmol/h"}
    solution = solve(reactor({"full": "100 %"}, flows, [["full"]], {"mode": "adiabatic"}))
    assert solution.streams["out"].temperature > 3001.0
    assert any("outside the heat-capacity data" in m.what and m.where == "out" for m in solution.messages)


def compressor(P_out, efficiency="100 %"):
    return document(
        {"nitrogen": "7727-37-9"},
        [{"id": "K", "kind": "compressor", "pressure": P_out, "efficiency": efficiency}],
        [feed("feed", "K", {"nitrogen": "100 kmol/h"}, P="2 bar"), {"id": "out", "from": "K"}],
        phase_model="peng-robinson",
    )


def test_compressor_against_coolprop():
    """Nitrogen from 2 to 8 bar at 25 °C, isentropic."""
    s = PropsSI("S", "T", 298.15, "P", 2e5, "Nitrogen")
    T = PropsSI("T", "S", s, "P", 8e5, "Nitrogen")
    work = (PropsSI("Hmolar", "T", T, "P", 8e5, "Nitrogen") - PropsSI("Hmolar", "T", 298.15, "P", 2e5, "Nitrogen")) * 100 * KMOL_H
    ideal = solve(compressor("8 bar"))
    assert ideal.streams["out"].temperature == pytest.approx(T, abs=0.5)
    assert ideal.units["K"].values["work"] == pytest.approx(work, rel=3e-3)
    real = solve(compressor("8 bar", "75 %"))
    assert real.units["K"].values["work"] == pytest.approx(ideal.units["K"].values["work"] / 0.75, rel=1e-9)
    assert abs(real.units["K"].balances["energy"]) < 1e-7


@pytest.mark.parametrize(
    ("unit", "words"),
    [
        ({"kind": "heater", "pressure_drop": "3 bar"}, "not below the inlet pressure"),
        ({"kind": "splitter", "drawn": "70 %", "second": "50 %"}, "add up to 120 %"),
        ({"kind": "heater", "mode": "duty", "duty": "-1 GW"}, "no solution"),
    ],
)
def test_units_say_what_is_wrong(unit, words):
    text = unit | ({"duty": "-1000000 kW"} if unit.get("duty") else {})
    solution = solve(simple(**text))
    assert not solution.solved
    message = next(m for m in solution.messages if m.level == "error")
    assert words in message.what and message.todo and message.where.startswith("U")


def nitrogen(unit, T="400 K", P="4 bar"):
    return document(
        {"nitrogen": "7727-37-9"},
        [{"id": "K", **unit}],
        [feed("f", "K", {"nitrogen": "3.6 kmol/h"}, T=T, P=P), {"id": "p", "from": "K"}],
        phase_model="peng-robinson",
    )


@pytest.mark.parametrize(("kind", "P"), [("compressor", "16 bar"), ("expander", "1 bar")])
@pytest.mark.parametrize("efficiency", [1.0, 0.8])
def test_shaft_work_against_coolprop(kind, P, efficiency):
    """Isentropic enthalpy change of nitrogen by CoolProp's reference equation of state."""
    s = solve(nitrogen({"kind": kind, "pressure": P, "efficiency": f"{100 * efficiency} %"}))
    entropy = PropsSI("Smolar", "T", 400.0, "P", 4e5, "Nitrogen")
    ideal = PropsSI("Hmolar", "Smolar", entropy, "P", float(P.split()[0]) * 1e5, "Nitrogen") - PropsSI(
        "Hmolar", "T", 400.0, "P", 4e5, "Nitrogen"
    )
    expected = ideal / efficiency if kind == "compressor" else ideal * efficiency
    assert s.units["K"].values["work"] == pytest.approx(expected, rel=6e-3)
    assert abs(s.units["K"].balances["energy"]) < 1e-9


@pytest.mark.parametrize(("kind", "P", "sign"), [("compressor", 16e5, 1), ("expander", 1e5, -1)])
def test_polytropic_path_of_an_ideal_gas(kind, P, sign):
    """T2/T1 = (P2/P1)^((k − 1)/(k η)) compressing, with η in place of 1/η expanding; argon has k = 5/3."""
    project = document(
        {"argon": "7440-37-1"},
        [{"id": "K", "kind": kind, "pressure": f"{P} Pa", "path": "polytropic", "efficiency": "80 %"}],
        [feed("f", "K", {"argon": "3.6 kmol/h"}, T="400 K", P="4 bar"), {"id": "p", "from": "K"}],
        phase_model="ideal",
    )
    exponent = 0.4 / 0.8 if sign > 0 else 0.4 * 0.8
    assert solve(project).streams["p"].temperature == pytest.approx(400.0 * (P / 4e5) ** exponent, rel=1e-3)


def test_stages_with_cooling_between_them_save_work():
    """Two equal stages cooled back to the inlet: twice the work of one stage at the root of the ratio."""
    one = solve(nitrogen({"kind": "compressor", "pressure": "36 bar"}))
    half = solve(nitrogen({"kind": "compressor", "pressure": "12 bar"}))
    two = solve(nitrogen({"kind": "compressor", "pressure": "36 bar", "stages": "2", "between": "400 K"}))
    assert two.units["K"].values["work"] == pytest.approx(2.0 * half.units["K"].values["work"], rel=0.01)
    assert two.units["K"].values["work"] < 0.85 * one.units["K"].values["work"]
    assert two.units["K"].values["duty"] < 0.0 and abs(two.units["K"].balances["energy"]) < 1e-9
    assert two.units["K"].values["hottest"] < one.streams["p"].temperature


def test_pump_by_hand():
    """W = V ΔP/η (any fluid-mechanics text)."""
    s = solve(
        document(
            {"water": "7732-18-5"},
            [{"id": "P", "kind": "pump", "pressure": "51 bar", "efficiency": "50 %"}],
            [feed("f", "P", {"water": "3.6 kmol/h"}, P="1 bar"), {"id": "p", "from": "P"}],
        )
    )
    assert s.units["P"].values["work"] == pytest.approx(s.streams["f"].volume_flow * 50e5 / 0.5, rel=1e-9)
    assert abs(s.units["P"].balances["energy"]) < 1e-9


def test_valve_flashes_at_the_same_enthalpy():
    """Liquid propane from 18 bar and 45 °C to 2 bar: the share that flashes by CoolProp."""
    s = solve(
        document(
            {"propane": "74-98-6"},
            [{"id": "V", "kind": "valve", "pressure": "2 bar"}],
            [feed("f", "V", {"propane": "3.6 kmol/h"}, T="45 degC", P="18 bar"), {"id": "p", "from": "V"}],
            phase_model="peng-robinson",
        )
    )
    h1, liquid, vapour = (PropsSI("Hmolar", *a, "Propane") for a in (("T", 318.15, "P", 18e5), ("Q", 0, "P", 2e5), ("Q", 1, "P", 2e5)))
    assert s.streams["p"].vapour_fraction == pytest.approx((h1 - liquid) / (vapour - liquid), rel=0.03)
    assert s.streams["p"].enthalpy_flow == pytest.approx(s.streams["f"].enthalpy_flow, rel=1e-12)


@pytest.mark.parametrize(
    ("unit", "words"),
    [
        ({"kind": "pump", "pressure": "9 bar"}, "is vapour, which a pump cannot take"),
        ({"kind": "compressor", "stages": "2.5"}, "cannot have 2.5 stages"),
    ],
)
def test_machines_say_what_they_cannot_do(unit, words):
    project = nitrogen(unit)
    s = solve(project)
    assert not s.solved and any(words in m.what and m.todo for m in s.messages), s.messages
