"""Gases dissolved in water: Henry's constants against handbooks' solubilities."""

import json
from pathlib import Path

import numpy as np
import pytest
import thermo
from helpers import document, feed
from hypothesis import given
from hypothesis import strategies as st

from gulch.engine import fluids as k
from gulch.engine.explain import solve
from gulch.engine.fluids import activity
from gulch.engine.phases import phase_model
from gulch.engine.phases.pairs.dissolved import (
    BESIDE_IONS,
    BY_COURSE,
    COURSES,
    HIGH,
    LOW,
    POINTS,
    beside_ions,
    compiled,
    guideline,
    in_water,
)

WATER = "7732-18-5"
# Henry's constants in water at 25 degC [bar]: Perry's Handbook, 7th ed., table 2-124 ff., and Sander (2015); both from memory
AT_25 = {
    "1333-74-0": 71.4e3, "7727-37-9": 86.5e3, "7782-44-7": 43.9e3, "630-08-0": 58.4e3, "124-38-9": 1.65e3, "74-82-8": 40.6e3,
    "74-84-0": 30.4e3, "74-85-1": 11.6e3, "74-86-2": 1.34e3, "7440-37-1": 40.0e3,
}  # fmt: skip


def measured(cas, T):
    return guideline(cas, T) or beside_ions(cas, T) or compiled(cas, T)


@pytest.mark.parametrize("cas", AT_25)
def test_henrys_constants_are_the_handbooks(cas):
    assert measured(cas, 298.15) / 1e5 == pytest.approx(AT_25[cas], rel=0.05)


@pytest.mark.parametrize("cas", [*COURSES, *BESIDE_IONS, *POINTS])
def test_the_course_in_use_follows_the_measured_one(cas):
    a, b, c = in_water(cas, guideline if cas in COURSES else beside_ions if cas in BESIDE_IONS else compiled)
    for T in np.linspace(LOW, HIGH, 9):
        assert np.exp(a + b / T + c * np.log(T)) == pytest.approx(measured(cas, T), rel=0.05)
    hottest = max(np.linspace(LOW, HIGH, 200), key=lambda T: measured(cas, T))
    if cas not in {
        *BY_COURSE,
        *BESIDE_IONS,
    }:  # every small gas dissolves least somewhere between 25 and 200 degC (Fernandez-Prini et al., 2003)
        assert 290.0 < hottest < 475.0


@pytest.mark.parametrize("kind", ["unifac", "nrtl", "free-water"])
def test_a_liquid_holds_what_henrys_law_says(kind):
    """Ethylene over water at 25 degC: x = y P/H, at a pressure where the gas is ideal to 1 %."""
    model = phase_model(kind, (WATER, "74-85-1"))
    state = model.at_temperature(298.15, 1.2e5, np.array([0.5, 0.5]))
    _, _, x, _ = state.liquids[0]
    y = state.phases[0][2]
    assert x[1] == pytest.approx(y[1] * 1.2e5 / measured("74-85-1", 298.15), rel=0.01)
    assert str(model.origins[1, 0]) == "Henry's constant: Sander (2015)"


def test_a_gas_without_groups_is_known_in_water():
    model = phase_model("unifac", (WATER, "10102-43-9"))
    assert not model.unknown_pairs
    assert k.ln_phi_phase(298.15, 1e5, np.array([1.0 - 1e-9, 1e-9]), k.LIQUID, *model.mix)[1] == pytest.approx(
        np.log(measured("10102-43-9", 298.15) / 1e5), abs=0.02
    )


# Gases that are liquids under pressure

TAKEN = {"h2s": "7783-06-4", "so2": "7446-09-5", "cl2": "7782-50-5", "propane": "74-98-6", "propylene": "115-07-1", "butane": "106-97-8"}
WATERLIKE = ("7664-41-7", "7446-09-5", "115-10-6", "75-21-8")  # so soluble at 1 atm that a constant tells half of it


def over_water(gas, cas, kind, amount="1 kmol/h", **more):
    return document(
        {gas: cas, "water": "7732-18-5"},
        [{"id": "D", "kind": "flash-drum"}],
        [feed("f", "D", {gas: amount, "water": "100 kmol/h"}, P="2 bar"), {"id": "v", "from": "D.vapour"}, {"id": "l", "from": "D.liquid"}],
        phase_model=kind,
        **more,
    )


@pytest.mark.parametrize("kind", ["unifac", "modified-unifac", "nrtl"])
@pytest.mark.parametrize("cas", [c for c in (*COURSES, *POINTS) if c not in WATERLIKE])
def test_solubility_in_water_at_25_degc_and_1_atm_is_the_published_one(cas, kind):
    """35 gases, each x = y P/H within 10 % (Fernandez-Prini et al., 2003; Sander, 2015)."""
    model = phase_model(kind, (cas, WATER))
    state = model.at_temperature(298.15, 101325.0, np.array([1.0, 1.0]))
    x, y = state.liquids[-1][2], state.phases[0][2]
    assert x[0] == pytest.approx(y[0] * 101325.0 / measured(cas, 298.15), rel=0.10) and not model.unknown_pairs


@pytest.mark.parametrize(
    ("cas", "x", "within"),
    [
        ("7664-41-7", 0.337, 0.10),
        ("7446-09-5", 0.0257, 0.08),
        ("74-98-6", 2.7e-5, 0.05),
        ("7783-06-4", 1.83e-3, 0.08),
        ("7782-50-5", 1.64e-3, 0.06),
    ],
)
def test_what_water_holds_at_25_degc_and_1_atm(cas, x, within):
    """480 g of ammonia, 94 g of sulfur dioxide to the kg of water; mole fractions of the others (CRC Handbook, from memory)."""
    model = phase_model("unifac", (cas, WATER))
    state = model.at_temperature(298.15, 101325.0, np.array([1.0, 1.0]))
    y = state.phases[0][2]
    assert state.liquids[-1][2][0] / y[0] == pytest.approx(x, rel=within)


@pytest.mark.parametrize(("cas", "atm"), [("7783-06-4", 27.4), ("7664-41-7", 0.249), ("7446-09-5", 4.86)])
def test_acid_gases_and_ammonia_in_hot_water(cas, atm):
    """H at 100 °C [atm kg/mol]: Edwards, Maurer, Newman & Prausnitz, AIChE J. 24 (1978) 966, from memory."""
    assert measured(cas, 373.15) == pytest.approx(atm * 101325.0 * 1000.0 / 18.0153, rel=0.08)


@pytest.mark.parametrize("cas", POINTS)
def test_points_lie_where_the_compilation_has_them(cas):
    """The mean of the entries of Sander's compilation, as `thermo` carries it, scatters around the value taken."""
    folder = Path(thermo.__file__).parent / "Interaction Parameters"
    entries = [json.loads((folder / name).read_text())["data"] for name in ("Sander_henry_T_dep.json", "Sander_henry_const.json")]
    found = [e[key] for e in entries for key in (f"{cas} {WATER}", f"{WATER} {cas}") if key in e]
    assert found
    ratios = [abs(np.log(compiled(cas, 298.15)) - f["A"] - f["B"] / 298.15) for f in found]
    assert min(ratios) < 0.35


@pytest.mark.parametrize("gas", TAKEN)
def test_gases_that_are_known_in_water_are_not_doubted(gas):
    solution = solve(over_water(gas, TAKEN[gas], "unifac"))
    assert solution.solved and not any("liquid among liquids" in m.what or "poor guide" in m.what for m in solution.messages)


def test_a_gas_that_nobody_knows_in_water_is_doubted_from_a_trace_on():
    for amount, doubted in (("1 kmol/h", True), ("1e-6 kmol/h", False)):
        messages = solve(over_water("arsine", "7784-42-1", "unifac", amount)).messages
        assert any("for a liquid among liquids" in m.what or "poor guide for liquids" in m.what for m in messages) is doubted


@pytest.mark.parametrize(("gas", "cas"), [("methane", "74-82-8"), ("ammonia", "7664-41-7"), ("ether", "115-10-6"), ("pentane", "109-66-0")])
def test_gases_that_dissolve_by_henry_or_mix_with_water_are_not(gas, cas):
    assert not any("for a liquid among liquids" in m.what for m in solve(over_water(gas, cas, "unifac")).messages)


def test_hydrogen_sulfide_in_benzene_is_that_of_predictive_srk():
    """x of 1 atm H2S in benzene at 25 °C is about 0.06 (Fogg & Young, IUPAC Solubility Data 32 (1988): 0.0626, from memory)."""
    model = phase_model("unifac", ("7783-06-4", "71-43-2"))
    state = model.at_temperature(298.15, 101325.0, np.array([1.0, 1.0]))
    assert state.liquids[0][2][0] / state.phases[0][2][0] == pytest.approx(0.0626, rel=0.15) and not model.unknown_pairs


def test_typed_parameters_come_before_the_constant():
    b = {(0, 1): (0.0, 900.0), (1, 0): (0.0, 1200.0)}
    typed = phase_model("nrtl", ("74-98-6", WATER), parameters_of_pairs=tuple(b.items()))
    assert typed.mix.pairs[k.HENRY_HIGH, 0, 1] == 0.0 and str(typed.origins[0, 1]) == "typed"


@given(
    lacks=st.lists(st.floats(-3.0, 8.0), min_size=9, max_size=9),
    x=st.lists(st.floats(0.01, 1.0), min_size=3, max_size=3),
)
def test_what_is_mended_is_a_gibbs_energy(lacks, x):
    """ln gamma is the derivative of one function (Gibbs-Duhem), and `mended_derivatives` its second ones."""
    lacks, x = np.array(lacks).reshape(3, 3), np.array(x) / sum(x)
    np.fill_diagonal(lacks, 0.0)
    par = np.zeros((3, k.N_COLUMNS))

    def energy(n):
        total = n.sum()
        return sum(lacks[i, j] * n[i] * n[j] ** 2 / total**2 for i in range(3) for j in range(3))

    def ln_gamma(n):
        out = np.zeros(3)
        activity.mend(n / n.sum(), par, lacks, out)
        return out

    step = 1e-6
    slopes = [(energy(x + step * e) - energy(x - step * e)) / (2 * step) for e in np.eye(3)]
    assert ln_gamma(x) == pytest.approx(slopes, abs=1e-6)
    out = np.zeros((3, 3))
    activity.mended_derivatives(x, par, lacks, out)
    differenced = np.array([(ln_gamma(x + step * e) - ln_gamma(x - step * e)) / (2 * step) for e in np.eye(3)]).T
    assert out == pytest.approx(differenced, abs=2e-5)


# What water takes up by reaction


@pytest.mark.parametrize(
    ("species", "named"),
    [
        ({"acid": "7647-01-0"}, "acid"),
        ({"formaldehyde": "50-00-0"}, "formaldehyde"),
        ({"co2": "124-38-9", "mea": "141-43-5"}, "co2"),
        ({"h2s": "7783-06-4", "ammonia": "7664-41-7"}, "h2s"),
        ({"co2": "124-38-9"}, None),
        ({"ammonia": "7664-41-7"}, None),
    ],
)
def test_what_reacts_with_water_or_a_base_in_it_is_said(species, named):
    project = document(
        species | {"water": WATER},
        [{"id": "D", "kind": "flash-drum"}],
        [
            feed("f", "D", dict.fromkeys(species, "5 kmol/h") | {"water": "100 kmol/h"}, P="5 bar"),
            {"id": "v", "from": "D.vapour"},
            {"id": "l", "from": "D.liquid"},
        ],
        phase_model="unifac",
    )
    said = [m for m in solve(project).messages if "by reaction, which is not modelled" in m.what]
    assert bool(said) is (named is not None) and all(named in m.what for m in said)


def test_acid_gases_with_ammonia_vanish_nowhere():
    """NH3, CO2, N2 and water 10/10/10/70: what goes in comes out, in figures (a constant of 1e-34 bar is no constant)."""
    model = phase_model("unifac", ("7664-41-7", "124-38-9", "7727-37-9", WATER))
    n = np.array([10.0, 10.0, 10.0, 70.0])
    for T, P in ((313.15, 1.2e5), (473.15, 1.2e5), (473.15, 20e5)):
        state = model.at_temperature(T, P, n)
        held = sum(share * x for _, share, x, _ in state.phases)
        assert held == pytest.approx(n / 100.0, abs=1e-9)
        assert all(x[1] < 0.02 for _, _, x, _ in state.liquids)
    assert model.unknown_pairs == [(0, 1)]
