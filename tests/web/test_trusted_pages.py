"""Edits and pages that keep a user from being misled or stuck, through the views."""

import re

import pytest
from helpers import document, feed
from test_stages import text_of

from gulch.demo import projects
from gulch.web.projects.actions import create_project


def page(client, row, stage="process", query=""):
    return client.get(f"/p/{row.pk}/{stage}/{query}").content.decode()


def todo(html):
    return text_of(html.split('id="todo"')[1].split("</nav>")[0])


def test_assumed_values_are_counted_and_taken(client, row, act):
    html = act("set", address="H1.pressure_drop", value="", stage="process", select="H1")
    assert "H1: 1 line in its panel." in todo(html) and "field assumed" in html
    assert html.count("H1: 1 assumed: pressure drop.") == 1  # once, where it can be taken
    assert "H1: 1 assumed: pressure drop." in todo(page(client, row, query="?select=R1"))
    assert "pressure_drop" not in row.current.document["units"][1]
    html = act("take", id="H1", taken="{}", stage="process")
    assert "assumed" not in todo(html) and row.current.document["units"][1]["pressure_drop"] == "0 bar"
    act("take", id="H1", taken="not json", status=422)


def test_a_bare_share_is_asked_about_wherever_it_is_typed(client, row, act):
    html = act("set", address="SPLIT.drawn", value="0.08", stage="process", select="SPLIT")
    assert "Was 8 % meant?" in text_of(html.split('id="inspector"')[1])
    assert "Was 8 %" not in todo(html) and "SPLIT: 1 line in its panel." in todo(html)
    assert "Was 8 % meant?" in todo(page(client, row))
    html = act("gauge-edit", id="purity", field="at_least", value="0.6", stage="process", select="gauge:purity")
    assert "The lower limit of gauge ethanol share of product" in text_of(html.split('id="inspector"')[1])
    assert "The lower limit" not in todo(html) and "purity: 1 line in its panel." in todo(html)
    html = act("answer", where="SPLIT.drawn", value="always fraction", stage="process")
    assert "Was" not in todo(html)
    document = row.current.document
    assert next(u for u in document["units"] if u["id"] == "SPLIT")["drawn"] == "8 %"
    assert next(g for g in document["gauges"] if g["id"] == "purity")["at_least"] == "60 %"
    act("set", address="SPLIT.drawn", value="0.1")
    assert next(u for u in row.current.document["units"] if u["id"] == "SPLIT")["drawn"] == "10 %"
    act("answer", where="nothing", value="keep", status=422)


def test_a_new_scan_turns_a_free_knob_and_records_every_gauge(client, row, act):
    first = row.current.document["knobs"][0]["id"]
    act("target", gauge="made", knob=first, value="51 kmol/h")
    html = act("scan-add", stage="scans")
    scan = row.current.document["scans"][-1]
    assert scan["over"][0]["knob"] != first and scan["gauges"] == []
    act("gauge", address="purge.flow.ethane")
    html = page(client, row, "scans", f"?select={scan['id']}")
    assert html.count('name="gauges"') == html.count("checked> ")
    assert 'value="condenser temperature"' in html.split('id="scan-knob"')[1].split(">")[0]


def test_a_target_switched_off_says_how_far_off_its_gauge_is(client, row, act):
    act("target", gauge="made", knob=row.current.document["knobs"][0]["id"], value="60 kmol/h")
    id_ = row.current.document["targets"][-1]["id"]
    act("target-edit", id=id_, field="on", value="")
    act("set", address="SPLIT.drawn", value="6.5 %")
    words = text_of(page(client, row, "loops").split(f'<tr id="{id_}"')[1].split("</tr>")[0])
    assert "52.0" in words and "−8." in words and "off" in words


def test_watching_and_turning_keep_what_is_looked_at(client, row, act):
    html = act("gauge", address="COOL.duty", stage="process", select="COOL")
    assert 'id="rename" name="value" value="COOL"' in html
    html = act("knob", address="COOL.pressure_drop", stage="process", select="COOL")
    assert 'id="rename" name="value" value="COOL"' in html


def test_per_year_less_the_base(client, row):
    html = page(client, row, "variants", "?compare=difference-per-year")
    cells = re.findall(r"<td\s+class=\"num[^>]*>([^<]*)</td>", html.split("row-product.flow.ethanol")[1].split("</tr>")[0])
    assert cells[0][0].isdigit() and all(c[:1] in "+−0" for c in cells[1:])
    assert "kmol" in text_of(html.split("row-product.flow.ethanol")[1].split("</tr>")[0])


def test_air_comes_into_chemistry_and_feed(client, row, act):
    found = client.get(f"/p/{row.pk}/species/?q=air").content.decode()
    assert "nitrogen, oxygen and argon" in found
    act("species-air")
    assert {"nitrogen", "oxygen", "argon"} <= {s["id"] for s in row.current.document["species"]}
    act("fill-air", id="water_feed")
    assert row.current.document["streams"][1]["given"]["fraction"]["nitrogen"].startswith("78.1")


def test_search_says_what_a_species_lacks(client, row):
    found = text_of(client.get(f"/p/{row.pk}/species/?q=CaCO3").content.decode())
    assert "calcium carbonate" in found and "solid or liquid only" in found
    assert "Did you mean" in client.get(f"/p/{row.pk}/species/?q=ethanl").content.decode()


def test_a_variant_that_lost_a_place_says_so_while_it_is_worked_on(client, user):
    document = projects()[0]
    document = document.model_copy(deep=True)
    from gulch.engine.document import VariantEdit, VariantEntry

    document.variants = [VariantEntry(id="v", name="hotter", edits=[VariantEdit(at="units/R9/heat/temperature", to="300 degC")])]
    document.working = "v"
    row = create_project(user, document, "Made")
    html = page(client, row)
    assert "Variant hotter: its edit of units R9 heat temperature finds no place" in todo(html)


def test_a_formula_gauge_by_the_form(client, row, act):
    html = act(
        "gauge-formula",
        label="water per ethylene",
        formula="water_feed.flow.water / ethylene_feed.flow.ethylene",
        stage="process",
    )
    assert "water per ethylene" in html and "1.300" in text_of(html.split('id="strip"')[1].split("</section>")[0])
    gauge = row.current.document["gauges"][-1]
    act("gauge-edit", id=gauge["id"], field="dimension", value="fraction", stage="process")
    assert "130.0 %" in text_of(page(client, row).split('id="strip"')[1].split("</section>")[0])
    act("gauge-formula", formula="nonsense(", status=422)


@pytest.mark.parametrize(("where", "words"), [("", "choose “before"), ("before", None), ("instead", None)])
def test_sizing_asks_where_the_reactor_goes(client, user, act, row, where, words):
    sized = create_project(user, projects()[3], "Demo project")
    form = {"set": "tank", "stream": "feed", "target": "80 %", "stage": "sizing"}
    client.post(f"/p/{sized.pk}/do/sizing/", form)
    answer = client.post(f"/p/{sized.pk}/do/sizing-place/", {"way": "plug", "volume": "1 m3", "where": where, "stage": "process"})
    sized.refresh_from_db()
    kinds = [u["kind"] for u in sized.current.document["units"]]
    if words:
        assert answer.status_code == 422 and words in text_of(answer.content.decode()) and kinds == ["stirred-tank"]
    else:
        assert kinds == (["plug-flow", "stirred-tank"] if where == "before" else ["plug-flow"])


def test_a_pasted_polynomial_is_taken_line_by_line_and_a_wrong_one_is_said(act, row, client):
    from gulch.engine.species import lookup

    text = (
        "200 1000 5.14987613E+00 -1.36709788E-02 4.91800599E-05 -4.84743026E-08 1.66693956E-11 -1.02466476E+04 -4.64130376E+00\n"
        "1000 3500 7.48514950E-02 1.33909467E-02 -5.73285809E-06 1.22292535E-09 -1.01815230E-13 -9.46834459E+03 1.84373180E+01"
    )
    act("species-datum", id="ethane", field="polynomial", value=text)
    row.refresh_from_db()
    entry = next(s for s in row.current.read.species if s.id == "ethane")
    assert "\n" in entry.data.polynomial and row.current.label == "Set polynomial of ethane"
    assert lookup(*entry.key).formation_enthalpy.value == pytest.approx(-74.6e3, abs=150.0)
    page = client.get(f"/p/{row.pk}/chemistry/?select=species:ethane").content.decode()
    assert "polynomial typed in this project" in page and "1.66693956E-11" in page
    answer = act("species-datum", id="ethane", field="polynomial", value="200 1000 1 2 3")
    assert "holds 5 numbers" in answer  # said in the to-do list; what was typed stays to be mended
    row.refresh_from_db()
    assert next(s for s in row.current.read.species if s.id == "ethane").data.polynomial == "200 1000 1 2 3"


def opened(user, *parts, **more):
    return create_project(user, document(*parts, **more), "Start")


def test_a_constant_below_zero_is_told_once_on_the_page(client, user):
    row = opened(
        user,
        {"benzene": "71-43-2", "toluene": "108-88-3", "xylene": "106-42-3"},
        [{"id": "R", "kind": "equilibrium-reactor", "set": "s"}],
        [feed("f", "R", {"toluene": "10 kmol/h"}), {"id": "p", "from": "R"}],
        [{"id": "r", "equation": "2 toluene = benzene + xylene", "equilibrium": {"source": "constant", "value": "-3"}}],
        [{"id": "s", "steps": [["r"]]}],
    )
    said = todo(page(client, row))
    assert said.count("Equilibrium constant of r") == 1 and "K is not above zero: -3" in said


def test_shares_left_out_stand_as_assumed_on_the_page_and_are_taken(client, user):
    row = opened(
        user,
        {"methanol": "67-56-1", "water": "7732-18-5"},
        [{"id": "D", "kind": "species-separator", "share": {"methanol": "80 %"}}],
        [feed("f", "D", {"methanol": "10 kmol/h", "water": "10 kmol/h"}), {"id": "a", "from": "D.first"}, {"id": "b", "from": "D.second"}],
    )
    assert "D: 1 assumed: share to first." in todo(page(client, row))
    client.post(f"/p/{row.pk}/do/take/", {"id": "D", "taken": "{}", "version": row.version})
    row.refresh_from_db()
    assert row.current.read.unit("D").share == {"methanol": "80 %", "water": "0 %"}
    assert "share to first" not in todo(page(client, row))


def test_what_cannot_be_found_is_told_in_the_projects_units_on_the_page(client, user):
    row = opened(
        user,
        {"water": "7732-18-5"},
        [{"id": "H", "kind": "heater", "mode": "duty", "duty": "-3 MW"}],
        [feed("f", "H", {"water": "100 kmol/h"}), {"id": "p", "from": "H"}],
        display="us-customary",
    )
    html = page(client, row, query="?select=H")
    assert re.search(r"would lie below [−-]405\.7 °F", html) and "30 K" not in html


def test_a_unit_is_made_another_kind_on_its_page(client, act, row):
    assert re.search(r'id="other-kind".*?<option value="pump">pump', page(client, row, query="?select=K1"), re.S)
    act("kind", id="K1", kind="pump")
    assert row.current.read.unit("K1").kind == "pump" and row.current.read.unit("K1").pressure
    assert "enter MIX: join them before it" in act("kind", id="MIX", kind="heater", status=422)


def test_the_washer_speaks_of_what_is_washed(client, act, row):
    act("append", id="product", kind="washer")
    html = page(client, row, query="?select=WASH1")
    assert "Share left in what is washed" in html and "Share to the gas" not in html
