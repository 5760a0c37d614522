"""Choices of a project, listed and changed without touching it."""

import pytest
from helpers import demo

from gulch.demo import projects
from gulch.engine.document import choices_of
from gulch.engine.explain import solve
from gulch.engine.project.choices import choices, choose


def test_every_choice_can_be_made_and_leaves_the_project_as_it_was():
    project = demo()
    before = project.dump()
    found = {c.address: c for c in choices(project)}
    assert found["phase_model"].now == "peng-robinson" and "R1.mode" in found and found["R1.mode"].now == "isothermal"
    for c in found.values():
        for value in c.options:
            other = choose(project, c.address, value)
            if not c.address.endswith(".to"):  # there a mixer may be put before
                assert next((d.now for d in choices(other) if d.address == c.address), value) == value
    assert project.dump() == before


def test_a_choice_changes_figures():
    adiabatic = solve(choose(demo(), "R1.mode", "adiabatic"))
    assert adiabatic.solved and adiabatic.units["R1"].values["duty"] == pytest.approx(0.0, abs=1e-3)


@pytest.mark.parametrize(("address", "value"), [("R1.magic", "x"), ("R1.mode", "magic"), ("phase_model", "magic")])
def test_what_is_no_choice_is_refused(address, value):
    with pytest.raises(KeyError, match="cannot be"):
        choose(demo(), address, value)


def test_a_recycle_may_come_in_at_another_place():
    """Sent before the reactor it does what it does now; sent behind the reactor, it does not pass it again."""
    project = demo()
    place = next(c for c in choices(project) if c.address == "recycle.to")
    assert place.now == "MIX" and {"MIX", "H1", "R1", "COOL", "DRUM", "SPLIT"} == set(place.options)
    now, same, behind = (solve(choose(project, "recycle.to", u)).gauges["overall"] for u in ("MIX", "H1", "COOL"))
    assert same == pytest.approx(now, rel=1e-6) and behind < 0.75 * now
    assert project.stream("recycle").enters == "MIX"


def test_kinds_that_mix_otherwise_keep_volume_and_heat():
    acid = next(p for p in projects() if p.name.endswith("acid"))
    acid.gauges = []
    for kind in next(c.options for c in choices(acid) if c.address == "TANK.kind"):
        unit = choose(acid, "TANK.kind", kind).unit("TANK")
        assert unit.kind == kind and unit.volume == "1.7 m3" and choices_of(unit)["mode"] == "adiabatic"
