"""What a scan says beside its figures: windows that end on their limits, and the warnings of its points."""

import csv
import io

import numpy as np
import pytest
from helpers import demo, document, feed

from gulch.engine.document import ScanEntry, load
from gulch.engine.exchange import Sentence, scan_csv
from gulch.engine.scans import answer_of, run_scan, windows


def points(*rows):
    return [{"value": x, "solved": y is not None, "gauges": {"g": y}} for x, y in rows]


def gauge(at_least=None, at_most=None):
    return [{"id": "g", "at_least": at_least, "at_most": at_most}]


@pytest.mark.parametrize(
    ("rows", "limits", "expected"),
    [
        (((0, 0), (10, 10), (20, 20), (30, 30)), {"at_least": 14, "at_most": 27}, [(14, 27)]),  # a straight line: exact
        (((0, 5), (10, 15), (20, 5)), {"at_least": 10}, [(5, 15)]),
        (((0, 15), (10, 5), (20, 15)), {"at_least": 10}, [(0, 5), (15, 20)]),
        (((0, 5), (10, 5)), {"at_least": 10}, []),
        (((0, 12), (10, 12), (20, None)), {"at_least": 10}, [(0, 10)]),  # nothing is known behind the last point that solved
        (((0, -5), (10, -15)), {"at_least": -10}, [(0, 5)]),
    ],
)
def test_a_window_ends_where_its_limit_is_crossed(rows, limits, expected):
    assert [pytest.approx(w) for w in expected] == windows(points(*rows), gauge(**limits))


def test_the_first_limit_crossed_ends_the_window():
    rows = [{"value": x, "solved": True, "gauges": {"a": x, "b": 2.0 * x}} for x in (0.0, 10.0)]
    limited = [{"id": "a", "at_least": None, "at_most": 8.0}, {"id": "b", "at_least": None, "at_most": 6.0}]
    assert windows(rows, limited) == [(0.0, pytest.approx(3.0))]


def test_warnings_of_points_stand_in_the_record_and_in_the_file():
    """Dimethyl ether heated over the end of its heat-capacity data: only the hot points say so."""
    project = document(
        {"dme": "115-10-6"},
        [{"id": "H", "kind": "heater", "duty": "10 kW", "pressure_drop": "0 bar"}],
        [feed("F", "H", {"dme": "1 kmol/h"}), {"id": "P", "from": "H"}],
        knobs=[{"id": "q", "input": "H.duty", "low": "10 kW", "high": "90 kW"}],
        gauges=[{"id": "T", "reads": "P.temperature"}],
        scans=[{"id": "s", "over": [{"knob": "q", "points": 5}], "gauges": ["T"]}],
    )
    result = run_scan(project, project.scans[0])
    said = [any("heat-capacity data of dme" in w for w in p["warnings"]) for p in result.points]
    hot = [p["gauges"]["T"] > 1001.0 for p in result.points]
    assert said == hot and True in hot and False in hot
    rows = list(csv.reader(io.StringIO(scan_csv(result.to_dict(), "process-metric"))))
    assert rows[0][-1] == "Remark" and [("heat-capacity" in r[-1]) for r in rows[1:]] == said


def test_a_scan_without_doubts_says_nothing():
    project = demo()
    assert all(p["warnings"] == [] for p in run_scan(project, project.scans[0]).points)


XYLENES = {"ortho": "95-47-6", "meta": "108-38-3", "para": "106-42-3"}


def xylenes(least, points=6):
    """o-xylene → m-xylene → p-xylene in a tank of 0.1 to 100 m3."""
    return document(
        XYLENES,
        [{"id": "T", "kind": "stirred-tank", "set": "main", "phase": "vapour", "volume": "1 m3", "heat": {"mode": "feed-temperature"}}],
        [feed("f", "T", {"ortho": "100 kmol/h"}, T="327 degC", P="1 bar"), {"id": "o", "from": "T"}],
        [
            {"id": "first", "equation": "ortho = meta", "rate": {"forward": {"k": "0.5 1/s"}}},
            {"id": "second", "equation": "meta = para", "rate": {"forward": {"k": "0.1 1/s"}}},
        ],
        [{"id": "main", "steps": [["first", "second"]]}],
        knobs=[{"id": "V", "input": "T.volume", "low": "0.1 m3", "high": "100 m3"}],
        gauges=[{"id": "x", "reads": "o.fraction.meta", "at_least": least}],
        scans=[{"id": "s", "over": [{"knob": "V", "points": points}]}],
    )


def test_a_limit_that_only_a_peak_between_points_meets_is_met():
    """x = k1 t/((1 + k1 t)(1 + k2 t)) is 47.75 % at t = 1/sqrt(k1 k2) (Levenspiel, ch. 8), and 45 % on both sides of it."""
    project = xylenes("45 %")
    result = run_scan(project, project.scans[0]).to_dict()
    assert not any(p["gauges"]["x"] >= 0.45 for p in result["points"])
    answer = answer_of(result, "x")
    flow = 100.0 / 3.6 * 8.314462618 * 600.15 / 1e5  # m3/s of ideal gas
    k1, k2 = 0.5, 0.1
    # 0.45 (1 + k1 t)(1 + k2 t) = k1 t
    ends = np.roots([0.45 * k1 * k2, 0.45 * (k1 + k2) - k1, 0.45])
    assert answer.windows == [pytest.approx(sorted(ends * flow), rel=1e-6)]
    assert answer.best.between and answer.best.reads == pytest.approx(k1 / (np.sqrt(k1) + np.sqrt(k2)) ** 2, rel=1e-6)
    assert answer.inside == 0 and not answer.excluding
    nowhere = xylenes("48 %")
    assert not answer_of(run_scan(nowhere, nowhere.scans[0]).to_dict(), "x").windows


def test_an_end_of_which_the_limit_was_typed_later_is_said_to_be_drawn():
    project = xylenes("30 %")
    result = run_scan(project, project.scans[0]).to_dict()
    assert not answer_of(result, "x").drawn
    result["gauges"][0]["at_least"] = 0.25
    assert answer_of(result, "x").drawn and answer_of(result, "x").windows


def test_what_a_target_holds_is_said_not_to_depend_on_the_knob():
    project = demo()
    project.targets = [{"id": "t", "gauge": "made", "value": "43 kmol/h", "knob": "water"}]
    project = load(project.dump())
    scan = ScanEntry(id="s", over=[{"knob": "reactor_T", "low": "238 degC", "high": "242 degC", "points": 3}], shows="made")
    result = run_scan(project, scan).to_dict()
    answer = answer_of(result, "made")
    assert answer.best is None and answer.still == pytest.approx(43.0 / 3.6)
    words = Sentence(result, scan, project.display, {}, {}).text
    assert "does not depend on reactor temperature: it reads 43" in words and "Highest" not in words


def crossing(inside, outside, gauges, edges):
    from gulch.engine.scans.windows import _crossing

    return _crossing(inside, outside, gauges, edges)


def test_the_first_limit_on_the_way_out_ends_a_window():
    """Two limits break between 1 and 5, and a line that was solved crosses its own twice: the nearest of all is the edge."""
    gauges = [{"id": "a", "at_least": None, "at_most": 10.0}, {"id": "b", "at_least": 2.0, "at_most": None}]
    inside = {"value": 1.0, "solved": True, "gauges": {"a": 8.0, "b": 4.0}}
    outside = {"value": 5.0, "solved": True, "gauges": {"a": 12.0, "b": 0.0}}
    assert crossing(inside, outside, gauges, []) == pytest.approx(3.0)  # both halfway
    edges = [{"gauge": "a", "limit": "at_most", "at": 10.0, "value": v} for v in (4.5, 2.0, 3.9)]
    assert crossing(inside, outside, gauges, edges) == pytest.approx(2.0)
    assert crossing(outside | {"gauges": inside["gauges"]}, inside | {"gauges": outside["gauges"]}, gauges, edges) == pytest.approx(4.5)
    elsewhere = [{"gauge": "a", "limit": "at_most", "at": 9.0, "value": 1.5}]  # of a limit of yesterday
    assert crossing(inside, outside, gauges, elsewhere) == pytest.approx(3.0)
    assert crossing(inside, outside | {"solved": False}, gauges, edges) == 1.0


def test_an_edge_of_a_row_counts_where_all_other_limits_hold():
    from types import SimpleNamespace

    from gulch.engine.scans.refine import _meets_but

    limits = (("a", None, 10.0), ("b", 2.0, None), ("c", None, 5.0))
    grid = SimpleNamespace(gauges=[{"id": i, "at_least": low, "at_most": high} for i, low, high in limits])
    edge = {"gauge": "a", "solved": True, "gauges": {"a": 10.5, "b": 3.0, "c": 4.0}}
    assert _meets_but(edge, grid)
    assert not _meets_but(edge | {"gauges": {"a": 10.0, "b": 1.0, "c": 4.0}}, grid)
    assert not _meets_but(edge | {"gauges": {"a": 10.0, "b": 3.0, "c": 6.0}}, grid)
