"""Measurements pasted, described and fitted on their page; what is found goes into the law; what cannot be read is said."""

import json
import re

import pytest
from test_stages import page, text_of

from gulch.demo import projects
from gulch.engine.document import load
from gulch.web.api.tokens import made
from gulch.web.projects.actions import create_project

TABLE = (
    "T, °C\tt / min\tc_A [mol/L]\n60\t0\t2.00\n60\t10\t1.62\n60\t20\t1.33\n60\t40\t0.89\n70\t0\t2\n70\t10\t1.36\n70\t20\t0.91\n70\t40\t0.42"
)


def hexanes(**more):
    return load(
        {
            "format": "gulch-project",
            "version": 1,
            "species": [{"id": "A", "cas": "110-54-3", "name": "A"}, {"id": "B", "cas": "107-83-5", "name": "B"}],
            "phase_model": {"kind": "ideal"},
            "reactions": [{"id": "r", "equation": "A = B", "rate": {"forward": {"k": ""}}}],
            "reaction_sets": [{"id": "main", "steps": [["r"]]}],
            **more,
        }
    )


@pytest.fixture
def row(user):
    return create_project(user, hexanes(), "Batches")


def now(row):
    row.refresh_from_db()
    return load(row.current.document)


def words(client, row, select=""):
    return " ".join(text_of(page(client, row, "measured", f"?select={select}")).split())


def test_from_a_pasted_table_to_the_law(client, row, act):
    assert "Paste a table of measurements" in words(client, row)
    act("sheet-add", text=TABLE)
    assert "6 readings, 2 runs" in words(client, row)  # the two at time 0 are what is charged
    act("fit-add")
    fit = now(row).fits[0]
    assert (fit.set, fit.sheets, fit.free) == ("main", ["m1"], ["r.k"])
    act("fit-edit", id="f1", sheets=["m1"], free=["r.k", "r.energy"], errors="")
    html = page(client, row, "measured", "?select=fit:f1")
    assert "k(65 °C) = 0.028" in html and "E = " in html and "kJ/mol" in html
    posted = json.loads(re.search(r'id="use-it"[^>]*hx-vals="([^"]*)"', html)[1].replace("&quot;", '"').replace("&#x27;", "'"))
    act("fit-use", **posted)
    law = now(row).reactions[0].rate.forward
    assert law.at == "65 degC" and law.k.endswith(" 1/min") and 0.0275 < float(law.k.split()[0]) < 0.029
    assert 58.0 < float(law.energy.split()[0]) < 66.0
    assert now(row).fits[0].found.numbers == ["r.k", "r.energy"]
    assert "In use" in words(client, row, "fit:f1")


def test_columns_rows_and_what_is_charged_can_be_said(client, row, act):
    act("sheet-add", text=TABLE.replace("c_A", "c_hexane"))
    assert "“hexane” is not among" in words(client, row)
    act("sheet-column", id="m1", number=3, field="species", value="A")
    assert "6 readings" in words(client, row)
    act("sheet-row", id="m1", row=5, reason="sample spilled")
    text = words(client, row)
    assert "5 readings" in text and "sample spilled" in text and now(row).sheet("m1").left_out == {"5": "sample spilled"}
    act("sheet-row", id="m1", row=5, back="1")
    act("sheet-charge", id="m1", species="A", value="2.1 mol/L")
    assert "8 readings" in words(client, row)  # what is charged was said: readings at time 0 count
    act("sheet-edit", id="m1", field="pressure", value="3")
    assert now(row).sheet("m1").pressure == "3 bar"
    act("sheet-edit", id="m1", field="name", value="batches")
    act("sheet-remove", id="m1")
    assert not now(row).measurements


@pytest.mark.parametrize(
    ("edit", "form", "said"),
    [
        ("sheet-add", {"text": ""}, "Nothing is pasted yet"),
        ("sheet-edit", {"id": "m1", "field": "pressure", "value": "3 parsec"}, "parsec"),
        ("sheet-edit", {"id": "m1", "field": "magic", "value": "3"}, "no such field"),
        ("sheet-edit", {"id": "gone", "field": "name", "value": "x"}, "are gone"),
        ("sheet-charge", {"id": "m1", "species": "A", "value": "two"}, "no concentration, fraction, pressure or flow"),
        ("fit-bound", {"id": "f1", "address": "r.k", "side": "low", "value": "small"}, "is no number"),
        ("fit-use", {"id": "f1", "answer": "{}"}, "nothing found to be used"),
        ("fit-use", {"id": "f1", "answer": '{"numbers": 3}'}, "nothing found to be used"),
        ("rival-take", {"id": "f1", "name": "none"}, "rival is gone"),
        ("fit-edit", {"id": "gone"}, "fit is gone"),
    ],
)
def test_what_cannot_be_done_is_said(row, act, edit, form, said):
    act("sheet-add", text=TABLE)
    act("fit-add")
    assert said in text_of(act(edit, status=422, **form))


def test_a_fit_without_a_law_is_refused(row, act):
    act("rate-remove", id="r")
    assert "No reaction set has rate laws yet" in text_of(act("fit-add", status=422))


@pytest.mark.parametrize("text", ["1\t2\n3\t4", "t\tc\n\n", "x" * 300, "t / parsec\tc_A\n1\t2", "T\tT\tT\n1\t2\t3", "c_A [mol/L]\n-1\n2"])
def test_any_table_leaves_a_page(client, row, act, text):
    act("sheet-add", text=text)
    assert "✕" in words(client, row, "sheet:m1") and now(row).sheet("m1").table.split() == text.split()


def test_a_long_table_is_kept_and_said(client, row, act):
    act("sheet-add", text="t / min\tc_A [mol/L]\n" + "\n".join(f"{i}\t{2 - i / 20000:.5f}" for i in range(10_000)))
    assert "has 10001 rows: paste at most 2000" in words(client, row, "sheet:m1")


def test_rivals_are_kept_compared_and_taken(client, row, act):
    act("sheet-add", text=TABLE)
    act("fit-add")
    act("fit-edit", id="f1", sheets=["m1"], free=["r.k", "r.energy"])
    act("rival-add", id="f1", name="first order")
    act("rate-order", id="r", species="A", value="2")
    text = words(client, row, "fit:f1")
    assert "These data prefer “first order”" in text and "What to measure next" in text
    act("rival-take", id="f1", name="first order")
    document = now(row)
    assert document.reactions[0].rate.orders == {} and document.fits[0].rivals[0].laws["r"].orders == {"A": "2"}
    act("rival-remove", id="f1", name=document.fits[0].rivals[0].name)
    assert now(row).fits[0].rivals == []


def test_the_demo_and_a_program(client, user):
    demo = next(p for p in projects() if p.measurements)
    row = create_project(user, demo, demo.name)
    assert "cannot tell" in words(client, row, "fit:f1") and "prefer" in words(client, row, "fit:f2")
    client.defaults["HTTP_AUTHORIZATION"] = f"Bearer {made(user, 'script')}"
    found = client.get(f"/api/v1/projects/{row.pk}/fits/f2").json()
    assert found["state"] == "done" and found["found"]["answer"]["numbers"][1]["unit"] == "kJ/mol"
    assert client.get(f"/api/v1/projects/{row.pk}/fits/none").status_code == 404
