"""Results as frames, and the notebook of examples, whose cells run here from top to bottom."""

import builtins
import json
from pathlib import Path

import pytest

from gulch.demo import projects
from gulch.engine.exchange import NotSolved, project_frames
from gulch.engine.explain import solve

NOTEBOOK = Path(__file__).parents[2] / "docs" / "examples.ipynb"


def test_frames_hold_what_the_solution_says_in_the_projects_units():
    ethanol = projects()[0]
    solution = solve(ethanol)
    frames = project_frames(ethanol, solution)
    recycle = frames["Streams"].loc["recycle"]
    assert recycle["Molar flow [kmol/h]"] == pytest.approx(solution.streams["recycle"].total * 3.6, rel=1e-12)
    assert recycle["Temperature [°C]"] == pytest.approx(solution.streams["recycle"].temperature - 273.15, rel=1e-12)
    assert frames["Gauges"].loc["recycle flow", "Value"] == pytest.approx(solution.gauges["recycle_flow"] * 3.6, rel=1e-12)
    units = frames["Units"].set_index(["Unit", "Result"])
    assert units.loc[("R1", "Duty"), "Value"] == pytest.approx(solution.units["R1"].values["duty"] / 1e3, rel=1e-12)


def test_frames_of_nothing_are_refused_with_a_sentence():
    with pytest.raises(NotSolved, match="not solved"):
        project_frames(projects()[0], None)


def test_without_pandas_it_is_said_what_to_install(monkeypatch):
    real = builtins.__import__

    def without(name, *args, **kwargs):
        if name == "pandas":
            raise ImportError(name)
        return real(name, *args, **kwargs)

    ethanol = projects()[0]
    solution = solve(ethanol)
    monkeypatch.setattr(builtins, "__import__", without)
    with pytest.raises(ImportError, match=r"\.\[frames\]"):
        project_frames(ethanol, solution)


def test_the_notebook_of_examples_runs(capsys):
    cells = json.loads(NOTEBOOK.read_text(encoding="utf-8"))["cells"]
    known = {}
    for number, cell in enumerate(c for c in cells if c["cell_type"] == "code"):
        exec(compile("".join(cell["source"]), f"cell {number}", "exec"), known)
    assert known["solution"].solved and known["again"].solved
    assert known["again"].streams["recycle"].total < known["solution"].streams["recycle"].total
    assert len(known["points"]) == 5
    # ethanol and water, 0.30 ethanol in the liquid at 1 atm: 81.5 to 81.8 °C and 0.57 in the vapour (published tables, from memory)
    assert known["state"].temperature - 273.15 == pytest.approx(81.7, abs=0.5)
    assert known["state"].y[0] == pytest.approx(0.574, abs=0.015)
    assert "kmol/h come back" in capsys.readouterr().out


def test_what_is_made_has_no_conversion():
    """A product that returns with the recycle was listed with a conversion of −594 %."""
    project = projects()[0]
    table = project_frames(project, solve(project))["Units"]
    found = table[table["Result"].str.startswith("Conversion of")]
    assert set(found["Result"]) >= {"Conversion of ethylene", "Conversion of water"} and (found["Value"] >= 0.0).all()
