"""Equilibrium constants of every source, phase and basis; held reactions; how sure K is."""

import math

import numpy as np
import pytest
from chemicals import reaction as formation
from helpers import document, feed
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq

from gulch.engine.chemistry.constants import Constant, agreeing, gibbs_spread, ln_equilibrium_constants
from gulch.engine.chemistry.elements import by_elements, describing_reactions
from gulch.engine.chemistry.equilibrium import (
    EquilibriumTrouble,
    Held,
    PhaseMissing,
    by_extents,
    composition_terms,
    interior,
    ln_activities,
)
from gulch.engine.document import EquilibriumEntry, ReactionEntry, load
from gulch.engine.explain import Plan, solve
from gulch.engine.phases import phase_model
from gulch.engine.project.reading import constant_of
from gulch.engine.species import Datum

ESTER = {"acid": "64-19-7", "ethanol": "64-17-5", "ester": "141-78-6", "water": "7732-18-5"}
NU = np.array([[-1.0, -1.0, 1.0, 1.0]])


def liquid(**more):
    return Constant(source="constant", phase="liquid", coefficients=(math.log(4.0), 0.0, 0.0, 0.0), **more)


@pytest.mark.parametrize(
    ("constant", "T", "ln_k"),
    [
        (Constant("formula", coefficients=(1.0, 500.0, -0.2, 1e-3)), 400.0, 1.0 + 1.25 - 0.2 * math.log(400.0) + 0.4),
        (Constant("constant", coefficients=(math.log(7.0), 0.0, 0.0, 0.0)), 900.0, math.log(7.0)),
        (Constant("table", points=((300.0, 400.0), (2.0, 1.0))), 300.0, 2.0),
        (Constant("table", points=((300.0, 400.0), (2.0, 1.0))), 1 / (0.5 / 300 + 0.5 / 400), 1.5),  # straight over 1/T
        (Constant("table", points=((300.0, 400.0), (2.0, 1.0))), 1 / (2 / 400 - 1 / 300), 0.0),  # drawn on beyond
    ],
)
def test_constant_of_each_source(constant, T, ln_k):
    assert constant.ln_k(T, None, None) == pytest.approx(ln_k, rel=1e-12)


def test_heat_that_a_constant_implies():
    """ln K = A + B/T has the heat −R B (van 't Hoff)."""
    assert Constant("formula", coefficients=(0.0, 4000.0, 0.0, 0.0)).reaction_heat(500.0, None, None) == pytest.approx(
        -8.31446 * 4000.0, rel=1e-5
    )


def test_shift_constant_of_janaf():
    """log10 Kf at 1000 K: CO 10.459, CO2 20.680, H2O 10.061 (JANAF, 1998), hence K = 1.445."""
    m = phase_model("ideal", ("630-08-0", "7732-18-5", "124-38-9", "1333-74-0"))
    k = math.exp(ln_equilibrium_constants(np.array([[-1.0, -1.0, 1.0, 1.0]]), 1000.0, m)[0])
    assert k == pytest.approx(10 ** (20.680 - 10.459 - 10.061), rel=0.02)


@pytest.mark.parametrize("mixture", ["liquid", "split"])
@pytest.mark.parametrize("basis", ["mole-fraction", "concentration"])
def test_liquid_esterification_by_hand(mixture, basis):
    """K = 4 from equimolar reactants and no change of moles: X = √4/(1 + √4) = 2/3 in either basis."""
    m = phase_model("ideal", tuple(ESTER.values()))
    found = by_extents(np.array([1.0, 1.0, 0.0, 0.0]), NU, np.log([4.0]), 320.0, 1e5, m, [liquid(basis=basis)], mixture)
    assert found.extents[0] == pytest.approx(2.0 / 3.0, rel=1e-10)
    assert found.ln_q[0] == pytest.approx(math.log(4.0), abs=1e-9)


def test_partial_pressures_in_the_unit_of_the_constant():
    """A = 2 B with Kp = 2 bar at 3 bar: Kp = 4 X² P/(1 − X²), X = √(Kp/(Kp + 4 P))."""
    m = phase_model("ideal", ("10544-72-6", "10102-44-0"))
    nu = np.array([[-1.0, 2.0]])
    expected = math.sqrt(2.0 / (2.0 + 12.0))
    for scale, k in ((1e5, 2.0), (1e3, 200.0), (101325.0, 2e5 / 101325.0)):
        c = Constant("constant", basis="partial-pressure", scale=scale)
        found = by_extents(np.array([1.0, 0.0]), nu, np.log([k]), 350.0, 3e5, m, [c])
        assert found.extents[0] == pytest.approx(expected, rel=1e-9)


def test_concentration_of_a_gas():
    """Kc = Kp/(R T) for one mole more of gas: both give the same conversion in an ideal gas."""
    m = phase_model("ideal", ("10544-72-6", "10102-44-0"))
    nu, T = np.array([[-1.0, 2.0]]), 350.0
    kp = by_extents(np.array([1.0, 0.0]), nu, np.log([2.0]), T, 3e5, m, [Constant("constant", basis="partial-pressure", scale=1e5)])
    kc = 2e5 / (8.31446261815324 * T)
    c = Constant("constant", basis="concentration", scale=1.0)
    assert by_extents(np.array([1.0, 0.0]), nu, np.log([kc]), T, 3e5, m, [c]).extents[0] == pytest.approx(kp.extents[0], rel=1e-9)


@pytest.mark.parametrize("kind", ["ideal", "peng-robinson"])
def test_reaction_and_split_together(kind):
    """K is taken from a boiling mixture half-way through the reaction: the solve must come back to it."""
    m = phase_model(kind, tuple(ESTER.values()))
    n0, P = np.array([1.0, 1.5, 0.0, 0.2]), 101325.0
    n = n0 + 0.5 * NU[0]
    T = m.at_vapour_fraction(0.4, P, n).temperature
    x = m.at_temperature(T, P, n).x
    for basis in ("mole-fraction", "activity"):
        gamma = np.exp(m.ln_phi(T, P, x, 2) - m.ln_phi_pure_liquid(T, P)) if basis == "activity" else np.ones(4)
        ln_k = np.array([NU[0] @ np.log(gamma * x)])
        found = by_extents(n0, NU, ln_k, T, P, m, [liquid(basis=basis)], "split")
        assert found.ln_q[0] == pytest.approx(ln_k[0], abs=1e-8)
        if kind == "ideal":  # a cubic model without fitted k_ij has two states that meet this K
            assert found.extents[0] == pytest.approx(0.5, rel=1e-6)


def test_gibbs_energies_hold_in_either_phase():
    """A constant from Gibbs energies counts fugacities, which are the same in both phases at the split."""
    m = phase_model("peng-robinson", tuple(ESTER.values()))
    n0, P = np.array([1.0, 1.5, 0.0, 0.2]), 101325.0
    T = m.at_vapour_fraction(0.4, P, np.array([0.4, 0.9, 0.6, 0.8])).temperature
    ln_k = ln_equilibrium_constants(NU, T, m)
    found = by_extents(n0, NU, ln_k, T, P, m, [Constant()], "split")
    for phase in ("vapour", "liquid"):
        terms, missing = composition_terms(found.n, [Constant(phase=phase)], T, P, m, "split")
        q = NU[0] @ (np.log(found.n / found.n.sum()) + terms[0])
        assert not missing and q == pytest.approx(ln_k[0], abs=1e-7)


def test_missing_phase_is_said():
    m = phase_model("ideal", tuple(ESTER.values()))
    with pytest.raises(PhaseMissing) as caught:
        by_extents(np.array([1.0, 1.0, 0.0, 0.0]), NU, np.log([4.0]), 500.0, 1e5, m, [liquid(basis="mole-fraction")], "split")
    assert caught.value.phase == "liquid"


SERIES = ("74-85-1", "7732-18-5", "64-17-5", "60-29-7")
HYDRATION = np.array([[-1.0, -1.0, 1.0, 0.0], [0.0, 1.0, -2.0, 1.0]])


@pytest.mark.parametrize("share", [0.02, 0.3, 0.9])
def test_reaction_held_at_a_conversion(share):
    """The held one uses its share of the key species that is fed or made; the other still meets its K."""
    m = phase_model("ideal", SERIES)
    n0 = np.array([3.0, 2.0, 0.1, 0.0])
    found = by_extents(n0, HYDRATION, np.log([2e-2, 1.0]), 500.0, 70e5, m, held=[None, Held(conversion=share, key=2)])
    made = n0[2] + found.extents[0]
    assert 2.0 * found.extents[1] == pytest.approx(share * made, rel=1e-9)
    activity = ln_activities(found.n, 500.0, 70e5, m)
    assert HYDRATION[0] @ activity == pytest.approx(math.log(2e-2), abs=1e-8)
    np.testing.assert_allclose(found.n, n0 + found.extents @ HYDRATION, rtol=1e-10)


def test_reaction_held_at_an_extent_equals_feeding_what_it_leaves():
    m = phase_model("ideal", SERIES)
    n0 = np.array([3.0, 2.0, 0.5, 0.0])
    found = by_extents(n0, HYDRATION, np.log([2e-2, 1.0]), 500.0, 70e5, m, held=[None, Held(extent=0.1)])
    alone = by_extents(n0 + 0.1 * HYDRATION[1], HYDRATION[:1], np.log([2e-2]), 500.0, 70e5, m)
    np.testing.assert_allclose(found.n, alone.n, rtol=1e-10)
    with pytest.raises(EquilibriumTrouble, match="use up more than there is"):
        by_extents(n0, HYDRATION, np.log([2e-2, 1.0]), 500.0, 70e5, m, held=[None, Held(extent=50.0)])


@settings(max_examples=80, deadline=None)
@given(st.lists(st.floats(1e-3, 10.0), min_size=4, max_size=4), st.floats(-20.0, 20.0), st.floats(-20.0, 20.0))
def test_random_problems_meet_their_constants(amounts, ln_1, ln_2):
    m = phase_model("ideal", SERIES)
    found = by_extents(np.array(amounts), HYDRATION, np.array([ln_1, ln_2]), 500.0, 1e5, m)
    assert found.n.min() >= 0.0
    np.testing.assert_allclose(HYDRATION @ ln_activities(found.n, 500.0, 1e5, m), [ln_1, ln_2], atol=1e-7)


@pytest.mark.parametrize("exponent", [-690.0, -300.0, 300.0, 690.0])
def test_constants_beyond_all_bounds(exponent):
    """K of 1e±300: complete one way or the other, and nothing negative."""
    m = phase_model("ideal", SERIES)
    found = by_extents(np.array([1.0, 1.0, 0.0, 0.0]), HYDRATION[:1], np.array([exponent]), 500.0, 1e5, m)
    assert found.n.min() >= 0.0
    assert found.extents[0] == pytest.approx(1.0 if exponent > 0.0 else 0.0, abs=1e-9)


def test_start_lies_inside_or_says_what_is_blocked():
    rows = np.array([[-1.0, 1.0, 0.0, 0.0], [0.0, -1.0, 1.0, 0.0]])
    x, blocked = interior(np.array([1.0, 0.0, 0.0, 5.0]), rows)
    assert not blocked.any() and (np.array([1.0, 0.0, 0.0, 5.0]) + x @ rows)[:3].min() > 0.0
    _, blocked = interior(np.array([1.0, 1.0, 0.0, 0.0]), np.array([[-1.0, 1.0, 0.0, 0.0], [0.0, 0.0, -1.0, 1.0]]))
    assert blocked.tolist() == [False, True]


# Graphite and the description of a change


GASES = ("74-82-8", "7732-18-5", "630-08-0", "124-38-9", "1333-74-0", "7782-42-5")


@pytest.mark.parametrize(("steam", "forms"), [(0.3, True), (3.0, False)])
def test_graphite_forms_when_its_activity_would_pass_one(steam, forms):
    m = phase_model("ideal", GASES)
    T, P = 950.0, 1e5
    n0 = np.array([1.0, steam, 0.0, 0.0, 0.0, 0.0])
    found = by_elements(n0, np.zeros(6, bool), T, P, m)
    h, s = m.ideal_gas_properties(T)
    g = (h - T * s) / (8.31446261815324 * T)
    assert (found.solid > 0.0) == forms and found.n[5] == found.solid
    if forms:  # C(s) in equilibrium: 2 CO = C + CO2 meets its K with the activity of graphite at 1
        a = ln_activities(np.where(m.volatile, found.n, 0.0), T, P, m)
        assert a[3] - 2.0 * a[2] == pytest.approx(-(g[5] + g[3] - 2.0 * g[2]), abs=1e-8)
        assert found.potentials["C"] == pytest.approx(g[5], abs=1e-9)
    else:
        assert found.potentials["C"] < g[5]
    atoms = np.array([[s.atoms.get(e, 0) for s in m.species] for e in "CHO"], float)
    np.testing.assert_allclose(atoms @ found.n, atoms @ n0, rtol=1e-10)


def test_methane_over_graphite_by_the_quadratic():
    """CH4 = C + 2 H2 with the activity of graphite at 1: K = 4 X² P/((1 − X²)…), solved here by bisection."""
    m = phase_model("ideal", ("74-82-8", "1333-74-0", "7782-42-5"))
    T, P = 900.0, 2e5
    h, s = m.ideal_gas_properties(T)
    k = math.exp(-np.array([-1.0, 2.0, 1.0]) @ (h - T * s) / (8.31446261815324 * T))
    expected = brentq(lambda x: (2 * x / (1 + x)) ** 2 * (P / 1e5) / ((1 - x) / (1 + x)) - k, 1e-9, 1 - 1e-9, xtol=1e-14)
    found = by_elements(np.array([1.0, 0.0, 0.0]), np.zeros(3, bool), T, P, m)
    assert found.solid == pytest.approx(expected, rel=1e-8)


def test_independent_reactions_describe_the_change():
    m = phase_model("ideal", GASES[:5])
    n0 = np.array([2.0, 3.0, 0.0, 0.0, 0.0])
    n = by_elements(n0, np.zeros(5, bool), 1000.0, 1e5, m).n
    net = describing_reactions(n - n0, n, m.species)
    assert len(net) == 2  # five species less three elements
    total = np.zeros(5)
    for r in net:
        assert r.extent > 0.0
        for i, v in r.coefficients.items():
            total[i] += v * r.extent
    np.testing.assert_allclose(total, n - n0, atol=1e-9)


# How sure is K?


def test_spread_runs_over_every_choice_of_source():
    m = phase_model("ideal", ("74-85-1", "7732-18-5", "64-17-5"))
    nu = np.array([-1.0, -1.0, 1.0])
    found = gibbs_spread(nu, m, 500.0)
    base = -8.31446261815324 * 500.0 * ln_equilibrium_constants(nu[None, :], 500.0, m)[0]
    assert found.low <= base <= found.high and found.used == pytest.approx(base)
    ethanol = [formation.Hfg("64-17-5", method=k) for k in formation.Hfg_methods("64-17-5") if k in ("ATCT_G", "CRC", "WEBBOOK")]
    assert found.high - found.low >= max(ethanol) - min(ethanol) - 1.0


def test_a_source_that_stands_alone_does_not_widen_the_band():
    datum = Datum(-100e3, "a", {"b": -101e3, "c": -140e3, "d": -100.5e3})
    assert sorted(agreeing(datum, "formation_enthalpy")) == [-101e3, -100.5e3, -100e3]
    assert agreeing(Datum(-1.0, "typed in this project", {"a": 5e4}, typed=True), "formation_enthalpy") == [-1.0]


# In a process


def ester(mixture="liquid", equilibrium=None, heat=None, runs=None, P="2 bar", **unit):
    ports = ["vapour", "liquid"] if mixture == "split" else [None]
    return document(
        ESTER,
        [
            {
                "id": "R",
                "kind": "equilibrium-reactor",
                "set": "s",
                "mixture": mixture,
                "runs": runs or {},
                "heat": heat or {"mode": "isothermal", "temperature": "60 degC"},
                **unit,
            }
        ],
        [
            feed("f", "R", {"acid": "10 kmol/h", "ethanol": "10 kmol/h"}, P=P),
            *({"id": f"out{k}", "from": "R" + (f".{p}" if p else "")} for k, p in enumerate(ports)),
        ],
        [
            {
                "id": "r",
                "equation": "acid + ethanol = ester + water",
                "conversion": {"key": "acid", "value": "40 %"},
                "equilibrium": equilibrium or {"source": "constant", "value": "4", "phase": "liquid", "basis": "mole-fraction"},
            }
        ],
        [{"id": "s", "steps": [["r"]]}],
    )


@pytest.mark.parametrize(
    "mode",
    [
        {"mode": "isothermal", "temperature": "60 degC"},
        {"mode": "feed-temperature"},
        {"mode": "adiabatic"},
        {"mode": "duty", "duty": "50 kW"},
    ],
)
@pytest.mark.parametrize("mixture", ["liquid", "split"])
def test_every_thermal_mode_closes(mode, mixture):
    s = solve(ester(mixture, heat=mode))
    assert s.solved, s.messages
    u = s.units["R"]
    boils = any(s.streams[o].vapour_fraction for o in ("out0", "out1") if o in s.streams)
    assert u.values["conversion"]["acid"] == pytest.approx(2.0 / 3.0, rel=0.02 if boils else 1e-8)
    assert u.reactions[0]["ln_q"] == pytest.approx(math.log(4.0), abs=1e-7)
    assert abs(u.balances["energy"]) < 1e-9 and abs(u.balances["mass"]) < 1e-12


def test_table_formula_and_constant_agree_where_they_meet():
    at = {"phase": "liquid", "basis": "mole-fraction"}
    ways = [
        {"source": "table", "table": "300 K 2; 333.15 K 4; 360 K 6", **at},
        {"source": "formula", "a": repr(math.log(4.0) - 1.5), "b": repr(1.5 * 333.15), **at},
        {"source": "constant", "value": "4", **at},
    ]
    found = [solve(ester(equilibrium=e)).units["R"].values["conversion"]["acid"] for e in ways]
    assert found == pytest.approx([2.0 / 3.0] * 3, rel=1e-9)


def test_approach_of_one_reaction_replaces_the_common_one():
    e = {"source": "formula", "a": "0", "b": "400", "phase": "liquid", "basis": "mole-fraction"}
    plain = solve(ester(equilibrium=e, approach="20 K")).units["R"].values["constant"]["r"]
    own = solve(ester(equilibrium=e, approach="20 K", own_approach={"r": "-10 K"})).units["R"].values["constant"]["r"]
    assert (plain, own) == (pytest.approx(math.exp(400.0 / 353.15)), pytest.approx(math.exp(400.0 / 323.15)))


def test_held_ways_in_a_process():
    assert solve(ester(runs={"r": "conversion"})).units["R"].values["conversion"]["acid"] == pytest.approx(0.4)
    held = solve(ester(runs={"r": "extent"}, held_extent={"r": "3 kmol/h"}))
    assert held.units["R"].values["conversion"]["acid"] == pytest.approx(0.3)
    plan = Plan(ester(runs={"r": "extent"}, held_extent={"r": "3 kmol/h"}))
    assert plan.run(overrides={"R.held_extent.r": 5.0 / 3.6}).units["R"].values["conversion"]["acid"] == pytest.approx(0.5)


def test_outlets_of_a_boiling_reactor_hold_each_phase():
    s = solve(ester("split", heat={"mode": "duty", "duty": "150 kW"}, P="0.9 bar"))
    assert s.solved and s.streams["out0"].vapour_fraction == 1.0 and s.streams["out1"].vapour_fraction == 0.0
    x = {k: v / s.streams["out1"].total for k, v in s.streams["out1"].flow.items()}
    assert x["ester"] * x["water"] / (x["acid"] * x["ethanol"]) == pytest.approx(4.0, rel=1e-7)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"mixture": "gas"}, "holds in the liquid, but the reacting phase"),
        ({"heat": {"mode": "isothermal", "temperature": "200 degC"}, "P": "1 bar"}, "superheated vapour"),
        (
            {"mixture": "split", "heat": {"mode": "isothermal", "temperature": "200 degC"}, "P": "1 bar"},
            "the contents are all vapour",
        ),
        ({"equilibrium": {"source": "constant", "value": "-3"}}, "K is not above zero"),
        ({"equilibrium": {"source": "constant", "value": "4 bar"}}, "without unit"),
        ({"equilibrium": {"source": "table", "table": "4"}}, "needs temperatures"),
        ({"equilibrium": {"source": "table", "table": "400 K 2; 300 K 1"}}, "rising order"),
        ({"equilibrium": {"source": "formula", "b": "x"}}, "does not start with a number"),
        ({"equilibrium": {"source": "constant", "basis": "partial-pressure", "phase": "liquid"}}, "belong to a vapour"),
        ({"equilibrium": {"low": "500 K", "high": "400 K"}}, "not below the highest"),
        ({"runs": {"r": "extent"}, "held_extent": {"r": "30 kmol/h"}}, "more than there is"),
        ({"heat": {"mode": "duty", "duty": "-90 MW"}}, "no solution"),
        ({"approach": "-400 K"}, "below −173.1 °C"),
    ],
)
def test_bad_input_is_said_in_a_sentence(change, words):
    s = solve(ester(**change))
    assert not s.solved
    assert any(words in m.what for m in s.messages), [m.what for m in s.messages]
    assert all(m.todo for m in s.messages if m.level == "error")


def test_temperature_outside_what_is_believed_is_warned_of():
    e = {"source": "constant", "value": "4", "phase": "liquid", "basis": "mole-fraction", "low": "80 degC"}
    s = solve(ester(equilibrium=e))
    assert s.solved and any("believed from 80.00 °C to any" in m.what for m in s.messages)


def test_conversion_by_a_polynomial_in_temperature():
    """X = −0.5 + 1.2e-3 T: 0.1 at 500 K; kept between 0 and 1; adiabatic, the outlet's temperature counts."""
    project = document(
        {"ethylene": "74-85-1", "water": "7732-18-5", "ethanol": "64-17-5"},
        [
            {
                "id": "R",
                "kind": "stoichiometric-reactor",
                "set": "s",
                "heat": {"mode": "isothermal", "temperature": "500 K"},
            }
        ],
        [feed("f", "R", {"ethylene": "1 kmol/h", "water": "3 kmol/h"}, T="500 K"), {"id": "p", "from": "R"}],
        [
            {
                "id": "r",
                "equation": "C2H4 + H2O = ethanol",
                "conversion": {"key": "ethylene", "value": "1 %", "meant": True, "polynomial": "-0.5, 1.2e-3"},
            }
        ],
        [{"id": "s", "steps": [["r"]]}],
    )
    assert solve(project).units["R"].values["conversion"]["ethylene"] == pytest.approx(0.1)
    hot = Plan(project).run(overrides={"R.temperature": 1400.0})
    assert hot.units["R"].values["conversion"]["ethylene"] == pytest.approx(1.0)
    data = project.dump()
    data["units"][0]["heat"] = {"mode": "adiabatic"}
    s = solve(load(data))
    T = s.streams["p"].temperature
    assert s.solved and T > 500.0
    assert s.units["R"].values["conversion"]["ethylene"] == pytest.approx(-0.5 + 1.2e-3 * T, rel=1e-6)
    data["reactions"][0]["conversion"]["polynomial"] = "0.5; twice"
    assert any("twice" in m.what for m in solve(load(data)).messages if m.level == "error")


REFORMING = {"methane": "74-82-8", "water": "7732-18-5", "co": "630-08-0", "co2": "124-38-9", "hydrogen": "1333-74-0"}


def gibbs(**unit):
    return document(
        REFORMING,
        [{"id": "R", "kind": "gibbs-reactor", "heat": {"mode": "isothermal", "temperature": "1000 K"}, **unit}],
        [feed("f", "R", {"methane": "2 kmol/h", "water": "3 kmol/h"}, T="800 K", P="1 bar"), {"id": "p", "from": "R"}],
        [{"id": "reforming", "equation": "CH4 + H2O = CO + 3 H2"}, {"id": "shift", "equation": "CO + H2O = CO2 + H2"}],
        [{"id": "s", "steps": [["reforming", "shift"]]}],
    )


def test_gibbs_reactor_with_a_reaction_held_at_an_extent():
    """Reforming held at 1 kmol/h leaves 1 kmol/h of methane; the shift still comes to its equilibrium."""
    s = solve(gibbs(set="s", held_extent={"reforming": "1 kmol/h"}))
    assert s.solved, s.messages
    flow = s.streams["p"].flow
    assert flow["methane"] * 3.6 == pytest.approx(1.0)
    m = phase_model("ideal", tuple(REFORMING.values()))
    k = math.exp(ln_equilibrium_constants(np.array([[0.0, -1.0, -1.0, 1.0, 1.0]]), 1000.0, m)[0])
    assert flow["co2"] * flow["hydrogen"] / (flow["co"] * flow["water"]) == pytest.approx(k, rel=1e-8)
    assert any("more" in m.what for m in solve(gibbs(set="s", held_extent={"reforming": "5 kmol/h"})).messages)


def test_gibbs_reactor_takes_its_potentials_at_the_approach():
    lower = solve(gibbs(approach="-50 K")).streams["p"].flow["methane"]
    other = document(
        REFORMING,
        [{"id": "R", "kind": "gibbs-reactor", "heat": {"mode": "isothermal", "temperature": "950 K"}}],
        [feed("f", "R", {"methane": "2 kmol/h", "water": "3 kmol/h"}, T="800 K", P="1 bar"), {"id": "p", "from": "R"}],
    )
    assert lower == pytest.approx(solve(other).streams["p"].flow["methane"], rel=1e-9)


def test_a_table_is_believed_between_its_ends_unless_told_otherwise():
    """K of a table at 500 and 700 K says nothing beyond; a typed end counts before the table's."""
    entry = ReactionEntry(id="r", equation="A = B", equilibrium=EquilibriumEntry(source="table", table="500 K 2; 600 K 1; 700 K 0.5"))
    constant = constant_of(entry)
    assert constant.range() == (500.0, 700.0)
    assert constant.believed(500.0) and constant.believed(700.0) and not constant.believed(499.0) and not constant.believed(701.0)
    entry.equilibrium.low, entry.equilibrium.high = "450 K", "650 K"
    assert constant_of(entry).range() == (450.0, 650.0)
    open_ = ReactionEntry(id="r", equation="A = B", equilibrium=EquilibriumEntry(source="constant", value="2"))
    assert constant_of(open_).range() == (None, None)
