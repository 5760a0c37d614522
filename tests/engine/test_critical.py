"""Near a critical point: the stream says that its phase changes its name there, the loop that it is nearly singular."""

import numpy as np
import pytest
from helpers import document, feed

from gulch.engine.declared.told import Code
from gulch.engine.explain import Plan
from gulch.engine.explain.critical import renamed_at
from gulch.engine.phases import PhaseModel, Stream
from gulch.engine.species import lookup


def drum_loop(methane, propane, pentane):
    """A drum at 69 bar whose liquid goes back but for a tenth."""
    flow = {"methane": f"{methane} kmol/h", "propane": f"{propane} kmol/h", "pentane": f"{pentane} kmol/h"}
    return document(
        {"methane": "74-82-8", "propane": "74-98-6", "pentane": "109-66-0"},
        [
            {"id": "M", "kind": "mixer"},
            {"id": "D", "kind": "flash-drum", "mode": "temperature", "temperature": "60 degC"},
            {"id": "S", "kind": "splitter", "drawn": "10 %"},
        ],
        [
            feed("f", "M", flow, T="30 degC", P="69 bar"),
            {"id": "a", "from": "M", "to": "D"},
            {"id": "v", "from": "D.vapour"},
            {"id": "l", "from": "D.liquid", "to": "S"},
            {"id": "p", "from": "S.drawn"},
            {"id": "r", "from": "S.rest", "to": "M"},
        ],
        phase_model="peng-robinson",
    )


def told(project, T):
    solution = Plan(project).run(overrides={"D.temperature": T + 273.15})
    return solution, {str(m.place): m for m in solution.messages if m.code is Code.NEAR_CRITICAL and "near its critical" not in m.what}


@pytest.mark.parametrize(("T", "stream", "now", "other"), [(99.0, "l", "liquid", "vapour"), (100.5, "v", "vapour", "liquid")])
def test_a_phase_that_changes_its_name_without_boiling_says_so(T, stream, now, other):
    project = drum_loop(20, 50, 30)
    solution, said = told(project, T)
    what = said[stream].what
    assert "does not boil at 69.00 bar" in what and f"what is called {now} at" in what and f"is called {other}" in what
    # there is the flip, and on neither side of it a second phase: asked of the model itself
    at = renamed_at(Stream.at_temperature(Plan(project).model, np.array([20.0, 50.0, 30.0]), T + 273.15, 69e5))
    names = [
        [p[0] for p in Plan(project).model.at_temperature(at + d, 69e5, np.array([20.0, 50.0, 30.0])).phases] for d in (-0.05, 0.0, 0.05)
    ]
    assert names[0] == ["liquid"] and names[2] == ["vapour"] and len(names[1]) == 1
    assert f"{at - 273.15:.2f} °C" in what
    assert solution.solved


def test_a_loop_that_hangs_on_the_name_tells_what_one_kelvin_does():
    solution, said = told(drum_loop(20, 50, 30), 99.5)
    (loop,) = [m for k, m in said.items() if k not in solution.streams]
    assert "nearly singular" in loop.what and "1.0 K lower 900.0 kmol/h go round, 1.0 K higher 0 kmol/h" in loop.what
    for T, total in ((98.5, 900.0), (100.5, 0.0)):  # typed in, it is so
        assert Plan(drum_loop(20, 50, 30)).run(overrides={"D.temperature": T + 273.15}).streams["r"].total * 3.6 == pytest.approx(total)


def test_two_phases_that_are_nearly_alike_make_a_loop_nearly_singular_too():
    solution, said = told(drum_loop(25, 45, 30), 131.0)
    (loop,) = [m for k, m in said.items() if k not in solution.streams]
    for T in (130.0, 132.0):
        there = Plan(drum_loop(25, 45, 30)).run(overrides={"D.temperature": T + 273.15}).streams["r"].total * 3.6
        assert f"{there:.4g}" in loop.what.replace("\u202f", "")


def test_far_from_it_nothing_is_said():
    solution, said = told(drum_loop(25, 45, 30), 60.0)
    assert solution.solved and not said
    model = PhaseModel("peng-robinson", tuple(lookup(c) for c in ("74-98-6", "109-66-0")))
    assert renamed_at(Stream.at_temperature(model, np.array([1.0, 1.0]), 330.0, 3e5)) is None  # below the critical pressures it boils
