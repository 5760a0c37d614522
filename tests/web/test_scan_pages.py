"""Scans on the page: two knobs, the answer in words, points carried back or kept, gauges thought of later."""

import json

import pytest
from test_stages import page, text_of

from gulch.engine.document import load
from gulch.web.scans import presenter


@pytest.fixture
def scanned(client, row, act):
    """The demo's scan, run."""
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    return row.scan_runs.get()


def now(row):
    row.refresh_from_db()
    return load(row.current.document)


def answer(client, row):
    text = page(client, row, "scans")
    return " ".join(text_of(text[text.index('id="scan-answer"') :].split("</form>")[0]).split())


def test_the_answer_names_window_reason_and_best(client, row, scanned):
    words = answer(client, row)
    assert "All limits hold from 3.743 % to 20.00 % of purge share; below, recycle flow is too high." in words
    assert "Highest ethanol in product: 51.655 kmol/h at 6.484 %" in words
    assert scanned.result["edges"] and scanned.result["peaks"]


def test_limits_of_today_count_and_gauges_of_today_are_read(client, row, act, scanned):
    act("gauge-edit", id="recycle_flow", field="at_most", value="500")
    act("gauge", address="purge.flow")
    new = now(row).gauges[-1].id
    act("scan-edit", id="scan1", gauges_sent="1", gauges=["recycle_flow", new], shows=new, aim="lowest")
    words = answer(client, row)
    assert "All limits hold from 8.3" in words  # a straight line between points, until the scan is run with this limit
    assert "Lowest Molar flow of purge: 45." in words
    act("gauge-formula", formula="purge.flow/purge.volume_flow", label="purge density")
    new = now(row).gauges[-1].id
    act("scan-edit", id="scan1", gauges_sent="1", gauges=["recycle_flow", new], shows=new)
    assert "Lowest purge density: " in answer(client, row)
    assert row.scan_runs.count() == 1  # nothing was run again


def test_limits_that_no_point_meets_are_named_with_the_nearest_point(client, row, act, scanned):
    act("gauge-edit", id="purity", field="at_least", value="60.9 %")
    act("gauge-edit", id="recycle_flow", field="at_most", value="300")
    words = answer(client, row)
    assert "No point meets all limits: ethanol share of product ≥ 60.90 % and recycle flow ≤ 300.0 kmol/h exclude each other" in words
    assert "The nearest point is" in words


def test_two_knobs_are_typed_run_and_carried_back(client, row, act):
    act("scan-edit", id="scan1", knob="reactor_T", low="", high="", points="3")
    act("scan-edit", id="scan1", knob2="water", points2="50 kmol/h")
    scan = now(row).scan("scan1")
    assert [s.knob for s in scan.over] == ["reactor_T", "water"] and scan.over[1].step == "50 kmol/h"
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    run = row.scan_runs.get()
    assert run.state == "done" and run.total == run.done == 15  # 60, 110, 160, 210 and 250 kmol/h
    words = answer(client, row)
    assert "points meet all limits" in words and "never called best" in words
    assert '"kind": "contours"' in page(client, row, "scans")
    csv = client.get(f"/p/{row.pk}/scan-run/{run.pk}.csv").content.decode().split("\n")
    assert csv[0].startswith("reactor temperature [°C],water fed [kmol/h]") and len(csv) == 17
    point = {"R1.temperature": "225 degC", "water_feed.flow.water": "110 kmol/h"}
    act("carry", point=json.dumps(point), select="scan1")
    assert now(row).unit("R1").heat.temperature.replace(" ", "") == "225degC"
    assert now(row).stream("water_feed").given.flow["water"] == "110 kmol/h"
    act("scan-edit", id="scan1", knob2="drum_T")
    assert now(row).scan("scan1").over[1].step is None  # kmol/h are no step of a temperature
    act("scan-edit", id="scan1", knob2="")
    assert len(now(row).scan("scan1").over) == 1


def test_a_point_is_kept_as_a_variant(row, act, scanned):
    act("keep-point", point=json.dumps({"SPLIT.drawn": "4 %"}), name="small purge")
    whole = now(row)
    assert [v.name for v in whole.variants][-1] == "small purge" and whole.working == whole.variants[-1].id
    assert whole.unit("SPLIT").drawn == "6.5 %" and whole.variants[-1].edits[0].to == "4 %"
    act("variant-work", id="")
    act("keep-point", point=json.dumps({"SPLIT.drawn": "5 %"}), name="")
    assert [v.name for v in now(row).variants][-1] == "5 %"
    assert "named small purge already" in act("keep-point", 422, point=json.dumps({"SPLIT.drawn": "5 %"}), name="small purge")


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"points": "3.5"}, "is not a number of points"),
        ({"points": "900"}, "900 points cannot be scanned"),
        ({"knob": "magic"}, "choose another"),
        ({"spacing": "sideways"}, "Input should be"),
        ({"aim": "middle"}, "Input should be"),
    ],
)
def test_what_cannot_be_asked_is_refused(row, act, form, words):
    assert words in text_of(act("scan-edit", 422, id="scan1", **form))


def test_a_long_table_is_cut_and_says_so(client, row, scanned, monkeypatch):
    monkeypatch.setattr(presenter, "MOST_ROWS", 5)
    html = page(client, row, "scans")
    assert html.count('aria-label="use ') == 5 and "The first 5 of 13 points" in text_of(html)
    assert "All limits hold from 3.743 %" in answer(client, row)  # the answer rests on all of them


def test_too_many_points_are_refused_before_they_run(client, row, act):
    act("scan-edit", id="scan1", knob2="water", points="400", points2="400")
    response = client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    assert response.status_code == 422 and "160000 points would take" in text_of(response.content.decode())


def test_what_matters_most_ranks_the_knobs_and_gives_sensitivities(client, row):
    html = client.get(f"/p/{row.pk}/scans/?select=swings").content.decode()
    words = " ".join(text_of(html).split())
    table = words[words.index("Sensitivities at the present point") :]
    assert table.index("water fed") < table.index("reactor temperature") < table.index("purge share")  # of ethanol in product
    assert "−0.775 kmol/h per K" in table and "−107 kmol/h per %" in table
    assert "water fed at 250.0 kmol/h: more phases are indicated than are modelled" in words
    other = " ".join(text_of(client.get(f"/p/{row.pk}/scans/?select=swings:recycle_flow").content.decode()).split())
    assert "Swing" not in other and other.count("recycle flow") > 1
    assert row.outcomes.count() == 2  # the process and its swings, asked for twice


def test_what_matters_most_without_knobs_says_what_to_do(client, row, act):
    for knob in now(row).knobs:
        act("knob-remove", id=knob.id)
    assert "Make inputs knobs" in text_of(client.get(f"/p/{row.pk}/scans/?select=swings").content.decode())


def test_a_doubt_can_be_let_pass_and_minded_again(client, row, act):
    act("scan-edit", id="scan2", low="195 degC", high="215 degC", points="3", low2="150", high2="250", points2="3")
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan2"})
    html = client.get(f"/p/{row.pk}/scans/?select=scan2").content.decode()
    before = " ".join(text_of(html).split())
    assert '["doubt", "' in html
    assert "never called best" in before and "Let it pass" in before
    for code in ("wrong-phase", "further-phase"):
        act("scan-pass", id="scan2", code=code)
    after = " ".join(text_of(client.get(f"/p/{row.pk}/scans/?select=scan2").content.decode()).split())
    assert '["doubt", "' not in client.get(f"/p/{row.pk}/scans/?select=scan2").content.decode()
    assert "never called best" not in after and "Let pass a reactor holds another phase" in after
    act("scan-pass", id="scan2", code="wrong-phase")
    assert now(row).scan("scan2").passing == ["further-phase"]
