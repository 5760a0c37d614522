"""Scans, exports and the command line."""

import csv
import io
import json
import subprocess
import sys
from types import SimpleNamespace

import pytest
from helpers import demo
from openpyxl import load_workbook

from gulch.engine.cli import codes as cli
from gulch.engine.document import schema
from gulch.engine.exchange import NotSolved, csv_text, ledger, project_xlsx, scan_csv, scan_xlsx
from gulch.engine.explain import Plan, solve
from gulch.engine.scans import ScanError, run_scan
from gulch.engine.settle import Reason, Watch
from gulch.engine.units import KINDS
from gulch.main import main


def test_scan_equals_solving_each_point_by_itself():
    project = demo()
    seen = []
    result = run_scan(project, project.scans[0], progress=lambda done, total: seen.append((done, total)))
    assert seen[-1] == (13, 13) and all(p["solved"] for p in result.points)
    plan = Plan(project)
    for point in result.points[::4]:
        alone = plan.run(overrides={"SPLIT.drawn": point["value"]})
        assert point["gauges"]["overall"] == pytest.approx(alone.gauges["overall"], rel=1e-6)
    values = [p["gauges"]["recycle_flow"] for p in result.points]
    assert values == sorted(values, reverse=True)  # the more is purged, the less comes back


def test_failed_points_are_kept_with_their_reason():
    project = demo()
    knob = project.knob("purge_share")
    knob.input, knob.low, knob.high = "H1.pressure_drop", "1 bar", "80 bar"
    result = run_scan(project, project.scans[0])
    assert not result.points[-1]["solved"] and "not below the inlet pressure" in result.points[-1]["why"]
    assert result.points[-1]["gauges"]["overall"] is None and result.points[0]["solved"]


def test_scan_can_be_cancelled_and_refused():
    project = demo()
    calls = []

    class Enough(Watch):
        def ended(self):
            return Reason.CANCELLED if len(calls) >= 3 else None

    result = run_scan(project, project.scans[0], progress=lambda d, t: calls.append(d), watch=Enough())
    assert result.cancelled and len(result.points) == 3
    project.scans[0].over[0].low = "30 %"
    with pytest.raises(ScanError, match="low end"):
        run_scan(project, project.scans[0])
    project.scans[0].over[0].low = "2 %"
    project.unit("H1").temperature = "hot"
    with pytest.raises(ScanError, match="not ready"):
        run_scan(project, project.scans[0])


def test_ledger_and_csv_agree_with_the_solution():
    project = demo()
    solution = solve(project)
    columns, rows = ledger(project, solution)
    table = list(csv.reader(io.StringIO(csv_text(project, solution))))
    assert table[0][:4] == ["Stream", "Temperature [°C]", "Pressure [bar]", "Vapour fraction [%]"]
    product = next(r for r in table if r[0] == "product")
    assert float(product[table[0].index("ethanol [kmol/h]")]) == pytest.approx(solution.streams["product"].flow["ethanol"] * 3.6)
    assert len(table) == len(rows) + 1 == len(project.streams) + 1 and len(table[0]) == len(columns) + 1
    project.species[2].name = "=1+1"
    assert "'=1+1" in csv_text(project, solution)


def test_scan_csv_holds_every_point():
    project = demo()
    rows = list(csv.reader(io.StringIO(scan_csv(run_scan(project, project.scans[0]).to_dict(), "process-metric"))))
    assert rows[0][0] == "purge share [%]" and len(rows) == 14 and float(rows[1][0]) == pytest.approx(2.0)


@pytest.fixture
def file(tmp_path):
    path = tmp_path / "demo.json"
    path.write_text(demo().to_json(), encoding="utf-8")
    return path


def test_command_line_solves(file, capsys):
    assert main(["solve", str(file)]) == cli.SOLVED
    text = capsys.readouterr().out
    assert "Juniper Flats ethanol: solved" in text and "settled in" in text
    assert main(["solve", str(file), "--json"]) == cli.SOLVED
    data = json.loads(capsys.readouterr().out)
    assert data["streams"]["product"]["temperature"] == pytest.approx(323.15)
    assert data["streams"]["product"]["flow"]["ethanol"] * 3.6 == pytest.approx(52.03, abs=0.01)


def test_command_line_exit_codes(file, tmp_path, capsys):
    data = json.loads(file.read_text(encoding="utf-8"))
    data["units"][2]["heat"]["temperature"] = "warm"
    bad = tmp_path / "bad.json"
    bad.write_text(json.dumps(data), encoding="utf-8")
    assert main(["solve", str(bad)]) == cli.NOT_SOLVED
    assert "does not start with a number" in capsys.readouterr().out
    assert main(["check", str(bad)]) == cli.NOT_SOLVED
    assert main(["check", str(file)]) == cli.SOLVED
    (tmp_path / "cut.json").write_text('{"format": "gulch', encoding="utf-8")
    assert main(["solve", str(tmp_path / "cut.json")]) == cli.BAD_FILE
    assert main(["solve", str(tmp_path / "none.json")]) == cli.BAD_FILE
    assert "cannot be read" in capsys.readouterr().err
    assert main(["scan", str(file), "--scan", "nope"]) == cli.BAD_FILE
    assert main(["scan", str(file)]) == cli.SOLVED
    assert "Highest" in capsys.readouterr().err


def test_shipped_schema_is_current():
    """docs/project.schema.json is generated: `gulch schema > docs/project.schema.json`."""
    from pathlib import Path

    shipped = json.loads((Path(__file__).parents[2] / "docs" / "project.schema.json").read_text(encoding="utf-8"))
    assert shipped == schema()


def test_the_page_on_the_format_names_every_kind_and_what_it_takes():
    from pathlib import Path

    page = (Path(__file__).parents[2] / "docs" / "format.md").read_text(encoding="utf-8")
    rows = {line.split("`")[1]: line for line in page.split("## Kinds of units")[1].splitlines() if line.startswith("| `")}
    for name, kind in KINDS.items():
        for given in kind.inputs():
            words = [getattr(given, "written", None) or given.name, *(getattr(given, "options", None) or {})]
            assert [w for w in words if f"`{w}`" not in rows[name]] == [], name


def test_a_scan_on_two_workers_writes_the_same_table(tmp_path, capsys):
    project = demo()
    project.scans[0].over[0].points = 5
    file, out = tmp_path / "p.json", tmp_path / "out.csv"
    file.write_text(json.dumps(project.dump()))
    assert main(["scan", str(file)]) == cli.SOLVED
    alone = capsys.readouterr().out
    assert main(["scan", str(file), "--workers", "2", "--out", str(out)]) == cli.SOLVED
    assert "5 points in" in capsys.readouterr().out
    for a, b in zip(alone.splitlines()[1:], out.read_text().splitlines()[1:], strict=True):
        assert [float(x) for x in a.split(",")[:4]] == pytest.approx([float(x) for x in b.split(",")[:4]], rel=1e-6)
    assert main(["scan", str(file), "--out", str(tmp_path / "nowhere" / "x.csv")]) == cli.NOT_SOLVED
    assert "cannot be written" in capsys.readouterr().err


def test_a_workbook_holds_numbers_as_numbers_and_no_formulas():
    """Read back by openpyxl."""
    project = demo()
    result = run_scan(project, project.scans[0]).to_dict()
    result["points"][2]["why"] = "=2+2"
    sheet = load_workbook(io.BytesIO(scan_xlsx(result, "process-metric")))["Points"]
    rows = [[c.value for c in r] for r in sheet.iter_rows()]
    assert rows[0][0] == "purge share [%]" and rows[0][-1] == "Remark" and len(rows) == 1 + len(result["points"])
    assert rows[1][0] == pytest.approx(2.0) and isinstance(rows[1][1], float)
    assert sheet.freeze_panes == "A2" and rows[3][-1] == "'=2+2"


def test_a_project_is_a_workbook_of_what_stands_on_the_screen():
    """Read back by openpyxl: streams, units, inputs and gauges agree with the Solution; texts are no formulas."""
    project = demo()
    project.gauges[0].label = "=1+1"
    solution = solve(project)
    scan = run_scan(project, project.scans[0]).to_dict()
    book = load_workbook(io.BytesIO(project_xlsx(project, solution, [("purge: [all]", scan)])))
    rows = {s.title: [[c.value for c in r] for r in s.iter_rows()] for s in book}
    assert list(rows) == ["Streams", "Units", "Inputs", "Reactions", "Gauges", "Balances", "Scan purge all"]
    head, streams = rows["Streams"][0], {r[0]: r for r in rows["Streams"][1:]}
    assert streams["product"][head.index("Flow of ethanol [kmol/h]")] == pytest.approx(3.6 * solution.streams["product"].flow["ethanol"])
    assert streams["product"][head.index("Temperature [°C]")] == pytest.approx(solution.streams["product"].temperature - 273.15)
    assert streams["ethylene_feed"][1:3] == ["feed", "MIX"] and streams["purge"][2] == "product"
    duty = next(r for r in rows["Units"] if r[:3] == ["R1", "equilibrium reactor", "Duty"])
    assert duty[3:] == [pytest.approx(solution.units["R1"].values["duty"] / 1e3), "kW"]
    inputs = {r[0]: r[2:] for r in rows["Inputs"]}
    assert inputs["SPLIT.drawn"] == [pytest.approx(6.5), "%", "6.5 %", "typed"]
    assert rows["Gauges"][1][0] == "'=1+1" and rows["Gauges"][1][2] == pytest.approx(100 * solution.gauges["overall"])
    assert max(abs(r[2]) for r in rows["Balances"][1:]) < 1e-7 and len(rows["Scan purge all"]) == 1 + len(scan["points"])


def test_a_workbook_of_what_is_not_solved_is_refused_with_a_sentence():
    with pytest.raises(NotSolved, match="not solved, so there are no figures for a workbook: mend"):
        project_xlsx(demo(), None)


def test_inputs_set_by_a_target_say_so():
    project = demo()
    project.targets[0].on = True
    rows = load_workbook(io.BytesIO(project_xlsx(project, solve(project))))["Inputs"].iter_rows(values_only=True)
    drawn = next(r for r in rows if r[0] == "SPLIT.drawn")
    assert drawn[5] == "a target" and drawn[2] != pytest.approx(6.5)


def test_the_command_line_writes_both_kinds_of_file(tmp_path, capsys):
    path, project = tmp_path / "p.json", demo()
    project.scans[0].over[0].points = 3
    path.write_text(project.to_json())
    for name in ("out.csv", "out.xlsx"):
        assert main(["scan", str(path), "--out", str(tmp_path / name)]) == 0
        assert "3 points" in capsys.readouterr().out
    assert (tmp_path / "out.xlsx").read_bytes()[:2] == b"PK" and (tmp_path / "out.csv").read_text().startswith("purge share")


# What the command line is given


def test_a_bare_project_is_said_to_be_one(tmp_path, capsys):
    file = tmp_path / "bare.json"
    file.write_text('{"format": "gulch-project", "version": 1, "name": "x"}')
    assert main(["best", str(file)]) == 1
    assert "not ready to solve. No species yet" in capsys.readouterr().err


def test_a_project_comes_from_standard_input(monkeypatch, capsys):
    text = demo().to_json().encode()
    monkeypatch.setattr("sys.stdin", SimpleNamespace(buffer=io.BytesIO(text)))
    assert main(["check", "-"]) == 0


def test_failures_under_json_are_json(capsys):
    assert main(["solve", "gone.json", "--json"]) == 2
    told = capsys.readouterr()
    assert "cannot be read" in json.loads(told.out)["error"] and not told.err


@pytest.mark.parametrize("port", ["99999", "0", "-1", "x"])
def test_a_port_that_is_none_is_said(port, capsys):
    with pytest.raises(SystemExit) as ended:
        main(["demo", "--port", port])
    assert ended.value.code == 2 and ("is no port" in (err := capsys.readouterr().err) or "expected one argument" in err)


def test_the_version_is_told(capsys):
    with pytest.raises(SystemExit) as ended:
        main(["--version"])
    assert ended.value.code == 0 and capsys.readouterr().out.startswith("gulch ")


def test_a_home_that_is_a_file_is_said(tmp_path):
    file = tmp_path / "file"
    file.write_text("")
    done = subprocess.run([sys.executable, "-m", "gulch.main", "user", "x"], capture_output=True, text=True, env={"GULCH_HOME": str(file)})
    assert done.returncode == 1 and "let GULCH_HOME name one that can be written" in done.stderr and "Traceback" not in done.stderr
