"""Exchangers obey the second law inside: checked by states at 400 points, which the unit itself does not look at."""

import math

import numpy as np
import pytest
from helpers import document, feed
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from gulch.engine.explain import Plan, solve
from gulch.engine.phases import phase_model
from gulch.engine.phases.state import TemperatureNotFound

CAS = {
    "nitrogen": "7727-37-9",
    "co2": "124-38-9",
    "water": "7732-18-5",
    "methane": "74-82-8",
    "propane": "74-98-6",
    "pentane": "109-66-0",
    "benzene": "71-43-2",
    "toluene": "108-88-3",
    "hydrogen": "1333-74-0",
}
ROOM = 5e-3  # K by which an approach may be missed at points that nobody looked at


def pair(hot, cold, model="peng-robinson", **unit):
    """hot, cold: ({species: mol/s}, K, bar) of each side."""
    species = sorted({*hot[0], *cold[0]})
    return document(
        {s: CAS[s] for s in species},
        [{"id": "HX", "kind": "exchanger", **unit}],
        [
            feed(name, f"HX.{side}", {s: f"{n!r} mol/s" for s, n in flow.items()}, T=f"{T!r} K", P=f"{P!r} bar")
            for name, side, (flow, T, P) in (("h", "hot", hot), ("c", "cold", cold))
        ]
        + [{"id": "ho", "from": "HX.hot"}, {"id": "co", "from": "HX.cold"}],
        phase_model=model,
    )


def differences(solution, project, points=400):
    """Temperature differences along a solved exchanger by a flash at each of some points."""
    model = phase_model(project.phase_model.kind, tuple(s.cas for s in project.species))
    ends = {id_: solution.streams[id_] for id_ in ("h", "ho", "c", "co")}
    q = solution.units["HX"].values["exchanged"]
    out = []
    for share in np.linspace(0.0, 1.0, points):
        T = []
        for leaves, P in (("ho", ends["ho"].pressure), ("c", ends["co"].pressure)):
            s = ends[leaves]
            h = (s.enthalpy_flow + share * q) / s.total
            guess = s.temperature + share * 50.0
            T.append(model.at_enthalpy(h, P, np.array(list(s.flow.values())), guess).temperature)
        out.append(T[0] - T[1])
    return np.array(out)


CASES = [
    # hot gas against CO2 whose heat capacity rises: −9.3 K inside where only the ends were looked at
    (({"nitrogen": 10.0}, 1100.0, 10.0), ({"co2": 6.45}, 300.0, 10.0), "ideal", 10.0),
    (({"nitrogen": 10.0}, 900.0, 10.0), ({"methane": 5.1}, 300.0, 30.0), "peng-robinson", 10.0),
    # supercritical CO2 bends without a change of phase
    (({"co2": 10.0}, 400.0, 85.0), ({"water": 40.0}, 290.0, 5.0), "peng-robinson", 3.0),
    # the cold side's bubble point
    (({"methane": 5.0, "pentane": 5.0}, 420.0, 10.0), ({"propane": 6.0, "pentane": 3.0}, 280.0, 10.0), "peng-robinson", 1.0),
]


@pytest.mark.parametrize(("hot", "cold", "model", "approach"), CASES)
def test_an_approach_holds_at_every_point(hot, cold, model, approach):
    project = pair(hot, cold, model, approach=f"{approach} K")
    solution = solve(project)
    assert solution.solved, solution.messages
    along = differences(solution, project)
    values = solution.units["HX"].values
    assert approach - ROOM < along.min() < approach + 0.2  # a sharp bend may fall between the points
    assert values["least"] == pytest.approx(approach, abs=ROOM)


@pytest.mark.parametrize(("hot", "cold", "model", "approach"), CASES)
def test_ua_is_the_integral_along_the_profile(hot, cold, model, approach):
    """∫ dQ/ΔT by the trapezoidal rule over 4000 points (Perry, sec. 11)."""
    project = pair(hot, cold, model, approach=f"{approach + 5.0} K")
    solution = solve(project)
    along = differences(solution, project, 4000)
    values = solution.units["HX"].values
    step = values["exchanged"] / (len(along) - 1)
    whole = step * (1.0 / along).sum() - 0.5 * step * (1.0 / along[0] + 1.0 / along[-1])
    assert values["ua"] == pytest.approx(whole, rel=2e-3)


@pytest.mark.parametrize(("hot", "cold", "model", "approach"), CASES)
def test_a_walk_through_flows_ends_where_each_solve_alone_does(hot, cold, model, approach):
    """Curves of states before are used again; where the nearest place goes from an end to the inside they say so."""
    kept = Plan(pair(hot, cold, model, approach=f"{approach} K"))
    seen = set()
    for factor in (*np.linspace(0.3, 2.5, 34), *np.linspace(2.5, 0.3, 21)):
        turned = {f"c.flow.{s}": factor * n for s, n in cold[0].items()}
        found, fresh = (plan.run(overrides=turned).units["HX"].values for plan in (kept, Plan(kept.project)))
        assert found["exchanged"] == pytest.approx(fresh["exchanged"], rel=1e-6)
        seen.add(min(found["hot_leaves"] - cold[1], hot[1] - found["cold_leaves"]) < approach + 1e-3)
    assert seen == {True, False}  # at an end, and inside


thrown = settings(
    max_examples=60, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much]
)
sides = st.dictionaries(st.sampled_from(sorted(CAS)), st.floats(0.5, 10.0), min_size=1, max_size=3)


@pytest.mark.slow
@thrown
@given(
    hot=sides,
    cold=sides,
    T=st.tuples(st.floats(260.0, 500.0), st.floats(20.0, 600.0)),
    ln_P=st.tuples(st.floats(0.0, math.log(60.0)), st.floats(0.0, math.log(60.0))),
    model=st.sampled_from(["ideal", "peng-robinson"]),
    asked=st.one_of(
        st.floats(0.5, 30.0).map(lambda v: {"approach": f"{v!r} K"}),
        st.floats(0.1, 100.0).map(lambda v: {"mode": "conductance", "conductance": f"{v!r} kW/K"}),
        st.floats(1.0, 3000.0).map(lambda v: {"mode": "duty", "duty": f"{v!r} kW"}),
        st.floats(-30.0, 250.0).map(lambda v: {"mode": "cold", "cold_outlet": f"{v!r} degC"}),
        st.floats(-30.0, 250.0).map(lambda v: {"mode": "hot", "hot_outlet": f"{v!r} degC"}),
    ),
)
def test_no_exchanger_crosses_inside(hot, cold, T, ln_P, model, asked):
    P = [math.exp(v) for v in ln_P]
    project = pair((hot, T[0] + T[1], P[0]), (cold, T[0], P[1]), model, **asked)
    solution = solve(project)
    if not solution.solved:
        assert any(m.level == "error" and m.todo for m in solution.messages)
        return
    try:
        along = differences(solution, project)
    except TemperatureNotFound:
        assume(False)
    least = float(asked["approach"].split()[0]) if "approach" in asked and solution.units["HX"].values["exchanged"] > 0.0 else 0.0
    assert along.min() > least - 0.02, (along.min(), solution.units["HX"].values)


@pytest.mark.parametrize(
    ("asked", "words", "level"),
    [
        ({"approach": "200 K"}, "enter 100.0 K apart, which is no more than the approach of 200.0 K", "warning"),
        ({"mode": "cold", "cold_outlet": "0 degC"}, "is to leave at 0 °C, colder than the 26.85 °C at which it enters", "error"),
        ({"mode": "hot", "hot_outlet": "150 degC"}, "is to leave at 150.0 °C, hotter than the 126.9 °C at which it enters", "error"),
        ({"mode": "duty", "duty": "90 MW"}, "temperatures of the two sides cross", "error"),
    ],
)
def test_what_cannot_be_asked_is_said_in_words_that_fit(asked, words, level):
    solution = solve(pair(({"nitrogen": 10.0}, 400.0, 2.0), ({"nitrogen": 10.0}, 300.0, 2.0), "ideal", **asked))
    assert [m.level for m in solution.messages if words in m.what] == [level], solution.messages
    assert solution.solved == (level == "warning")


@pytest.mark.slow
@thrown
@given(
    hot=sides,
    cold=sides,
    T=st.tuples(st.floats(260.0, 500.0), st.floats(20.0, 300.0)),
    ln_P=st.tuples(st.floats(0.0, math.log(60.0)), st.floats(0.0, math.log(60.0))),
    approach=st.floats(0.5, 20.0),
    steps=st.lists(st.tuples(st.sampled_from([0.001, 0.003, 0.01, 0.03]), st.integers(0, 10**6)), min_size=3, max_size=6),
)
def test_what_was_looked_at_before_changes_no_answer(hot, cold, T, ln_P, approach, steps):
    """Curves of earlier states are used again, where nothing can have come nearer: as a walk along a scan, or a loop's passes."""
    ends = (hot, T[0] + T[1], math.exp(ln_P[0])), (cold, T[0], math.exp(ln_P[1]))
    try:
        kept = Plan(pair(*ends, approach=f"{approach!r} K"))
        kept.run()
    except TemperatureNotFound:
        assume(False)
    for size, seed in steps:
        change = np.random.default_rng(seed)
        moved = {}
        for name, (flow, there, _) in zip("hc", ends, strict=True):
            moved |= {f"{name}.flow.{s}": n * (1.0 + size * change.uniform(-1.0, 1.0)) for s, n in flow.items()}
            moved[f"{name}.temperature"] = there + 100.0 * size * change.uniform(-1.0, 1.0)
        found, fresh = (plan.run(overrides=moved).units["HX"].values for plan in (kept, Plan(kept.project)))
        assert found["exchanged"] == pytest.approx(fresh["exchanged"], rel=1e-5, abs=1.0)
