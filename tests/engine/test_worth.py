"""What a process is worth: the account line by line by hand, heat by its temperature, what lacks a price, and the best recycle."""

import math

import pytest
from helpers import document, feed
from pydantic import ValidationError

from gulch.demo import projects
from gulch.engine.document import SearchEntry, load
from gulch.engine.exchange import best_text
from gulch.engine.explain import Plan, solve
from gulch.engine.flowsheet.worth import HeatLevel, level_for
from gulch.engine.project.variants import applied, folded, worked
from gulch.engine.scans import Aim, answered
from gulch.engine.scans.best import best

HOUR = 3600.0


def heated(prices, **unit):
    """Methanol and water through a heater, sold."""
    return document(
        {"methanol": "67-56-1", "water": "7732-18-5"},
        [{"id": "H", "kind": "heater", "temperature": "60 degC", **unit}],
        [feed("F", "H", {"methanol": "10 kmol/h", "water": "30 kmol/h"}, P="2 bar"), {"id": "P", "from": "H"}],
        prices={"currency": "crowns", **prices},
        gauges=[{"id": "worth", "reads": "overall.worth"}],
    )


FULL = {
    "species": {"methanol": {"bought": "0.5", "sold": "0.8", "per": "kg"}, "water": {"bought": "2", "sold": "0", "per": "kmol"}},
    "heat": [{"name": "steam", "reaches": "150 degC", "price": "9", "per": "GJ"}],
}


def test_the_account_is_that_by_hand():
    """10 kmol/h of 32.04 kg/kmol bought at 0.5 and sold at 0.8 a kg, 30 kmol/h of water at 2 a kmol, steam at 9 a GJ."""
    solution = solve(heated(FULL))
    duty = solution.units["H"].values["duty"]
    methanol = 10.0 * Plan(heated(FULL)).molar_mass["methanol"] * 1e3
    steam = duty * HOUR * 9.0 / 1e9
    assert solution.overall["worth"] * HOUR == pytest.approx(methanol * 0.3 - 60.0 - steam, rel=1e-9)
    assert solution.gauges["worth"] == solution.overall["worth"]
    lines = {(p["what"], p["name"]): p["rate"] * HOUR for p in solution.overall["account"]["parts"]}
    assert lines == {
        ("bought", "methanol"): pytest.approx(-0.5 * methanol),
        ("bought", "water"): pytest.approx(-60.0),
        ("sold", "methanol"): pytest.approx(0.8 * methanol),
        ("heating", "steam"): pytest.approx(-steam),
    }


@pytest.mark.parametrize(
    ("per", "factor"), [("kg", 1.0), ("t", 1e-3), ("lb", 1 / 0.45359237), ("kmol", 1 / 32.04186), ("lbmol", 1 / 32.04186 / 0.45359237)]
)
def test_prices_by_mass_and_amount(per, factor):
    alike = {"methanol": {"bought": "0", "sold": "1", "per": per}, "water": {"bought": "0", "sold": "0"}}
    solution = solve(heated(FULL | {"species": alike, "heat": [{"name": "free", "reaches": "900 degC", "price": "0"}]}))
    assert solution.overall["worth"] * HOUR == pytest.approx(320.4186 * factor, rel=1e-4)


def test_the_cheapest_medium_that_reaches_is_taken():
    levels = tuple(
        HeatLevel(n, h, t, p)
        for n, h, t, p in (("low", True, 400, 5), ("high", True, 500, 9), ("water", False, 300, 1), ("cold", False, 250, 4))
    )
    assert level_for(1.0, 390.0, levels).name == "low" and level_for(1.0, 450.0, levels).name == "high"
    assert level_for(1.0, 501.0, levels) is None
    assert level_for(-1.0, 310.0, levels).name == "water" and level_for(-1.0, 280.0, levels).name == "cold"
    assert level_for(-1.0, 240.0, levels) is None


def test_what_lacks_a_price_is_named_and_there_is_no_sum():
    bare = {"species": {"methanol": {"bought": "0.5"}}}
    solution = solve(heated(bare))
    missing = solution.overall["account"]["missing"]
    assert solution.overall["worth"] is None and solution.gauges["worth"] is None
    assert "methanol is sold in P without a price." in missing and "water is bought in F without a price." in missing
    assert any(w.startswith("No heating reaches the 60.00 °C of H") for w in missing)
    (said,) = (m for m in solution.messages if str(m.place) == "prices")
    assert said.level == "warning" and "Worth has no value" in said.what


def test_a_trace_needs_no_price_and_a_product_may_be_waste_or_nothing():
    prices = FULL | {"species": {"methanol": {"bought": "0", "sold": "1"}, "water": {"bought": "0"}}, "streams": {"P": "waste"}}
    solution = solve(heated(prices))
    assert "P is waste, whose price is not typed." in solution.overall["account"]["missing"]
    solution = solve(heated(prices | {"waste": "100", "waste_per": "t"}))
    steam = solution.units["H"].values["duty"] * HOUR * 9.0 / 1e9
    mass = solution.streams["P"].mass_flow * HOUR
    assert solution.overall["worth"] * HOUR == pytest.approx(-0.1 * mass - steam)
    solution = solve(heated(prices | {"streams": {"P": "nothing"}}))
    assert solution.overall["worth"] * HOUR == pytest.approx(-steam)


def test_column_and_compressor_take_heat_at_its_own_temperatures():
    """A column's condenser and reboiler are priced apart; between stages gas is cooled to what is typed (a hand calculation of prices)."""
    column = document(
        {"benzene": "71-43-2", "toluene": "108-88-3"},
        [{"id": "C", "kind": "shortcut-column", "light_key": "benzene", "heavy_key": "toluene"}],
        [
            feed("F", "C", {"benzene": "50 kmol/h", "toluene": "50 kmol/h"}, P="1.2 bar", T="90 degC"),
            {"id": "D", "from": "C.distillate"},
            {"id": "B", "from": "C.bottoms"},
        ],
        prices={
            "species": {s: {"bought": "0", "sold": "0"} for s in ("benzene", "toluene")},
            "heat": [
                {"name": "water", "use": "cooling", "reaches": "30 degC", "price": "1"},
                {"name": "air", "use": "cooling", "reaches": "100 degC", "price": "0.1"},  # too warm for the condenser at 86 °C
                {"name": "steam", "reaches": "160 degC", "price": "10"},
            ],
        },
    )
    solution = solve(column)
    values = solution.units["C"].values
    by_hand = -(abs(values["condenser_duty"]) * 1.0 + values["reboiler_duty"] * 10.0) / 1e9
    assert solution.overall["worth"] == pytest.approx(by_hand, rel=1e-9)
    gas = document(
        {"nitrogen": "7727-37-9"},
        [{"id": "K", "kind": "compressor", "pressure": "60 bar", "stages": "3", "between": "35 degC"}],
        [feed("F", "K", {"nitrogen": "100 kmol/h"}, P="1 bar"), {"id": "P", "from": "K"}],
        prices={
            "species": {"nitrogen": {"bought": "0", "sold": "0"}},
            "heat": [{"name": "water", "use": "cooling", "reaches": "30 degC", "price": "1"}],
            "work": "72",
            "work_per": "MWh",
        },
    )
    values = (solution := solve(gas)).units["K"].values
    assert solution.overall["worth"] == pytest.approx(values["duty"] / 1e9 - values["work"] * 72 / 3.6e9, rel=1e-9)
    gas.units[0].between = "25 degC"
    assert any("No cooling reaches the 25.00 °C of K" in w for w in solve(gas).overall["account"]["missing"])


def test_prices_are_the_same_in_every_variant():
    project = projects()[0]
    project.prices = heated(FULL).prices.model_copy(update={"species": {}})
    assert all(applied(project, v).prices == project.prices for v in project.variants)
    project.working = project.variants[0].id
    other = worked(project)
    other.prices.currency = "shells"
    new = folded(project, other)
    assert not any(e.at.startswith("prices") for v in new.variants for e in v.edits) and new.prices.currency == "shells"


@pytest.mark.parametrize("price", ["1e9", "abc", "--1", "1,5", ""])
def test_a_price_is_a_bare_number(price):
    with pytest.raises((ValidationError, ValueError)):
        load(heated(FULL).dump() | {"prices": {"work": price}})


PRICE, COST, K1, K2 = 1.0, 0.02, 2.0, 0.5  # a mol of B, a mol sent round (invented); rate constants in 1/min


def test_the_best_recycle_is_that_derived_by_hand():
    """A → B → C in a gas tank, unreacted A sent round at a cost.

    With t the time in the tank: recycle over feed 1/(k1 t), B over feed 1/(1 + k2 t), so that worth over feed is
    p/(1 + k2 t) − c/(k1 t), highest where t/(1 + k2 t) = sqrt(c/(p k1 k2)).
    """
    rates = [("A = B", {"forward": {"k": f"{K1} 1/min"}}), ("B = C", {"forward": {"k": f"{K2} 1/min"}})]
    share = {"A": "100 %", "B": "0 %", "C": "0 %"}
    project = document(
        {"A": "109-66-0", "B": "78-78-4", "C": "463-82-1"},
        [
            {"id": "MIX", "kind": "mixer"},
            {"id": "R", "kind": "stirred-tank", "set": "main", "phase": "vapour", "volume": "10 m3",
             "heat": {"mode": "isothermal", "temperature": "450 K"}},
            {"id": "SEP", "kind": "species-separator", "share": share},
        ],
        [
            feed("F", "MIX", {"A": "100 kmol/h"}, T="450 K", P="2 bar"),
            {"id": "in", "from": "MIX", "to": "R"},
            {"id": "out", "from": "R", "to": "SEP"},
            {"id": "round", "from": "SEP.first", "to": "MIX"},
            {"id": "P", "from": "SEP.second"},
        ],
        [{"id": f"r{i}", "equation": e, "rate": r} for i, (e, r) in enumerate(rates)],
        [{"id": "main", "steps": [["r0", "r1"]]}],
        prices={
            "species": {"A": {"bought": "0"}, "B": {"sold": f"{1e3 * PRICE}", "per": "kmol"}, "C": {"sold": "0"}},
            "heat": [{"name": "free", "use": u, "reaches": t, "price": "0"} for u, t in (("heating", "900 K"), ("cooling", "200 K"))],
        },
        knobs=[{"id": "V", "input": "R.volume", "low": "2 m3", "high": "200 m3"}],
        gauges=[{"id": "worth", "reads": "gauge.worth", "formula": f"overall.worth - {COST}*round.flow/1[mol]", "dimension": "money rate"}],
    )  # fmt: skip
    found = best(Plan(project), Aim("worth"))
    s = math.sqrt(COST / (PRICE * K1 * K2))
    t = s / (1.0 - K2 * s)
    F = 1e5 / HOUR
    assert found.reads == pytest.approx(F * (PRICE / (1.0 + K2 * t) - COST / (K1 * t)), rel=1e-6)
    through = F * (1.0 + 1.0 / (K1 * t))
    volume = t * 60.0 * through * 8.314462618 * 450.0 / 2e5
    assert found.values[0] == pytest.approx(volume, rel=5e-3)  # as flat as the top is


def test_a_best_at_the_reach_of_a_medium_names_it():
    """A → B, faster when hotter; steam reaches 450 K, and beyond it oil costs more than all of B is worth."""
    project = document(
        {"A": "109-66-0", "B": "78-78-4"},
        [{"id": "R", "kind": "stirred-tank", "set": "main", "phase": "vapour", "volume": "10 m3",
          "heat": {"mode": "isothermal", "temperature": "430 K"}}],
        [feed("F", "R", {"A": "100 kmol/h"}, T="400 K", P="2 bar"), {"id": "out", "from": "R"}],
        [{"id": "r", "equation": "A = B", "rate": {"forward": {"k": "0.1 1/s", "energy": "80 kJ/mol", "at": "430 K"}}}],
        [{"id": "main", "steps": [["r"]]}],
        prices={
            "species": {"A": {"bought": "0", "sold": "0"}, "B": {"sold": "10", "per": "kmol"}},
            "heat": [
                {"name": "steam", "use": "heating", "reaches": "450 K", "price": "1"},
                {"name": "hot oil", "use": "heating", "reaches": "600 K", "price": "100000"},
                {"name": "water", "use": "cooling", "reaches": "300 K", "price": "0"},
            ],
        },
        knobs=[{"id": "T", "input": "R.temperature", "low": "420 K", "high": "480 K"}],
        gauges=[{"id": "worth", "reads": "overall.worth"}],
    )  # fmt: skip
    found = answered(Plan(project), SearchEntry(id="b", aim="worth"))
    assert found["values"][0] == pytest.approx(450.0, abs=0.5) and found["values"][0] <= 450.0
    assert {(j["of"], j["medium"], j["then"], j["way"]) for j in found["jumps"]} == {("R", "steam", "hot oil", "above")}
    assert "R takes steam there; a little above" in best_text(project, found)
