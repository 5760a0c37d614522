"""The finder: things by their words, and things to do."""

import pytest

from gulch.web.projects.finding import found


def rows(client, row, query):
    return client.get(f"/p/{row.pk}/find/", {"q": query}).json()["rows"]


def test_an_input_is_found_by_its_words_and_its_knob_first(client, row):
    first, *rest = rows(client, row, "purge")
    assert first["words"] == "Knob purge share (First drawn share of SPLIT): 6.5 %" and first["url"].endswith("knob:purge_share")
    assert any(r["words"].startswith("Result Molar flow of purge") for r in rest)
    assert any("Gauge" in r["words"] for r in rows(client, row, "recycle flow"))
    assert rows(client, row, "purity")[0]["url"].endswith("select=gauge:purity"), "its id is a word that somebody chose for it"
    assert rows(client, row, "hydration")[-1]["url"].endswith("chemistry/?select=hydration")


def test_what_the_browser_completes_is_asked_for(client, row, django_user_model):
    """Commands and names in formulas are no part of a page: a process of sixty units has two thousand names."""
    commands = client.get(f"/p/{row.pk}/known/commands/").json()["rows"]
    assert {"words": "Open unit SPLIT (splitter)", "url": "../process/?select=SPLIT"} in commands
    assert {"words": "Undo", "click": "undo"} in commands
    known = dict(client.get(f"/p/{row.pk}/known/names/").json()["rows"])
    assert known["SPLIT.drawn"] == "First drawn share of SPLIT" and known["purge.flow"] == "Molar flow of purge"
    assert client.get(f"/p/{row.pk}/known/secrets/").status_code == 404
    page = client.get(f"/p/{row.pk}/process/", headers={"HX-Request": "true"}).content.decode()
    assert "Mole fraction of" not in page and "Open unit" not in page
    client.force_login(django_user_model.objects.create(username="other"))
    assert client.get(f"/p/{row.pk}/known/names/").status_code == 404


@pytest.mark.parametrize(
    ("query", "does", "form"),
    [
        ("set purge share 8 %", "set", {"address": "SPLIT.drawn", "value": "8 %"}),
        ("set purge share to 8 %", "set", {"address": "SPLIT.drawn", "value": "8 %"}),
        ("set reactor temperature 500 K", "set", {"address": "R1.temperature", "value": "500 K"}),
        ("set condenser temperature = 55", "set", {"address": "COOL.temperature", "value": "55"}),
        ("watch duty of COOL", "gauge", {"address": "COOL.duty"}),
        ("append flash drum to S3", "append", {"id": "S3", "kind": "flash-drum"}),
        ("add a pump after s4", "append", {"id": "S4", "kind": "pump"}),
        ("turn pressure K1", "knob", {"address": "K1.pressure"}),
    ],
)
def test_what_is_asked_for_in_words_is_offered_first(client, row, query, does, form):
    first = rows(client, row, query)[0]
    assert first["act"] == does and first["form"] == form


def test_a_scan_is_run_by_its_name(client, row):
    assert rows(client, row, "run scan")[0] == {"words": "Run scan of purge share", "run": "scan1"}
    assert [r["run"] for r in rows(client, row, "run water") if "run" in r] == ["scan2"]


def test_what_is_offered_can_be_done(client, row, act):
    offered = rows(client, row, "set purge share 8 %")[0]
    act(offered["act"], **offered["form"])
    row.refresh_from_db()
    assert row.current.worked.unit("SPLIT").drawn == "8 %"


def test_odd_words_find_nothing_and_break_nothing(client, row):
    for query in ("", "   ", "set", "set x", "append to", "(((", "\\", "run nothing at all", "é" * 500, "set nothing 8 %"):
        assert client.get(f"/p/{row.pk}/find/", {"q": query}).status_code == 200
    assert found(row.current.worked, "zzz") == []


def test_what_a_button_sends_is_what_was_meant():
    """1 and true are one key of a Python dict, and two things to a form; quotes and marks stay inside the attribute."""
    from gulch.web.templatetags.gulch import vals

    assert vals(on=1) == "hx-vals='{\"on\": 1}'" and vals(on=True) == "hx-vals='{\"on\": true}'"
    assert vals(of=["<b>", "it's & so"]) == 'hx-vals=\'{"of": ["\\u003Cb\\u003E", "it\\u0027s \\u0026 so"]}\''


@pytest.mark.parametrize(
    ("query", "words", "act", "form"),
    [
        ("send product to MIX", "Send product to MIX", "send", {"id": "product", "to": "MIX"}),
        ("work on base", "Work on base", "variant-work", {"id": ""}),
        ("overall conversion of ethylene at least 60 %", None, "gauge-edit", {"field": "at_least", "value": "60 %"}),
        ("new scan", "New scan", "scan-add", {}),
        ("scan reactor temperature 200 to 260 degC", None, "scan-add", {"knob": "R1.temperature", "low": "200", "high": "260 degC"}),
        ("scan pressure drop of COOL", None, "scan-add", {"knob": "COOL.pressure_drop", "low": ""}),
        ("best ethanol in product", None, "search-add", {"aim": "product.flow.ethanol", "way": "highest"}),
        ("lowest duty of COOL", None, "search-add", {"aim": "COOL.duty", "way": "lowest"}),
        (
            "watch product.flow.ethanol / ethylene_feed.flow.ethylene",
            None,
            "gauge-formula",
            {"formula": "product.flow.ethanol / ethylene_feed.flow.ethylene"},
        ),
        ("duty of H1 at most 5 MW", None, "gauge", {"address": "H1.duty", "at_most": "5 MW"}),
    ],
)
def test_more_that_is_asked_for_in_words(client, row, query, words, act, form):
    first = rows(client, row, query)[0]
    assert (words is None or first["words"] == words) and first["act"] == act and form.items() <= first["form"].items()


@pytest.mark.parametrize("query", ["new gauge", "ratio", "tie"])
def test_ways_that_have_no_button_of_their_own_are_shown(client, row, query):
    assert rows(client, row, query)[0]["url"] in ("../process/", "../loops/")


def test_any_input_is_scanned_and_any_result_sought_from_where_one_is(client, row, act):
    """Neither was a knob or gauge before; the question stands at its own stage."""
    html = act("scan-add", knob="COOL.pressure_drop", low="0.2", high="2 bar")
    scan = row.current.document["scans"][-1]
    knob = next(k for k in row.current.document["knobs"] if k["id"] == scan["over"][0]["knob"])
    assert knob["input"] == "COOL.pressure_drop" and scan["over"][0]["high"] == "2 bar" and scan["over"][0]["low"].startswith("0.2 ")
    assert 'class="stage-scans' in html and 'value="pressure drop of COOL"' in html
    html = act("search-add", aim="H1.duty", way="lowest")
    search = row.current.document["searches"][-1]
    gauge = next(g for g in row.current.document["gauges"] if g["id"] == search["aim"])
    assert gauge["reads"] == "H1.duty" and search["way"] == "lowest" and 'value="Duty of H1"' in html
    act("search-edit", id=search["id"], aim="product.flow.ethanol / ethylene_feed.flow.ethylene")  # a formula, in the question itself
    assert row.current.document["gauges"][-1]["formula"].startswith("product.flow.ethanol /")
    act("gauge", address="K1.work", at_most="1 MW")
    assert row.current.document["gauges"][-1]["at_most"] == "1 MW"


@pytest.mark.parametrize("of", ["inputs", "results"])
def test_names_that_a_question_is_completed_by(client, row, of):
    """Those of knobs and gauges come first, under their own names; each names what it says."""
    from gulch.engine.document import load
    from gulch.engine.project.edit import gauge_named, knob_named

    told = client.get(f"/p/{row.pk}/known/{of}/").json()["rows"]
    assert told[0][1] in ("knob", "gauge") and len(told) > 15
    for name, _ in told[:150]:
        document = load(row.current.document)
        (knob_named if of == "inputs" else gauge_named)(document, name)
