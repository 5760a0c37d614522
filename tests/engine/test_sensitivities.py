"""Slopes of gauges by knobs from one pass, beside central differences of plants that are closed to the last digits."""

import numpy as np
import pytest
from helpers import demo
from plants import random_plant

from gulch.demo import projects
from gulch.engine.document import load
from gulch.engine.explain import Plan
from gulch.engine.flowsheet.sensitivities import sensitivities
from gulch.engine.scans import gauge_rows, movable


def beside(project, free, readings, step=1e-3):
    """(slopes by derivatives, the same by differences over two steps (Richardson)), each over what the knobs' ranges do at most."""
    project.closing.tolerance = "1e-12"
    plan = Plan(project)
    solution = plan.run(explain=False)
    assert solution.solved and all(t.met for t in solution.targets)
    widths = np.array([f["high"] - f["low"] for f in free])
    found = sensitivities(plan, solution.start, {f["address"]: f["now"] for f in free}, widths.tolist(), readings)

    def read(address, value):
        there = plan.run(start=solution.start, overrides={address: value}, explain=False)
        return np.array([there.gauges[g.id] for g in project.gauges if g.reads in readings])

    columns = []
    for f, width in zip(free, widths, strict=True):
        by = [(read(f["address"], f["now"] + h * width) - read(f["address"], f["now"] - h * width)) / (2 * h) for h in (step, step / 2)]
        columns.append((4.0 * by[1] - by[0]) / 3.0)
    expected = np.array(columns).T
    now = np.array([[abs(solution.gauges[g.id])] for g in project.gauges if g.reads in readings])
    size = np.maximum(np.abs(expected).max(axis=1, keepdims=True), 1e-3 * now + 1e-12)  # what a target holds moves by nothing
    return found * widths / size, expected / size


@pytest.mark.parametrize("name", ["ethanol", "reformer", "styrene", "cyclohexane", "ethyl acetate"])
def test_every_gauge_answers_to_every_knob_as_closed_plants_do(name):
    project = next(p for p in projects() if p.name.endswith(name))
    free, _ = movable(Plan(project))
    readings = [g["reads"] for g in gauge_rows(project)]
    found, expected = beside(project, free, readings)
    assert np.abs(expected).max() == pytest.approx(1.0) and found == pytest.approx(expected, abs=2e-6)


def test_a_target_stays_met_while_a_knob_is_asked_for():
    """Its own knob gives way: the inert is held by the purge while the drum's temperature moves."""
    data = demo().dump() | {"scans": [], "searches": []}
    data["gauges"] = [{"id": "inert", "reads": "recycle.fraction.ethane"}, {"id": "made", "reads": "product.flow.ethanol"}]
    data["targets"] = [{"id": "t", "gauge": "inert", "value": "3.8 %", "knob": "purge_share"}]
    project = load(data)
    free = [f for f in movable(Plan(project))[0] if f["knob"] in ("drum_T", "water")]
    found, expected = beside(project, free, ["product.flow.ethanol"])
    assert found == pytest.approx(expected, abs=1e-6)
    held, _ = beside(project, free, ["recycle.fraction.ethane", "product.flow.ethanol"])
    assert abs(held[0]).max() < 1e-3  # of what is nothing but the noise of differences


@pytest.mark.parametrize("seed", range(6, 10))
def test_random_plants_answer_to_their_purges_as_closed_plants_do(seed):
    data = random_plant(seed).dump()
    splitters = [u["id"] for u in data["units"] if u["kind"] == "splitter"]
    gauges = [s["id"] for s in data["streams"] if s.get("from") and not s.get("to")]
    data["gauges"] = [{"id": f"g{k}", "reads": f"{s}.flow"} for k, s in enumerate(gauges)]
    project = load(data)
    project.closing.tolerance = "1e-12"
    plan = Plan(project)
    if not splitters or not plan.run(explain=False).solved:
        pytest.skip("nothing to purge, or refused")
    drawn = {f"{u}.drawn": plan.inputs[f"{u}.drawn"] for u in splitters}
    free = [{"address": a, "low": 0.9 * v, "high": 1.1 * v, "now": v} for a, v in drawn.items()]
    found, expected = beside(project, free, [g["reads"] for g in data["gauges"]], step=1e-2)
    moving = np.abs(expected) > 1e-5
    assert moving.any() and found[moving] == pytest.approx(expected[moving], rel=2e-4, abs=1e-8)
