"""Species with data of the user's own, what missing data forbid, and species that stay in the liquid."""

import numpy as np
import pytest
from helpers import document, feed

from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.phases import phase_model
from gulch.engine.project import edit
from gulch.engine.project.edit import EditError
from gulch.engine.species import SpeciesError, lacking, lookup

LYE = (
    ("formula", "NaOH"),
    ("name", "lye"),
    ("non_volatile", "yes"),
    ("liquid_density", "2130 kg/m3"),
    ("heat_capacity", "60 J/(mol K)"),
    ("formation_enthalpy", "-425.6 kJ/mol"),
    ("entropy", "64.5 J/(mol K)"),
)


def test_own_value_and_chosen_source_replace_the_databanks():
    plain = lookup("64-17-5")
    typed = lookup("64-17-5", (("formation_enthalpy", "-56.12 kcal/mol"),))
    assert typed.formation_enthalpy.value == pytest.approx(-56.12 * 4184.0)
    assert typed.formation_enthalpy.others[plain.formation_enthalpy.source] == plain.formation_enthalpy.value
    source, value = next(iter(plain.formation_enthalpy.others.items()))
    assert lookup("64-17-5", (("source.formation_enthalpy", source),)).formation_enthalpy.value == value
    assert lookup("64-17-5", (("source.formation_enthalpy", "gone"),)).formation_enthalpy == plain.formation_enthalpy


def test_gibbs_energy_typed_fixes_the_entropy():
    """Water: Hf −241.826, Gf −228.582 kJ/mol give S = 188.8 J/(mol K) (CODATA; JANAF)."""
    d = lookup("7732-18-5", (("formation_enthalpy", "-241.826 kJ/mol"), ("formation_gibbs", "-228.582 kJ/mol")))
    assert d.entropy.value == pytest.approx(188.83, abs=0.1)
    assert d.formation_gibbs == pytest.approx(-228582.0, abs=1.0)


def test_text_book_hydration_with_its_own_formation_data():
    """ΔG°298 = −8 378 J/mol gives K(145 °C) = 0.1443 and K(320 °C) = 2.943e-3 (Smith, Van Ness & Abbott, ch. 13; from memory)."""
    from gulch.engine.chemistry import reaction_properties

    def key(cas, enthalpy, gibbs, a, b, c, d):
        points = "; ".join(f"{T} K {8.314 * (a + b * T + c * T * T + d / T / T):.5f} J/(mol K)" for T in range(280, 640, 20))
        return cas, (
            ("formation_enthalpy", f"{enthalpy} J/mol"),
            ("formation_gibbs", f"{gibbs} J/mol"),
            ("heat_capacity", points),
        )

    keys = (  # the book's formation data and heat capacities (appendix C)
        key("74-85-1", 52510, 68460, 1.424, 14.394e-3, -4.392e-6, 0.0),
        key("7732-18-5", -241818, -228572, 3.470, 1.450e-3, 0.0, 0.121e5),
        key("64-17-5", -235100, -168490, 3.518, 20.001e-3, -6.002e-6, 0.0),
    )
    m = phase_model("ideal", keys)
    nu = [-1.0, -1.0, 1.0]
    at = reaction_properties(nu, m, 298.15)
    assert (at.dh, at.dg) == (pytest.approx(-45792.0, abs=1.0), pytest.approx(-8378.0, abs=1.0))
    assert reaction_properties(nu, m, 418.15).k == pytest.approx(0.1443, rel=0.005)
    assert reaction_properties(nu, m, 593.15).k == pytest.approx(2.943e-3, rel=0.005)


def test_points_make_heat_capacity_and_vapour_pressure():
    own = (
        ("formula", "C9H12O2"),
        ("name", "x"),
        ("vapour_pressure", "80 degC 0.05 bar; 180 degC 1.013 bar"),
        ("liquid_density", "950 kg/m3"),
        ("heat_capacity", "25 degC 180 J/(mol K); 225 degC 250 J/(mol K)"),
    )
    m = phase_model("ideal", ((None, own),))
    assert m.at_vapour_fraction(0.5, 101300.0, np.ones(1)).temperature == pytest.approx(453.15, abs=0.01)
    h = [m.ideal_gas_enthalpies(t)[0] for t in (298.15, 398.15, 498.15)]
    assert h[2] - h[0] == pytest.approx(200 * 215.0, rel=2e-3) and h[1] - h[0] == pytest.approx(100 * 197.5, rel=5e-3)
    assert m.at_temperature(320.0, 1e5, np.ones(1)).volume == pytest.approx(0.1522 / 950.0, rel=1e-3)


@pytest.mark.parametrize(
    ("own", "words"),
    [
        ((("formula", "Xx"),), "is not a formula"),
        ((("formula", "C2H6O"),), "neither a vapour pressure nor critical constants"),
        ((("formula", "C2H6O"), ("vapour_pressure", "80 degC 0.05 bar")), "needs two points"),
        ((("formula", "C2H6O"), ("vapour_pressure", "80 degC 2 bar; 180 degC 1 bar")), "does not rise"),
        ((("formula", "C2H6O"), ("vapour_pressure", "80 degC 1 bar; 180 degC 2 bar")), "no liquid density"),
        ((("formula", "NaOH"), ("non_volatile", "yes"), ("heat_capacity", "-4 J/(mol K)")), "not above zero"),
        ((("formula", "NaOH"), ("non_volatile", "yes"), ("entropy", "5 bar")), "unit of pressure"),
    ],
)
def test_what_is_wrong_with_own_data_is_said(own, words):
    with pytest.raises(SpeciesError, match=words):
        lookup(None, own)


def test_what_each_missing_datum_forbids():
    said = " ".join(lacking(lookup(None, (("formula", "NaOH"), ("non_volatile", "yes")))))
    for words in ("no heat of reaction", "no K from Gibbs energies", "its volume is not counted", "an estimate"):
        assert words in said
    assert lacking(lookup(None, LYE)) == []
    assert lacking(lookup("64-17-5")) == []


@pytest.mark.parametrize("kind", ["ideal", "peng-robinson"])
def test_non_volatile_species_stay_in_the_liquid(kind):
    m = phase_model(kind, ("7732-18-5", (None, LYE)))
    z = np.array([0.7, 0.3])
    hot = m.at_temperature(450.0, 1e5, z)
    assert hot.vapour_fraction == pytest.approx(0.7) and hot.y[1] == 0.0 and hot.x[1] == 1.0
    cold = m.at_temperature(300.0, 1e5, z)
    assert cold.vapour_fraction == 0.0 and cold.x[1] == pytest.approx(0.3)
    alone = phase_model(kind, ("7732-18-5",))
    assert hot.enthalpy == pytest.approx(
        0.7 * alone.at_temperature(450.0, 1e5, np.ones(1)).enthalpy + 0.3 * (-425600.0 + 60.0 * (450.0 - 298.15)),
        rel=1e-9,
    )
    for T in (300.0, 450.0):  # back from enthalpy and entropy
        state = m.at_temperature(T, 1e5, z)
        assert m.at_enthalpy(state.enthalpy, 1e5, z, 380.0).temperature == pytest.approx(T, abs=1e-5)
        assert m.at_entropy(state.entropy, 1e5, z, 380.0).temperature == pytest.approx(T, abs=1e-5)
    boiling = 0.5 * (m.at_temperature(360.0, 1e5, z).enthalpy + m.at_temperature(390.0, 1e5, z).enthalpy)
    assert 0.0 < m.at_enthalpy(boiling, 1e5, z, 380.0).vapour_fraction < 0.7
    assert m.at_vapour_fraction(0.35, 1e5, z).vapour_fraction == pytest.approx(0.35, abs=1e-6)


def washer(**data):
    return load(
        document(
            {"water": "7732-18-5", "acid": "64-19-7"},
            [{"id": "R", "kind": "stoichiometric-reactor", "set": "s", "heat": {"mode": "adiabatic"}}, {"id": "D", "kind": "flash-drum"}],
            [
                feed("f", "R", {"water": "100 kmol/h", "acid": "1 kmol/h", "lye": "2 kmol/h"}, P="1 bar"),
                {"id": "m", "from": "R", "to": "D"},
                {"id": "gas", "from": "D.vapour"},
                {"id": "brine", "from": "D.liquid"},
            ],
            [{"id": "neutralise", "equation": "acid + lye = acetate + water", "conversion": {"key": "acid", "value": "100 %"}}],
            [{"id": "s", "steps": [["neutralise"]]}],
        ).dump()
        | {
            "species": [
                {"id": "water", "cas": "7732-18-5"},
                {"id": "acid", "cas": "64-19-7"},
                {"id": "lye", "data": {"formula": "NaOH", "non_volatile": True, "formation_enthalpy": "-470 kJ/mol", **data}},
                {"id": "acetate", "data": {"formula": "C2H3NaO2", "non_volatile": True, "formation_enthalpy": "-726 kJ/mol"}},
            ]
        }
    )


def test_neutralising_leaves_the_salt_in_the_brine():
    s = solve(washer())
    assert s.solved, s.messages
    assert s.streams["brine"].flow["acetate"] * 3.6 == pytest.approx(1.0)
    assert s.streams["gas"].flow["acetate"] == 0.0
    assert s.streams["m"].temperature > 298.15  # made-up enthalpies of solution, but heat is released
    assert max(abs(u.balances["energy"]) for u in s.units.values()) < 1e-9


def test_reaction_over_a_species_without_enthalpy_is_refused():
    found = [m for m in check(washer(formation_enthalpy=None)) if m.level == "error"]
    assert len(found) == 1 and "lye has no formation enthalpy, so neutralise has no heat of reaction" in found[0].what


def test_phase_model_that_cannot_use_a_species_is_refused():
    data = washer().dump()
    data["phase_model"]["kind"] = "peng-robinson"
    assert not [m for m in check(load(data)) if m.level == "error"]  # what stays in the liquid needs no critical constants
    data["species"][2]["data"] |= {
        "non_volatile": False,
        "vapour_pressure": "100 degC 1 bar; 200 degC 9 bar",
        "liquid_density": "1 g/cm3",
    }
    assert any("has no critical constants, which the phase model needs" in m.what for m in check(load(data)))


def test_edits_of_own_data():
    project = load({"format": "gulch-project", "version": 1})
    id_ = edit.add_own_species(project, "caustic soda", "NaOH", non_volatile=True)
    assert id_ == "caustic_soda" and project.species[0].cas is None
    edit.set_species_datum(project, id_, "formation_enthalpy", "-426 kJ/mol")
    assert lookup(*project.species[0].key).formation_enthalpy.value == -426000.0
    edit.add_species(project, "64-17-5", "ethanol")
    edit.choose_source(project, "ethanol", "entropy", "CRC Handbook")
    assert project.species[1].data.sources == {"entropy": "CRC Handbook"}
    edit.set_species_datum(project, "ethanol", "entropy", "280 J/(mol K)")
    assert project.species[1].data.sources == {}
    edit.set_species_datum(project, "ethanol", "entropy", "")
    assert project.species[1].data is None  # nothing of one's own is left
    for bad in (("", "NaOH", None), ("x", "N4OH4Qq", None), ("x", "NaOH", "12"), ("ethanol", "C2H6O", "64-17-5")):
        with pytest.raises(EditError):
            edit.add_own_species(project, *bad)
    assert len(project.species) == 2


@pytest.mark.parametrize(
    ("field", "text", "words"),
    [
        ("critical_temperature", "50 K", "boils at .* above its critical temperature"),
        ("boiling_point", "900 K", "boils at .* above its critical temperature"),
        ("critical_pressure", "5000 bar", "no substance has"),
        ("acentric_factor", "9", "no substance has"),
        ("liquid_density", "90000 kg/m3", "no substance has"),
        ("heat_capacity", "1e6 J/(mol K)", "no substance has"),
        ("formation_enthalpy", "1e9 kJ/mol", "no substance has"),
        ("entropy", "90000 J/(mol K)", "no substance has"),
    ],
)
def test_what_no_substance_has_is_refused(field, text, words):
    with pytest.raises(SpeciesError, match=words):
        lookup("110-54-3", ((field, text),))
