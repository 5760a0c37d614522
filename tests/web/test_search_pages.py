"""Searches on the page: the best with what holds it, the trade-off, doubts, points carried back or kept, going on, files."""

import csv
import io
import json
import re

import pytest
from by_hand import OVER, gas_tank, tank
from helpers import document
from test_stages import page, text_of

from gulch.engine.document import load
from gulch.engine.project.variants import worked
from gulch.web.projects.actions import create_project
from gulch.web.projects.models import ScanRun


def now(row):
    row.refresh_from_db()
    return load(row.current.document)


def words(client, row, id_):
    return " ".join(text_of(page(client, row, "scans", f"?select={id_}")).split())


def ask(client, row, id_):
    return client.post(f"/p/{row.pk}/scan-run/", {"id": id_, "select": id_})


@pytest.fixture
def sought(client, row, act):
    """A search for most ethanol by reactor temperature alone, answered."""
    act("search-remove", id="best1")
    act("search-add")
    for knob in ("purge_share", "drum_T", "water"):
        act("search-turn", id="best1", knob=knob)
    ask(client, row, "best1")
    return row.scan_runs.get()


def test_the_answer_says_where_how_much_and_what_holds_it(client, row, sought):
    text = words(client, row, "best1")
    assert sought.state == ScanRun.DONE and sought.result["kind"] == "best"
    found = sought.result
    assert re.search(
        r"Highest ethanol in product inside all limits: \d+\.\d+ kmol/h at reactor temperature \d+\.\d °C , \d+\.\d+ kmol/h above", text
    )
    assert "nothing but gas in R1" in text or "two phases at most" in text or "low end of its range" in text
    assert "none is better inside the limits" in text and "loses at most 1 %" in text and "which is what these knobs move it by" in text
    assert "It rests on 11 looks" in text and "is not proved" in text
    assert f"{found['solves']} solves" in text
    assert 'id="scan-data"' in page(client, row, "scans", "?select=best1")


def test_the_best_is_used_and_the_question_still_stands(client, row, act, sought):
    text = page(client, row, "scans", "?select=best1")
    point = json.loads(re.search(r'id="use-best"\s+hx-post="[^"]+" hx-vals=\'({.*?})\'', text)[1])["point"]
    act("carry", point=point, select="best1")
    assert worked(now(row)).unit("R1").heat.temperature.startswith(json.loads(point)["R1.temperature"].split()[0])
    text = words(client, row, "best1")
    assert "the question has changed" not in text and ", as it is now" in text
    act("gauge-edit", id="purity", field="at_least", value="52 %")
    assert "the question has changed since" in words(client, row, "best1")


def test_the_best_is_kept_as_a_variant(row, act, sought):
    values = sought.result["values"]
    act("keep-point", point=json.dumps({"R1.temperature": f"{values[0]:.6f} K"}), name="most ethanol")
    project = now(row)
    assert project.working and project.variants[-1].name == "most ethanol"


def test_a_doubt_is_let_pass(client, row, act, sought):
    act("search-turn", {"on": "1"}, id="best1", knob="reactor_T", low="170 degC")  # where the reactor holds liquid
    ask(client, row, "best1")
    careful = row.scan_runs.first().result["reads"]
    codes = re.findall(r'id="pass-([a-z-]+)"', page(client, row, "scans", "?select=best1"))
    assert codes
    for code in codes:
        act("scan-pass", id="best1", code=code, select="best1")
    ask(client, row, "best1")
    careless = row.scan_runs.first().result
    assert careless["reads"] >= careful and "Let pass" in words(client, row, "best1")


@pytest.fixture
def small(user):
    """A tank of which everything is known by formula; its row."""
    gauges = [{"id": "B", "reads": "out.flow.B"}, {"id": "A", "reads": "out.flow.A", "at_most": "0.4e-3 kmol/h"}]
    return create_project(user, tank(OVER, gauges), "Tank")


@pytest.fixture
def act(client, row):
    """Post an edit of the demo, or of another project; returns the page."""

    def post(name, more=None, /, status=200, on=row, **form):
        on.refresh_from_db()
        form = {"version": on.version} | form | (more or {})
        response = client.post(f"/p/{on.pk}/do/{name}/", form, headers={"HX-Request": "true"})
        assert response.status_code == status, response.content.decode()[:2000]
        return response.content.decode()

    return post


def test_a_trade_off_is_a_curve_whose_points_are_carried_back(client, small, act):
    act("search-add", on=small, trade="1")
    act("search-edit", on=small, id="trade1", against_way="lowest")
    ask(client, small, "trade1")
    run = small.scan_runs.get()
    assert run.result["kind"] == "trade-off" and len(run.result["points"]) > 3 and run.result["knee"] is not None
    text = page(client, small, "scans", "?select=trade1")
    assert "It bends most at" in " ".join(text_of(text).split()) and text.count('aria-label="use ') == len(run.result["points"])
    rows = list(csv.reader(io.StringIO(client.get(f"/p/{small.pk}/scan-run/{run.pk}.csv").content.decode())))
    assert len(rows) == 1 + len(run.result["points"]) and "Volume" in rows[0][0]


def test_the_file_holds_every_solve_the_best_first(client, small, act):
    act("search-add", on=small)
    ask(client, small, "best1")
    run = small.scan_runs.get()
    rows = list(csv.reader(io.StringIO(client.get(f"/p/{small.pk}/scan-run/{run.pk}.csv").content.decode())))
    assert len(rows) == 1 + run.points.count() and float(rows[1][2]) >= max(float(r[2]) for r in rows[1:] if float(r[3]) <= 0.4e-3)


def test_ranges_and_aims_are_typed(client, small, act):
    act("search-add", on=small)
    act("search-turn", on=small, id="best1", knob="V")
    assert [t.knob for t in now(small).search("best1").over] == ["F"]
    act("search-turn", {"on": "1"}, on=small, id="best1", knob="V", low="0.2", high="1 m3")
    entry = now(small).search("best1")
    assert [(t.knob, t.low, t.high) for t in entry.over] == [("V", "0.2 m3", "1 m3"), ("F", None, None)]
    act("search-edit", on=small, id="best1", aim="A", way="lowest")
    assert (now(small).search("best1").aim, now(small).search("best1").way) == ("A", "lowest")
    act("search-remove", on=small, id="best1")
    assert now(small).searches == []


def test_a_stopped_search_goes_on_from_what_is_kept(client, small, act):
    act("search-add", on=small)
    ask(client, small, "best1")
    run = small.scan_runs.get()
    whole = run.result["reads"]
    run.points.filter(place__gte=15).delete()
    kept = {k: run.result[k] for k in ("kind", "axes", "gauges", "aim", "highest", "digest")}
    ScanRun.objects.filter(pk=run.pk).update(state=ScanRun.CANCELLED, done=15, result=kept)
    text = page(client, small, "scans", "?select=best1")
    assert "15 solves are kept, the best of them" in " ".join(text_of(text).split()) and "resume-scan" in text
    client.post(f"/p/{small.pk}/scan-run/{run.pk}/resume/", {"select": "best1"})
    run.refresh_from_db()
    assert run.state == ScanRun.DONE and run.result["reads"] == pytest.approx(whole, rel=1e-4)


def test_limits_that_exclude_each_other_are_named(client, small, act):
    act("gauge", on=small, address="out.flow.C")
    new = now(small).gauges[-1].id
    act("gauge-edit", on=small, id=new, field="at_most", value="0.05e-3")
    act("search-add", on=small)
    ask(client, small, "best1")
    text = words(client, small, "best1")
    assert "points looked at" in text and "exclude each other" in text and "The nearest point is" in text


@pytest.mark.parametrize(
    ("edit", "said"),
    [
        ({"name": "search-edit", "id": "none"}, "The search is gone"),
        ({"name": "search-turn", "id": "best1", "knob": "none"}, "names no input of this process"),
        ({"name": "search-edit", "id": "best1", "against": "B", "aim": "B"}, "Both aims are the same gauge"),
    ],
)
def test_what_cannot_be_asked_is_refused(client, small, act, edit, said):
    act("search-add", on=small)
    assert said in text_of(act(edit.pop("name"), on=small, status=422, **edit))


def test_without_knobs_or_a_moving_aim_it_says_what_to_do(client, user, small, act):
    bare = create_project(user, gas_tank([("A = B", {"forward": {"k": "1 1/min"}})]), "Bare")
    act("search-add", on=bare)  # what can be turned and watched is made a knob and a gauge
    assert len(now(bare).knobs) == len(now(bare).gauges) == 1 and now(bare).searches
    nothing = create_project(user, document({}), "Nothing")
    assert "no input yet that could be turned" in text_of(act("search-add", on=nothing, status=422))
    act("gauge", on=small, address="feed.temperature")
    act("search-add", on=small)
    act("search-edit", on=small, id="best1", aim=now(small).gauges[-1].id)
    ask(client, small, "best1")
    run = small.scan_runs.get()
    assert run.state == ScanRun.FAILED and "No knob moves" in run.why and "No knob moves" in words(client, small, "best1")


def test_every_knob_left_out_is_refused(client, small, act):
    act("search-add", on=small)
    act("search-turn", on=small, id="best1", knob="V")
    assert "must turn a knob" in text_of(act("search-turn", on=small, id="best1", knob="F", status=422))


def test_a_search_that_ran_out_goes_on_on_the_page(client, row, act, sought):
    run = sought
    kept = run.points.count()
    run.result |= {"ended": "out of solves"}
    run.save(update_fields=["result"])
    html = page(client, row, "scans", "?select=best1")
    assert "Not complete: it ran out of solves" in text_of(html) and 'id="more-solves"' in html
    assert "found so far" in text_of(html)
    client.post(f"/p/{row.pk}/scan-run/{run.pk}/resume/", {"select": "best1"})
    run.refresh_from_db()
    assert run.state == ScanRun.DONE and run.result["ended"] == "" and run.points.count() >= kept
    assert "more-solves" not in page(client, row, "scans", "?select=best1")


def test_a_best_at_the_end_of_a_range_says_so_and_one_hidden_by_doubt_stands_beside_it(client, row, act):
    act("search-remove", id="best1")
    act("search-add")
    for knob in ("drum_T", "water", "purge_share"):
        act("search-turn", id="best1", knob=knob)
    act("search-turn", {"on": "1"}, id="best1", knob="reactor_T", low="215 degC", high="225 degC")
    ask(client, row, "best1")
    run = row.scan_runs.get()
    assert run.result["ends"], run.result
    assert "It stands at the end of a range (reactor temperature at the low end): by the slope there" in words(client, row, "best1")
    hidden = {"values": run.result["values"], "reads": 2.0 * run.result["reads"], "doubts": ["near-critical"]}
    run.result |= {"hidden": hidden}
    run.save(update_fields=["result"])
    text = words(client, row, "best1")
    assert "Better, but doubtful (a liquid is near its critical point)" in text


def test_answers_of_older_versions_are_shown(client, row, sought):
    for name in ("looks", "climbs", "span", "hidden"):
        sought.result.pop(name)
    sought.save(update_fields=["result"])
    text = words(client, row, "best1")
    assert "Highest ethanol in product" in text and "It rests on" not in text
