"""Places of messages: what they are about, as text and back."""

import pytest

from gulch.engine.declared.told import Code
from gulch.engine.document import load
from gulch.engine.explain import Plan, solve
from gulch.engine.explain.checks import check
from gulch.engine.flowsheet.solution import LoopOutcome
from gulch.engine.project.messages import Message
from gulch.engine.project.places import PLAIN, About, Place, at_gauge, at_loop, at_tie, at_unit, stored

PLACES = [
    Place(About.PROJECT),
    Place(About.MEASURES),
    Place(About.CLOSING, field="tolerance"),
    Place(About.STREAM, "feed", "flow.water"),
    Place(About.REACTION, "hydration", "conversion"),
    Place(About.SET, "main", "steps"),
    at_unit("R1", "temperature"),
    at_gauge("purity", "at_least"),
    at_tie("feed.flow.water"),
    at_loop("2"),
]


@pytest.mark.parametrize("place", PLACES, ids=str)
def test_a_place_survives_its_text_and_a_message_its_storing(place):
    assert Place.read(str(place), place.about) == place
    message = Message("error", place, "Wrong.", "Mend it.", [["yes", "1"]], Code.BEYOND_DATA)
    assert Message.from_dict(message.to_dict()) == message


def test_messages_and_loops_stored_before_places_were_typed_are_read():
    assert stored("loop-1", None) == at_loop("1") and stored("", None).about is About.PROJECT
    assert stored("tie.feed.flow.water", None) == at_tie("feed.flow.water")
    assert stored("R1.temperature", None).id == "R1"
    old = {k: None for k in ("settled", "reason", "passes", "history", "gain", "distance", "tolerance")}
    assert LoopOutcome.from_dict({"id": "loop-3", "units": [], "tears": [], **old}).number == 3


def heated(name, to, **more):
    """Water through a heater of that name."""
    given = {"temperature": "25 degC", "pressure": "1 bar", "flow": {"water": "1 kmol/h"}}
    return load(
        {
            "format": "gulch-project",
            "version": 1,
            "name": "P",
            "species": [{"id": "water", "cas": "7732-18-5"}],
            "streams": [{"id": "feed", "to": name, "given": given}, {"id": "out", "from": name}],
            "units": [{"id": name, "kind": "heater", "temperature": to}],
            **more,
        }
    )


@pytest.mark.parametrize("name", [a.value for a in About if a not in PLAIN and a.value])
def test_a_unit_may_bear_the_name_of_anything(name):
    """A unit called “species” is still a unit."""
    project = heated(name, "9000 K")
    said = [m for m in check(project) if m.level == "error"]
    assert [m.place for m in said] == [at_unit(name, "temperature")]
    assert {m.place.about for m in solve(project).messages if m.level == "error"} == {About.UNIT}


def test_an_input_that_cannot_be_turned_is_named_by_its_place():
    project = heated("H1", "60 degC", ties=[{"sets": "H1.temperature", "formula": "feed.temperature + 20[K]"}])
    plan = Plan(project)
    (tied,) = (m for m in plan.run(overrides={"H1.temperature": 350.0}).messages if m.level == "error")
    (beyond,) = (m for m in plan.run(overrides={"feed.pressure": -1.0}).messages if m.level == "error")
    assert (tied.place, beyond.place) == (at_unit("H1", "temperature"), Place(About.STREAM, "feed", "pressure"))
