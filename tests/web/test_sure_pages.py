"""What is unsure, typed on the page; the band of every gauge and what it rests on."""

import pytest
from by_hand import K1, gas_tank
from test_stages import page, text_of

from gulch.engine.document import load
from gulch.web.projects.actions import create_project

RATE = [("A = B", {"forward": {"k": f"{K1} 1/min", "energy": "60 kJ/mol", "at": "450 K"}})]


@pytest.fixture
def row(user):
    return create_project(user, gas_tank(RATE, gauges=[{"id": "X", "reads": "R.conversion.A", "label": "conversion"}]), "Tank")


def now(row):
    row.refresh_from_db()
    return load(row.current.document)


def words(client, row):
    return " ".join(text_of(page(client, row, "scans", "?select=sure")).split())


def test_a_datum_is_added_changed_and_removed(client, row, act):
    assert "Nothing is unsure yet" in words(client, row)
    act("spread-add", of="rate.r0")
    act("spread-add", of="input.R.temperature")
    assert [(e.key, e.by) for e in now(row).spreads] == [("rate.r0", "10 %"), ("input.R.temperature", "5 K")]
    text = words(client, row)
    assert "% rate constant of r0" in text and "% Temperature of R" in text and "nine samples in ten" in text
    assert "256 solves" in text
    act("spread-edit", key="input.R.temperature", by="2")
    assert now(row).spreads[1].by == "2 K"
    act("spread-edit", key="input.R.temperature", by="1 %")
    assert now(row).spreads[1].by == "1 %"
    act("spread-cause", key="rate.r0", cause="one rig")
    act("spread-cause", key="input.R.temperature", cause="one rig", correlation="-0.8")
    said = words(client, row)
    assert "Correlated by one rig, as normal deviates: rate constant of r0 with Temperature of R −0.8." in said
    assert "100 % rate constant of r0, Temperature of R, by one rig" in said
    act("spread-remove", key="rate.r0")
    assert [e.key for e in now(row).spreads] == ["input.R.temperature"] and "100 % Temperature of R" in words(client, row)


@pytest.mark.parametrize(
    ("edit", "form", "said"),
    [
        ("spread-add", {"of": "magic.r0"}, "no longer on the list"),
        ("spread-add", {"of": "input.R.magic"}, "no longer on the list"),
        ("spread-add", {"of": "rate.r0"}, "on the list already"),
        ("spread-edit", {"key": "none", "by": "1 %"}, "no longer on the list"),
        ("spread-edit", {"key": "rate.r0", "by": "0 %"}, "leaves nothing open"),
        ("spread-edit", {"key": "rate.r0", "by": "5 bar"}, "unit of pressure"),
        ("spread-edit", {"key": "rate.r0", "by": "many"}, "many"),
        ("spread-cause", {"key": "rate.r0", "correlation": "1.2"}, "lies between −1 and 1"),
        ("spread-cause", {"key": "rate.r0", "correlation": "much"}, "much"),
        ("spread-cause", {"key": "rate.r0", "cause": "x" * 99}, "in 60 characters"),
    ],
)
def test_what_cannot_be_unsure_is_refused(row, act, edit, form, said):
    act("spread-add", of="rate.r0")
    assert said in text_of(act(edit, status=422, **form))


def test_a_list_that_a_tie_spoils_says_so(client, row, act):
    act("spread-add", of="input.R.temperature")
    act("tie", sets="R.temperature", formula="feed.temperature + 50[K]")
    assert "is set by a tie" in words(client, row)
