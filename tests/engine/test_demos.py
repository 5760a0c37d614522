"""The demo projects over the whole of their knobs' ranges."""

import itertools

import numpy as np
import pytest

from gulch.demo import NAMES, projects
from gulch.engine.explain import Plan
from gulch.engine.project.inputs import addresses
from gulch.engine.project.variants import worked
from gulch.engine.quantities import parse
from gulch.engine.units import KINDS


@pytest.mark.parametrize("name", NAMES)
def test_every_pair_of_knobs_stays_physical(name):
    """Solved at corners, edges and middle, balances closed, fractions between 0 and 1, and no doubt of a phase."""
    project = projects()[NAMES.index(name)]
    plan, known = Plan(project), addresses(project)
    held = {t.knob for t in project.targets if t.on}
    ends = {k.input: [parse(t, known[k.input].dimension) for t in (k.low, k.high)] for k in project.knobs if k.id not in held}
    for a, b in itertools.combinations(ends, 2):
        for at in ((0.0, 0.0), (0.0, 1.0), (0.5, 0.5), (0.5, 0.0), (1.0, 0.5), (1.0, 0.0), (1.0, 1.0)):
            overrides = {k: low + u * (high - low) for (k, (low, high)), u in zip(((a, ends[a]), (b, ends[b])), at, strict=True)}
            out = plan.run(overrides=overrides)
            assert out.solved, (overrides, [m.what for m in out.messages if m.level == "error"])
            assert not [
                m.what for m in out.messages if m.code is not None and m.code.name in ("WRONG_PHASE", "FURTHER_PHASE", "BEYOND_DATA")
            ]
            if not any(KINDS[u.kind].parts_liquids for u in project.units):
                assert not [m.what for m in out.messages if "two liquids" in m.what.lower()], overrides
            assert all(np.isfinite(v) for v in out.gauges.values())
            for unit in out.units.values():
                assert abs(unit.balances.get("mass", 0.0)) < 1e-9 and abs(unit.balances.get("energy", 0.0)) < 1e-7
            for stream in out.streams.values():
                assert min(stream.flow.values()) >= 0.0 and (
                    stream.vapour_fraction is None or -1e-12 <= stream.vapour_fraction <= 1.0 + 1e-12
                )


def test_the_ester_demo_parts_where_published_solubilities_do():
    """At 30 degC ethyl acetate holds some 3 % of water by mass and water 7.5 % of ethyl acetate (handbooks; from memory).

    Ethanol widens both.
    """
    project = projects()[NAMES.index("juniper_flats_ester")]
    out = Plan(project).run()
    crude, watery = out.streams["crude"].flow, out.streams["watery"].flow
    mass = {"ethanol": 46.07, "acid": 60.05, "ester": 88.11, "water": 18.015}
    water = crude["water"] * mass["water"] / sum(crude[s] * m for s, m in mass.items())
    ester = watery["ester"] * mass["ester"] / sum(watery[s] * m for s, m in mass.items())
    assert 0.03 < water < 0.09 and 0.05 < ester < 0.12
    assert crude["ester"] + out.streams["waste"].flow["ester"] < out.streams["ethanol_feed"].flow["ethanol"]


def test_the_ester_demo_shows_phase_models_side_by_side():
    project = projects()[NAMES.index("juniper_flats_ester")]
    purity = {}
    for variant in (None, "unifac", "psrk"):
        project.working = variant
        out = Plan(worked(project)).run()
        assert out.solved
        purity[variant] = out.gauges["purity"]
    assert 0.01 < max(purity.values()) - min(purity.values()) < 0.15
