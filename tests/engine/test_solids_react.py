"""Pure solids at equilibrium with a gas: activity 1 while there is any, in both ways of computing equilibrium."""

import math

import numpy as np
import pytest
from helpers import document, feed

from gulch.engine.chemistry.constants import ln_equilibrium_constants
from gulch.engine.chemistry.elements import by_elements
from gulch.engine.chemistry.equilibrium import EquilibriumTrouble, by_extents
from gulch.engine.explain import solve
from gulch.engine.phases import phase_model
from gulch.engine.species import lookup

LIMESTONE, LIME, CO2, N2, CO, H2, H2O = "471-34-1", "1305-78-8", "124-38-9", "7727-37-9", "630-08-0", "1333-74-0", "7732-18-5"
GRAPHITE, HEMATITE, MAGNETITE = "7782-42-5", "1309-37-1", "1317-61-9"
ZINCITE, SPHALERITE, SO2, O2, SLAKED = "1314-13-2", "1314-98-3", "7446-09-5", "7782-44-7", "1305-62-0"
NU = np.array([[-1.0, 1.0, 1.0, 0.0]])


def calcined(n0, celsius, P=101325.0):
    """(by extents, by elements) of limestone, lime, carbon dioxide, nitrogen."""
    model = phase_model("ideal", (LIMESTONE, LIME, CO2, N2))
    T = celsius + 273.15
    n0 = np.array(n0, float)
    solids = np.array([True, True, False, False])
    ln_k = ln_equilibrium_constants(NU, T, model)
    return by_extents(n0, NU, ln_k, T, P, model, solids=solids).n, by_elements(n0, solids & False, T, P, model).n


@pytest.mark.parametrize(("celsius", "mmhg"), [(600, 2.35), (700, 22.2), (800, 167.0), (850, 373.0), (898, 760.0)])
def test_limestone_decomposes_at_its_published_pressure(celsius, mmhg):
    """CRC Handbook, 44th ed., dissociation of calcium carbonate (from memory), within 20 %: 10 K."""
    for n in calcined([100.0, 0.0, 0.0, 10.0], celsius):
        assert n[1] > 0.0
        if celsius < 880:
            assert n[0] > 0.0 and n[2] / (n[2] + n[3]) * 760.0 == pytest.approx(mmhg, rel=0.2)
        else:
            assert n[0] == 0.0  # the gas takes up all of it


@pytest.mark.parametrize(
    "n0",
    [
        [10.0, 0.0, 0.0, 10.0],
        [1.0, 0.0, 0.0, 100.0],
        [0.0, 5.0, 8.0, 10.0],
        [0.0, 1.0, 8.0, 10.0],
        [2.0, 2.0, 0.0, 3.0],
        [3.0, 0.0, 5.0, 1.0],
    ],
)
@pytest.mark.parametrize("celsius", [500, 700, 800, 1000])
def test_both_ways_agree_and_nothing_is_below_zero(n0, celsius):
    one, other = calcined(n0, celsius)
    assert one == pytest.approx(other, abs=1e-8)
    assert one.min() >= 0.0 and one[0] + one[1] == pytest.approx(n0[0] + n0[1]) and one[0] + one[2] == pytest.approx(n0[0] + n0[2])
    model = phase_model("ideal", (LIMESTONE, LIME, CO2, N2))
    k = math.exp(ln_equilibrium_constants(NU, celsius + 273.15, model)[0])
    p = 1.01325 * one[2] / (one[2] + one[3])
    if min(one[0], one[1]) > 1e-9:  # both are there: the pressure is the constant
        assert p == pytest.approx(k, rel=1e-9)
    else:
        assert p <= k * (1 + 1e-9) if one[0] < 1e-9 else p >= k * (1 - 1e-9)


def test_graphite_and_carbon_dioxide():
    """C + CO2 = 2 CO at 1000 K: log10 K = 2·10.459 − 20.680 = 0.238 (JANAF, 1998)."""
    model = phase_model("ideal", (GRAPHITE, CO2, CO))
    nu = np.array([[-1.0, -1.0, 2.0]])
    ln_k = ln_equilibrium_constants(nu, 1000.0, model)
    assert ln_k[0] / math.log(10) == pytest.approx(0.238, abs=0.02)
    solids = np.array([True, False, False])
    n = by_extents(np.array([5.0, 1.0, 0.0]), nu, ln_k, 1000.0, 1e5, model, solids=solids).n
    x = n[2] / 2.0
    assert 4 * x * x / (1 + x) / (1 - x) == pytest.approx(math.exp(ln_k[0]), rel=1e-8)
    assert n == pytest.approx(by_elements(np.array([5.0, 1.0, 0.0]), np.zeros(3, bool), 1000.0, 1e5, model).n, abs=1e-9)
    short = by_extents(np.array([0.1, 1.0, 0.0]), nu, ln_k, 1000.0, 1e5, model, solids=solids).n
    assert short == pytest.approx([0.0, 0.9, 0.2], abs=1e-9)


def test_three_solids_of_iron_and_calcium_stand_where_the_gas_lets_them():
    """Carbonate, lime and hydroxide: at 300 °C under steam and 20 % carbon dioxide only carbonate stays, whatever was fed."""
    model = phase_model("ideal", (LIMESTONE, LIME, SLAKED, CO2, H2O))
    n0 = np.array([0.2, 0.5, 0.3, 2.0, 8.0])
    n = by_elements(n0, np.zeros(5, bool), 573.15, 1e5, model).n
    assert n[:3] == pytest.approx([1.0, 0.0, 0.0], abs=1e-9)
    hot = by_elements(n0, np.zeros(5, bool), 1300.0, 1e5, model).n
    assert hot[:3] == pytest.approx([0.0, 1.0, 0.0], abs=1e-9)
    dry = by_elements(np.array([0.0, 1.0, 0.0, 1e-9, 8.0]), np.zeros(5, bool), 600.0, 1e5, model).n
    assert dry[2] > 0.99  # slaked below its 512 °C (CRC Handbook, from memory)


def test_zinc_is_roasted():
    """2 ZnS + 3 O2 = 2 ZnO + 2 SO2 goes to its end; what is short decides (any handbook)."""
    model = phase_model("ideal", (SPHALERITE, ZINCITE, O2, SO2, N2))
    n = by_elements(np.array([2.0, 0.0, 4.0, 0.0, 15.0]), np.zeros(5, bool), 1200.0, 1e5, model).n
    assert n == pytest.approx([0.0, 2.0, 1.0, 2.0, 15.0], abs=1e-5)


def test_one_gas_alone_is_refused():
    model = phase_model("ideal", (LIMESTONE, LIME, CO2))
    with pytest.raises(EquilibriumTrouble, match="one temperature alone"):
        by_extents(np.array([1.0, 0.0, 0.0]), NU[:, :3], np.array([0.0]), 1100.0, 1e5, model, solids=np.array([True, True, False]))


def kiln(kind, heat, **species):
    base = {"stone": LIMESTONE, "lime": LIME, "co2": CO2, "n2": N2}
    unit = {"id": "K", "kind": kind, "heat": heat}
    if kind == "equilibrium-reactor":
        unit |= {"set": "main", "mixture": "gas"}
    return document(
        base,
        [unit],
        [feed("F", "K", {"stone": "10 kmol/h", "n2": "10 kmol/h"}, T="750 degC", P="1.01325 bar"), {"id": "P", "from": "K"}],
        [{"id": "r1", "equation": "stone = lime + co2", "equilibrium": {"source": "gibbs"}}],
        [{"id": "main", "steps": [["r1"]]}],
        phase_model="ideal",
    )


@pytest.mark.parametrize("kind", ["equilibrium-reactor", "gibbs-reactor"])
def test_a_kiln(kind):
    solved = solve(kiln(kind, {"mode": "isothermal", "temperature": "750 degC"}))
    assert solved.solved, [m.what for m in solved.messages]
    out = {s: 3.6 * v for s, v in solved.streams["P"].flow.items()}
    assert out["co2"] / (out["co2"] + out["n2"]) == pytest.approx(0.103, abs=0.01)
    assert out["lime"] == pytest.approx(out["co2"], rel=1e-9)
    heat = solved.units["K"].values["duty"] / 1000.0 / (out["lime"] / 3.6)
    assert heat == pytest.approx(170.0, abs=8.0)  # kJ/mol near 750 °C (178 at 25 °C; handbooks)
    assert not [m.what for m in solved.messages if m.level in ("error", "warning")]


def test_an_adiabatic_kiln_cools_until_the_gas_holds_the_limestone():
    solved = solve(kiln("equilibrium-reactor", {"mode": "adiabatic"}))
    assert solved.solved, [m.what for m in solved.messages]
    out = solved.streams["P"]
    assert 550.0 < out.temperature - 273.15 < 790.0
    model = phase_model("ideal", (LIMESTONE, LIME, CO2, N2))
    p = out.pressure / 1e5 * out.flow["co2"] / (out.flow["co2"] + out.flow["n2"])
    assert math.log(p) == pytest.approx(ln_equilibrium_constants(NU, out.temperature, model)[0], abs=1e-6)


@pytest.mark.parametrize(
    ("cas", "T", "cp"), [(LIME, 298.15, 42.1), (LIME, 1000.0, 53.7), (LIMESTONE, 298.15, 83.5), (LIMESTONE, 1000.0, 130.0)]
)
def test_heat_capacities_of_solids_rise_with_temperature(cas, T, cp):
    """J/(mol K): JANAF (lime); Barin, Thermochemical Data of Pure Substances (limestone, from memory)."""
    model = phase_model("ideal", (cas,))
    slope = (model.ideal_gas_enthalpies(T + 1.0)[0] - model.ideal_gas_enthalpies(T - 1.0)[0]) / 2.0
    assert slope == pytest.approx(cp, rel=0.04) and "solid" in lookup(cas).heat_capacity.source
