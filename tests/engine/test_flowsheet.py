"""Whole processes: recycle with purge by hand, loops, tears, and solving that never raises."""

import numpy as np
import pytest
from helpers import LIGHT, demo, document, feed, methanol_units

from gulch.demo import projects
from gulch.engine.declared.base import Counted
from gulch.engine.document import load
from gulch.engine.explain import Plan, solve
from gulch.engine.flowsheet.graph import groups
from gulch.engine.flowsheet.solution import Solution
from gulch.engine.project.results import beyond
from gulch.engine.reactors.counted import measured
from gulch.engine.settle import Reason, Watch, settle

KMOL_H = 1.0 / 3.6


def methanol_loop(purge, fresh, max_h2="60 %", **more):
    """CO2 + 3 H2 = CH3OH + H2O; all methanol and water taken out, the rest returned but for a purge."""
    return document(
        LIGHT,
        methanol_units(purge),
        [
            feed("fresh", "MIX", fresh),
            {"id": "into", "from": "MIX", "to": "R"},
            {"id": "out", "from": "R", "to": "SEP"},
            {"id": "gas", "from": "SEP.first", "to": "SPLIT"},
            {"id": "product", "from": "SEP.second"},
            {"id": "purge", "from": "SPLIT.drawn"},
            {"id": "back", "from": "SPLIT.rest", "to": "MIX"},
        ],
        [
            {
                "id": "synthesis",
                "equation": "CO2 + 3 H2 = methanol + H2O",
                "conversion": {"key": "hydrogen", "value": max_h2},
            }
        ],
        [{"id": "s", "steps": [["synthesis"]]}],
        **more,
    )


def test_methanol_recycle_worked_by_hand():
    """Felder & Rousseau's methanol case (statement from memory), every figure derived here.

    Reactor feed F with 28 % CO2, 70 % H2, 2 % inert; 60 % of H2 reacts, 155 kmol/h methanol.
    3 · 155 = 0.6 · 0.70 F, so F = 1107.14 kmol/h. Behind the condenser: H2 0.4 · 775 = 310,
    CO2 310 − 155 = 155, inert 22.143, together 487.14 kmol/h with 4.545 % inert.
    Let the purge be p of that gas. Fresh feed = reactor feed − (1 − p) · gas:
    H2 775 − 310 (1 − p), CO2 310 − 155 (1 − p), inert 22.143 p. With fresh feed inert 0.4 %:
    22.143 p = 0.004 (620 + 487.14 p) gives p = 0.12280, hence H2 74.0 %, CO2 25.6 %.
    """
    F = 155 * 3 / (0.6 * 0.70)
    gas = np.array([0.4 * 0.70 * F, 0.28 * F - 155, 0.02 * F])
    p = 0.004 * (F - gas.sum()) / (gas[2] - 0.004 * gas.sum())
    fresh = np.array([0.70 * F, 0.28 * F, 0.02 * F]) - (1 - p) * gas
    assert pytest.approx(1107.1, abs=0.05) == F and gas.sum() == pytest.approx(487.1, abs=0.05)
    assert fresh / fresh.sum() == pytest.approx([0.740, 0.256, 0.004], abs=6e-4)
    solution = solve(
        methanol_loop(
            f"{100 * p} %",
            {"hydrogen": f"{fresh[0]} kmol/h", "co2": f"{fresh[1]} kmol/h", "nitrogen": f"{fresh[2]} kmol/h"},
        )
    )
    assert solution.solved, solution.messages
    assert solution.streams["into"].total == pytest.approx(F * KMOL_H, rel=1e-7)
    assert solution.streams["gas"].total == pytest.approx(487.14 * KMOL_H, rel=1e-4)
    assert solution.streams["gas"].flow["nitrogen"] / solution.streams["gas"].total == pytest.approx(0.0455, abs=1e-4)
    assert solution.streams["product"].flow["methanol"] == pytest.approx(155 * KMOL_H, rel=1e-7)


@pytest.mark.parametrize("purge", [0.5, 0.1, 0.02, 0.005])
def test_inert_accumulates_to_feed_over_purge(purge):
    """At steady state p · n = feed, so n = feed/p before the splitter (hand calculation)."""
    solution = solve(methanol_loop(f"{100 * purge} %", {"hydrogen": "300 kmol/h", "co2": "100 kmol/h", "nitrogen": "1 kmol/h"}))
    assert solution.solved
    assert solution.streams["gas"].flow["nitrogen"] == pytest.approx(1 / purge * KMOL_H, rel=1e-7)
    loop = solution.loops[0]
    assert loop.gain == pytest.approx(1 - purge, abs=2e-3)  # the inert is the slowest
    plain = np.log(1e-9) / np.log(1 - purge)
    assert loop.passes <= max(25, plain / 3)
    assert max(loop.mode, key=loop.mode.get) == "nitrogen"


def test_inert_without_a_way_out_is_named():
    solution = solve(methanol_loop("0 %", {"hydrogen": "300 kmol/h", "co2": "100 kmol/h", "nitrogen": "1 kmol/h"}))
    assert not solution.solved
    loop = solution.loops[0]
    assert loop.builds_up == "nitrogen" and "Purge " in loop.advice and "1.000 kmol/h" in loop.advice
    assert loop.passes >= len(loop.history) > 10
    assert solution.start.tears["back"].flow["nitrogen"] > 0  # the last iterate is kept
    again = solve(
        methanol_loop("0 %", {"hydrogen": "300 kmol/h", "co2": "100 kmol/h", "nitrogen": "1 kmol/h"}),
        start=solution.start,
        max_passes=5,
    )
    assert again.start.tears["back"].flow["nitrogen"] > solution.start.tears["back"].flow["nitrogen"]


def test_pressure_that_falls_round_the_loop_is_named():
    base = methanol_loop("10 %", {"hydrogen": "300 kmol/h", "co2": "100 kmol/h"}).dump()
    base["units"][1]["pressure_drop"] = "0.01 bar"
    solution = solve(load(base))
    assert not solution.solved and "pressure falls" in solution.loops[0].advice and "compressor" in solution.loops[0].advice


@pytest.mark.parametrize("project", projects(), ids=lambda p: p.name)
def test_every_demo_solves_without_a_word(project):
    solution = solve(project)
    said = [m.what for m in solution.messages]
    doubts = (
        "3 steady states exist",
        "poor guide",
        "in doubt",
        "third phase",
        "two liquids",
    )  # true of tank and styrene
    assert solution.solved and not [m for m in said if not any(d in m for d in doubts)]
    assert all(abs(u.balances["energy"]) < 1e-7 for u in solution.units.values())


def test_demo_loop_closes_cold_and_warm():
    plan = Plan(demo())
    cold = plan.run()
    assert cold.solved and cold.loops[0].passes <= 25
    assert abs(cold.overall["balances"]["mass"]) < 1e-9
    assert all(abs(v) < 1e-9 for v in cold.overall["balances"]["elements"].values())
    assert abs(cold.overall["balances"]["energy"]) < 1e-7
    warm = plan.run(start=cold.start, overrides={"SPLIT.drawn": 0.067})
    assert warm.solved and warm.loops[0].passes <= 10
    fresh = plan.run(overrides={"SPLIT.drawn": 0.067})
    assert warm.gauges["overall"] == pytest.approx(fresh.gauges["overall"], rel=1e-7)
    assert Solution.from_dict(cold.to_dict()).to_dict() == cold.to_dict()


def test_start_follows_its_species_when_they_are_reordered():
    project = demo()
    start = Plan(project).run().start
    project.species = list(reversed(project.species))
    again = Plan(project).run(start=start)
    assert again.solved and again.loops[0].passes <= 3


def test_tear_is_the_returning_stream_and_order_follows():
    (group,) = (g for g in groups(demo()) if g.iterates)
    assert group.tears == ("recycle",)
    assert group.units == ("MIX", "H1", "R1", "COOL", "DRUM", "SPLIT", "K1")


def test_nested_loops_find_a_small_tear_set():
    units = [{"id": i, "kind": "mixer"} for i in ("A", "B")] + [{"id": i, "kind": "splitter", "drawn": "40 %"} for i in ("C", "D")]
    streams = [
        feed("f", "A", {"water": "1 kmol/h"}),
        {"id": "ab", "from": "A", "to": "B"},
        {"id": "bc", "from": "B", "to": "C"},
        {"id": "inner", "from": "C.drawn", "to": "B"},
        {"id": "cd", "from": "C.rest", "to": "D"},
        {"id": "outer", "from": "D.drawn", "to": "A"},
        {"id": "out", "from": "D.rest"},
    ]
    project = document({"water": "7732-18-5"}, units, streams)
    assert [g.tears for g in groups(project) if g.iterates] == [("bc",)]  # cutting bc opens both loops
    solution = solve(project)
    # by hand: out = 0.6 D, D = 0.6 C, C = B = ab + 0.4 C, ab = 1 + 0.4 D; hence D = 1/0.6, C = D/0.6
    assert solution.streams["out"].total == pytest.approx(KMOL_H)
    assert solution.streams["cd"].total == pytest.approx(KMOL_H / 0.6)
    assert solution.streams["bc"].total == pytest.approx(KMOL_H / 0.36)


def test_two_separate_units_fail_alone():
    """One unit in trouble does not hide the other's results."""
    project = document(
        {"water": "7732-18-5"},
        [{"id": "GOOD", "kind": "heater", "temperature": "80 degC"}, {"id": "BAD", "kind": "heater", "pressure_drop": "50 bar"}],
        [
            feed("f", "GOOD", {"water": "1 kmol/h"}),
            {"id": "g", "from": "GOOD"},
            feed("h", "BAD", {"water": "1 kmol/h"}),
            {"id": "v", "from": "BAD"},
        ],
    )
    solution = solve(project)
    assert not solution.solved and solution.units["GOOD"].solved and not solution.units["BAD"].solved
    assert solution.streams["g"].temperature == pytest.approx(353.15) and "v" not in solution.streams


def test_override_outside_bounds_is_refused():
    solution = Plan(demo()).run(overrides={"SPLIT.drawn": 1.5})
    assert not solution.solved and any("outside its bounds" in m.what for m in solution.messages)


@pytest.mark.parametrize(
    ("value", "least", "most", "broken"),
    [
        (-500.0, -500.0, None, None),
        (-501.0, -500.0, None, "at_least"),
        (-499.0, None, -500.0, "at_most"),
        (0.0, 0.0, 0.0, None),
        (5.0, None, None, None),
        (1.0 - 1e-12, 1.0, None, None),
    ],
)
def test_limits_hold_for_negative_values_too(value, least, most, broken):
    assert beyond(value, least, most) == broken


# The fixed-point solver by itself


@pytest.mark.parametrize("gain", [0.0, 0.5, 0.9, 0.99, 0.999, -0.8, 1.5])
def test_settles_linear_maps_of_any_gain(gain):
    """x ← A x + b has the fixed point (1 − A)⁻¹ b."""
    A = np.diag([gain, 0.3, 0.1])
    b = np.array([1.0, 2.0, 3.0])
    found = settle(lambda x: A @ x + b, np.zeros(3), scale=np.ones(3))
    exact = np.linalg.solve(np.eye(3) - A, b)
    assert found.reason is Reason.SETTLED
    np.testing.assert_allclose(found.tear, exact, atol=1e-7)
    assert len(found.history) < 15


def test_stops_on_the_distance_and_not_on_the_last_change():
    """At gain 0.9 the last change is nine times too kind."""
    found = settle(lambda x: 0.9 * x + 1.0, np.zeros(1), scale=np.ones(1), depth=1, direct=10**6, tol=1e-6, max_passes=400)
    assert found.reason is Reason.SETTLED
    assert abs(found.tear[0] - 10.0) < 1.01e-6
    assert found.distance == pytest.approx(found.history[-1] * 9.0, rel=1e-3)


class Ends(Watch):
    """Ends a search after some passes."""

    def __init__(self, after, reason=Reason.CANCELLED):
        self.after, self.reason, self.residuals = after, reason, []

    def ended(self):
        return self.reason if len(self.residuals) >= self.after else None

    def passed(self, residual):
        self.residuals.append(residual)


def test_reports_what_it_could_not_do():
    assert settle(lambda x: x + 1.0, np.zeros(1), scale=np.ones(1), max_passes=20).reason is Reason.OUT_OF_PASSES
    assert settle(lambda x: x + 1.0, np.zeros(1), scale=np.ones(1)).reason is Reason.STALLED
    assert settle(lambda x: x * np.nan, np.ones(1), scale=np.ones(1)).reason is Reason.NOT_FINITE
    assert settle(lambda x: x + 1.0, np.zeros(1), scale=np.ones(1), watch=Ends(0)).reason is Reason.CANCELLED
    late = Ends(3, Reason.OUT_OF_TIME)
    found = settle(lambda x: x + 1.0, np.zeros(1), scale=np.ones(1), watch=late)
    assert found.reason is Reason.OUT_OF_TIME and len(found.history) == 3 and late.residuals == [1.0] * 3


def test_selectivity_and_yield_count_the_key_reactant_in_the_product():
    """2 A → P, 10 A in and 4 out, 2 P made: X = 0.6, S = 2·2/6, Y = 2·2/10 (by hand); P fed with A does not count as made."""
    before, after = {"A": 10.0, "P": 1.0}, {"A": 4.0, "P": 3.0}
    assert measured(Counted(2.0, "A", "P"), before, after) == pytest.approx((0.6, 4.0 / 6.0, 0.4))
    assert measured(Counted(2.0, "A", "P"), {"A": 0.0}, {"P": 1.0}) == (None, None, None)
