"""Choices of a project, listed and changed without touching it."""

import pytest
from helpers import demo

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
            assert next((d.now for d in choices(other) if d.address == c.address), value) == value
    assert project.dump() == before


def test_a_choice_changes_figures():
    adiabatic = solve(choose(demo(), "R1.mode", "adiabatic"))
    assert adiabatic.solved and adiabatic.units["R1"].values["duty"] == pytest.approx(0.0, abs=1e-3)


@pytest.mark.parametrize(("address", "value"), [("R1.magic", "x"), ("R1.mode", "magic"), ("phase_model", "magic")])
def test_what_is_no_choice_is_refused(address, value):
    with pytest.raises(KeyError, match="cannot be"):
        choose(demo(), address, value)
