"""Edits of a document: growing, sending back, removing, renaming."""

import pytest
from helpers import demo

from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.project import edit
from gulch.engine.units import KINDS


def started():
    project = load({"format": "gulch-project", "version": 1, "name": "x"})
    edit.add_species(project, "67-56-1", "methanol")
    edit.add_species(project, "7732-18-5", "water")
    edit.add_feed(project)
    project.streams[0].given.flow = {project.species[0].id: "100 kmol/h"}
    return project


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_any_kind_can_be_appended_and_removed(kind):
    project = started()
    unit = edit.append_unit(project, "feed1", kind)
    assert project.stream("feed1").enters == unit
    assert sum(s.source is not None for s in project.streams) == len(KINDS[kind].ports_out(project.unit(unit)))
    still_to_give = ("set", "key")  # a reaction set, the keys of a column
    wrong = [m for m in check(project) if m.level == "error" and not m.where.endswith(still_to_give)]
    assert len(wrong) == len(KINDS[kind].inlets) - 1, wrong  # every further side wants a stream
    edit.remove(project, unit)
    assert not project.units and [s.id for s in project.streams] == ["feed1"] and project.stream("feed1").to is None


def test_growing_a_loop_from_an_empty_project_solves():
    project = started()
    edit.append_unit(project, "feed1", "heater")
    edit.append_unit(project, "S1", "flash-drum")
    edit.append_unit(project, "S2", "splitter")
    entered = edit.send_to(project, "S5", "H1")
    assert entered == "MIX1" and project.stream("feed1").to == "MIX1"  # a mixer was put before the heater
    project.unit("H1").temperature = "85 degC"
    solution = solve(project)
    assert solution.solved and solution.loops[0].tears == ["S5"]


def test_inserting_keeps_the_order_of_building():
    project = demo()
    made = edit.append_unit(project, "S1", "heater")
    assert [u.id for u in project.units][:3] == ["MIX", made, "H1"]
    assert project.stream("S1").to == made
    assert solve(project).loops[0].tears == ["recycle"]


def test_removing_from_the_middle_joins_the_ends():
    project = demo()
    edit.remove(project, "H1")
    assert project.stream("S1").to == "R1" and project.stream("S2") is None
    assert solve(project).solved


def test_removing_drops_its_knobs_gauges_and_scans():
    project = demo()
    edit.remove(project, "SPLIT")
    assert [k.id for k in project.knobs] == ["drum_T", "reactor_T", "water"]
    assert [s.id for s in project.scans] == ["scan2"]  # which turns other knobs


def test_rename_reaches_every_place():
    project = demo()
    edit.rename(project, "SPLIT", "PURGE1")
    edit.rename(project, "hydration", "r1")
    edit.rename(project, "product", "raw")
    assert project.stream("purge").source == "PURGE1.drawn" and project.knob("purge_share").input == "PURGE1.drawn"
    assert project.reaction_sets[0].steps[0] == ["r1"] and project.gauge("made").reads == "raw.flow.ethanol"
    assert solve(project).solved


@pytest.mark.parametrize("name", ["R1", "2nd", "a b", "", "overall", "x" * 50])
def test_names_that_cannot_be(name):
    with pytest.raises(edit.EditError):
        edit.rename(demo(), "SPLIT", name)


def test_second_share_of_a_splitter_opens_and_closes_an_outlet():
    project = demo()
    project.unit("SPLIT").second = "5 %"
    edit.complete_streams(project)
    assert any(s.source == "SPLIT.second" for s in project.streams)
    project.unit("SPLIT").second = None
    edit.complete_streams(project)
    assert not any(s.source == "SPLIT.second" for s in project.streams)


def test_species_and_reactions():
    project = started()
    with pytest.raises(edit.EditError, match="already"):
        edit.add_species(project, "67-56-1")
    edit.order_by_boiling_point(project)
    assert [s.id for s in project.species] == ["methanol", "water"]
    edit.move_species(project, "water", -1)
    assert [s.id for s in project.species] == ["water", "methanol"]
    reaction = edit.add_reaction(project, "2 methanol = x")
    assert project.reaction_sets[0].steps == [[reaction]]
    second = edit.add_reaction(project, "y = z")
    edit.place_in_set(project, "main", second, 1)
    assert project.reaction_sets[0].steps == [[reaction, second]]
    edit.place_in_set(project, "main", second, 0)
    assert project.reaction_sets[0].steps == [[reaction]]
    edit.remove_reaction(project, reaction)
    assert project.reaction_sets[0].steps == []
    edit.remove_species(project, "methanol")
    assert "methanol" not in project.stream("feed1").given.flow


def test_scaling_fractions():
    project = started()
    given = project.stream("feed1").given
    given.basis, given.fraction = "mole-fractions", {"methanol": "30 %", "water": "30 %"}
    edit.scale_fractions(project, "feed1")
    assert given.fraction == {"methanol": "50 %", "water": "50 %"}
