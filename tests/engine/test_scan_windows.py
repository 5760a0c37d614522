"""What a scan says beside its figures: windows that end on their limits, and the warnings of its points."""

import csv
import io

import pytest
from helpers import demo, document, feed

from gulch.engine.exchange import scan_csv
from gulch.engine.scans import run_scan, windows


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
