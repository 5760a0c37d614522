"""Scans on the page: two knobs, the answer in words, points carried back or kept, gauges thought of later."""

import json
import re

import pytest
from test_stages import page, text_of

from gulch.demo import projects
from gulch.engine.document import load
from gulch.engine.explain import Plan
from gulch.engine.scans import scan
from gulch.engine.work import tasks
from gulch.web.projects.actions import create_project
from gulch.web.scans import jobs, presenter
from gulch.web.scans.today import result_today


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
    assert "All limits hold from 3.744 % to 20.00 % of purge share; below, recycle flow is too high." in words
    assert re.search(r"Highest ethanol in product: 52\.04\d kmol/h at 6\.31\d %", words)
    assert scanned.result["edges"] and scanned.result["peaks"]


def test_limits_of_today_count_and_gauges_of_today_are_read(client, row, act, scanned):
    act("gauge-edit", id="recycle_flow", field="at_most", value="500")
    act("gauge", address="purge.flow")
    new = now(row).gauges[-1].id
    act("scan-edit", id="scan1", gauges_sent="1", gauges=["recycle_flow", new], shows=new, aim="lowest")
    words = answer(client, row)
    assert "All limits hold from 8.4" in words  # a straight line between points, until the scan is run with this limit
    assert "Lowest Molar flow of purge: 46." in words
    act("gauge-formula", formula="purge.flow/purge.volume_flow", label="purge density")
    new = now(row).gauges[-1].id
    act("scan-edit", id="scan1", gauges_sent="1", gauges=["recycle_flow", new], shows=new)
    assert "Lowest purge density: " in answer(client, row)
    assert row.scan_runs.count() == 1  # nothing was run again


def test_limits_that_no_point_meets_are_named_with_the_nearest_point(client, row, act, scanned):
    act("gauge-edit", id="purity", field="at_least", value="61.5 %")
    act("gauge-edit", id="recycle_flow", field="at_most", value="300")
    words = answer(client, row)
    assert "No point meets all limits: ethanol share of product ≥ 61.50 % and recycle flow ≤ 300.0 kmol/h exclude each other" in words
    assert "The nearest point is" in words


def test_two_knobs_are_typed_run_and_carried_back(client, row, act):
    act("scan-edit", id="scan1", knob="reactor_T", low="190 degC", high="", points="3")
    act("scan-edit", id="scan1", knob2="water", low2="", high2="250 kmol/h", points2="50 kmol/h")
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
        ({"knob": "magic"}, "names no input of this process"),
        ({"knob": "pressure"}, "may be"),
        ({"shows": "magic"}, "names no result of this process"),
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
    assert "All limits hold from 3.744 %" in answer(client, row)  # the answer rests on all of them


def test_too_many_points_are_refused_before_they_run(client, row, act):
    act("scan-edit", id="scan1", knob2="water", points="400", points2="400")
    response = client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    assert response.status_code == 422 and "160000 points would take" in text_of(response.content.decode())


def test_what_matters_most_ranks_the_knobs_and_gives_sensitivities(client, row):
    html = client.get(f"/p/{row.pk}/scans/?select=swings").content.decode()
    words = " ".join(text_of(html).split())
    table = words[words.index("Sensitivities at the present point") :]
    assert table.index("water fed") < table.index("reactor temperature") < table.index("purge share")  # of ethanol in product
    assert "−0.736 kmol/h per K" in table and "−107 kmol/h per point" in table
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
    assert "never called best" not in after and "Let pass: points where a reactor holds another phase" in after
    act("scan-pass", id="scan2", code="wrong-phase")
    assert now(row).scan("scan2").passing == ["further-phase"]


def test_a_variant_made_of_a_point_is_answered_by_the_same_run(client, row, act, scanned):
    act("keep-point", point=json.dumps({"SPLIT.drawn": "5 %"}), name="less purge")
    assert now(row).working and "All limits hold from" in answer(client, row)
    assert "the process has changed since" not in text_of(page(client, row, "scans"))


def test_an_undo_brings_back_the_run_that_answers_it(client, row, act, scanned):
    first = answer(client, row)
    act("set", address="R1.temperature", value="225")
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    assert answer(client, row) != first
    client.post(f"/p/{row.pk}/undo/", headers={"HX-Request": "true"})
    assert answer(client, row) == first and row.scan_runs.count() == 2


def test_points_reached_before_are_taken_over_when_a_range_is_refined(client, row, act, scanned, monkeypatch):
    """13 points from 2 to 20 %: 25 points hold them all; a gauge added meanwhile is read from what they kept."""
    act("scan-edit", id="scan1", points="25")
    act("gauge", address="purge.flow")
    act("scan-edit", id="scan1", gauges_sent="1", gauges=["recycle_flow", now(row).gauges[-1].id])
    walked = []
    plain = scan.walk
    monkeypatch.setattr(tasks, "walk", lambda plan, entry, indices, *more: walked.extend(indices) or plain(plan, entry, indices, *more))
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    run = row.scan_runs.first()
    assert (run.state, run.done, run.total) == ("done", 25, 25) and sorted(walked) == list(range(1, 25, 2))
    points = [p.data for p in run.points.all()]
    new = now(row).gauges[-1].id
    flows = [p["gauges"][new] for p in points]
    alone = Plan(now(row)).run(overrides={"SPLIT.drawn": points[4]["value"]}).streams["purge"].total
    assert flows[4] == pytest.approx(alone, rel=1e-5) and None not in flows
    act("set", address="R1.temperature", value="225")
    walked.clear()
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    assert len(walked) >= 25  # another process: nothing is taken over


def test_where_the_best_is_nearly_reached_is_told(client, row, act, scanned):
    act("scan-edit", id="scan1", within="2 %")
    words = answer(client, row)
    assert re.search(r"Within 2\.00 % of that from 3\.744 % to 1\d\.\d+ %", words), words
    assert "may be lost" in text_of(act("scan-edit", id="scan1", within="120 %", status=422))


def test_a_scan_runs_for_every_variant_and_they_lie_beside_each_other(client, row, act):
    act("scan-edit", id="scan1", points="3")
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1", "select": "scan1", "all": "1"})
    runs = {r.variant: r for r in row.scan_runs.all()}
    assert set(runs) == {"", "single_pass", "purge_10"} and runs[""].state == "done"  # a target turns the knob of the fourth
    base, single = (r.points.first().data["gauges"]["overall"] for r in (runs[""], runs["single_pass"]))
    assert single < base
    text = page(client, row, "scans", "?select=scan1")
    assert "without recycle" in text_of(text) and '"others": []' in text
    text = page(client, row, "scans", f"?select=scan1&beside={runs['single_pass'].pk}")
    plot = json.loads(re.search(r'id="scan-data" type="application/json">(.*?)</script>', text)[1])
    assert {o["label"] for o in plot["others"]} >= {"overall conversion of ethylene, without recycle"}
    assert plot["others"][0]["y"][0] == pytest.approx(100 * single)
    assert '"others": []' in page(client, row, "scans", "?select=scan1&beside=")
    act("variant-work", id="single_pass")
    assert f"{100 * single:.4g}" in text_of(page(client, row, "scans", "?select=scan1"))  # its own run now


def test_points_are_pasted_as_a_table(client, row, act):
    act("scan-list", id="scan1", listed="reactor_T\twater\tpurge share\n220\t130\t6.5\n215 degC\t140\t5 %\n")
    entry = now(row).scan("scan1")
    assert [s.knob for s in entry.over] == ["reactor_T", "water", "purge_share"]
    assert entry.listed == [["220 degC", "130 kmol/h", "6.5 %"], ["215 degC", "140 kmol/h", "5 %"]]
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    run = row.scan_runs.get()
    assert (run.done, run.total) == (2, 2) and run.points.first().data["gauges"]["overall"] == pytest.approx(0.5390, abs=1e-4)
    text = page(client, row, "scans", "?select=scan1")
    plot = json.loads(re.search(r'id="scan-data" type="application/json">(.*?)</script>', text)[1])
    assert plot["kind"] == "lines" and plot["x"] == [1.0, 2.0] and plot["points"][1]["R1.temperature"] == "215 degC"
    assert "2 of 2 points" in text_of(text) and client.get(f"/p/{row.pk}/scan-run/{run.pk}.xlsx").content[:2] == b"PK"
    act("scan-list", id="scan1", listed="")
    assert now(row).scan("scan1").listed == [] and len(now(row).scan("scan1").over) == 2


@pytest.mark.parametrize(
    ("listed", "said"),
    [
        ("a\tb\n1\t2", "names no knobs"),
        ("water\n5 bar", "unit of pressure"),
        ("water", "holds 0 points"),
        ("water\n-5", "lies outside what"),
    ],
)
def test_a_table_that_cannot_be_read_is_refused(act, listed, said):
    assert said in text_of(act("scan-list", id="scan1", listed=listed, status=422))


def test_a_choice_gets_a_line_for_each_of_its_values(client, row, act):
    act("scan-edit", id="scan1", points="3")
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1", "select": "scan1", "all": "1", "choice": "phase_model"})
    runs = {r.variant: r for r in row.scan_runs.all()}
    assert {"", "=phase_model=ideal", "=phase_model=soave-redlich-kwong"} <= set(runs)
    plain, other = (runs[v].points.first().data["gauges"]["overall"] for v in ("", "=phase_model=ideal"))
    assert plain != pytest.approx(other, rel=1e-3)
    text = page(client, row, "scans", f"?select=scan1&beside={runs['=phase_model=ideal'].pk}")
    plot = json.loads(re.search(r'id="scan-data" type="application/json">(.*?)</script>', text)[1])
    assert plot["others"][0]["run"] == "ideal (Raoult)" and plot["others"][0]["y"][0] == pytest.approx(100 * other)
    sent = {"id": "scan1", "select": "scan1", "all": "1", "choice": "R1.magic"}
    assert "This choice is gone" in text_of(client.post(f"/p/{row.pk}/scan-run/", sent).content.decode())


def test_a_gauge_thought_of_later_brings_its_doubts_along(client, user, act):
    """The condensate is colder than the data reach; conversion stands before it, what is made behind."""
    styrene = next(p for p in projects() if "styrene" in p.name)
    styrene.unit("COOL").temperature = "-80 degC"  # colder than the heat capacities are known
    styrene.gauges = [g for g in styrene.gauges if g.id == "conversion"]
    styrene.scans, styrene.searches = styrene.scans[:1], []
    styrene.scans[0].gauges, styrene.scans[0].over[0].points = [], 3
    own = create_project(user, styrene, "Styrene")
    client.post(f"/p/{own.pk}/scan-run/", {"id": "scan1"})
    entry, run = styrene.scans[0], own.scan_runs.get()
    assert all(p.data["doubts"] == [] and p.data["doubted"] for p in run.points.all())
    styrene.gauges = [*styrene.gauges, *(g for g in projects()[2].gauges if g.id == "made")]
    assert all(p["doubts"] == ["beyond-data"] for p in result_today(run, styrene, entry)["points"])
    entry.over[0].points = 5
    again = own.scan_runs.create(revision=own.current, scan="scan1", total=5, result=run.result)
    jobs.reuse(again, styrene, entry)
    assert again.points.count() == 3 and all(p.data["doubts"] == ["beyond-data"] for p in again.points.all())
