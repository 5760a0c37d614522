"""One press on a doubt mends it, as the page posts it; questions about salts, and fractions that a knob turns."""

import pytest
from helpers import document, feed

from gulch.engine.declared.told import Code
from gulch.web.projects.actions import create_project

TWO = {"benzene": "71-43-2", "toluene": "108-88-3"}


@pytest.fixture
def client_of(client, user):
    """A function of a document: (its row, what posts an edit to it)."""

    def made(document_):
        row = create_project(user, document_, "A project")

        def post(name, /, status=200, **form):
            row.refresh_from_db()
            response = client.post(f"/p/{row.pk}/do/{name}/", form | {"version": row.version}, headers={"HX-Request": "true"})
            assert response.status_code == status, response.content.decode()[:2000]
            row.refresh_from_db()
            return response.content.decode()

        return row, post

    return made


def column(P="0.9 bar", **more):
    keys = {"light_key": "benzene", "heavy_key": "toluene", "top_pressure": "1.03 bar", "bottom_pressure": "1.2 bar"}
    return document(
        TWO,
        [{"id": "COL", "kind": "shortcut-column"} | keys],
        [
            feed("f", "COL", dict.fromkeys(TWO, "50 kmol/h"), T="60 degC", P=P),
            {"id": "top", "from": "COL.distillate"},
            {"id": "bottom", "from": "COL.bottoms"},
        ],
        phase_model="peng-robinson",
        **more,
    )


def test_a_press_puts_a_pump_before_a_column_uphill(client_of):
    row, post = client_of(column())
    page = post("set", address="f.temperature", value="61 degC")
    assert "material does not flow uphill" in page and "put a pump before it" in page
    page = post("cure", where="COL", way="before", kind="pump", field="top_pressure")
    assert "put a pump before it" not in page
    document_ = row.current.worked
    (pump,) = [u for u in document_.units if u.kind == "pump"]
    assert pump.pressure == "1.03 bar" and document_.stream("f").to == pump.id
    assert not any(m.code is Code.UPHILL for m in row.good_outcome.solution().messages)


@pytest.mark.parametrize(
    "form",
    [
        {"where": "COL", "way": "sideways", "kind": "pump", "field": "top_pressure"},
        {"where": "COL", "way": "before", "kind": "flash-drum", "field": "top_pressure"},
        {"where": "GONE", "way": "before", "kind": "pump", "field": "pressure"},
        {"where": "COL", "way": "before", "kind": "pump", "field": "light_key"},
        {"where": "COL", "way": "instead", "kind": "valve", "field": "top_pressure"},
    ],
)
def test_a_press_that_fits_nothing_is_refused_with_a_sentence(client_of, form):
    row, post = client_of(column())
    before = row.version
    assert "What it was about is gone" in post("cure", status=422, **form)
    assert row.version == before


def test_the_question_about_a_salt_is_asked_and_answered(client_of):
    row, post = client_of(document({"naoh": "1310-73-2", "water": "7732-18-5"}))
    page = post("species-add", cas="64-17-5")
    assert "Does it stay in the liquid?" in page and "it stays in the liquid" in page
    page = post("answer", where="species.naoh.non_volatile", value="stays")
    assert "Does it stay in the liquid?" not in page
    assert row.current.worked.species[0].data.non_volatile


def test_a_turned_fraction_is_written_back_with_those_that_give_way(client_of):
    mixed = column(knobs=[{"id": "x", "input": "f.fraction.benzene", "low": "10 %", "high": "90 %"}])
    given = mixed.stream("f").given
    given.basis, given.total, given.fraction = "mole-fractions", "100 kmol/h", {"benzene": "25 %", "toluene": "75 %"}
    row, post = client_of(mixed)
    post("turn", id="x", value="80 %")
    assert row.current.worked.stream("f").given.fraction == {"benzene": "80 %", "toluene": "20 %"}
    post("carry", point='{"f.fraction.benzene": "60 %"}')
    assert row.current.worked.stream("f").given.fraction == {"benzene": "60 %", "toluene": "40 %"}
