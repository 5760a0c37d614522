"""A scan over a loop with several steady states, on the page, in files and in the notebook."""

import re

import pytest
from heated import autothermal
from test_stages import page, text_of

from gulch.engine.document import load
from gulch.web.projects.actions import create_project
from gulch.web.scans.today import result_today

OVER = {"id": "s1", "over": [{"knob": "inlet", "low": "100 degC", "high": "340 degC", "points": 4}]}


@pytest.fixture
def row(user):
    return create_project(user, autothermal(scans=[OVER]), "Heat returned")


def words(client, row, stage):
    return " ".join(text_of(page(client, row, stage)).split())


def test_branches_are_told_taken_and_read_with_gauges_thought_of_later(client, row, act):
    client.post(f"/p/{row.pk}/scan-run/", {"id": "s1"})
    run = row.scan_runs.get()
    assert run.state == run.DONE and [len(c["arcs"]) for c in run.result["branches"]] == [3]
    told = words(client, row, "scans")
    assert "Lowered past 137.0 °C with hot at 523.1 °C, it goes out." in told and "Raised past 319.1 °C" in told
    assert "hot: the branch of steady states run before ends at feed temperature 319.09 °C, where the loop ignites." in told
    assert told.count("does not last") == 1 and told.count("● lasts") == 2 and "Run on it" in told

    act("gauge", address="product.temperature")
    act("scan-edit", id="s1", gauges_sent="1", gauges=["conversion", load(row.current.document).gauges[-1].id])
    row.refresh_from_db()
    document = load(row.current.document)
    result = result_today(run, document, document.scan("s1"))
    new = document.gauges[-1].id
    assert all(p["gauges"][new] for c in result["branches"] for a in c["arcs"] for p in a["points"])

    assert "where the loop ignites" in client.get(f"/p/{row.pk}/scan-run/{run.pk}.csv").content.decode()
    act("loop-state", stream="hot", state="nearest", near="538.6 degC")
    row.refresh_from_db()
    assert load(row.current.document).tear("hot").state == "nearest"
    shown = words(client, row, "scans")
    assert re.search(r"● lasts 137.0 °C to 340.0 °C [\d. °Cto]+ about 53[89] °C runs", shown), shown[shown.index("branch") :][:600]


def test_the_notebook_lists_every_steady_state(client, row):
    told = words(client, row, "notebook")
    assert "Steady state, hot at gain conversion" in told
    assert "506.8 °C does not last" in told and "150.0 °C lasts" in told
