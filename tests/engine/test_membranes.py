"""Tubes with a permeable wall, against closed forms and scipy on equations written anew."""

import math

import numpy as np
import pytest
import scipy
from helpers import document, feed

from gulch.engine.explain import solve
from gulch.engine.reactors.limited import followed

R, T, P = 8.314462618, 600.0, 2e5
SPECIES = {"a": "106-98-9", "b": "590-18-1", "n2": "7727-37-9"}


def tube(k="0.5 1/s", a="10 kmol/h", inert="0 kmol/h", sweep="100 kmol/h", **unit):
    rate = {"law": "power", "basis": "concentration", "per": "fluid", "forward": {"k": k}, "orders": {"a": "1"}}
    return solve(
        document(
            SPECIES,
            [{"id": "M", "kind": "membrane-reactor", "set": "s", "volume": "1 m3", "area": "50 m2"} | unit],
            [feed("f", "M.feed", {"a": a, "n2": inert}, T=f"{T} K", P="2 bar"),
             feed("w", "M.sweep", {"n2": sweep}, T=f"{T} K", P="1 bar"),
             {"id": "p", "from": "M.product"}, {"id": "q", "from": "M.permeate"}],
            [{"id": "r", "equation": "a = b", "rate": rate}],
            [{"id": "s", "steps": [["r"]]}],
            measures={"key": "a", "product": "b"},
        )
    )  # fmt: skip


def by_scipy(Q, area=50.0, volume=1.0, k=0.5, sweep=100.0, against=False):
    """(n, s) that leave; a → b, b and n2 pass by Q [mol/(m2 s Pa)] by species."""
    Q = np.array([Q.get(i, 0.0) for i in SPECIES])
    n0, s0 = np.array([10.0, 0, 0]) / 3.6, np.array([0, 0, sweep]) / 3.6
    sign = -1.0 if against else 1.0

    def change(V, y):
        n, s = y[:3], y[3:]
        r = k * n[0] / n.sum() * P / (R * T)
        J = area / volume * Q * (n / n.sum() * P - s / s.sum() * 1e5)
        return np.r_[np.array([-r, r, 0]) - J, sign * J]

    def end(leaving):
        return scipy.integrate.solve_ivp(change, (0, volume), np.r_[n0, leaving], "LSODA", rtol=1e-10, atol=1e-12).y[:, -1]

    if not against:
        y = end(s0)
        return y[:3], y[3:]
    at = np.flatnonzero(Q)

    def miss(u):
        leaving = s0.copy()
        leaving[at] = np.abs(u)
        return end(leaving)[3:][at] - s0[at]

    u = np.abs(scipy.optimize.fsolve(miss, s0[at] + 0.1, xtol=1e-12))
    leaving = s0.copy()
    leaving[at] = u
    return end(leaving)[:3], leaving


@pytest.mark.parametrize("direction", ["with", "against"])
def test_reaction_and_passage_against_scipy(direction):
    Q = {"b": 2e-7, "n2": 2e-8}
    solution = tube(direction=direction, permeance={i: f"{q} mol/(m2 s Pa)" for i, q in Q.items()})
    assert solution.solved, solution.messages
    n, s = by_scipy(Q, against=direction == "against")
    for stream, flows in (("p", n), ("q", s)):
        assert np.array([solution.streams[stream].flow[i] for i in SPECIES]) == pytest.approx(flows, rel=1e-6, abs=1e-9)
    assert abs(solution.units["M"].balances["energy"]) < 1e-9 and abs(solution.units["M"].balances["mass"]) < 1e-9


def test_a_trace_passes_exponentially_into_a_great_sweep():
    """n_a = n_a0 exp(−Q A P/N): one species, dilute in an inert that stays, its partial pressure nought outside."""
    solution = tube(k="1e-12 1/s", a="0.01 kmol/h", inert="100 kmol/h", sweep="1e6 kmol/h", permeance={"a": "1e-6 mol/(m2 s Pa)"})
    left = solution.streams["p"].flow["a"] / (0.01 / 3.6)
    assert left == pytest.approx(math.exp(-1e-6 * 50.0 * P / (100.01 / 3.6)), rel=1e-3)


def test_a_wall_that_lets_nothing_pass_is_a_tube():
    solution = tube()
    assert solution.units["M"].values["conversion"]["a"] == pytest.approx(1 - math.exp(-0.5 * P / (R * T) / (10 / 3.6)), rel=1e-6)
    assert solution.streams["q"].flow["n2"] == pytest.approx(100 / 3.6)


def test_taking_the_product_away_passes_equilibrium():
    """Ethanol dehydrogenates at 250 °C until equilibrium; hydrogen that leaves through the wall lets it go on."""
    rate = {"basis": "partial-pressure", "per": "fluid", "reverse": "equilibrium", "forward": {"k": "5 mol/(m3 s bar)"}}

    def run(permeance):
        return solve(
            document(
                {"ethanol": "64-17-5", "acetaldehyde": "75-07-0", "hydrogen": "1333-74-0", "n2": "7727-37-9"},
                [{"id": "M", "kind": "membrane-reactor", "set": "s", "volume": "20 m3", "area": "400 m2", "permeance": permeance}],
                [feed("f", "M.feed", {"ethanol": "10 kmol/h"}, T="250 degC", P="2 bar"),
                 feed("w", "M.sweep", {"n2": "200 kmol/h"}, T="250 degC", P="1 bar"),
                 {"id": "p", "from": "M.product"}, {"id": "q", "from": "M.permeate"}],
                [{"id": "r", "equation": "ethanol = acetaldehyde + hydrogen", "rate": rate}],
                [{"id": "s", "steps": [["r"]]}],
            )
        )  # fmt: skip

    tight, open_ = (run(p) for p in ({}, {"hydrogen": "1e-5 mol/(m2 s Pa)"}))
    at_rest, beyond = (s.units["M"].values["conversion"]["ethanol"] for s in (tight, open_))
    assert beyond > at_rest + 0.1
    assert open_.units["M"].values["passed"]["hydrogen"] > 0.9 * beyond * 10 / 3.6


def test_a_permeance_without_a_sweep_is_refused():
    """Nothing fed as sweep is a to-do line; a sweep that turns out to carry nothing is told by the unit."""
    assert any("carries nothing" in m.what for m in tube(sweep="0 kmol/h", permeance={"b": "1e-7 mol/(m2 s Pa)"}).messages)
    data = document(
        SPECIES,
        [{"id": "S", "kind": "splitter", "drawn": "0 %"},
         {"id": "M", "kind": "membrane-reactor", "set": "s", "volume": "1 m3", "permeance": {"b": "1e-7 mol/(m2 s Pa)"}}],
        [feed("f", "M.feed", {"a": "10 kmol/h"}, T=f"{T} K", P="2 bar"), feed("w", "S", {"n2": "9 kmol/h"}, T=f"{T} K", P="1 bar"),
         {"id": "none", "from": "S.drawn", "to": "M.sweep"}, {"id": "all", "from": "S.rest"},
         {"id": "p", "from": "M.product"}, {"id": "q", "from": "M.permeate"}],
        [{"id": "r", "equation": "a = b", "rate": {"basis": "concentration", "per": "fluid", "forward": {"k": "0.5 1/s"}}}],
        [{"id": "s", "steps": [["r"]]}],
    )  # fmt: skip
    assert any("nothing sweeps them away" in m.what for m in solve(data).messages)


def test_a_wild_permeance_ends_by_a_count():
    """Such a tube was integrated without end."""
    species = {"ethylene": "74-85-1", "water": "7732-18-5", "ethanol": "64-17-5", "nitrogen": "7727-37-9"}
    rate = {"basis": "concentration", "per": "fluid", "reverse": "equilibrium"}
    rate |= {"forward": {"k": "2e-6 m3/(mol s)", "energy": "60 kJ/mol", "at": "300 degC"}}
    fed = {"ethylene": "78.15 kmol/h", "water": "56.83 kmol/h", "ethanol": "397.4 kmol/h", "nitrogen": "7.245 kmol/h"}
    wall = {"volume": "1.47 m3", "area": "190 m2", "permeance": {"nitrogen": "2.3e8 kmol/(m2 h bar)"}}
    solution = solve(
        document(
            species,
            [{"id": "M", "kind": "membrane-reactor", "set": "s"} | wall],
            [feed("f", "M.feed", fed, T="249.43 degC", P="39.397 bar"),
             feed("w", "M.sweep", {"nitrogen": "50 kmol/h"}, T="300 degC", P="60 bar"),
             {"id": "p", "from": "M.product"}, {"id": "q", "from": "M.permeate"}],
            [{"id": "r", "equation": "ethylene + water = ethanol", "rate": rate}],
            [{"id": "s", "steps": [["r"]]}],
            phase_model="nrtl",
        )
    )  # fmt: skip
    errors = [(m.what, m.todo) for m in solution.messages if m.level == "error"]
    assert [what for what, _ in errors] == ["M: The tube could not be followed to its end."]
    assert "permeances" in errors[0][1]


def test_what_never_ends_is_given_up():
    grid = np.array([0.0, 1.0])
    assert followed(lambda s, y: -1e9 * (y - np.sign(np.sin(1e6 * s))), grid, np.zeros(1), 1e-9, 1e-12) is None
    assert followed(lambda s, y: -y, grid, np.ones(1), 1e-9, 1e-12)[0, -1] == pytest.approx(math.exp(-1.0), rel=1e-8)
