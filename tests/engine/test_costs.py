"""What it costs to build: correlations by hand, sizes from what is computed, and pay-back in the worth."""

import math

import pytest
from helpers import demo, document, feed
from test_converters import converter

from gulch.engine.declared import equipment as q
from gulch.engine.declared.equipment import Equipment
from gulch.engine.document import BuildingEntry, DocumentError, GaugeEntry, PricesEntry, load
from gulch.engine.explain import solve
from gulch.engine.flowsheet import costs

PLAIN = BuildingEntry()


def priced(**building):
    project = demo()
    project.prices.building = BuildingEntry(**building)
    return project


@pytest.mark.parametrize(
    ("piece", "by_hand"),
    [  # a + b S^n of the source's table at January 2010
        (Equipment(q.EXCHANGER, 400.0 * 100.0), 28000 + 54 * 100**1.2),
        (Equipment(q.HEATED, 400.0 * 30.0 * 50.0), 28000 + 54 * 50**1.2),
        (Equipment(q.COMPRESSOR, 1e6), 580000 + 20000 * 1000**0.6),
        (Equipment(q.PUMP, 0.01), 8000 + 240 * 10**0.9),
        (Equipment(q.AGITATED, 5.0), 61500 + 32500 * 5**0.8),
        (Equipment(q.FURNACE, 4e6), 80000 + 109000 * 4**0.8),
        (Equipment(q.TRAYS, 20.0, diameter=1.5), 20 * (130 + 440 * 1.5**1.8)),
        (Equipment(q.AGITATED, 5.0, count=2.3), 3 * (61500 + 32500 * 5**0.8)),
    ],
)
def test_each_correlation_by_hand(piece, by_hand):
    assert costs.cost_of(piece, PLAIN).cost == pytest.approx(by_hand, rel=1e-9)


def test_a_vessel_by_the_mass_of_its_shell():
    """10 m3 at 20 bar: D = (4 V/3 pi)^(1/3) = 1.619 m, t = P D/(2 S E − 1.2 P) + 2 mm = 24.1 mm."""
    D = (40.0 / (3.0 * math.pi)) ** (1 / 3)
    P = 1.1 * (20e5 - 101325.0)
    t = P * D / (2 * 88.9e6 * 0.85 - 1.2 * P) + 2e-3
    mass = 1.15 * math.pi * D * 3 * D * t * 7900.0
    assert costs.shell_mass(10.0, 20e5) == pytest.approx(mass, rel=1e-9) and 0.020 < t < 0.028
    assert costs.cost_of(Equipment(q.VESSEL, 10.0, 20e5), PLAIN).cost == pytest.approx(11600 + 34 * mass**0.85, rel=1e-9)
    thin = costs.shell_mass(10.0, 1e5)  # 7 mm keep its shape
    assert thin == pytest.approx(1.15 * math.pi * D * 3 * D * 9e-3 * 7900.0, rel=1e-9)


def test_what_is_larger_than_a_correlation_stands_side_by_side():
    item = costs.cost_of(Equipment(q.EXCHANGER, 400.0 * 2500.0), PLAIN)
    assert item.count == 3 and item.remark == "3 side by side"
    assert item.cost == pytest.approx(3 * (28000 + 54 * (2500 / 3) ** 1.2))
    small = costs.cost_of(Equipment(q.EXCHANGER, 400.0), PLAIN)
    assert "six-tenths" in small.remark and small.cost == pytest.approx((28000 + 54 * 10**1.2) * 0.1**0.6)


def test_year_material_money_and_pressure_are_factors():
    piece = Equipment(q.EXCHANGER, 400.0 * 100.0)
    one = costs.cost_of(piece, PLAIN).cost
    assert costs.cost_of(piece, BuildingEntry(index="800", rate="2", material="316 stainless")).cost == pytest.approx(
        one * 800 / 532.9 * 2 * 1.3
    )
    assert costs.pressure_factor(1e5) == 1.0
    log = math.log10(50.0)
    assert costs.pressure_factor(50e5 + 101325.0) == pytest.approx(10 ** (0.03881 - 0.11272 * log + 0.08183 * log * log))


def test_the_ethanol_demo_is_priced_unit_by_unit():
    solution = solve(priced())
    building = solution.overall["building"]
    assert not building["missing"] or all("has no cost" in m for m in building["missing"])
    of = {i["of"] for i in building["items"]}
    assert {"R1", "DRUM"} & of or len(of) >= 3
    without = solve(demo())
    assert without.overall["worth"] == pytest.approx(solution.overall["worth"])  # nothing is paid back yet


def test_pay_back_takes_its_share_of_the_worth():
    own = {u.id: "100000" for u in demo().units}
    plain, paid = solve(priced(own=own)), solve(priced(own=own, payback="4"))
    purchase = 1e5 * len(own)
    assert plain.overall["cost"] == pytest.approx(purchase)
    a_year = purchase * 4.74 / 4.0
    hours = float(demo().operating_hours)
    assert plain.overall["worth"] - paid.overall["worth"] == pytest.approx(a_year / (hours * 3600.0))
    assert any(p["what"] == "capital" for p in paid.overall["account"]["parts"])


def test_what_is_unknown_leaves_the_worth_without_value_and_says_why():
    data = document(
        {"steam": "7732-18-5"},
        [{"id": "X", "kind": "expander", "pressure": "2 bar"}],
        [feed("f", "X", {"steam": "100 kmol/h"}, T="300 degC", P="10 bar"), {"id": "p", "from": "X"}],
        prices={"currency": "crowns", "work": "50", "species": {"steam": {"bought": "0.01", "sold": "0.01"}}, "building": {"payback": "3"}},
    )
    solution = solve(data)
    assert solution.overall["worth"] is None and "X has no cost. No correlation for expanders" in solution.overall["account"]["missing"][0]
    data.prices.building.own = {"X": "250000"}
    assert solve(data).overall["worth"] is not None


def test_a_gauge_reads_the_purchase_cost_and_follows_the_sizes():
    project = load(demo().dump())
    project.prices.building = BuildingEntry()
    project.gauges = [*project.gauges, GaugeEntry(id="price", reads="overall.cost")]
    solution = solve(project)
    if not solution.overall["building"]["missing"]:
        assert solution.gauges["price"] == pytest.approx(solution.overall["cost"])
    else:
        assert solution.gauges["price"] is None


def test_a_column_is_shell_trays_condenser_and_reboiler():
    data = document(
        {"benzene": "71-43-2", "toluene": "108-88-3"},
        [{"id": "C", "kind": "shortcut-column", "light_key": "benzene", "heavy_key": "toluene"}],
        [feed("f", "C", {"benzene": "50 kmol/h", "toluene": "50 kmol/h"}, T="92 degC", P="1.1 bar"),
         {"id": "d", "from": "C.distillate"}, {"id": "b", "from": "C.bottoms"}],
        prices={"currency": "crowns", "building": {}},
    )  # fmt: skip
    solution = solve(data)
    items = solution.overall["building"]["items"]
    assert [i["what"] for i in items] == ["vessel", "trays", "exchanger", "exchanger"]
    trays = items[1]
    assert trays["count"] == math.ceil(solution.units["C"].values["stages"] / 0.7)
    R, D = solution.units["C"].values["reflux_used"], sum(solution.streams["d"].flow.values())
    T, P = solution.streams["d"].temperature, solution.streams["d"].pressure
    rising = (R + 1) * D * 8.314462618 * T / P
    u = rising / (math.pi / 4 * trays["size"] ** 2)
    assert 0.5 < u < 1.5  # m/s: what a column of hydrocarbons at 1 bar runs at (common practice)


def test_numbers_that_no_cost_goes_by_are_refused_in_a_file_and_told_in_a_text():
    for name in ("payback", "index", "rate", "installed"):
        data = demo().dump()
        data["prices"]["building"] = {name: "0"}
        with pytest.raises(DocumentError, match=f"building › {name}"):
            load(data)
    for name, text in (("coefficient", "0 W/(m2 K)"), ("difference", "warm"), ("hold_up", "-1 min")):
        solution = solve(priced(**{name: text}))
        assert solution.overall["cost"] is None and f"“{text}” is no" in solution.overall["building"]["missing"][0]


def test_catalyst_is_bought_not_installed_and_renewed():
    """22 m3 of bed with 600 kg in a m3: 13 200 kg."""
    data = converter(inlet={"2": "440 degC"})
    data.prices = PricesEntry(currency="crowns", work="50", building=BuildingEntry(payback="4"))
    found = solve(data).overall["building"]
    mass = next(i for i in found["items"] if i["what"] == "catalyst")
    assert mass["size"] == pytest.approx(13200.0) and mass["cost"] is None and "type what a kilogram costs" in mass["remark"]
    data.prices.building = BuildingEntry(payback="4", catalyst="5", catalyst_life="2")
    priced = solve(data).overall["building"]
    assert priced["purchase"] - found["purchase"] == pytest.approx(66000.0)
    data.prices.building.own = {"C": "100000"}  # of the vessel: its catalyst counts besides
    assert solve(data).overall["building"]["purchase"] == pytest.approx(priced["purchase"] - _vessel(priced) + 100000.0)
    assert priced["fixed"] - found["fixed"] == pytest.approx(66000.0) and priced["yearly"] - found["yearly"] == pytest.approx(33000.0)


def test_tubes_with_a_medium_around_them_are_costed_as_an_exchanger():
    """2 m3 in tubes of 25 mm are 320 m2 of wall: 28 000 + 54 · 320^1.2 US$ of 2010."""
    bed = {"id": "C", "kind": "plug-flow", "set": "s", "volume": "2 m3", "diameter": "25 mm", "tubes": "1000", "bulk_density": "600 kg/m3"}
    heat = {"mode": "coolant", "conductance": "5 kW/K", "coolant": "430 degC"}
    data = converter(inlet={"2": "440 degC"})
    plain = data.dump() | {"units": [bed | {"heat": heat}], "prices": {"currency": "US$", "building": {}}}
    items = solve(load(plain)).overall["building"]["items"]
    assert [i["what"] for i in items] == ["tubes in a shell", "catalyst"]
    assert items[0]["size"] == pytest.approx(320.0) and items[0]["cost"] == pytest.approx(28000.0 + 54.0 * 320.0**1.2)


def _vessel(building):
    return sum(i["cost"] for i in building["items"] if i["of"] == "C" and i["what"] != "catalyst")
