"""Chemical equilibrium against published values, against one another, and against its own conditions."""

import numpy as np
import pytest
from helpers import document, feed
from hypothesis import given, settings
from hypothesis import strategies as st

from gulch.engine.chemistry.elements import by_elements
from gulch.engine.chemistry.equilibrium import EquilibriumTrouble, by_extents, dependent_reaction, ln_activities, ln_equilibrium_constants
from gulch.engine.explain import solve
from gulch.engine.phases import phase_model

REFORMING = {"methane": "74-82-8", "water": "7732-18-5", "co": "630-08-0", "co2": "124-38-9", "hydrogen": "1333-74-0"}
NU = np.array([[-1.0, -1.0, 1.0, 0.0, 3.0], [0.0, -1.0, -1.0, 1.0, 1.0]])
FEED = np.array([2.0, 3.0, 0.0, 0.0, 0.0])


def model(kind="ideal"):
    return phase_model(kind, tuple(REFORMING.values()))


def test_reforming_at_1000_K():
    """2 CH4 + 3 H2O at 1000 K and 1 bar: 0.0196, 0.0980, 0.1743, 0.0371, 0.6711 (Smith, Van Ness & Abbott, ch. 13; from memory)."""
    found = by_elements(FEED, np.zeros(5, bool), 1000.0, 1e5, model())
    assert found.n / found.n.sum() == pytest.approx([0.0196, 0.0980, 0.1743, 0.0371, 0.6711], abs=1.5e-3)


@pytest.mark.parametrize("kind", ["ideal", "peng-robinson"])
@pytest.mark.parametrize(("T", "P"), [(600.0, 1e5), (1000.0, 1e5), (1000.0, 30e5), (1300.0, 5e5)])
def test_extents_and_elements_agree(kind, T, P):
    m = model(kind)
    a = by_elements(FEED, np.zeros(5, bool), T, P, m)
    b = by_extents(FEED, NU, ln_equilibrium_constants(NU, T, m), T, P, m)
    np.testing.assert_allclose(a.n, b.n, rtol=1e-6)
    residual = NU @ ln_activities(b.n, T, P, m) - ln_equilibrium_constants(NU, T, m)
    assert np.abs(residual).max() < 1e-8


def test_shift_by_the_quadratic_formula():
    """Equimolar CO and H2O: K = X²/(1 − X)², X = √K/(1 + √K); about 92 % at 225 °C (common practice)."""
    nu = np.array([[0.0, -1.0, -1.0, 1.0, 1.0]])
    m = model()
    ln_k = ln_equilibrium_constants(nu, 498.15, m)
    found = by_extents(np.array([0.0, 1.0, 1.0, 0.0, 0.0]), nu, ln_k, 498.15, 1e5, m)
    root = np.exp(ln_k[0] / 2)
    assert found.extents[0] == pytest.approx(root / (1 + root), rel=1e-10)
    assert found.extents[0] == pytest.approx(0.918, abs=0.01)


def test_hydration_conversion_of_the_text_with_its_own_constant():
    """K = 1.002e-2 at 250 °C, steam : ethylene 5, 35 bar: 0.225 as an ideal gas, 0.233 with the text's fugacity
    coefficients (Smith, Van Ness & Abbott, ch. 13; from memory)."""
    m = phase_model("ideal", ("74-85-1", "7732-18-5", "64-17-5"))
    nu = np.array([[-1.0, -1.0, 1.0]])
    found = by_extents(np.array([1.0, 5.0, 0.0]), nu, np.log([1.002e-2]), 523.15, 35e5, m)
    assert found.extents[0] == pytest.approx(0.225, abs=2e-3)
    real = np.log([1.002e-2 * 0.977 * 0.887 / 0.827])
    assert by_extents(np.array([1.0, 5.0, 0.0]), nu, real, 523.15, 35e5, m).extents[0] == pytest.approx(0.233, abs=2e-3)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.floats(0.0, 10.0), min_size=5, max_size=5), st.floats(500.0, 1800.0), st.floats(1e4, 5e6))
def test_random_feeds_keep_elements_and_are_lowest(amounts, T, P):
    n0 = np.array(amounts)
    m = model()
    atoms = np.array([[s.atoms.get(e, 0) for s in m.species] for e in ("C", "H", "O")], float)
    if (atoms @ n0).min() < 1e-6:
        return
    found = by_elements(n0, np.zeros(5, bool), T, P, m)
    np.testing.assert_allclose(atoms @ found.n, atoms @ n0, rtol=1e-9)

    def gibbs(n):
        g = (m.ideal_gas_enthalpies(T) - T * m.ideal_gas_entropies(T)) / (8.31446261815324 * T)
        return float(n @ (g + np.log(np.maximum(n, 1e-300) / n.sum() * P / 1e5)))

    for direction in NU:
        for sign in (1.0, -1.0):
            nearby = found.n + sign * 1e-3 * found.n.min() * direction / 3.0
            assert gibbs(nearby) >= gibbs(found.n) - 1e-9 * abs(gibbs(found.n))


@pytest.mark.parametrize("T", [298.15, 400.0, 3000.0])
def test_traces_and_missing_elements(T):
    m = model()
    found = by_elements(np.array([0.0, 1.0, 0.0, 0.0, 1.0]), np.zeros(5, bool), T, 1e5, m)  # no carbon fed
    assert found.n[0] == found.n[2] == found.n[3] == 0.0 and found.n[1] == pytest.approx(1.0)
    cold = by_elements(FEED, np.zeros(5, bool), T, 1e5, m)
    assert np.all(np.isfinite(cold.n)) and cold.n.min() > 0.0


@pytest.mark.parametrize("feed_of", [0, 1, 4])
@pytest.mark.parametrize("T", [400.0, 700.0, 1100.0])
def test_a_pure_feed_that_can_only_stay_what_it_is(feed_of, T):
    """Pure methane, water or carbon dioxide without graphite: little or nothing else fits the elements."""
    n0 = np.zeros(5)
    n0[feed_of] = 2.0
    found = by_elements(n0, np.zeros(5, bool), T, 1e5, model())
    atoms = np.array([[s.atoms.get(e, 0) for s in model().species] for e in ("C", "H", "O")], float)
    np.testing.assert_allclose(atoms @ found.n, atoms @ n0, rtol=1e-9, atol=1e-12)
    assert found.n[feed_of] == pytest.approx(2.0, rel=1e-6)


def test_inert_species_take_no_part():
    inert = np.array([True, False, False, False, False])
    found = by_elements(np.array([1.0, 1.0, 1.0, 0.0, 0.0]), inert, 700.0, 1e5, model())
    assert found.n[0] == 1.0
    assert np.isclose(found.n[2] + found.n[3], 1.0)


def test_what_is_set_aside_dilutes():
    """Half the methane aside counts in the gas as so much of any other inert would."""
    aside = np.array([1.0, 0.0, 0.0, 0.0, 0.0])
    got = by_elements(np.array([1.0, 3.0, 0.0, 0.0, 0.0]), np.zeros(5, bool), 900.0, 5e5, model(), aside=aside)
    wide = phase_model("ideal", (*REFORMING.values(), "7440-37-1"))  # argon
    argon = by_elements(np.array([1.0, 3.0, 0.0, 0.0, 0.0, 1.0]), np.array([False] * 5 + [True]), 900.0, 5e5, wide)
    np.testing.assert_allclose(got.n, argon.n[:5], rtol=1e-9)
    plain = by_elements(np.array([1.0, 3.0, 0.0, 0.0, 0.0]), np.zeros(5, bool), 900.0, 5e5, model())
    assert got.n[0] < 0.99 * plain.n[0]


def test_conversions_of_a_set_do_not_bind_an_equilibrium_reactor():
    data = reformer("equilibrium-reactor", {"mode": "isothermal", "temperature": "800 degC"}).dump()
    for r, key in zip(data["reactions"], ("water", "water"), strict=True):
        r["conversion"] = {"key": key, "value": "80 %"}
    from gulch.engine.document import load

    assert solve(load(data)).solved
    data["units"][0]["approach"] = "-450 K"
    data["units"][0]["heat"]["temperature"] = "200 degC"
    assert any("below −173.1 °C" in m.what for m in solve(load(data)).messages)


def test_impossible_and_dependent_reactions():
    m = model()
    with pytest.raises(EquilibriumTrouble, match="No reaction"):
        by_extents(np.array([0.0, 1.0, 0.0, 0.0, 0.0]), NU[:1], np.zeros(1), 1000.0, 1e5, m)
    assert dependent_reaction(np.vstack([NU, NU[0] + NU[1]])) == 2 and dependent_reaction(NU) is None
    for ln_k in (-690.0, 690.0):
        found = by_extents(FEED, NU[:1], np.array([ln_k]), 1000.0, 1e5, m)
        assert np.all(np.isfinite(found.n)) and found.n.min() >= 0.0


def reformer(kind, heat, **more):
    units = [{"id": "R", "kind": kind, "heat": heat, **({"set": "s"} if kind == "equilibrium-reactor" else {}), **more}]
    return document(
        REFORMING,
        units,
        [
            feed("feed", "R", {"methane": "20 kmol/h", "water": "60 kmol/h", "hydrogen": "1 kmol/h"}, T="600 degC"),
            {"id": "out", "from": "R"},
        ],
        [
            {"id": "reforming", "equation": "methane + water = co + 3 hydrogen"},
            {"id": "shift", "equation": "co + water = co2 + hydrogen"},
        ],
        [{"id": "s", "steps": [["reforming", "shift"]]}],
        phase_model="peng-robinson",
    )


@pytest.mark.parametrize(
    "heat",
    [
        {"mode": "isothermal", "temperature": "850 degC"},
        {"mode": "adiabatic"},
        {"mode": "duty", "duty": "900 kW"},
        {"mode": "feed-temperature"},
    ],
)
def test_both_reactors_agree_in_every_thermal_mode(heat):
    a, b = solve(reformer("equilibrium-reactor", heat)), solve(reformer("gibbs-reactor", heat))
    assert a.solved and b.solved, (a.messages, b.messages)
    assert a.streams["out"].temperature == pytest.approx(b.streams["out"].temperature, abs=1e-4)
    for s in REFORMING:
        assert a.streams["out"].flow[s] == pytest.approx(b.streams["out"].flow[s], rel=1e-6)
    for solution in (a, b):
        balances = solution.units["R"].balances
        assert abs(balances["energy"]) < 1e-7 and all(abs(v) < 1e-9 for v in balances["elements"].values())
    row = a.units["R"].reactions[0]
    assert row["ln_q"] == pytest.approx(row["ln_k"], abs=1e-7)
    if heat["mode"] == "adiabatic":
        assert a.streams["out"].temperature < 873.15  # reforming takes up heat


def test_approach_temperature_moves_the_constant():
    at_800 = solve(reformer("equilibrium-reactor", {"mode": "isothermal", "temperature": "800 degC"}))
    lag = solve(reformer("equilibrium-reactor", {"mode": "isothermal", "temperature": "820 degC"}, approach="-20 K"))
    assert lag.units["R"].values["constant"]["reforming"] == pytest.approx(at_800.units["R"].values["constant"]["reforming"], rel=1e-9)


def test_why_no_further_comes_from_solves():
    solution = solve(reformer("equilibrium-reactor", {"mode": "isothermal", "temperature": "700 degC"}))
    lines = solution.units["R"].values["why"]
    assert len(lines) == 2 and "less pressure helps" in lines[0]
    hotter = solve(reformer("equilibrium-reactor", {"mode": "isothermal", "temperature": "710 degC"}))
    assert f"{hotter.units['R'].values['extent']['reforming'] * 3.6:.4g}" in lines[0]


def test_carbon_activity_warns_where_graphite_would_form():
    """Boudouard: pure CO at 600 °C lies far above graphite's line; much steam keeps the gas below it (common practice)."""
    dry = reformer("gibbs-reactor", {"mode": "isothermal", "temperature": "600 degC"}).model_copy(deep=True)
    dry.streams[0].given.flow = {"co": "10 kmol/h", "hydrogen": "0.1 kmol/h"}
    found = solve(dry)
    assert found.units["R"].values["carbon_activity"] > 1.0 and any("graphite" in m.what for m in found.messages)
    wet = solve(reformer("gibbs-reactor", {"mode": "isothermal", "temperature": "800 degC"}))
    assert wet.units["R"].values["carbon_activity"] < 1.0


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda p: p.reaction_sets[0].steps.append(["both"]), "combination of the others"),
        (lambda p: setattr(p.streams[0].given, "flow", {"hydrogen": "1 kmol/h"}), "can run from this feed"),
        (lambda p: setattr(p.units[0].heat, "duty", "-90000 kW"), "no solution"),
    ],
)
def test_equilibrium_reactor_says_what_is_wrong(change, words):
    project = reformer("equilibrium-reactor", {"mode": "duty", "duty": "0 kW"}).model_copy(deep=True)
    data = project.dump()
    data["reactions"].append({"id": "both", "equation": "methane + 2 water = co2 + 4 hydrogen"})
    from gulch.engine.document import load

    project = load(data)
    change(project)
    solution = solve(project)
    assert not solution.solved
    assert any(words in m.what and m.todo for m in solution.messages), solution.messages


def test_a_constant_that_a_target_turns_counts_in_every_pass():
    """A + B = C + D from equal moles at K: x²/(1 − x)² = K, so half converted wants K = 1 (by hand)."""
    shift = {"co": "630-08-0", "water": "7732-18-5", "co2": "124-38-9", "hydrogen": "1333-74-0"}
    project = document(
        shift,
        [{"id": "R", "kind": "equilibrium-reactor", "set": "main", "mixture": "gas"}],
        [feed("f", "R", {"co": "10 kmol/h", "water": "10 kmol/h"}, T="400 degC", P="1 bar"), {"id": "p", "from": "R"}],
        [{"id": "shift", "equation": "co + water = co2 + hydrogen", "equilibrium": {"source": "constant", "value": "0.3"}}],
        [{"id": "main", "steps": [["shift"]]}],
        gauges=[{"id": "made", "reads": "p.flow.hydrogen"}],
        knobs=[{"id": "k", "input": "shift.constant", "low": "0.1", "high": "10"}],
        targets=[{"id": "t", "gauge": "made", "value": "5 kmol/h", "knob": "k"}],
    )
    solution = solve(project)
    assert solution.complete and solution.found["shift.constant"] == pytest.approx(1.0, rel=1e-5)
