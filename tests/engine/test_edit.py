"""Edits of a document: growing, sending back, removing, renaming."""

import numpy as np
import pytest
from helpers import demo, document, feed

from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.project import edit
from gulch.engine.project.edit import EditError
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
    still_to_give = ("set", "key", "tracer")  # a reaction set, the keys of a column, a measured curve
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


def with_rate():
    project = document(
        {"a": "106-97-8", "b": "75-28-5", "c": "74-98-6"},
        [{"id": "R", "kind": "plug-flow", "set": "s"}],
        [feed("f", "R", {"a": "10 kmol/h"}), {"id": "p", "from": "R"}],
        [{"id": "r", "equation": "a = b"}],
        [{"id": "s", "steps": [["r"]]}],
    )
    edit.add_rate(project, "r")
    return project, project.reaction("r").rate


def test_parts_of_a_rate_law_go_where_they_belong():
    project, rate = with_rate()
    for field, text in (("forward.k", "2 1/s"), ("forward.energy", "50 kJ/mol"), ("forward.at", "300 K"), ("forward.power", "0.5")):
        edit.set_rate(project, "r", field, text)
    assert (rate.forward.k, rate.forward.energy, rate.forward.at, rate.forward.power) == ("2 1/s", "50 kJ/mol", "300 K", "0.5")
    for field, empty in (("forward.energy", None), ("forward.at", None), ("forward.power", "0"), ("forward.k", "")):
        edit.set_rate(project, "r", field, "")
        assert getattr(rate.forward, field.partition(".")[2]) == empty
    assert rate.backward is None
    edit.set_rate(project, "r", "reverse", "own")
    assert rate.backward is not None and rate.backward.k == ""
    edit.set_rate(project, "r", "backward.k", "3 1/s")
    edit.set_rate(project, "r", "reverse", "none")
    edit.set_rate(project, "r", "reverse", "own")
    assert (rate.backward.k, rate.forward.k) == ("3 1/s", "")  # what was typed comes back
    edit.set_rate(project, "r", "exponent", "")
    assert rate.exponent == "1"
    for field in ("forward.formula", "orders", "law.x", "sideways.k"):
        with pytest.raises(EditError, match="no such part"):
            edit.set_rate(project, "r", field, "x")
    rate.forward.meant = True
    edit.set_rate(project, "r", "forward.k", "2 1/s")
    assert rate.forward.meant
    edit.set_rate(project, "r", "forward.energy", "60 kJ/mol")
    assert not rate.forward.meant  # another energy is asked about anew
    edit.knob_on(project, "r.energy", "50 kJ/mol", "70 kJ/mol")
    edit.set_rate(project, "r", "basis", "concentration")
    assert [k.input for k in project.knobs] == ["r.energy"]
    edit.set_rate(project, "r", "law", "formula")
    assert project.knobs == []


def test_the_first_order_that_is_typed_keeps_the_others():
    project, rate = with_rate()
    edit.set_order(project, "r", "c", "-1")
    assert rate.orders == {"a": "1", "c": "-1"} and rate.reverse_orders == {}
    edit.set_order(project, "r", "a", "0.5", back=True)
    assert rate.reverse_orders == {"b": "1", "a": "0.5"} and rate.orders == {"a": "1", "c": "-1"}
    edit.set_order(project, "r", "c", "0")
    assert rate.orders == {"a": "1", "c": "0"}  # a typed 0 stays
    edit.set_order(project, "r", "c", "")
    assert rate.orders == {"a": "1"}
    edit.set_order(project, "r", "a", "")
    assert rate.orders == {"a": "0"}  # the last one does not go: no orders are those of the equation


def test_fractions_give_way_in_proportion_or_all_are_scaled():
    from gulch.engine.project.feeds import give_way

    z = np.array([0.2, 0.3, 0.5])
    assert give_way(z, np.array([True, False, False])) == pytest.approx([0.2, 0.3, 0.5])
    assert give_way(np.array([0.6, 0.3, 0.5]), np.array([True, False, False])) == pytest.approx([0.6, 0.15, 0.25])
    assert give_way(np.array([0.9, 0.3, 0.5]), np.array([True, True, False])) == pytest.approx(np.array([0.9, 0.3, 0.5]) / 1.7)  # too much
    assert give_way(np.array([0.4, 0.4, 0.0]), np.array([True, True, False])) == pytest.approx([0.5, 0.5, 0.0])  # nothing to give way
