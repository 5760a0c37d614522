"""Scans of one knob and two: grids, edges and peaks that are solved, everything recorded."""

import base64
import zlib

import numpy as np
import pytest
from by_hand import K1, K2, made, residence, tank
from helpers import document, feed
from scipy.optimize import brentq, minimize_scalar

from gulch.demo import projects
from gulch.engine.declared.told import Code
from gulch.engine.explain import Plan, solve
from gulch.engine.explain.checks import check
from gulch.engine.project import edit
from gulch.engine.project.inputs import write
from gulch.engine.project.messages import Message
from gulch.engine.project.places import at_stream
from gulch.engine.quantities import QuantityError
from gulch.engine.scans import (
    Recall,
    ScanError,
    answer_of,
    gauge_rows,
    grid_of,
    points_or_step,
    record,
    run_scan,
    swings,
    windows,
)
from gulch.engine.scans.points import doubts_of, rest_on
from gulch.engine.scans.refine import row_edges


def test_a_peak_is_solved_and_is_the_textbooks():
    project = tank([{"knob": "V", "low": "0.2 m3", "high": "2 m3", "points": 7}])
    (peak,) = run_scan(project, project.scans[0]).peaks
    best = residence(project, peak["value"])
    assert best == pytest.approx(1.0 / np.sqrt(K1 * K2), rel=2e-3)  # as flat as the top is
    assert peak["reads"] * 3600 == pytest.approx(1e-3 * 1000 * made(1.0 / np.sqrt(K1 * K2)), rel=1e-4)
    assert peak["kind"] == "highest"


def test_an_edge_is_the_root_found_by_hand():
    """The limit 40 % of A turned to B: a quadratic equation in the residence time."""
    limit = 0.4e-3
    project = tank(
        [{"knob": "V", "low": "0.05 m3", "high": "3 m3", "points": 6}],
        [{"id": "B", "reads": "out.flow.B", "at_least": f"{limit} kmol/h"}],
    )
    result = run_scan(project, project.scans[0])
    (low, high) = windows(result.points, result.gauges, result.edges)[0]
    per_m3 = residence(project, 1.0)
    roots = [brentq(lambda t: made(t) - 0.4, a, b, xtol=1e-12) for a, b in ((1e-6, 1.8), (1.8, 100.0))]
    assert low * per_m3 == pytest.approx(roots[0], rel=1e-4)
    assert high * per_m3 == pytest.approx(min(roots[1], 3.0 * per_m3), rel=1e-4)
    for e in result.edges:
        assert e["gauges"]["B"] == pytest.approx(e["at"], rel=1e-6)


def test_edges_of_the_demo_stand_where_a_fine_search_puts_them():
    project = projects()[0]
    result = run_scan(project, project.scans[0])
    plan = Plan(project)

    def over(x):
        return plan.run(start=kept, overrides={"SPLIT.drawn": x}).gauges["recycle_flow"] - 1200 / 3.6

    kept = plan.run().start
    (edge,) = (e for e in result.edges if e["gauge"] == "recycle_flow")
    assert edge["value"] == pytest.approx(brentq(over, 0.02, 0.1, xtol=1e-12), rel=1e-6)
    purity = next(p for p in result.peaks if p["gauge"] == "purity" and p["kind"] == "highest")
    found = minimize_scalar(
        lambda x: -plan.run(start=kept, overrides={"SPLIT.drawn": x}).gauges["purity"],
        bounds=(0.05, 0.09),
        method="bounded",
        options={"xatol": 1e-7},
    )
    assert purity["reads"] == pytest.approx(-found.fun, rel=1e-9) and purity["value"] == pytest.approx(found.x, abs=1e-4)


def test_two_knobs_make_rows_of_points_that_agree_with_single_solves():
    project = tank([{"knob": "V", "points": 5}, {"knob": "F", "points": 3}])
    result = run_scan(project, project.scans[0])
    assert len(result.points) == 15 and result.edges == [] and [len(a["values"]) for a in result.axes] == [5, 3]
    plan = Plan(project)
    for p in result.points[::4]:
        alone = plan.run(overrides=dict(zip((a["address"] for a in result.axes), p["values"], strict=True)))
        assert p["gauges"]["B"] == pytest.approx(alone.gauges["B"], rel=1e-9)
    volumes = [p["values"][0] for p in result.points[:5]]
    assert volumes == sorted(volumes) and len({p["values"][1] for p in result.points[:5]}) == 1


def test_a_gauge_thought_of_later_is_read_from_what_was_kept():
    project = tank([{"knob": "V", "points": 4}])
    points = run_scan(project, project.scans[0]).points
    project.gauges = [
        *project.gauges,
        type(project.gauges[0])(id="C", reads="out.flow.C"),
        type(project.gauges[0])(id="yield", reads="gauge.yield", formula="out.flow.B/feed.flow.A"),
        type(project.gauges[0])(id="per", reads="gauge.per", formula="out.flow.B/T1.volume"),
    ]
    later, plan = Recall(project), Plan(project)
    for p in points:
        alone = plan.run(overrides={"T1.volume": p["value"]}).gauges
        assert later.gauge(p, "out.flow.C", {}) == pytest.approx(alone["C"], rel=1e-6)
        assert later.gauge(p, "gauge.yield", {}) == pytest.approx(alone["yield"], rel=1e-6)
        assert later.gauge(p, "gauge.per", {"T1.volume": p["value"]}) == pytest.approx(alone["per"], rel=1e-6)
    assert later.gauge(points[0], "out.magic", {}) is None and later.gauge({"record": ""}, "out.flow.C", {}) is None


def test_a_record_is_read_only_by_the_list_it_was_written_by():
    """A later edition keeps one more result of each stream: what stood at a place then stands at another now."""
    which = ("a.flow", "a.pressure", "b.flow")
    kept = f"{record.mark(which)}:{base64.b85encode(zlib.compress(np.array([1, 2, 3], np.float32).tobytes())).decode()}"
    assert record.read(kept, which) == {"a.flow": 1.0, "a.pressure": 2.0, "b.flow": 3.0}
    assert record.read(kept, ("a.flow", "a.heavy_flow", "a.pressure", "b.flow")) == {}
    assert record.read(kept, ("a.flow", "a.heavy_flow", "b.flow")) == {}
    assert record.read(kept.split(":")[1], which) == {}  # of before lists were named


@pytest.mark.parametrize(
    ("sweep", "expected"),
    [
        ({"points": 3}, [0.1, 1.55, 3.0]),
        ({"step": "1 m3", "low": "1 m3"}, [1.0, 2.0, 3.0]),
        ({"step": "0.9 m3", "low": "1 m3"}, [1.0, 1.9, 2.8, 3.0]),
        ({"spacing": "log", "low": "0.03 m3", "points": 3}, [0.03, 0.3, 3.0]),
    ],
)
def test_ranges_by_number_step_and_equal_factors(sweep, expected):
    project = tank([{"knob": "V", **sweep}])
    assert grid_of(project, project.scans[0]).axes[0].values == pytest.approx(expected)


@pytest.mark.parametrize(
    ("over", "more", "words"),
    [
        ([{"knob": "V"}, {"knob": "V"}], {}, "turn the same input"),
        ([{"knob": "V", "points": 500}, {"knob": "F", "points": 500}], {}, "250000 points would take about 83 minutes"),
        ([{"knob": "V", "step": "5 m3"}], {}, "does not fit between the ends"),
        ([{"knob": "V", "step": "5 bar"}], {}, "unit of pressure"),
        ([{"knob": "V", "spacing": "log", "low": "0 m3"}], {}, "leaves what"),
        ([{"knob": "V", "spacing": "log", "step": "0.5 m3"}], {}, "takes a number of points, not a step"),
        ([{"knob": "V", "step": "1e-300 m3"}], {}, "makes more than 20000 points"),
        ([{"knob": "V", "step": "1e-9 m3"}], {}, "makes more than 20000 points"),
        ([{"knob": "F", "spacing": "log", "low": "0 kmol/h"}], {}, "must begin above zero"),
        ([{"knob": "F"}], {"ties": [{"sets": "feed.flow.water", "formula": "500*feed.flow.A"}]}, "A tie sets feed.flow.water"),
        ([{"knob": "V"}], {"targets": [{"id": "t", "gauge": "B", "value": "1e-4 kmol/h", "knob": "V"}]}, "A target turns V"),
    ],
)
def test_what_cannot_be_scanned_is_refused_with_a_sentence(over, more, words):
    project = tank(over, **more)
    with pytest.raises(ScanError, match=words):
        grid_of(project, project.scans[0])


def test_points_or_a_step_are_told_apart():
    assert points_or_step("21") == (21, None) and points_or_step(" 5 K") == (None, "5 K")
    for text in ("1", "2.5", "501"):
        with pytest.raises(QuantityError, match="from 2 to 500"):
            points_or_step(text)


def test_a_doubtful_point_is_never_best_unless_it_is_let_pass():
    """At 190 °C and much water the demo's gas reactor would stand full of liquid, and make more ethanol than anywhere."""
    project = projects()[0]
    scan = project.scans[1].model_copy(deep=True)
    for sweep, low, high in zip(scan.over, ("195 degC", "150 kmol/h"), ("215 degC", "250 kmol/h"), strict=True):
        sweep.low, sweep.high, sweep.points = low, high, 5
    project.scans = [scan]
    result = run_scan(project, scan).to_dict()
    careful, careless = (answer_of(result, "made", passing=p) for p in ([], ["wrong-phase", "further-phase"]))
    doubted = {tuple(p["values"]) for p in result["points"] if p["doubts"]}
    assert tuple(careful.best.values) not in doubted and tuple(careless.best.values) in doubted
    assert careless.best.reads > careful.best.reads and careful.doubtful == len(doubted) and careless.doubtful == 0


def test_a_doubt_touches_only_what_rests_on_it():
    """A doubt about the styrene demo's condensate: its reactor stands before it, its products behind."""
    styrene = next(p for p in projects() if "styrene" in p.name)
    plan = Plan(styrene)
    rows = {g["id"]: g for g in gauge_rows(styrene)}
    before, after = rest_on(plan, [rows["conversion"]]), rest_on(plan, [rows["made"]])
    solution = plan.run()
    solution.messages.append(Message("warning", at_stream("cold"), "cold: doubtful.", "Look.", code=Code.FURTHER_PHASE))
    assert "cold" not in before and "BED" in before and "cold" in after
    assert doubts_of(solution, before) == [] and doubts_of(solution, after) == ["further-phase"]


def test_swings_of_a_tank_are_its_formulas():
    """Yield of B over volume and flow, by the textbook formula and its derivative."""
    project = tank([{"knob": "V"}])
    found = swings(Plan(project))
    by = {s.knob: s for s in found.rows}
    per_m3, fed = residence(project, 1.0), 1e-3 / 3.6
    for end, volume in (("low", 0.1), ("high", 3.0)):
        assert by["V"].ends[end]["gauges"]["B"] == pytest.approx(fed * made(per_m3 * volume), rel=1e-6)
    t = per_m3
    slope = K1 * (1.0 - K1 * K2 * t * t) / ((1.0 + K1 * t) * (1.0 + K2 * t)) ** 2  # d(yield)/dt
    assert by["V"].slopes["B"] == pytest.approx(fed * slope * per_m3, rel=1e-3)
    assert by["F"].slopes["B"] == pytest.approx(-fed * slope * t / (1000.0 / 3.6), rel=2e-3)  # t goes with one over the flow
    assert found.now["B"] == pytest.approx(fed * made(t), rel=1e-6)


def test_a_sensitivity_at_a_kink_is_told_of_both_sides():
    """A mixer runs at the lower of its inlets: its pressure follows one of them up to the other's and no further."""
    project = document(
        {"nitrogen": "7727-37-9"},
        [{"id": "M", "kind": "mixer"}],
        [
            feed("f", "M", {"nitrogen": "1 kmol/h"}, P="10 bar"),
            feed("g", "M", {"nitrogen": "1 kmol/h"}, P="10 bar"),
            {"id": "o", "from": "M"},
        ],
        knobs=[{"id": "P", "input": "f.pressure", "low": "5 bar", "high": "15 bar"}],
        gauges=[{"id": "p", "reads": "o.pressure"}, {"id": "h", "reads": "gauge.h", "formula": "f.pressure^2/1[bar]"}],
    )
    (row,) = swings(Plan(project)).rows
    assert row.kinks["p"] == pytest.approx([1.0, 0.0], abs=1e-9)
    assert "h" not in row.kinks  # a smooth curve, however steep
    project.stream("g").given.pressure = "12 bar"
    (row,) = swings(Plan(project)).rows
    assert not row.kinks and row.slopes["p"] == pytest.approx(1.0)


# Knobs on fractions


def mixed_feed(**more):
    return document(
        {"nitrogen": "7727-37-9", "hydrogen": "1333-74-0", "argon": "7440-37-1"},
        [{"id": "H", "kind": "heater", "temperature": "80 degC"}],
        [
            {
                "id": "f",
                "to": "H",
                "given": {
                    "temperature": "25 degC",
                    "pressure": "10 bar",
                    "basis": "mole-fractions",
                    "total": "100 kmol/h",
                    "fraction": {"nitrogen": "20 %", "hydrogen": "75 %", "argon": "5 %"},
                },
            },
            {"id": "o", "from": "H"},
        ],
        knobs=[{"id": "x", "input": "f.fraction.hydrogen", "low": "10 %", "high": "90 %"}],
        gauges=[{"id": "held", "reads": "f.fraction.hydrogen"}, {"id": "n", "reads": "o.flow.nitrogen"}],
        **more,
    )


def test_a_turned_fraction_keeps_its_value_and_the_others_give_way():
    plan = Plan(mixed_feed(scans=[{"id": "s", "over": [{"knob": "x", "points": 5}]}]))
    for x in (0.1, 0.5, 0.9, 1.0):
        feed_ = plan.run(overrides={"f.fraction.hydrogen": x}).streams["f"]
        assert feed_.flow["hydrogen"] / feed_.total == pytest.approx(x) and feed_.total == pytest.approx(100 / 3.6)
        assert feed_.flow["nitrogen"] == pytest.approx(4.0 * feed_.flow["argon"])  # in proportion
    result = run_scan(plan.project, plan.project.scans[0])
    assert [p["gauges"]["held"] for p in result.points] == pytest.approx([p["value"] for p in result.points])


def test_two_turned_fractions_keep_both_values_or_say_that_they_cannot():
    plan = Plan(mixed_feed())
    feed_ = plan.run(overrides={"f.fraction.hydrogen": 0.5, "f.fraction.argon": 0.3}).streams["f"]
    assert [feed_.flow[s] / feed_.total for s in ("hydrogen", "argon", "nitrogen")] == pytest.approx([0.5, 0.3, 0.2])
    beyond = plan.run(overrides={"f.fraction.hydrogen": 0.9, "f.fraction.argon": 0.3})
    assert not beyond.solved and any("add up to 120 %" in m.what for m in beyond.messages)


def test_a_target_turns_a_fraction_as_a_scan_does():
    project = mixed_feed(targets=[{"id": "t", "gauge": "n", "value": "40 kmol/h", "knob": "x"}])
    solution = solve(project)
    (target,) = solution.targets
    assert target.met and target.knob_value == pytest.approx(0.5, abs=1e-6)  # 40 of nitrogen, 10 of argon
    assert solution.gauges["held"] == pytest.approx(0.5, abs=1e-6)


def test_what_a_turned_fraction_does_is_written_back():
    project = mixed_feed()
    write(project, "f.fraction.hydrogen", "90 %")
    edit.turn(project, {"f.fraction.hydrogen": "90 %"})
    assert project.stream("f").given.fraction == {"nitrogen": "8 %", "hydrogen": "90 %", "argon": "2 %"}
    assert solve(project).solved and not any("add up" in m.what for m in check(project))


def test_swings_leave_out_what_cannot_be_moved_and_say_why():
    project = tank([{"knob": "V"}], ties=[{"sets": "feed.flow.water", "formula": "1e6*feed.flow.A"}])
    found = swings(Plan(project))
    assert [s.knob for s in found.rows] == ["V"] and list(found.left.values()) == ["a tie sets it"]
    project.gauges = []
    with pytest.raises(ScanError, match="No gauge"):
        swings(Plan(project))
    project = projects()[0]
    (row,) = (s for s in swings(Plan(project)).rows if s.knob == "drum_T")
    assert row.ends["low"]["why"] == "" or row.ends["low"]["why"].startswith("DRUM")


def test_within_a_share_of_the_best_is_solved_between_the_points():
    """Yield of B within 5 % of its peak: a quadratic in the residence time (Levenspiel, ch. 8)."""
    project = tank([{"knob": "V", "low": "0.1 m3", "high": "3 m3", "points": 41}])
    result = run_scan(project, project.scans[0]).to_dict()
    (low, high), per_m3 = answer_of(result, "B", within=0.05).near[0], residence(project, 1.0)
    best = made(1.0 / np.sqrt(K1 * K2))
    ends = [brentq(lambda t: made(t) - 0.95 * best, a, b) for a, b in ((1e-3, 1.8), (1.8, 20.0))]
    assert low * per_m3 == pytest.approx(ends[0], rel=0.02) and high * per_m3 == pytest.approx(min(ends[1], 3.0 * per_m3), rel=0.02)
    assert answer_of(result, "B").near == []


def test_lines_get_more_points_where_they_bend():
    """Few points over the steep beginning of the yield: what is added lies there, and is solved."""
    project = tank([{"knob": "V", "low": "0.1 m3", "high": "3 m3", "points": 6}])
    result = run_scan(project, project.scans[0])
    assert result.bends and result.bends[0]["value"] < 1.0
    plan = Plan(project)
    for b in result.bends:
        assert b["gauges"]["B"] == pytest.approx(plan.run(overrides={"T1.volume": b["value"]}).gauges["B"], rel=1e-8)
    straight = tank([{"knob": "V", "low": "0.1 m3", "high": "0.11 m3", "points": 6}])
    assert run_scan(straight, straight.scans[0]).bends == []


def test_a_list_of_points_is_solved_in_its_order():
    over = [{"knob": "F"}, {"knob": "V"}]
    project = tank(over)
    project.scans[0].listed = [["800 kmol/h", "1 m3"], ["500 kmol/h", "0.5 m3"], ["1000 kmol/h", "2 m3"]]
    result = run_scan(project, project.scans[0])
    assert result.listed and [p["values"][1] for p in result.points] == [1.0, 0.5, 2.0] and result.edges == []
    for p in result.points:
        t = residence(project, p["values"][1], 3.6 * p["values"][0])
        assert p["gauges"]["B"] * 3600 == pytest.approx(made(t), rel=1e-6)
    project = tank([{"knob": "V"}])
    project.scans[0].listed = [["2 m3"], ["0.5 m3"], ["1 m3"], ["1 m3"]]
    result = run_scan(project, project.scans[0])
    assert not result.listed and [p["value"] for p in result.points] == [0.5, 1.0, 2.0]


@pytest.mark.parametrize(
    ("over", "listed", "words"),
    [
        (["V", "F"], [["1 m3"]], "Point 1 of the list has no value for"),
        (["V"], [["1 m3"], ["5 bar"]], "Point 2 of the list: .*unit of pressure"),
        (["V"], [["-1 m3"]], "lies outside what"),
        (["V", "V"], [["1 m3", "2 m3"]], "turn the same input"),
        (["V", "F", "V"], [], "two knobs at most"),
    ],
)
def test_a_list_that_cannot_be_read_is_refused(over, listed, words):
    project = tank([{"knob": k} for k in over])
    project.scans[0].listed = listed
    with pytest.raises(ScanError, match=words):
        grid_of(project, project.scans[0])


def test_the_windows_edge_over_two_knobs_is_solved_along_its_rows():
    """The limit 40 % of A turned to B: in every row the crossing is at the same residence time, by the formula."""
    project = tank(
        [{"knob": "V", "points": 5}, {"knob": "F", "points": 3}], [{"id": "B", "reads": "out.flow.B", "at_least": "0.4e-3 kmol/h"}]
    )
    result = run_scan(project, project.scans[0])
    root = brentq(lambda t: made(t) - 0.4, 1e-6, 1.8)
    first = {}
    for e in result.edges:
        first.setdefault(e["values"][1], e)
    assert len(first) >= 2
    for water, e in first.items():
        assert residence(project, e["values"][0], 3.6 * water) == pytest.approx(root, rel=1e-3)
        assert e["gauges"]["B"] == pytest.approx(e["at"], rel=1e-6)


def test_edges_beyond_another_limit_are_not_the_windows():
    """B at least 40 % and C at most 1 %: where B rises to its limit C is beyond its own in every row, so there is no window."""
    limits = [
        {"id": "B", "reads": "out.flow.B", "at_least": "0.4e-3 kmol/h"},
        {"id": "C", "reads": "out.flow.C", "at_most": "0.01e-3 kmol/h"},
    ]
    project = tank([{"knob": "V", "points": 6}, {"knob": "F", "points": 3}], limits)
    result = run_scan(project, project.scans[0])
    grid = grid_of(project, project.scans[0])
    points = [p | {"gauges": p["gauges"] | {"C": 0.0}} if i % 5 == 0 else p for i, p in enumerate(result.points)]
    found = row_edges(Plan(project), grid, points)  # as if some points were inside: the solves say otherwise
    assert result.edges == [] and all(e["gauges"]["C"] <= 0.01e-3 / 3.6 for e in found if e["gauge"] == "B")


def test_an_edge_may_be_the_best_of_two_knobs_where_its_neighbours_are_trusted():
    points = [
        {"value": x, "values": [x, 0.0], "solved": True, "gauges": {"a": x, "b": x}, "doubts": d}
        for x, d in ((0.0, []), (1.0, []), (2.0, ["wrong-phase"]))
    ]
    gauges = [{"id": "a", "at_least": None, "at_most": 0.7}, {"id": "b", "at_least": None, "at_most": None}]
    edge = {"gauge": "a", "limit": "at_most", "at": 0.7, "value": 0.7, "values": [0.7, 0.0], "gauges": {"a": 0.7, "b": 0.7}}
    result = {"points": points, "gauges": gauges, "axes": [{}, {}], "edges": [edge]}
    assert answer_of(result, "b").best.values == [0.7, 0.0]
    gauges[0]["at_most"] = 0.5  # today's limit is another one
    assert answer_of(result, "b").best.values == [0.0, 0.0]
    gauges[0]["at_most"], points[1]["doubts"] = 0.7, ["wrong-phase"]
    assert answer_of(result, "b").best.values == [0.0, 0.0]
