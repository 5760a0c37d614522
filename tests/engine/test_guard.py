"""Nothing that is not finite, loses material or makes heat is ever called solved; one unit's fault leaves the others' figures."""

import json
import math

import numpy as np
import pytest
from helpers import document, feed, simple
from hypothesis import given, settings
from hypothesis import strategies as st

from gulch.engine.declared.base import UnitResult
from gulch.engine.explain import solve
from gulch.engine.phases import phase_model
from gulch.engine.phases.model import PhaseModel
from gulch.engine.phases.pairs.dissolved import henry
from gulch.engine.phases.state import StateNotFinite
from gulch.engine.species import lookup
from gulch.engine.units.heater import Heater
from gulch.engine.units.mixer import Mixer
from gulch.main import main

GRAPHITE = {"graphite": "7782-42-5"}
CAS = {
    "nitrogen": "7727-37-9",
    "hydrogen": "1333-74-0",
    "oxygen": "7782-44-7",
    "water": "7732-18-5",
    "co2": "124-38-9",
    "co": "630-08-0",
    "ammonia": "7664-41-7",
    "methane": "74-82-8",
}


def gibbs(species, flow, T="626.85 degC"):
    return document(
        species,
        [{"id": "G", "kind": "gibbs-reactor", "heat": {"mode": "isothermal", "temperature": T}}],
        [feed("f", "G", flow, T="500 degC", P="1 bar"), {"id": "p", "from": "G"}],
    )


# Graphite that no gas can take up


@pytest.mark.parametrize("gas", ["nitrogen", "hydrogen", "co2"])
def test_carbon_that_only_the_solid_holds_stays(gas):
    """The only carbon beside nitrogen or hydrogen is graphite, so its balance fixes it; CO2 alone cannot take up more either."""
    solution = solve(gibbs(GRAPHITE | {gas: CAS[gas]}, {"graphite": "3.6 kmol/h", gas: "3.6 kmol/h"}))
    assert solution.solved
    assert solution.streams["p"].flow == pytest.approx({"graphite": 1.0, gas: 1.0})
    assert solution.units["G"].values["carbon_formed"] == pytest.approx(1.0)


def test_methane_over_graphite_has_the_published_constant():
    """C + 2 H2 = CH4 at 900 K: log10 K = -0.49 (JANAF, 4th ed., 1998, from memory); the gas alone could not hold the carbon."""
    solution = solve(gibbs(GRAPHITE | {"h2": CAS["hydrogen"], "ch4": CAS["methane"]}, {"graphite": "3.6 kmol/h", "h2": "3.6 kmol/h"}))
    n = solution.streams["p"].flow
    gas = n["h2"] + n["ch4"]
    assert math.log10(n["ch4"] / gas / (n["h2"] / gas) ** 2) == pytest.approx(-0.49, abs=0.04)


def test_a_second_solid_is_left_alone():
    salts = {"salt": "7647-14-5"} | GRAPHITE | {"co2": CAS["co2"], "co": CAS["co"]}
    for species in (salts, dict(reversed(salts.items()))):
        solution = solve(gibbs(species, {"graphite": "3.6 kmol/h", "salt": "1 kmol/h", "co2": "3.6 kmol/h"}))
        assert solution.solved and solution.streams["p"].flow["salt"] * 3.6 == pytest.approx(1.0)
        assert solution.units["G"].balances["elements"]["C"] == pytest.approx(0.0, abs=1e-9)


# The guard, by units that are broken on purpose


def behind(monkeypatch, solved):
    """A solution with a heater whose solve is replaced, a heater of its own kind before it, and one that waits for it."""
    project = document(
        {"water": CAS["water"], "nitrogen": CAS["nitrogen"]},
        [
            {"id": "M", "kind": "mixer"},
            {"id": "H", "kind": "heater", "temperature": "60 degC"},
            {"id": "V", "kind": "valve", "pressure": "1 bar"},
        ],
        [
            feed("f", "M", {"water": "10 kmol/h", "nitrogen": "1 kmol/h"}),
            {"id": "a", "from": "M", "to": "H"},
            {"id": "b", "from": "H", "to": "V"},
            {"id": "c", "from": "V"},
        ],
    )
    monkeypatch.setattr(Heater, "solve", classmethod(solved))
    solution = solve(project)
    assert not solution.solved and solution.units["M"].solved and "a" in solution.streams
    assert not solution.units["H"].solved and solution.units["V"].waits_for == "H"
    assert "b" not in solution.streams and "c" not in solution.streams
    json.dumps(solution.to_dict(), allow_nan=False)
    (error,) = [m for m in solution.messages if m.level == "error"]
    assert error.where == "H" and error.what.startswith("H: ") and error.todo
    return error.what


def test_a_unit_that_loses_an_element_is_refused_by_name(monkeypatch):
    def solved(cls, feed, given, context):
        n = feed.n * np.array([1.0 - 3e-6, 1.0])
        return UnitResult({"product": type(feed).at_enthalpy(feed.model, n, feed.enthalpy_flow, feed.P, feed.T)}, {"duty": 0.0})

    assert "of the H that enters is lost" in behind(monkeypatch, solved)


def test_a_unit_whose_heat_comes_from_nowhere_is_refused_by_name(monkeypatch):
    def solved(cls, feed, given, context):
        return UnitResult({"product": feed.at(H=feed.enthalpy_flow * (1.0 - 3e-5))}, {"duty": 0.0})

    assert "energy balance misses by 0.003 %" in behind(monkeypatch, solved)


def test_a_flow_that_is_no_number_is_refused_by_name(monkeypatch):
    def solved(cls, feed, given, context):
        return UnitResult({"product": type(feed).at_temperature(feed.model, feed.n * np.nan, feed.T, feed.P)}, {"duty": 0.0})

    assert "has no finite flow" in behind(monkeypatch, solved)


def test_a_result_that_is_no_number_is_refused_by_name(monkeypatch):
    def solved(cls, feed, given, context):
        return UnitResult({"product": feed}, {"duty": 0.0, "vapour_share": math.nan})

    project = simple(kind="heater", temperature="60 degC")
    monkeypatch.setattr(Heater, "solve", classmethod(solved))
    solution = solve(project)
    assert not solution.solved and any("vapour share is no finite number" in m.what for m in solution.messages)
    json.dumps(solution.to_dict(), allow_nan=False)


def test_whatever_a_unit_comes_upon_is_its_own(monkeypatch):
    def solved(cls, feed, given, context):
        raise ZeroDivisionError("division by zero")

    assert "Its computation broke off (division by zero)" in behind(monkeypatch, solved)


def test_a_fault_inside_a_loop_names_its_unit(monkeypatch):
    project = document(
        {"water": CAS["water"]},
        [{"id": "M", "kind": "mixer"}, {"id": "S", "kind": "splitter", "drawn": "50 %"}],
        [
            feed("f", "M", {"water": "10 kmol/h"}),
            {"id": "a", "from": "M", "to": "S"},
            {"id": "p", "from": "S.drawn"},
            {"id": "b", "from": "S.rest", "to": "M"},
        ],
    )
    assert solve(project).solved
    whole = Mixer.solve.__func__

    def losing(cls, feed, given, context):
        out = whole(cls, feed, given, context)
        product = out.outlets["product"]
        out.outlets["product"] = type(product).at_enthalpy(product.model, product.n * 0.999, product.enthalpy_flow, product.P, 300.0)
        return out

    monkeypatch.setattr(Mixer, "solve", classmethod(losing))
    solution = solve(project)
    assert not solution.solved and solution.units["S"].waits_for == "M"
    assert any(m.where == "M" and "that enters is lost" in m.what for m in solution.messages), solution.messages


def test_a_state_that_is_not_finite_says_where(monkeypatch):
    model = PhaseModel("ideal", [lookup(CAS["water"])])
    model.par[:] = math.nan
    with pytest.raises(StateNotFinite, match="no finite state at 300.0 K and 100.000 Pa"):
        model.at_temperature(300.0, 1e5, np.ones(1))


def test_json_never_holds_nan(monkeypatch, tmp_path, capsys):
    file = tmp_path / "p.json"
    file.write_text(simple(kind="heater", temperature="60 degC").to_json())
    whole = Heater.solve.__func__

    def solved(cls, feed, given, context):
        out = whole(cls, feed, given, context)
        out.values["profile"] = {"T": [math.nan, math.inf, 1.0]}
        return out

    monkeypatch.setattr(Heater, "solve", classmethod(solved))
    assert main(["solve", str(file), "--json"]) == 0
    told = json.loads(capsys.readouterr().out, parse_constant=lambda name: pytest.fail(name))
    assert told["units"]["U"]["values"]["profile"] == {"T": [None, None, 1.0]}


# What equations say far from their data


def test_a_gas_held_more_firmly_than_one_dissolves_is_taken_as_ideal_and_said():
    """Carbon dioxide and ammonia react to carbamate; a Henry's constant of 1e-34 bar made states that were no numbers."""
    assert henry(lookup(CAS["co2"]), lookup(CAS["ammonia"])) is None
    names = ("ammonia", "co2", "nitrogen", "water")
    for kind in ("unifac", "nrtl", "modified-unifac"):
        model = phase_model(kind, tuple(CAS[n] for n in names))
        assert (0, 1) in model.unknown_pairs
        for T in (280.0, 320.0, 380.0):
            assert math.isfinite(model.at_temperature(T, 20e5, np.array([0.3, 0.2, 0.1, 0.4])).enthalpy)


HOT = [
    ({"oxygen": 1.0, "water": 1.0}, 700.0, 1e5),
    ({"nitrogen": 0.7, "co2": 0.1, "water": 0.15, "oxygen": 0.05}, 1200.0, 1e5),
    ({"co": 0.1, "hydrogen": 0.5, "co2": 0.1, "water": 0.3, "methane": 0.05}, 1100.0, 60e5),
    ({"nitrogen": 0.2, "hydrogen": 0.6, "ammonia": 0.2}, 720.0, 30e5),
]


@pytest.mark.parametrize("kind", ["predictive-srk", "unifac", "modified-unifac", "nrtl", "wilson", "ideal", "peng-robinson"])
@pytest.mark.parametrize(("flow", "T", "P"), HOT)
def test_hot_gas_is_gas_with_the_heat_of_one(kind, flow, T, P):
    """Above every critical temperature: the ideal gas's heat capacity within what pressure does to it (5 %)."""
    z = np.array(list(flow.values()))
    model = phase_model(kind, tuple(CAS[s] for s in flow))
    ideal = phase_model("ideal", tuple(CAS[s] for s in flow))
    states = [model.at_temperature(t, P, z) for t in (T - 10.0, T + 10.0)]
    gases = [ideal.at_temperature(t, 1e4, z) for t in (T - 10.0, T + 10.0)]
    assert all(s.vapour_fraction == 1.0 and [p[0] for p in s.phases] == ["vapour"] for s in states)
    assert states[1].enthalpy - states[0].enthalpy == pytest.approx(gases[1].enthalpy - gases[0].enthalpy, rel=0.05)


@settings(max_examples=150, deadline=None, derandomize=True)
@given(
    kind=st.sampled_from(["ideal", "peng-robinson", "soave-redlich-kwong", "predictive-srk", "unifac", "modified-unifac", "nrtl"]),
    shares=st.dictionaries(st.sampled_from(sorted(CAS)), st.floats(1e-4, 1.0), min_size=1, max_size=5),
    T=st.floats(120.0, 1500.0),
    ln_p=st.floats(math.log(1e3), math.log(2e7)),
)
def test_random_states_are_finite_and_no_liquid_stands_above_all_critical_temperatures(kind, shares, T, ln_p):
    model = phase_model(kind, tuple(CAS[s] for s in shares))
    state = model.at_temperature(T, math.exp(ln_p), np.array(list(shares.values())))
    assert math.isfinite(state.enthalpy) and math.isfinite(state.volume) and math.isfinite(state.entropy)
    if max(s.critical_temperature.value for s in model.species) < T:
        assert [p[0] for p in state.phases] == ["vapour"]


@pytest.mark.parametrize("kind", ["predictive-srk", "unifac", "modified-unifac"])
def test_enthalpies_do_not_jump_where_courses_of_groups_end(kind):
    model = phase_model(kind, (CAS["hydrogen"], CAS["water"], "64-17-5"))
    z = np.array([0.1, 0.5, 0.4])
    for end in (250.0, 450.0):
        h = [model.at_temperature(end + d, 1e8 if end > 300 else 1e6, z).enthalpy for d in (-0.02, -0.01, 0.01, 0.02)]
        slopes = np.diff(h) / np.array([0.01, 0.02, 0.01])
        assert slopes.max() - slopes.min() < 0.2 * abs(slopes).max()
