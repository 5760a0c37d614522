"""What it costs to build, on the page of prices: begun, typed over, paid back."""

from django.urls import reverse

from gulch.engine.document import load


def page_of(client, row):
    return client.get(reverse("stage", args=[row.pk, "scans"]) + "?select=worth").content.decode()


def test_costs_are_estimated_typed_over_and_paid_back(client, row, act):
    assert "Estimate it" in page_of(client, row)
    act("building-edit")
    page = page_of(client, row)
    assert 'id="building-table"' in page and "purchase" in page and 'value="532.9"' in page
    units = load(row.current.document).units
    for u in units:
        act("building-own", id=u.id, cost="100000")
    act("building-edit", payback="5")
    page = page_of(client, row)
    assert "fixed capital" in page and "to be earned a year" in page and "pay-back" in page
    row.refresh_from_db()
    entry = load(row.current.document).prices.building
    assert entry.payback == "5" and entry.own[units[0].id] == "100000"
    assert row.outcome().solution().overall["building"]["purchase"] == 1e5 * len(units)


def test_what_is_no_number_is_refused(client, row, act):
    act("building-edit")
    for name, value, words in (("index", "", "Type a number"), ("rate", "-1", "above zero"), ("coefficient", "hot", "id=")):
        assert words in act("building-edit", status=422, **{name: value})
    act("building-remove")
    row.refresh_from_db()
    assert load(row.current.document).prices.building is None
