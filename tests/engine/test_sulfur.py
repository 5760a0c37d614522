"""Sulfur as the element, and its vapours: burning and the furnace of Claus's process."""

import numpy as np
import pytest
from helpers import document, feed

from gulch.engine.chemistry.constants import ln_equilibrium_constants
from gulch.engine.chemistry.elements import by_elements
from gulch.engine.chemistry.equations import resolve_equation
from gulch.engine.chemistry.thermo import reaction_properties
from gulch.engine.explain import solve
from gulch.engine.phases import phase_model
from gulch.engine.project.reading import constant_of, model_of
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.species.databank import GAS_ONLY
from gulch.engine.species.search import find

H2S, SULFUR, S2, S6, S8 = "7783-06-4", "7704-34-9", "23550-45-0", "13798-23-7", "10544-50-0"
ATOMS = {
    S2: {"S": 2}, "13798-23-7": {"S": 6}, "13827-32-2": {"S": 1, "O": 1}, "17778-80-2": {"O": 1}, "12385-13-6": {"H": 1},
    "17778-88-0": {"N": 1}, "22537-15-1": {"Cl": 1}, "10097-28-6": {"Si": 1, "O": 1}, "12185-09-0": {"P": 2}, "2229-07-4": {"C": 1, "H": 3},
    "12185-10-3": {"P": 4},
}  # fmt: skip
AIR = {"oxygen": "7782-44-7", "nitrogen": "7727-37-9"}


def test_sulfur_is_the_element():
    """2 H2S + O2 = 2 S + 2 H2O gives 442.4 kJ (CRC Handbook: H2S -20.6, H2O -241.8 kJ/mol) and is complete."""
    project = document(
        {"H2S": H2S, "O2": "7782-44-7", "S": SULFUR, "water": "7732-18-5"},
        reactions=[{"id": "r", "equation": "2 H2S + O2 = 2 S + 2 water", "equilibrium": {"source": "gibbs"}}],
    )
    model = model_of(project)
    nu = resolve_equation(project.reactions[0].equation, project.entries()).nu(4)
    assert reaction_properties(nu, model).dh == pytest.approx(-442.4e3, rel=0.01)
    assert constant_of(project.reactions[0]).ln_k(298.15, nu, model) > 100.0
    assert lookup(SULFUR).non_volatile and lookup(SULFUR).formation_enthalpy.value == 0.0


@pytest.mark.parametrize("cas", sorted(GAS_ONLY))
def test_what_only_hot_gases_hold_is_a_gas(cas):
    species = lookup(cas)
    assert species.atoms == ATOMS[cas]
    assert species.formation_enthalpy is not None and species.entropy is not None and not species.non_volatile
    assert "taken as a gas" in species.critical_temperature.source


@pytest.mark.parametrize(
    ("typed", "cas"),
    [("S2", S2), ("sulfur dimer", S2), ("P2", "12185-09-0"), ("SO", "13827-32-2"), ("sulfur", SULFUR), ("P4", "12185-10-3"), ("S8", S8)],
)
def test_they_are_found_by_formula_and_name(typed, cas):
    assert cas in [row.cas for row in find(typed)]


def test_the_furnace_of_claus():
    """At 1 bar adiabatic near 1200 °C, 70 % of the sulfur as S2 (Gamson & Elkins, Chem. Eng. Prog. 49 (1953) 203)."""
    species = {"H2S": H2S, **AIR, "SO2": "7446-09-5", "S2": S2, "water": "7732-18-5", "hydrogen": "1333-74-0"}
    project = document(
        species,
        [{"id": "F", "kind": "gibbs-reactor", "heat": {"mode": "adiabatic"}}],
        [feed("f", "F", {"H2S": "100 kmol/h", "oxygen": "50 kmol/h", "nitrogen": "188 kmol/h"}, P="1 bar"), {"id": "p", "from": "F"}],
    )
    out = solve(project)
    assert out.solved
    p = out.streams["p"]
    assert 1273.0 < p.temperature < 1573.0
    assert 0.6 < 2.0 * p.flow["S2"] * 3.6 / 100.0 < 0.8
    atoms = (p.flow["H2S"] + p.flow["SO2"] + 2.0 * p.flow["S2"]) * 3.6
    assert atoms == pytest.approx(100.0, rel=1e-8)
    assert np.isfinite(p.temperature)


def test_dissociation_of_hydrogen_sulfide():
    """H2 + S2/2 = H2S: ΔG° = -90 290 + 49.39 T J/mol (Turkdogan, Physical Chemistry of High Temperature Technology, 1980; from memory)."""
    project = document(
        {"H2S": H2S, "hydrogen": "1333-74-0", "S2": S2},
        reactions=[{"id": "r", "equation": "2 H2S = 2 hydrogen + S2", "equilibrium": {"source": "gibbs"}}],
    )
    model, nu = model_of(project), np.array([-2.0, 2.0, 1.0])
    lg = constant_of(project.reactions[0]).ln_k(1400.0, nu, model) / np.log(10.0)
    assert lg == pytest.approx(2.0 * (-90290.0 + 49.39 * 1400.0) / (8.314462618 * 1400.0 * np.log(10.0)), abs=0.1)


def test_a_gas_without_data_is_still_refused():
    with pytest.raises(SpeciesError):
        lookup("7782-99-2")  # sulfurous acid: neither critical constants nor a boiling point


@pytest.mark.parametrize(("celsius", "mmhg"), [(183.8, 1.0), (243.8, 10.0), (288.3, 40.0), (327.2, 100.0)])
def test_sulfur_condenses_from_its_vapours(celsius, mmhg):
    """Vapour pressure of sulfur (CRC Handbook, from memory): S8, S6 and S2 over the molten element, S7 being unknown: within 45 %."""
    model = phase_model("ideal", (SULFUR, S8, S6, S2, "7727-37-9"))
    n = by_elements(np.array([1000.0, 0.0, 0.0, 0.0, 1.0]), np.zeros(5, bool), celsius + 273.15, 101325.0, model).n
    assert n[0] > 900.0
    assert n[1:4].sum() / n[1:].sum() * 760.0 == pytest.approx(mmhg, rel=0.45)


def test_a_condenser_of_claus_leaves_the_vapour_pressure_of_sulfur():
    """The gas of a first converter at 150 °C: most of the sulfur leaves as liquid; what stays is near 0.3 mbar (handbooks)."""
    species = {"S": SULFUR, "S8": S8, "S6": S6, "S2": S2, "nitrogen": "7727-37-9", "water": "7732-18-5"}
    unit = {"id": "C", "kind": "gibbs-reactor", "heat": {"mode": "isothermal", "temperature": "150 degC"}}
    unit["inert"] = {"water": "100 %"}
    flow = {"S8": "3 kmol/h", "S6": "4 kmol/h", "nitrogen": "188 kmol/h", "water": "100 kmol/h"}
    out = solve(document(species, [unit], [feed("f", "C", flow, T="320 degC", P="1.2 bar"), {"id": "p", "from": "C"}]))
    assert out.solved, [m.what for m in out.messages]
    left = {s: 3.6 * v for s, v in out.streams["p"].flow.items()}
    assert left["S"] == pytest.approx(48.0, rel=0.01)
    vapours = left["S8"] + left["S6"] + left["S2"]
    assert 1.2 * vapours / (vapours + 288.0) == pytest.approx(3e-4, rel=0.5)
    assert out.units["C"].values["duty"] < 0.0


def test_white_phosphorus_vapour_falls_apart_where_it_is_hot():
    """P4 = 2 P2 at 1 bar: half dissociated near 1300 to 1400 K less nitrogen (JANAF: log K 0 near 1530 K)."""
    model = phase_model("ideal", ("12185-10-3", "12185-09-0"))
    ln_k = [ln_equilibrium_constants(np.array([[-1.0, 2.0]]), T, model)[0] for T in (1000.0, 1530.0, 2000.0)]
    assert ln_k[0] < -9.0 and abs(ln_k[1]) < 1.0 and ln_k[2] > 4.0
