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
