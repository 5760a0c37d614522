"""Petroleum fractions by boiling point and density; heats of reaction of lumps."""

import numpy as np
import pytest
from helpers import document, feed
from hypothesis import given, settings
from hypothesis import strategies as st

from gulch.engine.document import Project
from gulch.engine.explain import solve
from gulch.engine.phases import phase_model
from gulch.engine.project import edit
from gulch.engine.project.edit import EditError
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.species.fractions import (
    acentric_factor,
    carbon_to_hydrogen,
    critical_constants,
    formula_of,
    gas_heat_capacity,
    molar_mass,
    watson,
)

# Boiling point [K], specific gravity at 15.6 degC, molar mass, C/H by mass, Tc [K], Pc [bar], omega, Cp of the gas at 298 K [J/(mol K)]:
# API Technical Data Book and Poling, Prausnitz & O'Connell, 5th ed., from memory
HYDROCARBONS = {
    "n-hexane": (341.9, 0.664, 86.2, 5.11, 507.6, 30.25, 0.300, 143.1),
    "n-octane": (398.8, 0.707, 114.2, 5.30, 568.7, 24.9, 0.399, 187.8),
    "n-decane": (447.3, 0.734, 142.3, 5.42, 617.7, 21.1, 0.490, 234.6),
    "n-hexadecane": (560.0, 0.777, 226.4, 5.61, 723.0, 14.0, 0.718, 370.8),
    "toluene": (383.8, 0.872, 92.1, 10.43, 591.8, 41.1, 0.264, 103.7),
    "ethylbenzene": (409.3, 0.872, 106.2, 9.53, 617.2, 36.0, 0.304, 128.4),
}


@pytest.mark.parametrize("name", HYDROCARBONS)
def test_correlations_find_pure_hydrocarbons_again(name):
    boiling, gravity, M, ratio, tc, pc, omega, cp = HYDROCARBONS[name]
    assert molar_mass(boiling, gravity) == pytest.approx(M, rel=0.05)
    assert carbon_to_hydrogen(boiling, gravity) == pytest.approx(ratio, rel=0.06)
    found_tc, found_pc = critical_constants(boiling, gravity)
    assert found_tc == pytest.approx(tc, rel=0.015) and found_pc / 1e5 == pytest.approx(pc, rel=0.06)
    K = watson(boiling, gravity)
    assert acentric_factor(boiling, found_tc, found_pc, K) == pytest.approx(omega, rel=0.08)
    assert gas_heat_capacity(np.array([298.15]), K, omega, M)[0] == pytest.approx(cp, rel=0.05)


def test_the_published_example_of_a_naphtha():
    """Watson's factor of a cut boiling at 127 °C of gravity 0.745 is about 12.0 (any refinery handbook: (1.8·400)^(1/3)/0.745)."""
    assert watson(400.0, 0.745) == pytest.approx(12.03, abs=0.01)


def gas_oil(**more):
    project = Project(name="x")
    edit.add_fraction(project, "gas oil", "270 degC", "850 kg/m3")
    return project


def test_a_fraction_has_all_that_a_phase_model_needs():
    project = gas_oil()
    entry = project.species[0]
    found = lookup(*entry.key)
    assert found.has_critical and found.vapour_pressure is not None and found.formation_enthalpy is None
    assert "Kesler" in found.critical_temperature.source and "Kesler" in found.heat_capacity.source
    assert found.molar_mass.value * 1000.0 == pytest.approx(molar_mass(543.15, 850 / 999.02), abs=0.51)
    for kind in ("ideal", "peng-robinson", "soave-redlich-kwong"):
        model = phase_model(kind, (entry.key,))
        boils = model.saturated(False, 101325.0, np.ones(1), 500.0).temperature
        assert boils == pytest.approx(543.15, abs=1.5)
        volume = model.phase_volume(298.15, 101325.0, np.ones(1), 2)
        assert found.molar_mass.value / volume == pytest.approx(843.0, rel=0.005)  # 850 at 15 °C, 0.7 less a kelvin


def test_what_is_typed_of_a_fraction_comes_first_and_its_formula_follows_its_boiling_point():
    project = gas_oil()
    edit.set_species_datum(project, project.species[0].id, "critical_temperature", "730 K")
    assert lookup(*project.species[0].key).critical_temperature.value == 730.0
    capacity = lookup(*project.species[0].key).heat_capacity
    assert capacity.coefficients.any()
    edit.set_species_datum(project, project.species[0].id, "acentric_factor", "0")
    assert lookup(*project.species[0].key).heat_capacity.coefficients == pytest.approx(capacity.coefficients), (
        "correlated with the fraction’s own acentric factor"
    )
    before = project.species[0].data.formula
    edit.set_species_datum(project, project.species[0].id, "boiling_point", "330 degC")
    assert project.species[0].data.formula != before
    with pytest.raises(EditError, match="contradicts its boiling point"):
        edit.set_species_datum(project, project.species[0].id, "liquid_density", "400 kg/m3")


@pytest.mark.parametrize(
    ("boiling", "density", "words"),
    [
        ("270 degC", "1400 kg/m3", "contradicts its boiling point"),
        ("270 degC", "400 kg/m3", "contradicts its boiling point"),
        ("2000 degC", "900 kg/m3", "beyond what"),
        ("hot", "900 kg/m3", "hot"),
        ("270 degC", "0.85 kg", "kg"),
        ("270 degC", "", "empty|missing|number|quantity|value"),
    ],
)
def test_bad_fractions_get_a_sentence(boiling, density, words):
    with pytest.raises(EditError, match=words):
        edit.add_fraction(Project(name="x"), "cut", boiling, density)


@settings(max_examples=100, deadline=None, derandomize=True)
@given(boiling=st.floats(310.0, 910.0), density=st.floats(300.0, 1500.0))
def test_random_fractions_are_refused_or_sound(boiling, density):
    try:
        formula_of(boiling, density, "cut")
    except SpeciesError:
        return
    project = Project(name="x")
    edit.add_fraction(project, "cut", f"{boiling} K", f"{density} kg/m3")
    found = lookup(*project.species[0].key)
    tc, pc = found.critical_temperature.value, found.critical_pressure.value
    assert boiling < tc < 1300.0 and 1e5 < pc < 8e6 and -0.2 < found.acentric_factor.value < 2.5
    assert found.heat_capacity.coefficients.min() >= 0.0 and found.heat_capacity.worst < 0.1


def cracker():
    """Gas oil to gasoline and butane by lumps; butane has data, the heaviest lump zero by choice."""
    project = document(
        {"h2": "1333-74-0"},
        [{"id": "R", "kind": "stoichiometric-reactor", "set": "main", "heat": {"mode": "adiabatic"}}],
        [feed("F", "R", {"h2": "10 kmol/h"}, T="400 degC", P="20 bar"), {"id": "P", "from": "R"}],
    )
    heavy = edit.add_fraction(project, "heavy", "330 degC", "870 kg/m3")
    light = edit.add_fraction(project, "light", "110 degC", "740 kg/m3")
    return project, heavy, light


def test_the_heat_of_a_reaction_of_lumps_is_what_was_typed():
    project, heavy, light = cracker()
    formulas = [lookup(*project.species[i].key).formula for i in (1, 2)]
    assert formulas == ["C19H36", "C7H16"]  # whole atoms
    edit.add_reaction(project, f"7 {heavy} + 26 h2 = 19 {light}", "crack")
    edit.set_conversion(project, "crack", heavy, "50 %")
    with pytest.raises(EditError, match="all but one"):
        edit.set_reaction_heat(project, "crack", "-300 kJ/mol")
    edit.set_species_datum(project, heavy, "formation_enthalpy", "0 kJ/mol")
    assert edit.set_reaction_heat(project, "crack", "-300 kJ/mol") == light
    assert edit.set_reaction_heat(project, "crack", "-350 kJ/mol") == light  # again, the same lump
    project.streams[0].given.flow |= {heavy: "2 kmol/h"}  # half of it cracks: 1/7 kmol/h of the reaction as written
    solved = solve(project)
    assert solved.solved, [m.what for m in solved.messages]
    assert solved.units["R"].values["heat_of_reaction"] * 3.6 == pytest.approx(-350.0 * 1000.0 / 7.0, rel=1e-6)
    assert solved.streams["P"].temperature > 673.15 + 20.0


def test_a_reaction_of_known_species_needs_no_heat():
    project = document({"h2": "1333-74-0", "o2": "7782-44-7", "w": "7732-18-5"}, [], [])
    edit.add_reaction(project, "2 h2 + o2 = 2 w", "r")
    with pytest.raises(EditError, match="follows from their formation enthalpies"):
        edit.set_reaction_heat(project, "r", "-240 kJ/mol")
