"""A species of a feed given in moles, turned in mass, and the other way round: molar masses by hand (water 18.0153 g/mol)."""

import pytest
from helpers import document, feed

from gulch.engine.document import ScanEntry, load
from gulch.engine.explain import Plan, solve
from gulch.engine.explain.checks import check
from gulch.engine.project import edit
from gulch.engine.project.basis import ends_of_range
from gulch.engine.project.edit import EditError, naming
from gulch.engine.project.inputs import address_of, addresses, write
from gulch.engine.scans import ScanError, grid_of, run_scan

WATER = 18.0153
LIGHT = {"methanol": "67-56-1", "water": "7732-18-5"}


def mixing(**more):
    return document(
        LIGHT,
        [{"id": "M", "kind": "mixer"}],
        [feed("f", "M", {"methanol": "36 kmol/h", "water": "72 kmol/h"}), {"id": "p", "from": "M"}],
        gauges=[{"id": "x", "reads": "p.fraction.water"}, {"id": "m", "reads": "p.mass_flow.water"}],
        **more,
    )


def by_mass():
    project = mixing()
    knob = naming.knob_named(project, "mass flow of water in f")
    return project, knob


def test_a_name_with_mass_in_it_turns_mass():
    project, knob = by_mass()
    assert knob.input == "f.mass_flow.water"
    assert float(knob.low.split()[0]) == pytest.approx(36.0 * WATER, rel=1e-3)
    assert naming.knob_named(project, "flow of methanol").input == "f.flow.methanol"  # no question where nobody spoke of masses
    assert "f.mass_flow.methanol" not in addresses(project) and not [m for m in check(project) if m.level == "error"]


def test_a_scan_over_mass_says_what_it_does():
    project, knob = by_mass()
    project.scans.append(
        ScanEntry(id="s", over=[{"knob": knob.id, "low": "500 kg/h", "high": "2000 kg/h", "points": 4}], gauges=["x", "m"])
    )
    axis = grid_of(project, project.scans[0]).axes[0]
    assert (axis.dimension, axis.unit) == ("mass flow", "kg/h")
    for point, mass in zip(run_scan(project, project.scans[0]).points, (500.0, 1000.0, 1500.0, 2000.0), strict=True):
        moles = mass / WATER
        assert point["gauges"]["m"] * 3600.0 == pytest.approx(mass, rel=1e-9)
        assert point["gauges"]["x"] == pytest.approx(moles / (36.0 + moles), rel=1e-4)


def test_a_point_is_carried_back_into_moles():
    project, knob = by_mass()
    write(project, knob.input, "900 kg/h")
    assert float(project.stream("f").given.flow["water"].split()[0]) == pytest.approx(900.0 / WATER, rel=1e-4)
    assert address_of(project, "f.mass_flow.water").text == "900 kg/h"


def test_a_target_and_a_formula_see_the_mass_that_is_turned():
    project, knob = by_mass()
    knob.low, knob.high = "100 kg/h", "5000 kg/h"
    project = load(
        project.dump()
        | {
            "targets": [{"id": "t", "gauge": "x", "knob": knob.id, "value": "50 %"}],
            "gauges": [*project.dump()["gauges"], {"id": "own", "reads": "gauge.own", "formula": "f.flow.water / f.flow.methanol"}],
        }
    )
    solution = solve(project)
    assert solution.solved and solution.targets[0].met
    assert solution.found["f.mass_flow.water"] * 3600.0 == pytest.approx(36.0 * WATER, rel=1e-4)
    assert solution.gauges["own"] == pytest.approx(1.0, rel=1e-6)


def test_a_tie_reads_what_is_turned_in_mass():
    """The heat of a heater is tied to the water that the feed brings: 1 kW for each mol/s."""
    project = document(
        LIGHT,
        [{"id": "H", "kind": "heater", "mode": "duty", "duty": "1 kW"}],
        [feed("f", "H", {"methanol": "36 kmol/h", "water": "72 kmol/h"}), {"id": "p", "from": "H"}],
        gauges=[{"id": "q", "reads": "H.duty"}],
        ties=[{"sets": "H.duty", "formula": "1[kJ/mol] * f.flow.water"}],
        knobs=[{"id": "w", "input": "f.mass_flow.water", "low": "500 kg/h", "high": "2000 kg/h"}],
    )
    out = Plan(project).run(overrides={"f.mass_flow.water": 0.18 * WATER / 18.0})
    assert out.gauges["q"] == pytest.approx(1000.0 * 0.18 / 18.0 * 1000.0, rel=1e-4)
    project = load(project.dump() | {"targets": [{"id": "t", "gauge": "q", "knob": "w", "value": "15 kW"}]})
    assert solve(project).targets[0].met


def test_a_range_typed_in_mass_turns_mass_from_then_on():
    project = mixing(
        knobs=[{"id": "w", "input": "f.flow.water", "low": "50 kmol/h", "high": "100 kmol/h"}],
        scans=[{"id": "s", "over": [{"knob": "w", "points": 3, "low": "60 kmol/h"}]}],
    )
    ends = ends_of_range(project, project.knobs[0], {"low": "60 kmol/h", "high": "2000 kg/h"}, "scan.s.{end}")
    assert project.knobs[0].input == "f.mass_flow.water" and ends["high"] == "2000 kg/h"
    assert float(ends["low"].split()[0]) == pytest.approx(60.0 * WATER, rel=1e-4)
    assert float(project.scans[0].over[0].low.split()[0]) == pytest.approx(60.0 * WATER, rel=1e-4)
    assert float(project.knobs[0].low.split()[0]) == pytest.approx(50.0 * WATER, rel=1e-4)
    back = ends_of_range(project, project.knobs[0], {"low": "60 kmol/h"}, "scan.s.{end}")
    assert project.knobs[0].input == "f.flow.water" and back == {"low": "60 kmol/h"}


@pytest.mark.parametrize("basis", ["mass", "mole-fractions", "mass-fractions"])
def test_it_follows_its_feed_into_another_basis(basis):
    project, knob = by_mass()
    ends = {t: Plan(project).run(overrides={knob.input: v}).gauges["x"] for t, v in (("low", 0.18), ("high", 0.54))}
    knob.low, knob.high = "648 kg/h", "1944 kg/h"
    assert edit.set_basis(project, "f", basis) == [] and knob.input in addresses(project)
    for end, wanted in ends.items():
        other = project.model_copy(deep=True)
        write(other, knob.input, getattr(knob, end))
        edit.turn(other, {knob.input: getattr(knob, end)})
        assert solve(other).gauges["x"] == pytest.approx(wanted, rel=1e-6)


def test_a_feed_in_mass_is_turned_in_moles():
    project = mixing()
    edit.set_basis(project, "f", "mass")
    knob = naming.knob_named(project, "molar flow of water in f")
    out = Plan(project).run(overrides={knob.input: 0.01})
    assert out.streams["f"].flow["water"] == pytest.approx(0.01, rel=1e-9)


def test_one_flow_is_not_turned_twice():
    project, knob = by_mass()
    own = naming.knob_named(project, "f.flow.water")
    project.scans.append(ScanEntry(id="s", over=[{"knob": knob.id}, {"knob": own.id}]))
    with pytest.raises(ScanError, match="same input"):
        grid_of(project, project.scans[0])
    out = Plan(project).run(overrides={knob.input: 0.3, own.input: 10.0})
    assert not out.solved and "turned twice" in out.messages[0].what
    project.targets = load(
        project.dump()
        | {
            "targets": [
                {"id": i, "gauge": g, "knob": k, "value": v} for i, g, k, v in (("a", "x", knob.id, "50 %"), ("b", "m", own.id, "1 t/h"))
            ]
        }
    ).targets
    assert any("same input" in m.what for m in check(project))


def test_a_flow_below_zero_is_said_once():
    project, _ = by_mass()
    write(project, "f.flow.water", "-5 kmol/h")
    assert [m.where for m in check(project) if "negative" in m.what] == ["f.flow.water"]


def test_a_name_that_nothing_has_is_refused():
    with pytest.raises(EditError, match="names no input"):
        naming.knob_named(mixing(), "mass flow of argon in f")
    with pytest.raises(KeyError):
        write(mixing(), "f.nothing.water", "1 kg/h")
    with pytest.raises(KeyError):
        write(mixing(), "f.mass_flow.argon", "1 kg/h")
