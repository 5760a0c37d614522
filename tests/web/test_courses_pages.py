"""Properties over temperature of a species and of a stream, beside them and as a file."""

import csv
import io
import json
import re

import pytest

pytestmark = pytest.mark.django_db


def data(html, number):
    return json.loads(re.search(rf'id="course-{number}-data" type="application/json">(.*?)</script>', html)[1])


def test_a_species_is_drawn_over_temperature_with_its_sources(client, row):
    html = client.get(f"/p/{row.pk}/courses/ethanol/").content.decode()
    labels = [data(html, n)["groups"][0]["label"] for n in range(8)]
    assert labels[0].startswith("Heat capacity") and labels[4] == "Vapour pressure" and html.count('class="quietly"') == 8
    assert labels[5:] == ["Heat of vaporisation", "Heat capacity of the liquid", "Density of the boiling liquid"]
    boils = data(html, 4)
    (pressure,) = boils["groups"][0]["series"]
    assert boils["x_unit"] == "°C" and boils["groups"][0]["axes"][0]["unit"] == "bar"
    near = min(range(len(boils["x"])), key=lambda i: abs(boils["x"][i] - 78.3))
    assert 0.5 < pressure["y"][near] < 2.0  # boils at 78.3 °C and 1.013 bar (CRC Handbook)


def test_a_stream_is_drawn_at_its_pressure_and_kept_as_a_file(client, row, act):
    act("own-unit", dimension="temperature", unit="K")
    html = client.get(f"/p/{row.pk}/courses/S3/", {"low": "300 K", "high": "500 K"}).content.decode()
    vapour = data(html, 0)
    assert vapour["x"][0] == 300.0 and vapour["x"][-1] == 500.0 and vapour["x_unit"] == "K"
    share = vapour["groups"][0]["series"][0]["y"]
    assert share[-1] == 100.0 and 80.0 < share[0] < 90.0
    answer = client.get(f"/p/{row.pk}/courses/S3/?file=csv&low=300+K&high=500+K")
    rows = list(csv.reader(io.StringIO(answer.content.decode())))
    assert rows[0][:2] == ["T [K]", "Vapour fraction [%]"] and float(rows[-1][0]) == 500.0
    heads = rows[0]
    assert "K of hydration" in heads and all(heads[i] == "T [K]" for i in (0, heads.index("K of hydration") - 1))
    assert len(rows) == 44  # 41 points, and both sides of its dew point
    assert "S3.csv" in answer["Content-Disposition"]


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"low": "36 foo"}, "36 foo"),
        ({"low": "500 K", "high": "300 K"}, "The range must rise"),
        ({"low": "5 K", "high": "300 K"}, "The range must rise, between"),
        ({"low": "9" * 60, "high": "300 K"}, "has no unit"),
    ],
)
def test_a_range_that_cannot_be_is_a_sentence(client, row, given, said):
    answer = client.get(f"/p/{row.pk}/courses/S3/", given)
    assert answer.status_code == 200 and said in answer.content.decode()


def test_what_is_not_there_or_not_solved_says_so(client, row, act):
    assert client.get(f"/p/{row.pk}/courses/nothing/").status_code == 404
    act("set", address="ethylene_feed.flow.ethylene", value="36 foo")
    assert client.get(f"/p/{row.pk}/courses/S3/").status_code == 200


def test_a_stream_is_drawn_over_pressure_at_its_temperature(client, row):
    html = client.get(f"/p/{row.pk}/courses/S3/", {"along": "pressure"}).content.decode()
    vapour = data(html, 0)
    assert vapour["x_label"] == "P" and vapour["x_unit"] == "bar" and "at 220" in html
    assert vapour["x"][0] == pytest.approx(68.0 / 5) and vapour["x"][-1] == pytest.approx(68.0 * 5)
    assert "K of" not in html  # constants do not hang on pressure
    html = client.get(f"/p/{row.pk}/courses/S3/", {"along": "pressure", "low": "1 K", "high": "2 bar"}).content.decode()
    assert "1 K" in html and "course-0" not in html


def test_a_datum_has_its_own_plot_where_one_can_be_drawn(client, row):
    page = client.get(f"/p/{row.pk}/chemistry/?select=species:ethanol").content.decode()
    assert 'id="plot-vaporisation"' in page and 'id="plot-heat_capacity"' in page and 'id="plot-critical_pressure"' not in page
    html = client.get(f"/p/{row.pk}/courses/ethanol/?only=vaporisation").content.decode()
    assert html.count("course-plot") == 1 and 'id="vaporisation-0-data"' in html
    answer = client.get(f"/p/{row.pk}/courses/ethanol/?file=csv&only=vaporisation")
    assert answer.content.decode().splitlines()[0] == "T [°C],Heat of vaporisation [kJ/mol]"
    nothing = client.get(f"/p/{row.pk}/courses/ethanol/?only=nothing").content.decode()
    assert "Nothing is known of it over temperature." in nothing
