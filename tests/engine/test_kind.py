"""A unit made one of another kind: what both are given stays, streams stay connected, what would not fit is refused."""

import itertools

import pytest
from helpers import demo
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_declarations import BASE
from test_declarations import project as base

from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.project.edit import EditError, knob_on
from gulch.engine.project.inputs import addresses
from gulch.engine.project.kind import change_kind
from gulch.engine.units import KINDS


def test_a_stoichiometric_reactor_becomes_an_equilibrium_reactor_and_back():
    project = demo()
    before = project.dump()  # what the old kind alone is given, its held reactions, goes
    change_kind(project, "R1", "stoichiometric-reactor")
    unit = project.unit("R1")
    assert unit.kind == "stoichiometric-reactor" and unit.set == "main" and unit.heat.temperature
    assert [k.input for k in project.knobs] == [k["input"] for k in before["knobs"]]
    assert project.stream("S2").to == "R1" and project.stream("S3").source == "R1"
    change_kind(project, "R1", "equilibrium-reactor")
    assert project.unit("R1").heat == load(before).unit("R1").heat and project.unit("R1").pressure_drop == "1.5 bar"


def test_a_drum_becomes_a_three_phase_separator_with_its_streams():
    project = demo()
    change_kind(project, "DRUM", "three-phase-separator")
    assert [s.id for s in project.streams if s.source == "DRUM.vapour"] == ["gas"]
    change_kind(project, "DRUM", "flash-drum")
    assert {s.id: s.source for s in project.streams if s.source and s.source.startswith("DRUM")}["gas"] == "DRUM.vapour"
    assert not [m for m in check(project) if m.level == "error"]


def test_what_does_not_fit_is_refused_with_the_streams_in_its_way():
    project = demo()
    with pytest.raises(EditError, match="takes one stream, and .* enter MIX"):
        change_kind(project, "MIX", "heater")
    for stream in project.streams:
        if stream.id == "product":
            stream.to = "MIX"
    with pytest.raises(EditError, match="gives one stream, and gas, product go on from DRUM"):
        change_kind(project, "DRUM", "heater")
    with pytest.raises(EditError, match="no unit kind"):
        change_kind(project, "DRUM", "teapot")


def test_a_knob_on_what_only_the_old_kind_has_is_said_to_be_lost():
    project = demo()
    knob_on(project, "K1.pressure", "70 bar", "80 bar")
    change_kind(project, "K1", "pump")
    assert "K1.pressure" in addresses(project)  # both have it
    change_kind(project, "K1", "heater")
    assert "K1.pressure" not in addresses(project)
    said = [m.what for m in check(project) if m.level in ("error", "warning")]
    assert "K1.pressure" not in [k.input for k in project.knobs] or any("K1" in what for what in said)


PAIRS = list(itertools.permutations(BASE, 2))


@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
@given(pair=st.sampled_from(PAIRS))
def test_any_kind_becomes_any_other_or_says_why_not(pair):
    """Whatever comes of it can be read, checked, written and solved without a fault; every outlet has a stream."""
    before, after = pair
    project = base(before)
    try:
        change_kind(project, "U", after)
    except EditError as error:
        assert any(words in str(error) for words in (" take", " give"))
        return
    unit = project.unit("U")
    assert load(project.dump()).dump() == project.dump()
    held = {(s.source or "").partition(".")[2] for s in project.streams if (s.source or "").split(".")[0] == "U"}
    ports = [p.name for p in KINDS[after].ports_out(unit)]
    assert len(ports) == 1 or held == set(ports)
    solution = solve(project)
    assert not any("broke off" in m.what for m in solution.messages)
