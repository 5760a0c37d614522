"""Prices typed on the page, the account, and worth as a gauge, an aim and in variants."""

import re

import pytest
from test_stages import page, text_of

from gulch.engine.document import load
from gulch.web.scans.worth import money


def now(row):
    row.refresh_from_db()
    return load(row.current.document)


def words(client, row):
    return " ".join(text_of(page(client, row, "scans", "?select=worth")).split())


@pytest.fixture
def priced(act):
    act("prices-remove")
    act("prices-begin")
    act("prices-edit", currency="crowns", date="2026-05", work="80")
    for id_, bought, sold in (("ethylene", "0.75", "0.3"), ("water", "0.001", "0"), ("ethane", "0.2", "0")):
        act("price-species", id=id_, bought=bought, sold=sold)
    act("price-species", id="ethanol", sold="0.95")
    act("price-species", id="ether", sold="0.4")
    act("price-stream", id="purge", fate="nothing")
    act("heat-price-add", use="heating")
    act("heat-price-edit", at="0", name="fired heater", reaches="400", price="13")
    act("heat-price-add", use="cooling")
    act("heat-price-edit", at="1", price="0.4")


def test_prices_make_an_account_an_hour_and_a_year(client, row, act, priced):
    text = words(client, row)
    assert "The process is worth −18.23 crowns an hour, −145 800 a year of 8000 hours." in text
    assert "fired heater heating, H1" in text and "ethylene bought, ethylene_feed" in text
    assert now(row).prices.heat[0].reaches == "400 degC" and now(row).prices.date == "2026-05"
    act("operating-hours", value="4000")
    assert re.search(r"−72 9\d0 a year", words(client, row))  # half of that


def test_worth_is_a_gauge_and_an_aim_and_counts_in_variants(client, row, act, priced):
    assert now(row).search("best1").aim == now(row).gauges[-1].id == "worth"
    for knob in ("purge_share", "drum_T", "reactor_T"):
        act("search-turn", id="best1", knob=knob)
    client.post(f"/p/{row.pk}/scan-run/", {"id": "best1", "select": "best1"})
    said = " ".join(text_of(page(client, row, "scans", "?select=best1")).split())
    assert re.search(r"Highest worth in crowns inside all limits: [\d .]+ per hour", said)
    year = " ".join(text_of(page(client, row, "variants", "?compare=per-year")).split())
    assert "worth in crowns" in year and "million" in year


def test_what_is_missing_is_said_and_removing_forgets(client, row, act, priced):
    act("price-species", id="ethanol", sold="")
    assert "ethanol is sold in product without a price." in words(client, row) and "no value yet" in words(client, row)
    act("heat-price-remove", at="0")
    assert "No heating reaches the 220.0 °C of H1" in words(client, row)
    act("prices-remove")
    assert "Type prices" in words(client, row) and now(row).prices is None


@pytest.mark.parametrize(
    ("edit", "form", "said"),
    [
        ("price-species", {"id": "ethanol", "sold": "cheap"}, "“cheap” is no price"),
        ("price-species", {"id": "none", "sold": "1"}, "The species is gone"),
        ("heat-price-edit", {"at": "9", "price": "1"}, "The medium is gone"),
        ("heat-price-edit", {"at": "0", "reaches": "5 bar"}, "unit of pressure"),
        ("prices-edit", {"currency": "a very long currency"}, "at most 12 characters"),
        ("prices-edit", {"work": "1e5"}, "is no price"),
    ],
)
def test_bad_prices_are_refused(row, act, priced, edit, form, said):
    assert said in text_of(act(edit, status=422, **form))


def test_sums_are_readable():
    assert [money(v) for v in (-16828943.2, 999.96, 1234.5, 0.0, 2310.0)] == [
        "−16\u202f830\u202f000", "1\u202f000", "1\u202f234", "0", "2\u202f310",
    ]  # fmt: skip
