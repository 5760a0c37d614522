"""Pairs on the chemistry page: what a user may type that must end in a sentence, and heats that are shown with whether they are used."""

import pytest
from helpers import document
from test_search_pages import act  # noqa: F401  (posts to any project)
from test_stages import page, text_of

from gulch.engine.document import load
from gulch.web.projects.actions import create_project


@pytest.fixture
def pairs(user):
    return create_project(
        user, document({"ethanol": "64-17-5", "water": "7732-18-5", "anhydride": "108-24-7"}, phase_model="nrtl"), "Pairs"
    )


@pytest.mark.parametrize(
    ("name", "form"),
    [
        ("pair-measured", {"a": "ethanol", "b": "water", "field": "remark", "value": "x" * 900}),
        ("pair-measured", {"a": "ethanol", "b": "water", "field": "at", "value": "1 atm " + "x" * 300}),
        ("pair-measured", {"a": "ethanol", "b": "water", "field": "at", "value": ""}),
        ("pair-measured", {"a": "ethanol", "b": "water", "field": "points", "value": "nan nan nan"}),
        ("pair-measured", {"a": "ethanol", "b": "water", "field": "points", "value": "0.1 0.2 inf"}),
        ("pair-measured", {"a": "ethanol", "b": "brine", "field": "at", "value": "1 atm"}),
        ("pair-measured", {"a": "ethanol", "b": "water", "field": "magic", "value": "1"}),
        ("pairs-paste", {"value": "ethanol\twater\tnan\t2"}),
        ("pairs-paste", {"value": "b12 / furlong\n"}),
        ("species-datum", {"id": "ethanol", "field": "solvent", "value": "beer"}),
        ("species-datum", {"id": "ethanol", "field": "groups", "value": "CH3, " * 90}),
    ],
)
def test_what_cannot_be_taken_is_refused_and_nothing_is_lost(client, pairs, act, name, form):  # noqa: F811
    before = load(pairs.current.document).dump()
    said = text_of(act(name, on=pairs, status=422, **form))
    pairs.refresh_from_db()
    assert said.strip() and load(pairs.current.document).dump() == before
    assert page(client, pairs, "measured", "?select=pair:ethanol:water")


def test_a_heat_capacity_that_is_not_used_says_so(client, pairs):
    text = text_of(page(client, pairs, "chemistry", "?select=species:anhydride"))
    assert "not used: heats of vaporisation and an estimate contradict it" in text
    assert "not used" not in text_of(page(client, pairs, "chemistry", "?select=species:water"))
