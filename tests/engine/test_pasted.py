"""Tables pasted from spreadsheets: what is read of them, and that what cannot be is listed with its place."""

import pytest
from helpers import demo

from gulch.engine.exchange import csv_text, project_tables
from gulch.engine.explain import solve
from gulch.engine.pasted import paste_feeds, paste_measured, paste_rates, pasted_guess, read_points_of_knobs
from gulch.engine.pasted.tables import head_of, plain, rows_of
from gulch.engine.project.basis import amounts_of
from gulch.engine.project.edit import EditError
from gulch.engine.quantities import QuantityError


def flows(project, id_="ethylene_feed"):
    """Molar flows [kmol/h] of a feed, by species."""
    n, _ = amounts_of(project, project.stream(id_))
    return {s.id: round(3.6 * v, 6) for s, v in zip(project.species, n.tolist(), strict=True) if v > 0.0}


def pasted(text, id_="ethylene_feed"):
    project = demo()
    done, unread = paste_feeds(project, project.stream(id_), text)
    return project, done, unread


@pytest.mark.parametrize(
    "text",
    [
        "Temperature [°C]\tPressure [bar]\tethylene [kmol/h]\tethane [kmol/h]\n25\t70\t90\t3",
        "\tT, °C\tp, bar\tethylene / (kmol/h)\tethane / (kmol/h)\nethylene_feed\t25\t70\t90\t3",
        "\tethylene_feed\ntemperature\t25 °C\npressure\t70 bar\nethylene\t90 kmol/h\nethane\t3 kmol/h",
        "stream\tunit\tethylene_feed\ntemperature\t°C\t25\npressure\tbar\t70\nethylene\tkmol/h\t90\nethane\tkmol/h\t3",
        "T;P;C2H4;74-84-0\n°C;bar;kmol/h;kmol/h\n25;70;90,0;3,0".replace("C2H4", "ethylene"),
        "Temperature | Pressure | ethylene | ethane\n25 degC | 70 bar | 90 | 3",
    ],
)
def test_a_feed_is_read_however_its_table_lies(text):
    project, done, unread = pasted(text)
    assert (done, unread) == (["ethylene_feed"], [])
    assert flows(project) == {"ethylene": 90.0, "ethane": 3.0}
    assert project.stream("ethylene_feed").given.temperature in ("25 °C", "25 degC")
    assert project.stream("ethylene_feed").given.pressure == "70 bar"


def test_the_ledgers_own_file_is_pasted_back():
    project = demo()
    project.stream("water_feed").given.flow["water"] = "111 kmol/h"
    text = csv_text(project, solve(project))
    back = demo()
    done, unread = paste_feeds(back, back.stream("water_feed"), text.replace(",", "\t"))
    assert flows(back, "water_feed") == {"water": 111.0} and set(done) == {"water_feed", "ethylene_feed"}
    assert any("is no feed" in line for line in unread)  # the other streams of the ledger are told


def test_the_workbooks_own_table_is_pasted_back_by_molar_flows():
    project = demo()
    rows = project_tables(project, solve(project))["Streams"]
    text = "\n".join("\t".join("" if c is None else f"{c:.10g}" if isinstance(c, float) else str(c) for c in r) for r in rows[:2])
    back, done, _ = pasted(text)
    assert done == ["ethylene_feed"] and flows(back) == pytest.approx(flows(project))
    assert back.stream("ethylene_feed").given.basis == "molar"


@pytest.mark.parametrize(
    ("text", "basis", "expected"),
    [
        ("ethylene [kg/h]\tethane [kg/h]\n2805.3\t30.07", "mass", {"ethylene": 100.0, "ethane": 1.0}),
        ("total [kmol/h]\tethylene [mol%]\tethane [mol%]\n50\t98\t2", "mole-fractions", {"ethylene": 49.0, "ethane": 1.0}),
        ("total [kmol/h]\tethylene [mol/mol]\tethane [mol/mol]\n50\t0,98\t0,02", "mole-fractions", {"ethylene": 49.0, "ethane": 1.0}),
        ("total\tmole fraction of ethylene\tmole fraction of ethane\n50\t0.98\t0.02", "mole-fractions", {"ethylene": 49.0, "ethane": 1.0}),
        (
            "mass flow\tmass fraction of ethylene [%]\tmass fraction of ethane [%]\n2835.37\t98.9395\t1.0605",
            "mass-fractions",
            {"ethylene": 100.0, "ethane": 1.0},
        ),
        ("total [kg/h]\tethylene [wt%]\tethane [wt%]\n2835.37\t98.9395\t1.0605", "mass-fractions", {"ethylene": 100.0, "ethane": 1.0}),
    ],
)
def test_the_basis_follows_the_units(text, basis, expected):
    project, _, unread = pasted(text)
    assert not unread and project.stream("ethylene_feed").given.basis == basis
    assert flows(project) == pytest.approx(expected, rel=2e-4)  # molar masses of ethylene 28.05 and ethane 30.07, from memory


def test_several_feeds_are_given_at_once():
    project, done, unread = pasted("stream\tethylene [kmol/h]\twater [kmol/h]\nethylene_feed\t80\t–\nwater_feed\t–\t40")
    assert done == ["ethylene_feed", "water_feed"]
    assert (flows(project), flows(project, "water_feed")) == ({"ethylene": 80.0}, {"water": 40.0})
    assert [line.partition(": ")[2] for line in unread] == [*["empty, left out"] * 2, "not in the table, so there is none now"]  # ethane


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("ethylene [kmol/h]\twater [furlong]\n80\t40", "column 2, “water”: “furlong” is no unit of a flow or a share"),
        ("ethylene [kmol/h]\tbutter [kmol/h]\n80\t40", "column 2, “butter”: no species"),
        ("ethylene [kmol/h]\twater [kmol/h]\n80\tmuch", "row 2, column 2 (water)"),
        ("ethylene [kmol/h]\twater [kmol/h]\n80\t1,234", "may be 1.234 or 1234"),
        ("ethylene [kmol/h]\twater [kmol/h]\n80\t", "row 2, column 2 (water): empty"),
        ("ethylene [kmol/h]\tT [parsec]\n80\t40", "row 2, column 2 (T)"),
        ("ethylene [kmol/h]\twater [kg/h]\n80\t40", "water of ethylene_feed: given in another way than the others (molar flows)"),
        ("ethylene [kmol/h]\tethylene [kmol/h]\n80\t40", "row 2, column 2 (ethylene): ethylene has its amount already"),
        ("ethylene [kmol/h]\tmass fraction of water [mol%]\n80\t3", "“mol%” is no unit"),
        ("ethylene [kmol/h]\tT [K]\tT [K]\n80\t300\t310", "the temperature stands there already"),
        ("ethylene [kmol/h]\twater [kmol/h]\n80\t12.05.2026", "is no number"),
        ("ethylene [kmol/h]\n80\n90", "row 3: a second one for the same stream"),
        ("ethylene [kmol/h]\tmole fraction of water\n80\t0.3", "add up to 0.3"),
    ],
)
def test_what_cannot_be_read_is_listed_and_the_rest_is_taken(text, said):
    project, done, unread = pasted(text)
    assert done == ["ethylene_feed"] and flows(project) == {"ethylene": 80.0}
    assert any(said in line for line in unread), unread


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "Nothing is pasted yet"),
        ("hello\tworld\n1\t2", "names a species"),
        ("ethylene [mol%]\twater [mol%]\n50\t50", "paste a total flow"),
        ("ethylene [furlong]\n80", "is no unit"),
        ("ethylene\n" + "1\n" * 3000, "at most 2000"),
    ],
)
def test_a_table_of_which_nothing_can_be_taken_is_refused(text, said):
    project = demo()
    project.stream("water_feed").given.total = None
    before = project.dump()
    with pytest.raises(EditError, match=said):
        paste_feeds(project, project.stream("water_feed"), text)
    assert project.dump() == before


def test_numbers_of_any_country():
    assert plain("−1 234,50 kg/h") == "−1234.50 kg/h" and plain("1'234.5") == "1234.5" and plain("1,234,567") == "1234567"
    assert plain("0,125") == "0.125" and plain("12,5") == "12.5" and plain("3e-4") == "3e-4"
    with pytest.raises(QuantityError, match="may be 2.500 or 2500"):
        plain("2,500")
    assert head_of("k0 / (L/mol/s)") == ("k0", "L/mol/s") and head_of("k (1/s)") == ("k", "1/s") and head_of("n-C4H10") == ("n-C4H10", "")
    assert rows_of('a\t"b"\n\nc') == [["a", "b"], ["c", ""]]


def test_a_guess_is_pasted_as_a_table_on_any_basis():
    project = demo()
    T, P, flow = pasted_guess(project, "\trecycle\nT [°C]\t52,8\np [bar]\t70\nethylene [kmol/h]\t608\nethane [kmol/h]\t26")
    assert (T, P, flow) == ("52.8 °C", "70 bar", {"ethylene": "608 kmol/h", "ethane": "26 kmol/h"})
    _, _, flow = pasted_guess(project, "ethylene [kg/h]\tethane [kg/h]\n2805.3\t30.07")
    assert {k: round(float(v.split()[0]), 1) for k, v in flow.items()} == {"ethylene": 100.0, "ethane": 1.0}
    assert pasted_guess(project, "ethylene 700 kmol/h; water 3")[2] == {"ethylene": "700 kmol/h", "water": "3 kmol/h"}
    for text, said in (("ethylene\tbutter\n1\t2", "butter"), ("\ta\tb\nethylene\t1\t2", "holds 2 streams")):
        with pytest.raises(EditError, match=said):
            pasted_guess(project, text)


def test_points_of_a_scan_carry_units_in_the_head():
    project = demo()
    scan = project.scans[0]
    knobs, rows = read_points_of_knobs(project, scan, "reactor temperature [K]\tpurge share [%]\n500\t5\n510\t6,5")
    assert [k.id for k in knobs] == [project.knob("reactor_T").id, next(k.id for k in project.knobs if k.label == "purge share")]
    assert rows == [["500 K", "5 %"], ["510 K", "6.5 %"]]
    for text, said in (
        ("reactor temperature [K]\n500\nwarm", "row 3, reactor temperature"),
        ("reactor temperature [bar]\n500", "bar"),
        ("reactor temperature [K]\tpurge share\n500\t", "nothing stands there"),
        ("warmth\n500", "names no knobs"),
    ):
        with pytest.raises(EditError, match=said):
            read_points_of_knobs(project, scan, text)


RATES = """reaction\tequation\tk0\tunit\tE [kJ/mol]\tn
hydration\t\t2,5e7\tL/mol/s\t95\t0
again\tethanol = ethylene + water\t3e10\t1/s\t160\t
wrong\tethanol = butter\t1\t1/s\t1\t
short\tethanol = ethylene + water\t1\tL/mol/s\t10\t
nowhere\t\t1\t1/s\t10\t
"""


def test_rate_constants_are_pasted_in_bulk():
    project = demo()
    count = len(project.reactions)
    done, unread = paste_rates(project, RATES)
    assert done[0] == "hydration" and len(done) == 2 and len(project.reactions) == count + 1
    law = project.reaction("hydration").rate.forward
    assert (law.k, law.energy, law.power) == ("2.5e7 L/mol/s", "95 kJ/mol", "0")
    made = project.reaction(done[1])
    assert made.equation == "ethanol = ethylene + water" and made.rate.forward.k == "3e10 1/s"
    assert len(paste_rates(demo(), "reaction\tk [L/mol/s]\nhydration\t1\nhydration\t2")[1]) == 1  # the second row is told
    assert len(unread) == 3
    for row, said in zip(unread, ("row 4, equation", "row 5", "row 6: “nowhere” is no reaction"), strict=True):
        assert said in row


def test_a_new_law_is_written_in_what_the_unit_of_k_fits():
    project = demo()
    paste_rates(project, "reaction\tk [mol/(kg s bar2)]\tT [°C]\nhydration\t0.02\t240")
    law = project.reaction("hydration").rate
    assert (law.basis, law.per, law.forward.at) == ("partial-pressure", "catalyst", "240 °C")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("a\tb\n1\t2", "has to name the columns"),
        ("reaction\tk\nhydration\t", "nothing stands there"),
        ("reaction\tk\nhydration\t3", "k needs"),
    ],
)
def test_rate_constants_that_cannot_be_taken_leave_the_project(text, said):
    project = demo()
    before = project.dump()
    with pytest.raises(EditError, match=said):
        paste_rates(project, text)
    assert project.dump() == before


def test_measured_tables_are_pasted_in_bulk():
    project = demo()
    text = """ethanol – water at 1 atm
x	y	T / °C
0.1	0.44	86.5
0.5	0.65	79.8

diethyl ether and ethanol at 1 atm
0.5	0.85	45

ethanol – butter at 1 atm
0.5	0.6	80
water – ethanol at 25 °C
nonsense
"""
    done, unread = paste_measured(project, text)
    assert done == [("ethanol", "water"), ("ether", "ethanol")]
    found = {m.pair: m for m in project.phase_model.measured}
    assert found[("ethanol", "water")].points == [(0.1, 0.44, "86.5 °C"), (0.5, 0.65, "79.8 °C")]
    assert len(unread) == 2 and "butter" in unread[0]
    with pytest.raises(EditError, match="begins no table"):
        paste_measured(project, "hello\n1 2 3")
