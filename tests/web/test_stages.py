"""Each stage shows what the engine found, and its edits reach the document."""

import re

import pytest
from django.db import OperationalError
from helpers import LIGHT, demo, document, feed

from gulch.engine.document import load
from gulch.engine.explain import Plan
from gulch.engine.quantities import show
from gulch.web.projects.actions import create_project
from gulch.web.projects.models import ScanRun
from gulch.web.scans import jobs, running


def text_of(html):
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", html))


def page(client, row, stage, query=""):
    response = client.get(f"/p/{row.pk}/{stage}/{query}")
    assert response.status_code == 200
    return response.content.decode()


def test_every_stage_opens_for_an_empty_project(client, user):
    row = create_project(user, document({}), "Start")
    for stage in ("chemistry", "process", "loops", "scans"):
        assert "Gulch" in page(client, row, stage)
    assert "Choose the species first" in page(client, row, "process")
    assert client.get(f"/p/{row.pk}/nonsense/").status_code == 404


def test_process_shows_ledger_strip_and_map(client, row):
    html = page(client, row, "process")
    words = text_of(html)
    assert (
        "overall conversion of ethylene, ≥ 40 %: inside its limits" in " ".join(html.split()) and "53.91 %" in words and "recycle" in words
    )
    compact = html.replace(": ", ":").replace(", ", ",")
    assert '"id":"R1"' in compact and '"units":["MIX","H1"' in compact
    assert "solved in" in words


@pytest.mark.parametrize(
    "select",
    ["MIX", "H1", "R1", "DRUM", "SPLIT", "K1", "product", "ethylene_feed", "knob:drum_T", "gauge:purity", "nothing"],
)
def test_inspector_opens_for_anything(client, row, select):
    html = page(client, row, "process", f"?select={select}")
    assert 'id="inspector"' in html


def test_reactor_account_in_the_inspector(client, row):
    words = text_of(page(client, row, "process", "?select=R1"))
    assert "All reactions of the set act together, whatever their steps." in words and "held 2.000 %" in words
    assert "ethylene 708.1 − 53.91 654.2" in words and "10 K colder gives" in words
    assert "mass 0 ✓" in words or re.search(r"mass [+-]\de-\d+ ✓", words)


def test_units_follow_the_display(client, row, act):
    act("display", value="us-customary")
    words = text_of(page(client, row, "process"))
    assert "lbmol/h" in words and "122.0" in words  # 50 °C
    act("set", address="COOL.temperature", value="130 F")
    assert row.current.document["units"][3]["temperature"] == "130 F"
    act("set", address="COOL.temperature", value="131")
    assert row.current.document["units"][3]["temperature"] == "131 degF"


def test_slider_tries_without_saving_and_saves_when_let_go(client, row, act):
    response = client.post(
        f"/p/{row.pk}/try/",
        {"id": "purge_share", "position": "500", "stage": "process"},
        headers={"HX-Request": "true"},
    )
    words = text_of(response.content.decode())
    row.refresh_from_db()
    alone = Plan(demo()).run(overrides={"SPLIT.drawn": 0.11})
    assert row.current.number == 1 and show(alone.gauges["overall"], "fraction") in words and "11.0 %" in response.content.decode()
    act("turn", id="purge_share", position="500")
    assert row.current.document["units"][5]["drawn"] == "11.0 %"


def test_knobs_and_gauges_come_and_go(client, row, act):
    act("knob", address="H1.temperature")
    knob = row.current.document["knobs"][-1]
    assert (knob["low"], knob["high"]) == ("170 degC", "270 degC")
    act("knob-edit", id=knob["id"], field="high", value="260")
    assert row.current.document["knobs"][-1]["high"] == "260 degC"
    act("knob-remove", id=knob["id"])
    act("gauge", address="R1.conversion.ethylene")
    gauge = row.current.document["gauges"][-1]["id"]
    html = act("gauge-edit", id=gauge, field="at_least", value="9")
    assert row.current.document["gauges"][-1]["at_least"] == "9 %"
    assert "below its limit of 9 %" in text_of(html) and "outside its limits" in html
    act("gauge-remove", id=gauge)
    assert len(row.current.document["gauges"]) == 6


def test_search_as_one_types(client, row):
    found = text_of(client.get(f"/p/{row.pk}/species/?q=methan").content.decode())
    assert "methane" in found and "methanol" in found
    assert "in the project" in text_of(client.get(f"/p/{row.pk}/species/?q=C2H4").content.decode())
    assert "Nothing in the databank" in client.get(f"/p/{row.pk}/species/?q=zzzz").content.decode()
    assert client.get(f"/p/{row.pk}/species/?q=<script>").content.decode().count("<script>") == 0


def test_reaction_brings_its_species(client, user, act, row):
    act("reaction-add", equation="CH4 + 2 O2 = CO2 + 2 H2O", add_species="1")
    assert {s["id"] for s in row.current.document["species"]} >= {"methane", "oxygen", "carbon_dioxide"}
    words = text_of(page(client, row, "chemistry"))
    assert "balanced: methane + 2 oxygen = carbon dioxide + 2 water" in words and "−8" in words and "ΔS°" in words


def test_unbalanced_reaction_is_shown_with_its_balance(client, row, act):
    html = act("reaction-edit", id="hydration", value="C2H4 + 2 H2O = ethanol", stage="chemistry")
    words = text_of(html)
    assert "not balanced: H 8 against 6, O 2 against 1" in words and "Take “C2H4 + H2O = ethanol”" in words
    act("reaction-edit", id="hydration", value="C2H4 + H2O = ethanol")
    assert row.latest["solved"]


def test_conversion_question_and_its_answers(client, row, act):
    html = act("conversion", id="hydration", key="ethylene", value="0.75", stage="chemistry")
    assert "Was 75 % meant?" in text_of(html) and row.current.document["reactions"][0]["conversion"]["value"] == "0.75 %"
    act("answer", where="hydration.conversion", value="75 %")
    assert row.current.document["reactions"][0]["conversion"]["value"] == "75 %"
    act("conversion", id="hydration", key="ethylene", value="0.75")
    html = act("answer", where="hydration.conversion", value="keep")
    assert "Was 75" not in html


def test_ledger_columns(client, row, act):
    html = act("ledger-columns", columns=["temperature", "mass_flow"], species="mass_fraction", stage="process")
    words = text_of(html.split('id="ledger"')[1])
    assert "Mass flow kg/h" in words and "Vapour fraction</span><small>" not in html
    kept = row.current.document["ledger"]
    assert (kept["columns"], kept["species"]) == (["temperature", "mass_flow"], "mass_fraction")


def test_loop_page_and_going_on(client, user):
    project = document(
        LIGHT,
        [{"id": "MIX", "kind": "mixer"}, {"id": "SEP", "kind": "species-separator", "share": {"hydrogen": "100 %"}}],
        [
            feed("f", "MIX", {"hydrogen": "1 kmol/h", "water": "1 kmol/h"}),
            {"id": "m", "from": "MIX", "to": "SEP"},
            {"id": "back", "from": "SEP.first", "to": "MIX"},
            {"id": "out", "from": "SEP.second"},
        ],
    )
    row = create_project(user, project, "Start")
    words = text_of(page(client, row, "loops"))
    assert "did not settle" in words and "hydrogen builds up" in words and "Go on from here" in words
    before = row.latest["start"]["tears"]["back"]["flow"]["hydrogen"]
    response = client.post(f"/p/{row.pk}/go-on/", headers={"HX-Request": "true"})
    row.refresh_from_db()
    assert response.status_code == 200 and row.latest["start"]["tears"]["back"]["flow"]["hydrogen"] > before


def test_scan_runs_is_tabulated_and_carried_back(client, row, act):
    assert client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"}).status_code == 200
    run = row.scan_runs.get()
    assert (run.state, run.done, run.total) == (ScanRun.DONE, 13, 13)
    words = text_of(page(client, row, "scans"))
    assert "53.91" in words and "13 of 13 points" in words and "of 13)" in words
    assert client.get(f"/p/{row.pk}/scan-run/{run.pk}.csv").content.decode().startswith("purge share [%]")
    act("carry", address="SPLIT.drawn", value="5 %")
    assert row.current.document["units"][5]["drawn"] == "5 %"
    assert "the process has changed since" not in text_of(page(client, row, "scans"))  # the scan turns that knob itself
    act("set", address="R1.temperature", value="225")
    assert "the process has changed since" in text_of(page(client, row, "scans"))


def test_scan_that_cannot_begin_says_why(client, row, act):
    act("scan-edit", id="scan1", knob="purge_share", low="40 %", high="20 %", points="5")
    response = client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    assert response.status_code == 422 and "low end" in response.content.decode()
    act("scan-edit", id="scan1", knob="purge_share", low="2 %", high="20 %", points="5")
    act("set", address="R1.temperature", value="hot")
    response = client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    assert response.status_code == 422 and "not ready" in response.content.decode()


def test_an_interrupted_scan_keeps_its_points_and_goes_on(client, row):
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    run = row.scan_runs.get()
    whole = jobs.result_of(run)
    run.points.filter(place__in=[3, 4, 11]).delete()
    ScanRun.objects.update(state=ScanRun.RUNNING, done=10)
    jobs.abandon_unfinished()  # as a server does that starts again
    words = text_of(page(client, row, "scans"))
    assert "10 of 13 points are there" in words and "The server stopped" in words and "Go on with the rest" in words
    client.post(f"/p/{row.pk}/scan-run/{run.pk}/resume/")
    run.refresh_from_db()
    assert (run.state, run.done) == (ScanRun.DONE, 13)
    for a, b in zip(jobs.result_of(run)["points"], whole["points"], strict=True):
        assert a["gauges"] == pytest.approx(b["gauges"], rel=1e-7)


def test_a_scan_that_nobody_works_on_is_noticed(client, row, monkeypatch):
    """Failed writes on the way lose no point, and a failed last word leaves no run that says “running” for ever."""
    write = running.ScanPoint.objects.bulk_create
    tries = []

    def refuse(*args, **kwargs):
        tries.append(1)
        if len(tries) < 3:
            raise OperationalError("database is locked")
        return write(*args, **kwargs)

    with monkeypatch.context() as patch:
        patch.setattr(running, "EVERY", 0.0)
        patch.setattr(running.ScanPoint.objects, "bulk_create", refuse)
        client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    run = row.scan_runs.get()
    assert (run.state, run.done, run.points.count()) == (ScanRun.DONE, 13, 13)
    ScanRun.objects.update(state=ScanRun.RUNNING)
    client.get(f"/p/{row.pk}/scan-run/{run.pk}/", headers={"HX-Request": "true"})
    run.refresh_from_db()
    assert run.state == ScanRun.FAILED and "could not be stored" in run.why


def test_names_are_escaped(client, row, act):
    act("project-name", value="<b>x</b>")
    act("gauge-edit", id="made", field="label", value='"><img src=x>')
    html = page(client, row, "process")
    assert "<b>x</b>" not in html and "<img src=x" not in html


def test_demo_loads_for_a_user_without_projects(client, user):
    response = client.post("/load-demo/", follow=True)
    assert demo().name in response.content.decode()


def test_mistyped_species_data_leave_every_page_standing(client, row, act):
    act("species-datum", id="ethanol", field="vapour_pressure", value="2 bar; x")
    for stage, query in (
        ("chemistry", "?select=species:ethanol"),
        ("process", "?select=R1"),
        ("loops", ""),
        ("scans", ""),
        ("sizing", ""),
    ):
        html = page(client, row, stage, query)
        assert "Vapour pressure of ethanol" in html
    refused = client.get(f"/p/{row.pk}/ledger.csv")
    assert refused.status_code == 409 and "does not solve as it stands" in refused.content.decode()
    act("species-order")
    words = text_of(act("reaction-add", status=422, equation="C2H6O = C2H4 + H2O", stage="chemistry"))
    assert "Vapour pressure of ethanol" in words and len(row.current.document["reactions"]) == 2
    act("species-datum", id="ethanol", field="vapour_pressure", value="")
    assert row.latest["solved"]


@pytest.mark.parametrize(
    ("action", "form", "select"),
    [
        ("rate-add", {"id": "hydration"}, "hydration"),
        ("equilibrium", {"id": "hydration", "field": "source", "value": "table"}, "hydration"),
        ("equilibrium", {"id": "hydration", "field": "low", "value": "150"}, "hydration"),
        ("polynomial", {"id": "hydration", "value": "0.1, 1e-4"}, "hydration"),
        ("species-source", {"id": "ethanol", "field": "entropy", "value": "CRC Handbook"}, "species:ethanol"),
        ("species-own", {"name": "lye", "formula": "NaOH", "non_volatile": "1"}, "species:lye"),
        ("species-fraction", {"name": "gas oil", "boiling_point": "270", "density": "850"}, "species:gas_oil"),
        ("measures", {"key": "ethylene", "product": "ether", "ratio": "2"}, ""),
        ("measures", {"key": "", "product": ""}, ""),
        ("set-preview", {"id": "main", "value": "recycle"}, ""),
        ("reactions-at", {"value": "300"}, ""),
    ],
)
def test_chemistry_edits_reach_the_document_and_undo(client, row, act, action, form, select):
    before = row.current.document
    html = act(action, stage="chemistry", **form)
    row.refresh_from_db()
    assert row.current.document != before and 'class="say error"' not in html
    assert page(client, row, "chemistry", f"?select={select}")
    client.post(f"/p/{row.pk}/undo/", {"version": row.version, "stage": "chemistry"}, headers={"HX-Request": "true"})
    row.refresh_from_db()
    assert row.current.document == before


@pytest.mark.parametrize(
    ("action", "form", "words"),
    [
        ("species-own", {"name": "x", "formula": "Qq"}, "is not a formula"),
        ("species-fraction", {"name": "x", "boiling_point": "270", "density": "1800"}, "contradicts its boiling point"),
        ("reaction-heat", {"id": "hydration", "value": "-45"}, "follows from their formation enthalpies"),
        ("reaction-heat", {"id": "nothing", "value": "-45"}, "is gone"),
        ("equilibrium", {"id": "nothing", "field": "a", "value": "1"}, "is gone"),
        ("rate", {"id": "hydration", "field": "forward.k", "value": "1"}, "is gone"),
        ("rate-add", {"id": "nothing"}, "is gone"),
        ("adsorption", {"id": "hydration", "at": "3", "field": "k", "value": "1"}, "is gone"),
        ("polynomial", {"id": "nothing", "value": "1"}, "key species"),
        ("sizing", {"tanks": "many"}, "not a number of tanks"),
        ("sizing", {"tanks": "99"}, "are not looked at"),
        ("sizing-place", {"way": "plug", "volume": "1 m3"}, "choose another"),
        ("run-state", {"id": "R1", "near": "300 K"}, "is gone"),
        ("set", {"address": "R1.runs.hydration", "value": "sideways"}, "not one of the ways"),
    ],
)
def test_edits_that_cannot_be_made_say_why(row, act, action, form, words):
    number = row.current.number
    assert words in text_of(act(action, status=422, **form))
    row.refresh_from_db()
    assert row.current.number == number


def test_mole_ratios_by_the_form(row, act):
    act("basis", id="ethylene_feed", value="mole-ratios")
    given = row.current.document["streams"][0]["given"]
    assert (given["to_species"], given["total"]) == ("ethylene", "100 kmol/h")
    act("set", address="ethylene_feed.ratio.ethane", value="0.03")
    act("set", address="ethylene_feed.total", value="90")
    assert row.latest["streams"]["ethylene_feed"]["flow"]["ethane"] == pytest.approx(2.7 / 3.6)
    html = act("set", address="ethylene_feed.to_species", value="water", select="ethylene_feed")
    assert row.latest["streams"]["ethylene_feed"]["flow"]["water"] == pytest.approx(90 / 3.6) and "Ratios are to" in html


def test_interaction_parameters_are_typed_and_taken_back(client, row, act):
    before = row.latest["gauges"]["purity"]
    html = act("interaction", a="ethylene", b="water", value="0.3", stage="chemistry")
    assert row.current.document["phase_model"]["interaction"][1:] == [{"pair": ["ethylene", "water"], "value": 0.3}]
    assert row.latest["gauges"]["purity"] != before and "2 of your own" in text_of(html) and "ethylene – water" in text_of(html)
    act("interaction", a="water", b="ethylene", value="")
    assert row.latest["gauges"]["purity"] == pytest.approx(before, rel=1e-7)
    for a, b, value, words in (
        ("water", "water", "0.1", "two different"),
        ("water", "ether", "7", "beyond all reason"),
        ("water", "ether", "x", "does not start"),
    ):
        assert words in text_of(act("interaction", status=422, a=a, b=b, value=value))


def test_parameters_of_a_pair_are_typed_and_taken_back(client, row, act):
    act("phase-model", value="nrtl")
    text = page(client, row, "chemistry")
    assert "Parameters of pairs, τ = a + b/T" in text_of(text) and "filled from UNIFAC" in text
    act("pair", a="water", b="ethanol", a_ab="3.458", a_ba="-0.801", b_ab="-586.1 K", b_ba="489 cal/mol", alpha="0.3")
    (entry,) = load(row.current.document).phase_model.pairs
    assert entry.model == "nrtl" and entry.a == (3.458, -0.801) and entry.b == ("-586.1 K", "489 cal/mol")
    assert "typed here" in page(client, row, "chemistry")
    for bad, words in (({"b_ab": "many"}, "350 K"), ({"a_ab": "586"}, "did you mean b"), ({"alpha": "3"}, "beyond reason")):
        refused = act("pair", status=422, a="water", b="ethanol", **({"a_ab": "", "a_ba": "", "b_ab": "", "b_ba": "", "alpha": ""} | bad))
        assert words in text_of(refused)
    act("pair-drop", a="water", b="ethanol")
    assert load(row.current.document).phase_model.pairs == []
    assert client.get(f"/p/{row.pk}/chemistry/").status_code == 200
    for name in ("phase-model", "model-vapour"):
        assert client.post(f"/p/{row.pk}/do/{name}/", {"version": row.version, "value": "none such"}).status_code in (409, 422)


def test_an_empty_field_is_no_knob_yet(row, act):
    words = text_of(act("knob", 422, address="DRUM.pressure"))
    assert "is empty, so there is nothing to turn yet" in words and "“None”" not in words


def test_what_nobody_typed_is_shown_in_the_projects_units(client, act, row):
    act("display", value="us-customary")
    act("reactions-at", value="")
    html = client.get(f"/p/{row.pk}/chemistry/").content.decode()
    assert 'value="77 °F"' in html
    act("reactions-at", value="30 degC")
    assert 'value="30 °C"' in client.get(f"/p/{row.pk}/chemistry/").content.decode()


def test_phase_models_are_tried_on_what_was_measured(client, row, act):
    """The advice comes by itself, with what each model makes of the pairs, and is kept."""
    act("phase-model", value="soave-redlich-kwong")
    assert f"/p/{row.pk}/model-trials/" in page(client, row, "chemistry")
    told = client.get(f"/p/{row.pk}/model-trials/").content.decode()
    assert "Tried on" in told and "ethylene in water" in text_of(told).lower() and "hx-get" not in told
    again = page(client, row, "chemistry")
    assert "Tried on" in again and "model-trials/" not in again


def test_advice_by_trial_says_which_models_it_could_not_take(client, user):
    """At 60 bar UNIFAC comes nearest to the azeotrope of ethanol with water, but an equation of state is advised."""
    project = document({"e": "64-17-5", "w": "7732-18-5"}, [], [feed("F", None, {"e": "1 kmol/h", "w": "1 kmol/h"}, P="60 bar")])
    project.phase_model.kind = "peng-robinson"
    own = create_project(user, project, "Still")
    text = text_of(client.get(f"/p/{own.pk}/model-trials/").content.decode())
    assert "predictive SRK suits this project better" in text and "comes nearest to what was measured" not in text
    assert "comes nearer, but is meant for pressures up to 10.0 bar" in text


def test_salts_among_weak_electrolytes_show_what_they_are_in_water(client, user):
    project = document({"w": "7732-18-5", "co2": "124-38-9", "lye": "1310-73-2"}, phase_model="electrolytes")
    own = create_project(user, project, "Scrubber")
    text = text_of(page(client, own, "chemistry", "?select=species:lye"))
    assert "−470.1 aq" in text and "takes it for ions in water: formation enthalpy −470.1 kJ/mol aq" in text
    pairs = page(client, own, "chemistry")
    assert "pair:w:co2" in pairs and "pair:w:lye" not in pairs


def test_the_constants_of_a_rate_law_can_be_turned(client, user):
    project = document(
        {"a": "110-54-3", "b": "107-83-5"}, reactions=[{"id": "r", "equation": "a = b", "rate": {"forward": {"k": "0.5 1/h"}}}]
    )
    own = create_project(user, project, "Isomers")
    assert 'address": "r.k"' in page(client, own, "chemistry", "?select=r").replace("&quot;", '"')
    form = {"address": "r.k", "version": own.version}
    told = client.post(f"/p/{own.pk}/do/knob/", form, headers={"HX-Request": "true"})
    assert told.status_code == 200
    own.refresh_from_db()
    assert own.current.document["knobs"][0]["input"] == "r.k"
    assert "Rate constant of r" in page(client, own, "process")
