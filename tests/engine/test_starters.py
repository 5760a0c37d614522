"""Projects that begin with a reaction and its feed."""

import pytest

from gulch.engine.explain import solve
from gulch.engine.explain.starters import STARTERS, started
from gulch.engine.project.edit import EditError
from gulch.engine.quantities import parse

METHANOL = "CO + 2 H2 = methanol"


def test_once_through_comes_to_the_equilibrium_of_the_reaction():
    """Methanol at 220 degC and 50 bar from a stoichiometric feed: half or more of the carbon monoxide (handbooks' charts, from memory)."""
    project = started("through", "", METHANOL, "100", "220 degC", "50 bar")
    assert project.name == METHANOL and {s.id for s in project.species} >= {"methanol"}
    feed = next(s for s in project.streams if s.is_feed)
    assert feed.given.flow == {"carbon_monoxide": "100 kmol/h", "hydrogen": "200 kmol/h"}
    assert project.phase_model.kind == "predictive-srk"  # an alcohol beside gases at 50 bar
    out = solve(project)
    assert out.solved
    (reactor,) = (u for u in out.units.values() if "conversion" in u.values)
    assert 0.4 < reactor.values["conversion"]["carbon_monoxide"] < 0.9


def test_a_loop_is_closed_and_settles():
    out = solve(started("recycle", "loop", METHANOL, "100 kmol/h", "220 degC", "50 bar"))
    assert out.solved and len(out.loops) == 1 and out.loops[0].settled
    assert out.overall["conversion"]["carbon_monoxide"] > 0.7


@pytest.mark.parametrize("key", ["tank", "tube"])
def test_a_rate_law_waits_for_its_constant(key):
    project = started(key, "", METHANOL, "100 kmol/h")
    assert project.reactions[0].rate is not None and project.streams[0].given.temperature is None
    out = solve(project)
    assert not out.solved and "k is empty" in out.messages[0].what


@pytest.mark.parametrize(
    ("form", "words"),
    [
        (("magic", "", METHANOL, "1"), "no such way to begin"),
        (("through", "", " ", "1"), "Type the reaction first"),
        (("through", "", "C2H4 + foo = bar", "1"), "“foo” is neither a species"),
        (("through", "", "C2H4 + H2O = C2H6O", "1"), "can mean several species"),
        (("through", "", METHANOL, "much"), "The flow of the first reactant: “much” does not start with a number"),
        (("through", "", METHANOL, "-2"), "has to be above zero"),
        (("through", "", METHANOL, "1", "5 bar"), "The feed's temperature"),
        (("through", "", METHANOL, "1", "", "0 bar"), "The feed's pressure: “0 bar” is not above vacuum"),
    ],
)
def test_what_cannot_be_begun_with_gets_a_sentence(form, words):
    with pytest.raises(EditError, match=words.replace("(", r"\(")):
        started(*form)


def test_every_way_is_named_and_explained():
    assert len({s.key for s in STARTERS}) == 4 and all(s.label and s.meaning for s in STARTERS)


def test_ammonia_from_the_form_condenses_without_a_typed_pressure():
    """Left grey, the pressure is proposed so that the product condenses at the drum's 40 degC: not the 1 bar that parts nothing.

    Saturation pressure of ammonia at 40 degC: 15.55 bar (Perry's Handbook, sec. 2, refrigerant tables).
    """
    project = started("recycle", "loop", "N2 + 3 H2 = 2 NH3", "100 kmol/h", "420 degC", "")
    feed = next(s for s in project.streams if s.is_feed)
    assert parse(feed.given.pressure, "pressure") == pytest.approx(155.5e5, rel=0.03)
    out = solve(project)
    assert out.solved and not any("Nothing is parted" in m.what for m in out.messages), out.messages
    assert out.overall["conversion"]["nitrogen"] > 0.5


def test_a_drum_that_parts_nothing_says_so():
    project = started("recycle", "loop", "N2 + 3 H2 = 2 NH3", "100 kmol/h", "420 degC", "1 bar")
    said = [m for m in solve(project).messages if "Nothing is parted" in m.what]
    assert len(said) == 1 and "all of it is vapour" in said[0].what and "raise the pressure" in said[0].todo
