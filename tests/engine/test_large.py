"""Large processes: what is looked up, kept and found anew only where it changed is what it was when all was looked through."""

import pytest
from helpers import demo, plant

from gulch.demo import projects
from gulch.engine.document import TearEntry, source_of
from gulch.engine.explain.checks import check
from gulch.engine.flowsheet import graph
from gulch.engine.project.couplings import readings
from gulch.engine.project.edit import append_unit, complete_streams
from gulch.engine.project.ends import entering, leaving
from gulch.engine.project.inputs import address_of, addresses, owned
from gulch.engine.project.results import readable


def test_results_are_the_same_one_by_one_and_all_together():
    project = demo()
    every = dict(readable(project))
    assert len(readable(project)) == len(every) > 300
    for address, told in every.items():
        assert readable(project)[address] == told and address in readable(project) and told.address == address
    alone = readable(project)
    assert "R1.duty" in alone and "R1.nothing" not in alone and "nothing.at.all" not in alone and alone.get("overall.nothing") is None
    assert list(alone) == list(every), "in one order, whatever was asked for before"


def test_a_mapping_of_results_outlives_a_change_of_the_document():
    project = demo()
    before = readings(project)
    project.streams[0].id, was = "another", project.streams[0].id
    assert f"{was}.temperature" in before and "another.temperature" not in before


@pytest.mark.parametrize("place", range(6))
def test_one_input_is_what_it_is_among_all(place):
    project = projects()[place]
    every = addresses(project)
    for address, found in every.items():
        assert address_of(project, address) == found
    assert address_of(project, "nothing.temperature") is None and address_of(project, "") is None
    assert sum(len(v) for v in owned(project).values()) == len(every)


def test_ends_of_streams_by_unit():
    project = plant(30)
    for u in project.units:
        assert [s.id for s in entering(project)[u.id]] == [s.id for s in project.streams if s.enters == u.id]
        left = [(source_of(s)[1], s.id) for s in project.streams if s.source and source_of(s)[0] == u.id]
        assert [(port, s.id) for port, s in leaving(project)[u.id]] == left
    assert not entering(project)["nowhere"] and not leaving(project)["nowhere"]


def test_two_units_of_one_id_are_said_and_checked_all_the_same():
    project = plant(7)
    project.unit("COOL_1").id = "DRUM_1"
    assert any(m.level == "error" and "DRUM_1" in m.what for m in check(project))


def order(project):
    return [(g.nodes, g.units, g.tears) for g in graph.groups(project)]


def test_parts_that_were_cut_before_are_cut_alike():
    """Whatever is built beside a loop, its cut is the one found for it alone; a loop that changes is cut anew."""
    project = plant(30)
    graph.groups(project)
    append_unit(project, "product", "heater")
    complete_streams(project)
    grown = order(project)
    graph._kept.clear()
    assert order(project) == grown and sum(bool(g[2]) for g in grown) == 4
    assert graph.material_loops(project) == {u for _, units, tears in grown if tears for u in units}
    back = next(s for s in project.streams if s.id == "return_2")
    back.to = None  # one loop less
    assert sum(bool(g[2]) for g in order(project)) == 3 and "K_2" not in graph.material_loops(project)


def test_a_chosen_tear_counts_after_another_was_kept():
    project = plant(14)
    before = order(project)
    project.tears.append(TearEntry(stream="heat_out_1", chosen=True))
    assert [t for g in order(project) for t in g[2]] != [t for g in before for t in g[2]]
    assert "heat_out_1" in [t for g in order(project) for t in g[2]]


def test_ways_round_follow_the_streams():
    project = plant(14)
    units = frozenset(next(g.units for g in graph.groups(project) if g.tears))
    assert graph.rounds(project, units) == graph.rounds(project, units) and len(graph.rounds(project, units)[0]) == len(units) == 7
    project.stream("return_1" if "K_1" in units else "return_2").to = None
    assert graph.rounds(project, units) == []
