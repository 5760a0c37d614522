"""Derivatives of streams, units and passes beside differences; gains and sensitivities beside closed forms and closed plants."""

import numpy as np
import pytest
from heated import autothermal
from helpers import demo, document, feed
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from plants import random_plant

from gulch.engine.declared.base import Given
from gulch.engine.declared.moved import Moved
from gulch.engine.document import load
from gulch.engine.explain import Plan, solve
from gulch.engine.flowsheet.closing import outcome
from gulch.engine.flowsheet.closing.jacobian import PassSlopes, answers
from gulch.engine.fluids.constants import ENTHALPY, ENTROPY
from gulch.engine.phases import PhaseModel, Stream
from gulch.engine.phases.tangent import TEMPERATURE, Tangent, _by_theorem, _differenced
from gulch.engine.quantities import parse
from gulch.engine.species import lookup
from gulch.engine.units import KINDS

KMOL_H = 1000.0 / 3600.0
SPECIES = ("74-85-1", "7732-18-5", "64-17-5", "74-84-0")  # ethylene, water, ethanol, ethane
MODELS = {kind: PhaseModel(kind, [lookup(c) for c in SPECIES]) for kind in ("ideal", "peng-robinson", "predictive-srk", "unifac", "nrtl")}


def worst(found, wanted):
    """Largest difference on the largest change of each kind."""
    return max(float(np.abs(a - b).max()) / max(float(np.abs(b).max()), 1e-12) for a, b in zip(found, wanted, strict=True))


@settings(max_examples=120, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(
    kind=st.sampled_from(sorted(MODELS)),
    n=st.tuples(*[st.floats(0.5, 100.0)] * 4),
    T=st.floats(290.0, 480.0),
    P=st.sampled_from([1e5, 1e6, 5e6]),
    hold=st.sampled_from([TEMPERATURE, ENTHALPY, ENTROPY]),
)
def test_a_state_answers_as_flashes_beside_it(kind, n, T, P, hold):
    stream = Stream.at_temperature(MODELS[kind], np.array(n), T, P)
    shares = [p[1] for p in stream.state.phases]
    assume(min(shares) > 0.01 and not stream.state.further_phase)  # at the edge of a phase the two sides differ
    size = {TEMPERATURE: T, ENTHALPY: stream.total * 3000.0, ENTROPY: stream.total * 10.0}[hold]
    moved = np.diag([*n, P, size])
    found = _by_theorem(stream, hold, moved)
    assert found is not None
    wanted = _differenced(stream, hold, moved[:4], moved[4], moved[5])
    assert worst((found[0], found[1][:, 0], found[1][:, 2], found[2]), (wanted[0], wanted[1][:, 0], wanted[1][:, 2], wanted[2])) < 3e-3


def test_an_ideal_gas_answers_as_its_formulas():
    """dT/dH = 1/(n cp), no change with pressure; dS/dP = −n R/P (any thermodynamics text)."""
    model = PhaseModel("ideal", [lookup("7727-37-9")])
    stream = Stream.at_temperature(model, np.array([2.0]), 500.0, 1e5)
    cp = (model.ideal_gas_enthalpies(501.0)[0] - model.ideal_gas_enthalpies(499.0)[0]) / 2.0
    t = Tangent(stream, np.zeros((1, 2)), np.array([0.0, 1.0]), H=np.array([1.0, 0.0]))
    assert np.allclose(t.T, [1.0 / (2.0 * cp), 0.0], rtol=1e-5, atol=1e-12)
    assert t.S[1] == pytest.approx(-2.0 * 8.314462618 / 1e5, rel=1e-6)


CASES = [
    ("heater", {"temperature": "90 degC"}),
    ("heater", {"mode": "duty", "duty": "500 kW"}),
    ("valve", {"pressure": "0.7 bar"}),
    ("pump", {"pressure": "8 bar"}),
    ("flash-drum", {"mode": "temperature", "temperature": "85 degC"}),
    ("flash-drum", {"pressure": "0.6 bar"}),
    ("splitter", {"drawn": "30 %"}),
    ("species-separator", {"share": {"methanol": "80 %", "water": "10 %"}, "first_temperature": "60 degC"}),
    ("shortcut-column", {"light_key": "methanol", "heavy_key": "water"}),
    ("compressor", {"pressure": "3 bar"}),
    ("expander", {"pressure": "0.5 bar"}),
]


@pytest.mark.parametrize(("kind", "inputs"), CASES, ids=[f"{k}-{n}" for n, (k, _) in enumerate(CASES)])
@pytest.mark.parametrize("model", ["ideal", "peng-robinson", "unifac"])
def test_a_kind_that_knows_its_answers_gives_those_of_differences(kind, inputs, model):
    hot = kind in ("compressor", "expander", "flash-drum", "valve")
    data = document(
        {"methanol": "67-56-1", "water": "7732-18-5"},
        [{"id": "U", "kind": kind, **inputs}],
        [feed("f", "U", {"methanol": "30 kmol/h", "water": "70 kmol/h"}, T="150 degC" if hot else "60 degC", P="1 bar")],
        phase_model=model,
    )
    plan = Plan(data)
    given_, context = plan.given("U", plan.inputs), plan.context(plan.inputs)
    n, T, P = np.array([30.0, 70.0]) * KMOL_H, 423.15 if hot else 333.15, 1e5
    if kind == "flash-drum":
        T = parse("83 degC", "temperature")
    stream = Stream.at_temperature(plan.model, n, T, P)
    result = KINDS[kind].solve(stream, Given(**vars(given_)), context)
    moved = Tangent(stream, np.diag([n[0], n[1], 0.0, 0.0])[:2], np.array([0.0, 0.0, P, 0.0]), T=np.array([0.0, 0.0, 0.0, T]))
    at = Moved([stream], [moved], lambda s: s[0], given_, context, result, [])
    found, wanted = KINDS[kind].tangents(at), at.differenced(KINDS[kind])
    for port, t in found.items():
        if result.outlets[port].is_empty:
            continue
        heat = "T" if kind == "shortcut-column" else "H"  # what boils stays at its boiling point, where heat differs by side
        mine, theirs = ((s.n, s.P[None], getattr(s, heat)[None]) for s in (t, wanted[port]))
        assert worst(mine, theirs) < 2e-3, port


@pytest.mark.parametrize(
    "heat", [{"mode": "isothermal", "temperature": "850 degC"}, {"mode": "adiabatic"}, {"mode": "duty", "duty": "2 MW"}]
)
@pytest.mark.parametrize("model", ["ideal", "soave-redlich-kwong"])
@pytest.mark.parametrize("inert", [{}, {"inert": {"propane": "100 %"}, "approach": "-15 K"}])
def test_a_gas_of_least_gibbs_energy_answers_as_gases_beside_it(heat, model, inert):
    """Steam, methane and what they make, nitrogen that can only dilute and a hydrocarbon of which hardly anything is left."""
    flow = {"methane": "20 kmol/h", "water": "60 kmol/h", "nitrogen": "5 kmol/h", "propane": "1 kmol/h"}
    cas = {"methane": "74-82-8", "water": "7732-18-5", "co": "630-08-0", "co2": "124-38-9", "hydrogen": "1333-74-0"}
    data = document(
        cas | {"nitrogen": "7727-37-9", "propane": "74-98-6"},
        [{"id": "G", "kind": "gibbs-reactor", "heat": heat, **inert}],
        [feed("f", "G", flow, T="700 degC", P="20 bar")],
        phase_model=model,
    )
    plan = Plan(data)
    given_, context = plan.given("G", plan.inputs), plan.context(plan.inputs)
    n = np.array([20.0, 60.0, 0.01, 0.01, 0.01, 5.0, 1.0]) * KMOL_H
    stream = Stream.at_temperature(plan.model, n, 973.15, 20e5)
    result = KINDS["gibbs-reactor"].solve(stream, Given(**vars(given_)), context)
    k = n.size
    moved = Tangent(stream, np.hstack([np.diag(n), np.zeros((k, 2))]), np.r_[np.zeros(k), 20e5, 0.0], T=np.r_[np.zeros(k + 1), 973.15])
    at = Moved([stream], [moved], lambda s: s[0], given_, context, result, [])
    found, wanted = KINDS["gibbs-reactor"].by_formula(at)["product"], at.differenced(KINDS["gibbs-reactor"])["product"]
    assert worst((found.n, found.P[None], found.H[None]), (wanted.n, wanted.P[None], wanted.H[None])) < 1e-5
    elements = plan.model.atoms @ (found.n - moved.n)
    assert np.abs(elements).max() < 1e-9 * n.sum()


def looked_into(project, look):
    """What `look(loop, found)` gives for every loop that closes, after one more pass at its answer."""
    out, before = [], outcome._judge_loop

    def judge(loop, found, *more):
        if found.reason.settled and loop.group.tears and loop.run.explain:  # no trial of a cure
            loop.one_pass(found.tear)
            out.append(look(loop, found))
            loop.one_pass(found.tear)
        return before(loop, found, *more)

    outcome._judge_loop = judge
    try:
        solution = solve(project)
    finally:
        outcome._judge_loop = before
    return solution, out


def differenced(loop, x):
    """The scaled Jacobian of a pass by central differences, forward where an amount is nothing; knobs held."""
    size, n = x.size, loop.unknowns.n
    out = np.zeros((size, size))
    flows = loop.unknowns.parts(np.arange(size))[:, :n].ravel()
    for k in range(size):
        h = 1e-5 * max(loop.scale[k], abs(x[k]))
        above, below = x.copy(), x.copy()
        above[k] += h
        if k in flows and x[k] < h:
            out[:, k] = (loop.one_pass(above) - loop.one_pass(below)) / h
        else:
            below[k] -= h
            out[:, k] = (loop.one_pass(above) - loop.one_pass(below)) / (2.0 * h)
    loop.one_pass(x)
    return out * loop.scale / loop.scale[:, None]


def both(loop, found):
    loop.slope = None  # knobs held: the loop's own answers
    mine, theirs = PassSlopes(loop, found.tear).scaled(), differenced(loop, found.tear)
    knobs = loop.unknowns.knobs(np.arange(found.tear.size))
    theirs[:, knobs] = theirs[knobs] = 0.0
    return mine, theirs


@pytest.mark.slow
@pytest.mark.parametrize("seed", [0, 2, 3, 15, 16, 18, 21, 26])
def test_the_pass_of_a_plant_answers_as_differenced_passes(seed):
    solution, found = looked_into(random_plant(seed), both)
    assert found
    for (mine, theirs), loop in zip(found, solution.loops, strict=True):
        assert np.abs(mine - theirs).max() < 2e-4 * np.abs(theirs).max()
        gains = [max(abs(np.linalg.eigvals(J))) for J in (mine, theirs)]
        assert gains[0] == pytest.approx(gains[1], rel=1e-3)
        assert abs(loop.gain) == pytest.approx(gains[1], rel=0.01)


def test_a_loop_that_heats_itself_answers_as_differenced_passes():
    _, found = looked_into(autothermal("300 degC"), both)
    ((mine, theirs),) = found
    assert max(abs(np.linalg.eigvals(mine))) == pytest.approx(max(abs(np.linalg.eigvals(theirs))), rel=0.01)


def with_target():
    project = demo()
    data = project.dump() | {
        "gauges": [{"id": "inert", "reads": "recycle.fraction.ethane"}, {"id": "made", "reads": "R1.duty"}],
        "targets": [{"id": "t", "gauge": "inert", "value": "3.8 %", "knob": "purge_share"}],
        "scans": [],
    }
    return load(data)


def test_sensitivities_are_those_of_closed_plants():
    """d(gauge)/d(knob) with the loops closed, beside central differences of plants solved to 1e-13, over two steps (Richardson)."""
    project = with_target()
    solution, found = looked_into(project, lambda loop, found: (answers(loop, found.tear)[0][0, 0], float(loop.run.inputs["SPLIT.drawn"])))
    assert solution.targets[0].met
    ((slope, at),) = found
    project.targets, project.closing.tolerance = [], "1e-13"
    plan = Plan(project)

    def read(share):
        return plan.run(overrides={"SPLIT.drawn": share}, explain=False).gauges["inert"]

    by = [(read(at * (1 + h)) - read(at * (1 - h))) / (2.0 * at * h) for h in (2e-3, 1e-3)]
    assert slope == pytest.approx((4.0 * by[1] - by[0]) / 3.0, rel=1e-6)


@pytest.mark.parametrize("share", [0.5, 0.1, 0.01])
def test_the_gain_of_a_purge_is_what_comes_back(share):
    """An inert in a loop that draws a share p: a pass returns 1 − p of it, exactly (closed form)."""
    units = [{"id": "M", "kind": "mixer"}, {"id": "S", "kind": "splitter", "drawn": f"{100 * share} %"}]
    streams = [
        feed("f", "M", {"nitrogen": "10 kmol/h"}),
        {"id": "a", "from": "M", "to": "S"},
        {"id": "p", "from": "S.drawn"},
        {"id": "b", "from": "S.rest", "to": "M"},
    ]
    (loop,) = solve(document({"nitrogen": "7727-37-9"}, units, streams)).loops
    assert loop.gain == pytest.approx(1.0 - share, rel=1e-9)
    assert loop.passes <= 6
