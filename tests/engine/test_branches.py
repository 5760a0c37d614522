"""The curve of a loop's steady states as a knob turns: its folds, its branches, what a scan says of them, targets met on them."""

from types import SimpleNamespace

import numpy as np
import pytest
import scipy
from heated import autothermal

from gulch.engine.document import load
from gulch.engine.exchange import on_branches
from gulch.engine.explain import Plan, solve
from gulch.engine.flowsheet.branching import branches_along
from gulch.engine.flowsheet.closing.branches import Follower
from gulch.engine.project import edit
from gulch.engine.scans import run_scan
from gulch.engine.settle import UNWATCHED

R, P, UA = 8.314462618, 2e5, 1e4
FED = np.array([30.0, 0.0, 0.0, 70.0])
KNOB = "cold.temperature"


def by_hand(plan, T):
    """Feed temperature [K] at which tube and exchanger, written anew, stand with the tube's inlet at T [K]; the conversion there."""
    heats = plan.model.ideal_gas_enthalpies

    def level(X, T):
        return float((FED + 30.0 * X * np.array([-1.0, 1.0, 1.0, 0.0])) @ heats(T))

    def change(V, y):
        T_in = scipy.optimize.brentq(lambda t: level(y[0], t) - level(0.0, T), 250.0, 1600.0)
        k = 0.3 * np.exp(-120e3 / R * (1.0 / T_in - 1.0 / 673.15))
        return [k * (1.0 - y[0]) / (100.0 + 30.0 * y[0]) * P / (R * T_in)]

    X = scipy.integrate.solve_ivp(change, (0.0, 5.0), [0.0], rtol=1e-9, atol=1e-12, method="LSODA").y[0, -1]
    hot = scipy.optimize.brentq(lambda t: level(X, t) - level(0.0, T), 250.0, 1600.0)

    def lacks(feed):
        """UA by Simpson's rule over the heat that passes, less what there is."""
        q = np.linspace(0.0, level(0.0, T) - level(0.0, feed), 61)
        cold = np.array([scipy.optimize.brentq(lambda t, h=h: level(0.0, t) - level(0.0, feed) - h, 200.0, 1600.0) for h in q])
        warm = np.array([scipy.optimize.brentq(lambda t, h=h: level(X, hot) - level(X, t) - h, 200.0, 1600.0) for h in q[::-1]])
        return float(scipy.integrate.simpson(1.0 / (warm - cold), x=q)) - UA

    return scipy.optimize.brentq(lacks, 250.0, T - 1e-4, xtol=1e-6), X


@pytest.fixture(scope="module")
def followed():
    plan = Plan(autothermal())
    (curve,) = branches_along(plan, KNOB, 393.15, 623.15, plan.run(explain=False).start)
    return plan, curve


def test_the_curve_goes_round_both_folds(followed):
    """An S-shaped curve, as of van Heerden's autothermal reactor (Ind. Eng. Chem. 45 (1953) 1242): ignition above, extinction below."""
    _, curve = followed
    assert [b.stable for b in curve.branches] == [True, False, True] and not curve.closed and not curve.cut
    assert [f.kind for f in curve.folds] == ["ignition", "extinction"]
    ends = [(b.states[0].knob, b.states[-1].knob) for b in curve.branches]
    assert ends[0][0] == pytest.approx(393.15) and ends[-1][1] == pytest.approx(623.15)
    temperatures = [s.temperature for b in curve.branches for s in b.states]
    assert np.all(np.diff(temperatures) >= -1e-6)  # the return grows hotter all along


def test_folds_and_states_lie_where_a_tube_and_an_exchanger_written_anew_have_them(followed):
    plan, curve = followed
    for fold, (low, high), sign in zip(curve.folds, ((595.0, 625.0), (640.0, 740.0)), (-1.0, 1.0), strict=True):
        top = scipy.optimize.minimize_scalar(
            lambda T, s=sign: s * by_hand(plan, T)[0], bounds=(low, high), method="bounded", options={"xatol": 0.2}
        )
        assert low + 1.0 < top.x < high - 1.0
        assert fold.at.knob == pytest.approx(sign * top.fun, abs=0.02)


def test_each_state_of_a_branch_solves_the_whole_process(followed):
    plan, curve = followed
    passes = []
    for branch in curve.branches:
        for state in branch.states[1:-1:4]:
            there = plan.run(start=state.start, overrides={KNOB: state.knob}, explain=False)
            assert there.solved and there.streams["hot"].temperature == pytest.approx(state.temperature, abs=0.05)
            passes.append(max(lo.passes for lo in there.loops))
    assert np.median(passes) <= 3  # its start brings the derivatives along


@pytest.mark.parametrize(("wanted", "near"), [("20 %", 310.1), ("50 %", 251.28), ("95 %", 141.13)])
def test_a_target_is_met_on_the_branch_that_no_pass_comes_to_by_itself(wanted, near):
    data = autothermal().dump() | {"targets": [{"id": "t", "gauge": "conversion", "value": wanted, "knob": "inlet"}]}
    solution = solve(load(data))
    (target,) = solution.targets
    assert target.met and target.knob_value - 273.15 == pytest.approx(near, abs=0.01)
    feed, X = by_hand(Plan(autothermal()), solution.streams["warm"].temperature)
    assert feed == pytest.approx(target.knob_value, abs=0.02) and pytest.approx(X, rel=1e-3) == float(wanted[:-2]) / 100.0
    assert any("does not last" in m.what for m in solution.messages) and not any("jumps" in m.what for m in solution.messages)


def scanned(low, high, points, state=None):
    project = load(autothermal().dump() | {"scans": [{"id": "s", "over": [{"knob": "inlet", "low": low, "high": high, "points": points}]}]})
    if state is not None:
        edit.choose_state(project, "hot", state)
    return project, run_scan(project, project.scan("s"))


def test_a_scan_walks_its_branch_both_ways_and_says_where_it_leaves_it():
    project, found = scanned("120 degC", "350 degC", 12, "hottest")  # from 150 °C
    reads = [p["gauges"]["conversion"] for p in found.points]
    assert reads[0] < 1e-4 and min(reads[1:]) > 0.98
    assert list(found.notes) == ["0"] and "136.99 °C, where the loop goes out" in found.notes["0"]
    assert [a["stable"] for c in found.branches for a in c["arcs"]] == [True, False, True]
    told = on_branches(found.to_dict(), project.display)
    assert told[0] == "The loop through hot has up to 3 steady states at one feed temperature."
    assert told[1].startswith("Lowered past 137.0 °C") and told[1].endswith("it goes out.")
    assert told[2].startswith("Raised past 319.1 °C") and told[2].endswith("it ignites.")


def test_a_wide_step_does_not_land_on_the_branch_between():
    """From 258 to 304 °C Newton's method alone ends in the state that does not last; on its branch the conversion is 2.40 %."""
    _, found = scanned("120 degC", "350 degC", 6)
    reads = [p["gauges"]["conversion"] for p in found.points]
    assert reads[4] == pytest.approx(0.02402, abs=2e-5) and reads[5] > 0.999
    assert [p["note"] != "" for p in found.points] == [False] * 5 + [True]


def test_branches_that_no_fold_joins_inside_the_range_are_found_all_the_same():
    project, found = scanned("180 degC", "280 degC", 4)
    assert len(found.branches) == 3 and not found.notes and not any(c["folds"] for c in found.branches)
    assert "none ignites or goes out" in " ".join(on_branches(found.to_dict(), project.display))


def test_a_branch_that_was_not_followed_to_its_end_is_not_said_to_exist_everywhere():
    arc = {"stable": True, "points": [{"value": 300.0}, {"value": 320.0}]}
    curve = {"tear": "hot", "closed": False, "cut": ["it took too many passes"], "arcs": [arc], "folds": []}
    whole = curve | {"cut": [], "arcs": [{"stable": True, "points": [{"value": 300.0}, {"value": 400.0}]}]}
    axis = {"label": "feed temperature", "dimension": "temperature", "unit": ""}
    told = " ".join(on_branches({"branches": [curve, whole], "axes": [axis]}, "kmol/h · °C · bar"))
    assert "not followed to its end: it took too many passes." in told and "whole range" not in told


def test_a_range_with_one_state_throughout_tells_nothing_of_branches():
    project, found = scanned("325 degC", "350 degC", 3)
    assert found.branches == [] and on_branches(found.to_dict(), project.display) == []


class Ring(Follower):
    """Fixed points of u + (1 − u² − p²)/3 for a knob p: a circle, which no range of the knob ends."""

    def __init__(self, low=-2.0, high=2.0):
        loop = SimpleNamespace(passes=0, slope=None, records=[], residual=np.zeros(1), targets=[None], tolerance=1e-9)
        loop.unknowns = SimpleNamespace(size=2, knobs=lambda x: x[1:])
        loop.scale, loop.low, loop.high = np.ones(2), np.array([low]), np.array([high])
        loop.floor, loop.ceiling = np.array([-np.inf, low]), np.array([np.inf, high])
        loop.run = SimpleNamespace(watch=UNWATCHED)

        def one_pass(x):
            loop.passes += 1
            loop.residual[0] = x[0] - 0.5
            return np.array([x[0] + (1.0 - x @ x) / 3.0, x[1]])

        loop.one_pass = one_pass
        super().__init__(loop)

    def derived(self, x, rough):
        return np.array([[1.0 - 2.0 * x[0] / 3.0, -2.0 * x[1] / 3.0], [0.0, 0.0]])


def test_a_curve_that_closes_on_itself_is_followed_once_round():
    curve = Ring().follow(np.array([1.0, 0.0]))
    assert curve.closed and not curve.cut
    assert sorted(s.knob for s in curve.states if s.fold) == pytest.approx([-1.0, 1.0], abs=1e-5)
    assert all(s.x @ s.x == pytest.approx(1.0, abs=1e-5) for s in curve.states)
    round_it = sum(np.linalg.norm(b.x - a.x) for a, b in zip(curve.states, curve.states[1:], strict=False))
    assert round_it == pytest.approx(2.0 * np.pi, rel=0.03)
    assert {s.stable for s in curve.states if s.x[0] > 0.1} == {True} and {s.stable for s in curve.states if s.x[0] < -0.1} == {False}


def test_a_curve_ends_exactly_where_the_knobs_range_ends_and_meets_a_value_on_both_sides():
    ring = Ring(-0.5, 2.0)
    curve = ring.follow(np.array([1.0, 0.0]))
    assert not curve.closed and [curve.states[0].knob, curve.states[-1].knob] == [-0.5, -0.5]
    (met,) = ring.met(curve)
    assert met.x == pytest.approx([0.5, np.sqrt(0.75)], abs=1e-3)


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(4))
def test_whatever_the_plant_each_branch_ends_at_a_fold_or_an_end_and_each_state_solves(seed):
    draw = np.random.default_rng(seed)
    data = autothermal(conductance=f"{10 ** draw.uniform(0.3, 1.5):.3g} kW/K").dump()
    data["reactions"][0]["rate"]["forward"]["energy"] = f"{draw.uniform(70.0, 200.0):.4g} kJ/mol"
    data["units"][1]["volume"] = f"{10 ** draw.uniform(-0.5, 1.3):.3g} m3"
    plan = Plan(load(data))
    address, low, high = ((KNOB, 350.0, 640.0), ("X.conductance", 1e3, 5e4), ("R.volume", 0.3, 30.0), ("cold.pressure", 1e5, 1e6))[seed]
    found = branches_along(plan, address, low, high, plan.run(explain=False).start)
    assert found
    for curve in found:
        ends = curve.branches[0].states[0].knob, curve.branches[-1].states[-1].knob
        assert curve.closed or curve.cut or {round(e / high, 9) for e in ends} <= {round(low / high, 9), 1.0}
        assert len(curve.folds) == len(curve.branches) - 1
        assert all(a.stable != b.stable for a, b in zip(curve.branches, curve.branches[1:], strict=False))
        for state in (s for b in curve.branches for s in b.states[1:-1:6]):
            there = plan.run(start=state.start, overrides={address: state.knob}, explain=False)
            assert there.solved and there.streams[curve.tear].temperature == pytest.approx(state.temperature, abs=0.5)
