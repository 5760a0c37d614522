"""The databank against JANAF and handbook values."""

import numpy as np
import pytest
from chemicals import heat_capacity as cp_data

from gulch.engine.fluids.ideal_gas import ideal_gas_cp
from gulch.engine.phases import phase_model
from gulch.engine.species import SpeciesError, find, lookup, resolve_name
from gulch.engine.species.databank import choose


@pytest.mark.parametrize(
    ("query", "cas"),
    [
        ("ethylene", "74-85-1"),
        ("ethene", "74-85-1"),
        ("C2H4", "74-85-1"),
        ("74-85-1", "74-85-1"),
        ("water", "7732-18-5"),
        ("H2O", "7732-18-5"),
        ("diethyl ether", "60-29-7"),
        ("styrene", "100-42-5"),
        ("CO2", "124-38-9"),
        ("hydrogen", "1333-74-0"),
        ("wood alcohol", "67-56-1"),
    ],
)
def test_finds_by_name_synonym_formula_cas(query, cas):
    assert find(query)[0].cas == cas


def test_formula_with_isomers_gives_all_of_them():
    assert {m.cas for m in resolve_name("C2H6O")} == {"64-17-5", "115-10-6"}
    assert find("no such thing at all") == []


@pytest.mark.parametrize("cas", ["74-82-8", "7446-09-5", "74-85-1", "7732-18-5", "124-38-9", "630-08-0"])
@pytest.mark.parametrize("T", [300.0, 500.0, 900.0, 1100.0])
def test_heat_capacity_follows_janaf(cas, T):
    """JANAF (1998) tables; methane and SO2 are the known traps, 3 to 7 % high elsewhere."""
    cp_data._load_Cp_data()
    temperatures, values = cp_data.Cp_dict_JANAF_gas[cas][:2]
    model = phase_model("ideal", (cas,))
    assert ideal_gas_cp(T, model.par, 0) == pytest.approx(np.interp(T, temperatures, values), rel=5e-3)


def test_enthalpy_and_entropy_are_the_integrals_of_the_heat_capacity():
    model = phase_model("ideal", ("64-17-5",))
    T = np.linspace(300.0, 900.0, 4001)
    cp = np.array([ideal_gas_cp(t, model.par, 0) for t in T])
    dh = model.ideal_gas_enthalpies(900.0)[0] - model.ideal_gas_enthalpies(300.0)[0]
    ds = model.ideal_gas_entropies(900.0)[0] - model.ideal_gas_entropies(300.0)[0]
    assert dh == pytest.approx(np.trapezoid(cp, T), rel=1e-7)
    assert ds == pytest.approx(np.trapezoid(cp / T, T), rel=1e-7)


def test_formation_data_carry_sources():
    """CODATA: water, gas, -241.826 kJ/mol and 188.835 J/(mol K)."""
    water = lookup("7732-18-5")
    assert water.formation_enthalpy.value == pytest.approx(-241826, abs=60)
    assert water.entropy.value == pytest.approx(188.835, abs=0.05)
    assert water.formation_enthalpy.source and len(water.formation_enthalpy.others) >= 3
    assert lookup("1333-74-0").formation_gibbs == pytest.approx(0.0, abs=1e-6)


def test_a_source_that_stands_alone_is_passed_over():
    found = choose({"JANAF": 50.0, "CRC": 10.0, "YAWS": 11.0}, ("JANAF", "CRC", "YAWS"), alone=5.0)
    assert found.value == 10.0
    assert "JANAF tables (1998)" in found.others
    assert choose({"JANAF": 50.0, "CRC": 10.0}, ("JANAF", "CRC", "YAWS"), alone=5.0).value == 50.0


def test_unknown_species_is_said():
    with pytest.raises(SpeciesError, match="no species with CAS"):
        lookup("9999999-99-4")
