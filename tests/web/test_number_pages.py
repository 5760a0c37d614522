"""Numbers of a project's own and feeds by ratios, on the page."""

import pytest
from test_stages import page

pytestmark = pytest.mark.django_db


def test_numbers_are_added_used_turned_and_removed(client, row, act):
    html = act("number-add", name="steam to oil", value="1.3")
    assert 'id="f-steam_to_oil.value"' in html and row.current.document["numbers"][0]["dimension"] == "ratio"
    act("tie", sets="water_feed.flow.water", formula="steam_to_oil.value * ethylene_feed.flow.ethylene")
    assert row.latest["solved"] and row.latest["streams"]["water_feed"]["total"] * 3.6 == pytest.approx(130.0)
    act("set", address="steam_to_oil.value", value="1.1")
    assert row.latest["streams"]["water_feed"]["total"] * 3.6 == pytest.approx(110.0)
    act("scan-add", knob="steam to oil")  # a number is turned like any input
    assert row.current.document["knobs"][-1]["input"] == "steam_to_oil.value"
    html = act("number-remove", id="steam_to_oil")
    assert "water_feed.flow.water stands as typed again" in html and not row.current.document["ties"]
    assert not any(k["input"].startswith("steam_to_oil") for k in row.current.document["knobs"]) and row.latest["solved"]


def test_a_feed_is_given_by_its_ratio_and_two_by_their_total(client, row, act):
    html = page(client, row, "process", "?select=water_feed")
    assert "By its ratio to another feed" in html and "<option>ethylene_feed</option>" in html
    html = act("feed-ratio", id="water_feed", to="ethylene_feed", select="water_feed")
    assert "is a number of the project now" in html and "tied: water_feed_to_ethylene_feed.value" in html
    act("feeds-total", id="ethylene_feed", to="water_feed")
    numbers = {n["label"]: n["value"] for n in row.current.document["numbers"]}
    assert numbers["total of ethylene_feed and water_feed"] == "232 kmol/h" and row.latest["solved"]


@pytest.mark.parametrize(
    ("verb", "form", "said"),
    [
        ("number-add", {"name": "", "value": "2"}, "needs a name"),
        ("number-add", {"name": "x", "value": "2 parsecs"}, "no unit that a quantity here has"),
        ("feed-ratio", {"id": "water_feed", "to": "S1"}, "S1 is no feed"),
        ("feeds-total", {"id": "water_feed", "to": "water_feed"}, "needs two feeds"),
    ],
)
def test_what_no_number_can_be_is_refused(client, row, act, verb, form, said):
    before = row.current.document
    assert said in act(verb, 422, **form) and row.current.document == before


def test_units_of_single_quantities_stay_beside_the_set(client, row, act):
    act("own-unit", dimension="temperature", unit="K")
    assert row.current.document["own_units"] == {"temperature": "K"} and row.current.document["display"] == "process-metric"
    ledger = page(client, row, "process")
    assert ">K</small>" in ledger and "493.1" in ledger and ">bar</small>" in ledger  # K beside kmol/h and bar
    assert "[K]" in client.get(f"/p/{row.pk}/ledger.csv").content.decode()
    act("own-unit", dimension="mass flow", unit="short_ton/year")
    act("own-unit", dimension="temperature", unit="degC")
    assert row.current.document["own_units"] == {"mass flow": "short_ton/year"}
    assert "is not shown in" in act("own-unit", 422, dimension="temperature", unit="bar")
    assert row.current.document["own_units"] == {"mass flow": "short_ton/year"}


def test_lists_of_units_are_sent_once_and_again_when_they_change(client, row, act):
    html = client.get(f"/p/{row.pk}/process/").content.decode()
    mark = html.split('id="units-body" data-of="')[1].split('"')[0]
    asked = {"HX-Request": "true", "X-Gulch-Units": mark}
    again = client.get(f"/p/{row.pk}/process/", headers=asked).content.decode()
    assert "data-kept" in again and 'id="unit-1"' not in again
    act("own-unit", dimension="temperature", unit="K")
    changed = client.get(f"/p/{row.pk}/process/", headers=asked).content.decode()
    assert 'id="unit-1"' in changed and f'data-of="{mark}"' not in changed


def test_a_range_typed_in_mass_scans_mass_of_a_feed_given_in_moles(client, row, act):
    """Ethylene is 28.053 g/mol; the feed stays given in moles, and a point goes back into it."""
    act("scan-edit", id="scan1", knob="flow of ethylene in ethylene_feed", low="", high="", points="3")
    act("scan-edit", id="scan1", low="2000 kg/h", high="3000 kg/h")
    document = row.current.document
    knob = next(k for k in document["knobs"] if k["input"] == "ethylene_feed.mass_flow.ethylene")
    assert document["scans"][0]["over"][0] | {"knob": knob["id"]} == document["scans"][0]["over"][0]
    shown = page(client, row, "scans")
    assert "2000 kg/h" in shown and "3000 kg/h" in shown
    act("set", address="ethylene_feed.mass_flow.ethylene", value="2805.3 kg/h")
    given = row.current.document["streams"][0]["given"]["flow"]["ethylene"]
    assert abs(float(given.split()[0]) - 100.0) < 0.01 and given.endswith("kmol/h")
    act("scan-edit", id="scan1", low="2 bar", high="3000 kg/h")
    refused = client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1", "version": row.version})
    assert "2 bar" in refused.content.decode()


def test_a_range_typed_in_kelvin_is_drawn_tabled_and_exported_in_it(client, row, act):
    act("scan-edit", id="scan1", knob="R1.temperature", low="", high="", points="3")
    act("scan-edit", id="scan1", low="490 K", high="530 K", points="3")
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1", "version": row.version})
    html = page(client, row, "scans", "?select=scan1")
    assert "<th>490.0" in html and '"x_unit": "K"' in html
    run = row.scan_runs.first()
    text = client.get(f"/p/{row.pk}/scan-run/{run.pk}.csv").content.decode()
    assert "reactor temperature [K]" in text and "\n490," in text
    act("carry", point='{"R1.temperature": "510 K"}', select="scan1")
    assert row.current.worked.unit("R1").heat.temperature == "510 K"
