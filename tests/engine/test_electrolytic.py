"""The electrolytic reactor: Faraday's law, the thermoneutral voltage, lye, and what has to be typed."""

import numpy as np
import pytest
from helpers import document, feed

from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.phases import Stream, phase_model
from gulch.engine.reactors.electrolytic import reversible_voltage

SPLIT = {"id": "split", "equation": "water = hydrogen + 0.5 oxygen", "conversion": {"key": "water", "value": "10 %"}}
SPECIES = {"water": "7732-18-5", "hydrogen": "1333-74-0", "oxygen": "7782-44-7"}


def cell(voltage="1.481 V", T="25 degC", lye=False, **more):
    unit = {"id": "E", "kind": "electrolytic-reactor", "set": "main", "voltage": voltage, "electrons": {"split": "2"}} | more
    unit.setdefault("heat", {"mode": "feed-temperature"})
    flow = {"water": "100 kmol/h"} | ({"lye": "7.9 kmol/h"} if lye else {})
    doc = document(
        SPECIES,
        units=[unit],
        streams=[feed("F", "E", flow, T=T, P="10 bar"), {"id": "out", "from": "E"}],
        reactions=[SPLIT],
        sets=[{"id": "main", "steps": [["split"]]}],
    ).dump()
    if lye:
        data = {"formula": "KOH", "non_volatile": True, "formation_enthalpy": "-482 kJ/mol", "particles": "2", "entropy": "92 J/(mol K)"}
        doc["species"].append({"id": "lye", "data": data})
    return load(doc)


def test_current_follows_faradays_law_and_the_balance_closes_with_the_work():
    """10 kmol/h of water: 2 × 96485 C/mol × 2.778 mol/s = 536.0 kA; at 1.9 V 1018 kW (hand calculation)."""
    out = solve(cell("1.9 V", efficiency="95 %"))
    values = out.units["E"].values
    assert values["current"] == pytest.approx(2 * 96485.33212 * 10 / 3.6 / 0.95, rel=1e-9)
    assert values["work"] == pytest.approx(1.9 * values["current"], rel=1e-12)
    assert abs(out.units["E"].balances["energy"]) < 1e-12


def test_at_the_thermoneutral_voltage_a_cell_needs_no_heat():
    """Liquid water at 25 degC: 1.48 V (any handbook of electrochemistry); the gases leave with a little water, so nearly none."""
    values = solve(cell("1.481 V")).units["E"].values
    assert abs(values["duty"]) < 0.01 * values["work"]
    assert solve(cell("2.0 V")).units["E"].values["duty"] == pytest.approx(-0.26 * values["work"] / 1.481 * 2.0, rel=0.03)


def test_an_adiabatic_cell_warms_by_what_its_voltage_is_above_that():
    out = solve(cell("1.9 V", heat={"mode": "adiabatic"}))
    assert out.solved and out.units["E"].values["duty"] == pytest.approx(0.0, abs=1e-3)
    assert out.streams["out"].temperature > 298.15 + 20.0


def test_lye_keeps_water_in_the_liquid_of_an_electrolyser():
    """A fifth by mass of potassium hydroxide: the gas over it holds 0.86 of the water it would hold over water (van 't Hoff)."""
    over = {}
    for lye in (False, True):
        out = solve(cell("1.9 V", T="80 degC", lye=lye))
        assert out.solved, [m.what for m in out.messages]
        gas = next(p for p in out.streams["out"].phases if p["kind"] == "vapour")
        over[lye] = gas["fraction"]["water"]
        assert abs(out.units["E"].balances["energy"]) < 1e-9
    assert over[True] / over[False] == pytest.approx(90.0 / (90.0 + 2 * 7.9), abs=0.01)


def test_what_nobody_typed_is_asked_for():
    messages = [m.what for m in solve(cell(electrons={})).messages]
    assert any("how many electrons split takes" in w for w in messages)
    assert any("voltage" in m.what.lower() for m in solve(cell(voltage=None)).messages if m.level == "error")


def test_work_per_product_does_not_hang_on_how_the_equation_is_written():
    """Water to hydrogen at 2 V: 2 × 96485 C/mol × 2 V = 385.9 kJ per mole of hydrogen, for one extent or for half of one."""
    one = solve(cell("2 V"))
    doubled = cell("2 V", electrons={"split": "4"}).dump()
    doubled["reactions"][0]["equation"] = "2 water = 2 hydrogen + oxygen"
    two = solve(load(doubled))
    for out in (one, two):
        values = out.units["E"].values
        assert values["energy_spent"] == pytest.approx(2 * 96485.33212 * 2.0, rel=1e-9)
        assert values["energy_spent_on"] == "per mole of hydrogen"


def test_the_reversible_voltage_of_water_is_the_handbooks():
    """1.229 V at 25 degC for gases at 1 bar (any handbook of electrochemistry)."""
    model = phase_model("ideal", tuple(SPECIES.values()))
    # gases of 1 bar each beside liquid water need a total of 2.03 bar
    stream = Stream.at_temperature(model, np.array([100.0, 1.0, 1.0]), 298.15, 2.0317e5)
    assert reversible_voltage(stream, np.array([-1.0, 1.0, 0.5]), 2.0, model) == pytest.approx(1.229, abs=0.003)
    assert reversible_voltage(stream, np.array([-2.0, 2.0, 1.0]), 4.0, model) == pytest.approx(1.229, abs=0.003)


@pytest.mark.parametrize(
    ("voltage", "electrons", "words", "solved"),
    [
        ("0 V", "2", "no work is put in", False),
        ("2 V", "0", "takes electrons", False),
        ("1.1 V", "2", "that split needs at least here: no cell does that", True),
        ("1.5 V", "2", None, True),
    ],
)
def test_voltages_and_electrons_that_no_cell_has_are_said(voltage, electrons, words, solved):
    out = solve(cell(voltage, electrons={"split": electrons}))
    said = [m for m in out.messages if m.level in ("error", "warning")]
    assert out.solved == solved
    assert any(words in m.what and m.todo for m in said) if words else not any("no cell does that" in m.what for m in said), said
