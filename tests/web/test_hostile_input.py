"""Files and edits that mean no good: each gets a sentence, nothing hangs, nothing is lost.

`hostile/says.json` tells what each file of the folder must be answered with; "opens" where it is to open, doubts and all.
"""

import contextlib
import json
import os
import sqlite3
from dataclasses import replace
from pathlib import Path

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError
from helpers import demo
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_stages import page, text_of

from gulch.engine.chemistry.equations import Ambiguous, resolve_equation
from gulch.engine.document import load
from gulch.engine.project import edit
from gulch.engine.project.edit import EditError
from gulch.engine.quantities import QuantityError, compound_unit, parse, parse_points, split_text
from gulch.engine.species import find
from gulch.web.projects import (
    actions,
    solving,
    views,
)
from gulch.web.projects.models import Project
from gulch.web.projects.registry import ACTIONS

FOLDER = Path(__file__).parent / "hostile"
SAYS = json.loads((FOLDER / "says.json").read_text())


@pytest.mark.parametrize("name", sorted(p.name for p in FOLDER.glob("*.json") if p.name != "says.json"))
def test_hostile_files(client, user, name):
    response = client.post("/import/", {"file": SimpleUploadedFile(name, (FOLDER / name).read_bytes())}, follow=True)
    assert response.status_code == 200
    if SAYS[name] != "opens":
        assert SAYS[name] in response.content.decode() and not Project.objects.exists()
        return
    row = Project.objects.get()
    for stage in ("chemistry", "process", "loops", "scans", "variants", "sizing"):
        assert page(client, row, stage)
    assert json.loads(client.get(f"/p/{row.pk}/export.json").content)["format"] == "gulch-project"


@pytest.mark.parametrize(
    "text",
    [
        "1 9**9**9*bar",
        "1 bar**(9**9)",
        "1 " + "(" * 30 + "bar" + ")" * 30,
        "1 a" + " " * 30_000 + "b",
        "9" * 200_000,
        "1 " + "m/" * 5000 + "s",
        "1 m^9^9^9",
        "1 bar^99999999",
        "1 __import__('os')",
    ],
)
def test_units_are_read_by_a_grammar_that_evaluates_nothing(text):
    for read in (
        lambda: parse(text, "pressure"),
        lambda: compound_unit(text[2:]),
        lambda: parse_points(text, "temperature", "pressure"),
    ):
        with pytest.raises(QuantityError):
            read()


@given(st.text("0123456789.eE+-−*/^() mbarskgKdCFhPl°³2%", max_size=90))
@settings(max_examples=400, deadline=None)
def test_any_text_is_a_quantity_or_gets_a_sentence(text):
    for dimension in ("pressure", "temperature", "rate", "fraction"):
        try:
            value = parse(text, dimension)
        except QuantityError as error:
            assert str(error).endswith(".")
        else:
            assert abs(value) < 1e21
    with_unit = text.strip()
    if with_unit:
        with contextlib.suppress(QuantityError):
            split_text(with_unit)


def test_balancing_many_species_ends():
    """Alkanes on the left, aromatics and hydrogen on the right: more balances than anybody wants to see."""
    left = [f"C{n}H{2 * n + 2}" for n in range(1, 13)]
    right = [*(f"C{n}H{2 * n - 6}" for n in range(6, 15)), "H2"]
    found = [find(f) for f in (*left, *right)]
    entries = [(f"s{i}", ms[0].cas, ms[0].name, ()) for i, ms in enumerate(found) if ms]
    names = [e[2] for e in entries]
    with pytest.raises(Ambiguous, match="choose one") as refused:
        resolve_equation(" + ".join(names[:9]) + " = " + " + ".join(names[9:]), entries)
    assert len(refused.value.ways) > 1  # the plainest ones are still offered


def test_a_pasted_guess_of_any_length_is_refused_or_read():
    project = demo()
    for text in ("a " * 3000, "x" + " " * 100_000, "ethylene " + "1" * 50_000):
        with pytest.raises(EditError):
            edit.guess_lines(project, text)


def test_figures_beyond_all_bounds_are_said_and_not_stored(client, act, row):
    html = act("set", address="ethylene_feed.flow.ethylene", value="1e305 kmol/h")
    assert "beyond anything physical" in text_of(html)
    assert row.good["solved"] and row.good_revision == 1
    act("set", address="ethylene_feed.flow.ethylene", value="1e9 kmol/h")  # enormous, but a number
    assert page(client, row, "process")


def test_an_action_on_the_wrong_kind_of_thing_gets_a_sentence(client, act, row):
    for name, form in {
        "basis": {"id": "recycle", "value": "mass"},
        "scale-fractions": {"id": "gas"},
        "sizing-place": {"way": "plug", "volume": "1 m3"},
        "append": {"stream": "R1", "kind": "heater"},
        "variant-work": {"id": "nobody"},
    }.items():
        if name in ACTIONS:
            before = row.current.document
            response = client.post(f"/p/{row.pk}/do/{name}/", form | {"version": row.version}, headers={"HX-Request": "true"})
            assert response.status_code in (200, 422)
            row.refresh_from_db()
            assert response.status_code == 200 or row.current.document == before
    response = client.post(f"/p/{row.pk}/do/set/", {"address": "x", "value": "1" * 100_000}, headers={"HX-Request": "true"})
    assert response.status_code == 422 and "longer than" in response.content.decode()


def test_a_fault_of_an_action_leaves_the_document_and_a_reference(client, act, row, monkeypatch):
    def broken(document, form):
        document.units.clear()
        raise ZeroDivisionError("within")

    monkeypatch.setitem(ACTIONS, "set", replace(ACTIONS["set"], function=broken))
    html = act("set", status=422, address="R1.temperature", value="5")
    assert "reference" in html and "ZeroDivision" not in html and len(row.current.document["units"]) > 3


def test_a_stored_document_that_cannot_be_shown_lists_exports_and_goes_back(client, act, row):
    act("set", address="R1.temperature", value="290 degC")
    row.current.document = row.current.document | {"units": [{"id": "R1", "kind": "perpetuum-mobile"}]}
    row.current.save()
    assert row.name in client.get("/").content.decode()
    response = client.get(f"/p/{row.pk}/process/")
    assert response.status_code == 500 and "Its revisions" in response.content.decode()
    assert "perpetuum" in client.get(f"/p/{row.pk}/export.json").content.decode()
    assert "Go back to this" in client.get(f"/p/{row.pk}/revisions/").content.decode()
    assert client.post(f"/p/{row.pk}/restore/1/", {"version": row.version}).status_code == 302
    assert "perpetuum" not in page(client, row, "process")


@pytest.mark.parametrize(
    ("fault", "words"),
    [
        ("database or disk is full", "disk is full"),
        ("attempt to write a readonly database", "may only be read"),
        ("database is locked", "busy"),
        ("database disk image is malformed", "damaged"),
    ],
)
def test_a_database_that_refuses_gets_a_sentence(client, row, monkeypatch, fault, words):
    def refuse(*args, **kwargs):
        raise OperationalError(fault) from sqlite3.OperationalError(fault)

    client.raise_request_exception = False
    monkeypatch.setattr(actions, "add_revision", refuse)
    form = {"address": "R1.temperature", "value": "280 degC", "version": row.version}
    response = client.post(f"/p/{row.pk}/do/set/", form, headers={"HX-Request": "true"})
    assert response.status_code == 500 and response["X-Gulch-Says"] and words in response.content.decode()


def test_figures_that_cannot_be_stored_are_told(client, row, monkeypatch):
    def refuse(*args):
        raise OperationalError("database or disk is full")

    client.raise_request_exception = False
    with monkeypatch.context() as patch:
        patch.setattr(solving, "keep", refuse)
        client.post(f"/p/{row.pk}/do/set/", {"address": "R1.temperature", "value": "280 degC", "version": row.version})
        html = page(client, row, "process")
    assert "could not be stored" in html and 'id="solve-again"' in html
    row.refresh_from_db()
    assert row.current.number == 2  # the edit itself is there
    client.post(f"/p/{row.pk}/solve-again/")
    row.refresh_from_db()
    assert row.latest["solved"] and row.good_revision == 2


def test_going_back_does_not_swallow_an_edit_made_meanwhile(client, act, row):
    seen = row.version
    act("set", address="R1.temperature", value="290 degC")
    html = client.post(f"/p/{row.pk}/restore/1/", {"version": seen}, follow=True).content.decode()
    row.refresh_from_db()
    assert "was changed meanwhile" in html and row.current.number == 2


WORDS = st.one_of(
    st.sampled_from(
        [
            "",
            "R1",
            "feed",
            "recycle",
            "SPLIT",
            "scan1",
            "main",
            "hydration",
            "purge_share",
            "made",
            "ethylene",
            "5 %",
            "300 degC",
            "-1 bar",
            "1e400 K",
            "abc",
            "heater",
            "mixer",
            "mass",
            "on",
            "drawn",
            "R1.temperature",
            "SPLIT.drawn",
            "overall.mass",
            "\ud7ff",
            "0",
        ]
    ),
    st.text(max_size=30),
)
FIELDS = [
    "id",
    "address",
    "value",
    "stream",
    "unit",
    "kind",
    "name",
    "set",
    "species",
    "cas",
    "equation",
    "way",
    "low",
    "high",
    "points",
    "gauge",
    "knob",
    "to",
    "port",
    "formula",
    "field",
    "key",
    "reaction",
    "basis",
    "label",
    "sits",
    "text",
    "method",
    "tolerance",
    "pair",
]


@pytest.mark.django_db
@settings(
    max_examples=int(os.environ.get("GULCH_FUZZ", "150")),
    deadline=None,
    derandomize="GULCH_FUZZ" not in os.environ,
    suppress_health_check=list(HealthCheck),
)
@given(name=st.sampled_from(sorted(ACTIONS)), form=st.dictionaries(st.sampled_from(FIELDS), WORDS, max_size=6))
def test_any_action_with_any_form_gets_an_answer(client, row, name, form):
    response = client.post(f"/p/{row.pk}/do/{name}/", form, headers={"HX-Request": "true"})
    assert response.status_code in (200, 409, 422), (name, form)
    assert "fault of its own" not in response.content.decode(), (name, form)
    row.refresh_from_db()
    load(row.current.document)


# What once broke pages for good


def test_control_characters_in_names_spoil_no_workbook(client, user, act, row):
    act("project-name", value="a\x07b\x1bc")
    row.refresh_from_db()
    assert row.current.worked.name == "abc"
    document = demo()
    document.gauges[0].label = "over\x0ball"  # as a file may bring it
    other = actions.create_project(user, document, "From a file")
    client.get(f"/p/{other.pk}/process/")
    assert client.get(f"/p/{other.pk}/project.xlsx").content[:2] == b"PK"


def test_a_list_of_scan_points_may_be_as_long_as_its_field_says(act, row):
    knob = row.current.worked.knobs[0].id
    lines = "\n".join([knob, *(f"{2 + 0.011 * k:.4f} %              " for k in range(1500))])
    assert len(lines) > 30_000
    page_ = act("scan-list", id=row.current.worked.scans[0].id, listed=lines)
    assert "longer than" not in page_ and len(row.current.worked.scans[0].listed) == 1500


@pytest.mark.parametrize("number", ["1" + "0" * 310, "1e999", "1e999[kmol/h]"])
def test_a_number_without_end_in_a_formula_is_a_sentence(client, act, row, number):
    page_ = act("gauge-formula", formula=f"{number} * product.flow.ethanol", status=422)
    assert "too large a number" in page_
    assert client.get(f"/p/{row.pk}/process/").status_code == 200


def test_a_product_has_no_basis(act):
    assert "is no feed" in act("basis", id="product", value="mass", status=422)


def test_a_paste_of_blanks_and_dashes_is_answered(act):
    text = "a" + " -" * 1500 + " " * 3000 + "x"
    act("measured-paste", text=text, status=422)


def test_a_page_that_fails_after_an_edit_was_stored_says_that_it_is_kept(client, row, monkeypatch):
    """What was promised before the edit, that nothing was changed, would be false after it."""
    client.raise_request_exception = False

    def broken(*_args, **_more):
        raise OperationalError("disk I/O error")

    monkeypatch.setattr(views, "show_workspace", broken)
    said = client.post(f"/p/{row.pk}/do/set/", {"address": "R1.temperature", "value": "231 degC"}, headers={"HX-Request": "true"})
    row.refresh_from_db()
    assert said.status_code == 500 and row.current.number == 2
    assert "Your edit is kept, as revision 2" in said.content.decode() and "Nothing was changed" not in said.content.decode()
    said = client.get(f"/p/{row.pk}/process/", headers={"HX-Request": "true"})
    assert "Nothing was changed" in said.content.decode()


def test_what_cannot_be_shown_is_not_kept(client, act, row, monkeypatch):
    """An edit that no page could read is refused before it is stored; one whose own page breaks is taken back."""
    from gulch.web.projects import actions
    from gulch.web.projects.regions.strip import Strip

    before = row.current.number
    with monkeypatch.context() as broken:
        broken.setattr(actions, "look_at", lambda d: 1 / 0)
        answer = act("set", address="SPLIT.drawn", value="9 %", status=422)
    row.refresh_from_db()
    assert "fault of its own" in answer and row.current.number == before
    whole = Strip.__init__

    def breaks(self, space):
        if space.document.unit("SPLIT").drawn == "11 %":
            raise OverflowError("too large")
        whole(self, space)

    monkeypatch.setattr(Strip, "__init__", breaks)
    answer = act("set", address="SPLIT.drawn", value="11 %", status=422)
    row.refresh_from_db()
    assert "taken back" in answer and "project is unchanged" in answer
    assert row.current.number == before and not row.revisions.filter(number__gt=before).exists()
    assert act("set", address="SPLIT.drawn", value="12 %") and client.get(f"/p/{row.pk}/process/").status_code == 200


def test_a_file_is_read_in_a_worker_and_what_takes_too_long_is_refused(client, user, monkeypatch):
    from django.core.files.uploadedfile import SimpleUploadedFile

    from gulch.web.projects import actions, solving

    asked = []
    pool = solving.workers()
    submit = pool.submit
    monkeypatch.setattr(pool, "submit", lambda task, **how: asked.append(type(task).__name__) or submit(task, **how))
    file = SimpleUploadedFile("a.json", json.dumps(demo().dump()).encode())
    assert client.post("/import/", {"file": file}).status_code == 302 and asked[0] == "Examine"

    class Slow:
        key, value, words = "k", None, ""

        def wait(self, seconds):
            return False

    monkeypatch.setattr(pool, "submit", lambda task, **how: Slow())
    monkeypatch.setattr(pool, "stop", lambda key: asked.append(key), raising=False)
    file = SimpleUploadedFile("b.json", json.dumps(demo().dump()).encode())
    assert "Reading it took longer than 60 s" in client.post("/import/", {"file": file}, follow=True).content.decode()
    assert asked[-1] == "k" and actions.READING_PATIENCE


def test_only_the_newest_revision_that_nobody_went_on_from_is_taken_back(act, row):
    act("set", address="SPLIT.drawn", value="9 %")
    number = row.current.number
    assert not actions.take_back(row, number + 1) and not actions.take_back(row, number - 1)
    assert actions.take_back(row, number)
    row.refresh_from_db()
    assert row.current.number == number - 1 and not row.revisions.filter(number=number).exists()
    assert not actions.take_back(row, 1)  # the first one has nothing before it
