"""Values nobody typed count as assumed; shares typed without a unit are asked about."""

import pytest
from helpers import demo, document, feed

from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.project.assumed import assumed
from gulch.engine.project.edit import add_feed, append_unit, take_assumed
from gulch.engine.project.inputs import addresses, write
from gulch.engine.project.typed import ALWAYS_PERCENT, ALWAYS_SHARE, answer, typed, typed_text, typed_tie

SPECIES = {"ethanol": "64-17-5", "water": "7732-18-5"}


def lines(project, level):
    return [m.what for m in check(project) if m.level == level]


def started(**more):
    project = document(SPECIES, **more)
    add_feed(project)
    return project


def test_a_new_feed_invents_no_flow_and_counts_its_state_as_assumed():
    project = started()
    assert project.dump()["streams"][0]["given"]["flow"] == {}
    assert lines(project, "assumed") == ["feed1: 2 assumed: temperature, pressure."]
    assert any("carries nothing" in what for what in lines(project, "error"))


@pytest.mark.parametrize(
    "display, T, P", [("process-metric", "25 degC", "1 bar"), ("us-customary", "77 degF", "14.5 psi"), ("si", "298.1 K", "1e+05 Pa")]
)
def test_assumed_values_are_in_the_units_of_the_project(display, T, P):
    found = addresses(started(display=display))
    assert (found["feed1.temperature"].text, found["feed1.pressure"].text) == (T, P)


def test_a_reactor_counts_what_nobody_typed_and_takes_feed_temperature_and_phase():
    project = document(
        {"a": "106-97-8", "b": "75-28-5"},
        [{"id": "R1", "kind": "plug-flow", "set": "main", "volume": "1 m3"}],
        [feed("F", "R1", {"a": "10 kmol/h"}, T="20 degC", P="10 bar"), {"id": "P", "from": "R1"}],
        [{"id": "r1", "equation": "a = b", "rate": {"forward": {"k": "1e-3 1/s"}}}],
        [{"id": "main", "steps": [["r1"]]}],
        "peng-robinson",
    )
    (line,) = [what for what in lines(project, "assumed") if what.startswith("R1:")]
    assert "r1: 1 assumed: activation energy, as zero." in lines(project, "assumed")
    assert line.startswith("R1: ") and all(w in line for w in ("phase", "heat", "pressure")) and "volume" not in line
    solution = solve(project)
    assert solution.solved and solution.units["R1"].taken["phase"] == "liquid"  # butane at 10 bar and 20 °C
    assert solution.streams["P"].temperature == pytest.approx(293.15)
    done = take_assumed(project, "R1", solution.units["R1"].taken)
    assert "phase" in done and project.unit("R1").phase == "liquid"
    assert take_assumed(project, "r1", {}) and not lines(project, "assumed")
    again = solve(project)
    assert again.streams["P"].flow["b"] == pytest.approx(solution.streams["P"].flow["b"], rel=1e-12)


def test_a_typed_value_decides_the_way_it_belongs_to():
    project = document(
        SPECIES,
        [{"id": "H", "kind": "heater", "duty": "5 kW"}],
        [feed("F", "H", {"water": "1 kmol/h"}), {"id": "P", "from": "H"}],
    )
    solution = solve(project)
    assert solution.units["H"].values["duty"] == pytest.approx(5000.0)
    assert [a.label for a in assumed(project, "H")] == ["pressure drop"]


def test_what_is_assumed_is_absent_from_the_file_and_clearing_brings_it_back():
    project = demo()
    assert lines(project, "assumed") == []  # the demo has everything typed
    write(project, "H1.pressure_drop", "")
    assert "pressure_drop" not in project.dump()["units"][1]
    assert lines(project, "assumed") == ["H1: 1 assumed: pressure drop."]
    assert load(project.dump()).dump() == project.dump()


def test_every_kind_can_be_taken_over_whole():
    project = started()
    project.streams[0].given.flow = {"ethanol": "10 kmol/h"}
    append_unit(project, "feed1", "compressor")
    for id_ in ("feed1", "K1"):
        take_assumed(project, id_, {})
    assert lines(project, "assumed") == [] and project.unit("K1").pressure == "10 bar"


# Shares as bare numbers


def with_column():
    return document(
        SPECIES,
        [{"id": "COL1", "kind": "shortcut-column", "light_key": "ethanol", "heavy_key": "water"}],
        [feed("F", "COL1", {"ethanol": "50 kmol/h", "water": "50 kmol/h"})],
    )


PLACES = [
    "COL1.light_in_bottoms",
    "gauge.g1.at_least",
    "target.t1.value",
    "knob.k1.low",
    "scan.s1.high",
    "tie.COL1.light_recovery",
]


def full():
    project = with_column().dump()
    project["units"][0]["keys_by"] = "composition"
    project |= {
        "gauges": [{"id": "g1", "reads": "F.fraction.ethanol"}],
        "knobs": [{"id": "k1", "input": "COL1.heavy_in_distillate", "low": "1 %", "high": "5 %"}],
        "targets": [{"id": "t1", "gauge": "g1", "knob": "k1", "value": "50 %", "on": False}],
        "scans": [{"id": "s1", "over": [{"knob": "k1"}]}],
        "ties": [{"sets": "COL1.light_recovery", "formula": "0.5"}],
    }
    return load(project)


@pytest.mark.parametrize("place", PLACES)
def test_a_bare_share_takes_the_unit_shown_and_is_asked_about_once(place):
    project = full()
    if place.startswith("tie."):
        project.tie("COL1.light_recovery").formula = typed_tie(project, "COL1.light_recovery", "0.28", "fraction")
        assert project.tie("COL1.light_recovery").formula == "0.28[%]"
    else:
        typed_text(project, place).write(typed(project, place, "0.28", "fraction"))
        assert typed_text(project, place).text == "0.28 %"
    (question,) = [m for m in check(project) if m.level == "question"]
    assert question.where == place and "Was 28 % meant?" in question.what
    answer(project, place, "28 %")
    assert typed_text(project, place).text.replace(" ", "") == "28%"
    assert not [m for m in check(project) if m.level == "question"]


@pytest.mark.parametrize("text, asks", [("0.28 %", False), ("28", False), ("1", True), ("0", False), ("0.1 ppm", False)])
def test_only_what_could_be_meant_as_a_fraction_is_asked(text, asks):
    project = full()
    typed(project, PLACES[0], text, "fraction")
    assert bool(project.doubtful) == asks


@pytest.mark.parametrize("kept, text", [(ALWAYS_SHARE, "28 %"), (ALWAYS_PERCENT, "0.28 %")])
def test_an_answer_can_be_kept_for_the_project(kept, text):
    project = full()
    for place in PLACES[:2]:
        typed_text(project, place).write(typed(project, place, "0.28", "fraction"))
    answer(project, PLACES[0], kept)
    assert [typed_text(project, p).text for p in PLACES[:2]] == [text, text] and not project.doubtful
    assert typed(project, PLACES[3], "0.28", "fraction") == text and not project.doubtful


def test_typing_again_with_a_unit_ends_the_doubt():
    project = full()
    typed(project, PLACES[0], "0.5", "fraction")
    typed(project, PLACES[0], "0.5 %", "fraction")
    assert project.doubtful == []


@pytest.mark.parametrize("place", ["knob.k1.foo", "gauge.g1.low", "sizing.nothing", "knob", "tie.nowhere", "nothing.at.all"])
def test_places_that_a_file_made_up_are_passed_over(place):
    project = full()
    project.doubtful = [place]
    assert typed_text(project, place) is None and not [m for m in check(project) if m.level == "question"]
