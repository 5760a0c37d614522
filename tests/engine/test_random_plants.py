"""Random plants with recycles: what is solved is the same from every start, finite everywhere, and loses no element."""

import json
import math

import pytest
from helpers import document, feed
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gulch.engine.explain import Plan, solve
from gulch.engine.flowsheet.start import Start, TearStart

pytestmark = pytest.mark.slow

GASES = {"hydrogen": "1333-74-0", "co": "630-08-0", "methanol": "67-56-1", "nitrogen": "7727-37-9", "methane": "74-82-8"}


@st.composite
def plants(draw):
    """One to three synthesis loops in a row with an inert, each with its own ways of losing pressure and of raising it again."""
    units, streams, before = [], [], None
    P = draw(st.sampled_from([20.0, 45.0, 80.0]))
    for k in range(draw(st.integers(1, 3))):
        drop = draw(st.sampled_from([0.0, 0.0, 1.5]))
        conversion = draw(st.floats(0.1, 0.6))
        units += [
            {"id": f"M{k}", "kind": "mixer"},
            {"id": f"R{k}", "kind": draw(st.sampled_from(["stoichiometric-reactor", "equilibrium-reactor"])), "set": f"s{k}"}
            | {"heat": {"mode": "isothermal", "temperature": f"{draw(st.floats(200.0, 280.0))!r} degC"}, "pressure_drop": f"{drop} bar"},
            {"id": f"C{k}", "kind": "heater", "temperature": f"{draw(st.floats(10.0, 60.0))!r} degC"},
            {"id": f"D{k}", "kind": "flash-drum"} | ({"pressure": f"{P - 5.0} bar"} if draw(st.booleans()) else {}),
            {"id": f"S{k}", "kind": "splitter", "drawn": f"{100 * draw(st.floats(0.02, 0.5))!r} %"},
        ]
        loop = [f"M{k}", f"R{k}", f"C{k}", f"D{k}"]
        flow = {"hydrogen": "200 kmol/h", "co": f"{draw(st.floats(60.0, 140.0))!r} kmol/h"}
        flow[draw(st.sampled_from(["nitrogen", "methane"]))] = f"{draw(st.floats(0.0, 10.0))!r} kmol/h"
        streams.append(feed(f"f{k}", f"M{k}", flow, P=f"{P} bar"))
        streams += [{"id": f"{a}_{b}", "from": a, "to": b} for a, b in zip(loop, loop[1:], strict=False)]
        streams += [{"id": f"gas{k}", "from": f"D{k}.vapour", "to": f"S{k}"}, {"id": f"purge{k}", "from": f"S{k}.drawn"}]
        lost = drop > 0.0 or "pressure" in units[-2]
        if lost or draw(st.booleans()):
            units.append({"id": f"K{k}", "kind": "compressor", "pressure": f"{P + draw(st.sampled_from([0.0, 5.0]))} bar"})
            streams += [{"id": f"rest{k}", "from": f"S{k}.rest", "to": f"K{k}"}, {"id": f"back{k}", "from": f"K{k}", "to": f"M{k}"}]
        else:
            streams.append({"id": f"back{k}", "from": f"S{k}.rest", "to": f"M{k}"})
        if before:
            streams.append({"id": f"on{k}", "from": before, "to": f"M{k}"})
        before = f"D{k}.liquid"
    streams.append({"id": "product", "from": before})
    reactions = [
        {"id": "r", "equation": "CO + 2 H2 = methanol"}
        | {"conversion": {"key": "co", "value": f"{100 * conversion} %"}, "equilibrium": {"source": "gibbs"}}
    ]
    sets = [{"id": u["set"], "steps": [["r"]]} for u in units if "set" in u]
    return document(GASES, units, streams, reactions, sets, draw(st.sampled_from(["ideal", "peng-robinson"])))


def another_state(plan, cold):
    """What a solve with other feeds, pressures and purges leaves."""
    overrides = {}
    for a, bound in plan.bounds.items():
        value = plan.inputs.get(a)
        if value and (a.endswith(".drawn") or ".flow." in a):
            overrides[a] = min(1.4 * value, bound.high)
        if a.startswith("f") and a.endswith(".pressure"):
            overrides[a] = 0.4 * value
    return plan.run(start=cold.start, overrides=overrides).start


def nonsense(cold):
    """A start that holds the right tears with flows and pressures that are none."""
    flow = dict.fromkeys(GASES, 3.0)
    return Start(tears={t: TearStart(flow, -5e4, 3e5, 320.0) for t in cold.start.tears})


def figures(solution):
    return {id_: (s.pressure, s.enthalpy_flow, *s.flow.values()) for id_, s in solution.streams.items()}


@settings(max_examples=40, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(project=plants())
def test_random_plants_are_the_same_from_every_start(project):
    plan = Plan(project)
    cold = plan.run()
    json.dumps(cold.to_dict(), allow_nan=False)
    if not cold.solved:
        assert any(m.level == "error" and m.todo for m in cold.messages), cold.messages
        return
    for name, unit in cold.units.items():
        assert abs(unit.balances["mass"]) < 1e-9 and abs(unit.balances["energy"]) < 1e-7, name
        assert all(abs(v) < 1e-6 for v in unit.balances["elements"].values()), name
        assert all(math.isfinite(v) for v in unit.values.values() if isinstance(v, float)), name
    for start in (cold.start, another_state(plan, cold), nonsense(cold)):
        warm = plan.run_from(start)
        assert warm.solved, warm.messages
        mine, other = figures(cold), figures(warm)
        fed = sum(sum(cold.streams[s.id].flow.values()) for s in project.streams if s.is_feed)
        for id_, values in mine.items():
            assert other[id_][0] == pytest.approx(values[0], rel=1e-9), id_
            assert other[id_][1] == pytest.approx(values[1], rel=1e-6, abs=10.0), id_
            assert other[id_][2:] == pytest.approx(values[2:], abs=1e-6 * fed), id_


def test_a_start_takes_no_answer_away():
    """A hydrogen shortage at 265 °C: what a run at 8 bar leaves misleads the search at 20 bar, which closes from nothing."""
    units = [
        {"id": "M", "kind": "mixer"},
        {"id": "R", "kind": "equilibrium-reactor", "set": "s", "heat": {"mode": "isothermal", "temperature": "265 degC"}},
        {"id": "C", "kind": "heater", "temperature": "16 degC"},
        {"id": "D", "kind": "flash-drum", "pressure": "15 bar"},
        {"id": "S", "kind": "splitter", "drawn": "2.34375 %"},
        {"id": "K", "kind": "compressor", "pressure": "20 bar"},
    ]
    ends = [("M", "R"), ("R", "C"), ("C", "D"), ("D.vapour", "S"), ("S.rest", "K"), ("K", "M")]
    streams = [feed("f", "M", {"hydrogen": "200 kmol/h", "co": "128 kmol/h"}, P="20 bar")]
    streams += [{"id": f"s{i}", "from": a, "to": b} for i, (a, b) in enumerate(ends)]
    streams += [{"id": "purge", "from": "S.drawn"}, {"id": "product", "from": "D.liquid"}]
    reactions = [{"id": "r", "equation": "CO + 2 H2 = methanol", "equilibrium": {"source": "gibbs"}}]
    plan = Plan(document(GASES, units, streams, reactions, [{"id": "s", "steps": [["r"]]}], "ideal"))
    cold = plan.run()
    assert cold.solved, cold.messages
    warm = plan.run_from(another_state(plan, cold))
    assert warm.solved, warm.messages
    assert warm.streams["product"].flow == pytest.approx(cold.streams["product"].flow, abs=1e-6)


AROMATICS = {"benzene": "71-43-2", "toluene": "108-88-3", "xylene": "95-47-6", "hydrogen": "1333-74-0", "methane": "74-82-8"}


@settings(max_examples=40, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(
    flows=st.fixed_dictionaries({s: st.one_of(st.just(0.0), st.floats(0.01, 100.0)) for s in AROMATICS}),
    T=st.floats(10.0, 250.0),
    P=st.floats(0.5, 8.0),
    top=st.floats(0.5, 10.0),
    keys=st.sampled_from([("benzene", "toluene"), ("toluene", "xylene"), ("benzene", "xylene"), ("xylene", "toluene")]),
    condenser=st.sampled_from(["total", "partial"]),
    recovery=st.floats(0.6, 0.9999),
    model=st.sampled_from(["ideal", "peng-robinson"]),
)
def test_random_columns_close_or_say_why(flows, T, P, top, keys, condenser, recovery, model):
    light, heavy = keys
    project = document(
        AROMATICS,
        [
            {"id": "COL", "kind": "shortcut-column", "light_key": light, "heavy_key": heavy, "condenser": condenser}
            | {"light_recovery": f"{100 * recovery!r} %", "heavy_recovery": f"{100 * recovery!r} %"}
            | {"top_pressure": f"{top!r} bar", "bottom_pressure": f"{top + 0.2!r} bar"}
        ],
        [
            feed("f", "COL", {s: f"{v!r} kmol/h" for s, v in flows.items()} | {light: "20 kmol/h"}, T=f"{T!r} degC", P=f"{P!r} bar"),
            {"id": "d", "from": "COL.distillate"},
            {"id": "b", "from": "COL.bottoms"},
        ],
        phase_model=model,
    )
    solution = solve(project)
    json.dumps(solution.to_dict(), allow_nan=False)
    if not solution.solved:
        (error,) = [m for m in solution.messages if m.level == "error"]
        assert "broke off" not in error.what and error.todo, error
        return
    column, streams = solution.units["COL"], solution.streams
    assert abs(column.balances["mass"]) < 1e-9 and abs(column.balances["energy"]) < 1e-6
    assert streams["b"].temperature > streams["d"].temperature - 1.0
    assert column.values["condenser_duty"] <= 1e-6
