"""Salts dissolved in water: boiling points, vapour pressures, liquids that part; by van 't Hoff's law and tables."""

import numpy as np
import pytest
from helpers import document, feed

from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.phases import phase_model
from gulch.engine.project import edit
from gulch.engine.species import lookup
from gulch.engine.species.own import SpeciesError, data_key

WATER, BENZENE, ATM = "7732-18-5", "71-43-2", 101325.0
M = 1.0 / 0.018015  # mol of water in a kilogram
KINDS = ["ideal", "peng-robinson", "predictive-srk", "unifac", "nrtl"]


def salt(**more):
    return (None, data_key({"name": "salt", "formula": "NaCl", "non_volatile": "yes", "particles": "2"} | more))


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(("molality", "measured"), [(0.5, 0.51), (1.0, 1.04), (2.0, 2.16)])
def test_a_salt_lifts_the_boiling_point_of_water(kind, molality, measured):
    """Sodium chloride, boiling-point elevation (CRC Handbook; from memory): ideal dilution is within a tenth."""
    model = phase_model(kind, (WATER, salt()))
    boils = [model.at_vapour_fraction(0.0, ATM, np.array([M, m])).temperature for m in (0.0, molality)]
    assert boils[1] - boils[0] == pytest.approx(measured, rel=0.1)


@pytest.mark.parametrize("kind", KINDS)
def test_the_vapour_over_a_solution_follows_raoult_and_van_t_hoff(kind):
    """What is left liquid has water's pressure times its share of particles, whatever the model, also with a gas above it."""
    model = phase_model(kind, (WATER, "7727-37-9", salt(particles="3")))
    z = np.array([1.0, 0.4, 0.05])
    salty, plain = (model.at_temperature(350.0, 0.8e5, z * keep) for keep in (1.0, np.array([1.0, 1.0, 0.0])))
    name, share, x, _ = salty.liquids[0]
    water, dissolved = share * x[0] * z.sum(), 0.05
    factor = (water + share * x[1] * z.sum()) / (water + share * x[1] * z.sum() + 3 * dissolved)
    assert salty.y[0] / plain.y[0] == pytest.approx(factor, rel=1e-3)
    assert salty.y[2] == 0.0 and x[2] * share * z.sum() == pytest.approx(dissolved, rel=1e-12)


@pytest.mark.parametrize("kind", KINDS)
def test_a_boiling_brine_concentrates_and_its_balances_close(kind):
    model = phase_model(kind, (WATER, salt()))
    z = np.array([M, 1.0])
    half = model.at_vapour_fraction(0.5, ATM, z)
    assert half.vapour_fraction == pytest.approx(0.5, abs=1e-8)
    assert half.light_share * half.y + (1.0 - half.light_share) * half.x == pytest.approx(z / z.sum(), abs=1e-12)
    again = model.at_enthalpy(half.enthalpy, ATM, z, 320.0)
    assert again.temperature == pytest.approx(half.temperature, abs=1e-6) and again.vapour_fraction == pytest.approx(0.5, abs=1e-6)
    by_entropy = model.at_entropy(half.entropy, ATM, z, 320.0)
    assert by_entropy.temperature == pytest.approx(half.temperature, abs=1e-6)
    x = half.liquids[0][2]
    single = phase_model(kind, (WATER,)).at_vapour_fraction(0.5, ATM * (x[0] + 2 * x[1]) / x[0], np.ones(1))
    assert half.temperature == pytest.approx(single.temperature, abs=0.02)


def test_the_salt_goes_with_the_water_where_liquids_part():
    model = phase_model("unifac", (WATER, BENZENE, salt()))
    parted = model.at_temperature(298.15, ATM, np.array([1.0, 1.0, 0.1]))
    benzene, water = (p[2] for p in sorted(parted.liquids, key=lambda p: p[2][0]))
    assert benzene[2] == 0.0 and water[2] == pytest.approx(0.1 / 1.1, rel=0.01)


def test_a_solid_dissolves_in_nothing_and_a_typed_solvent_counts():
    model = phase_model("ideal", (WATER, salt(solvent="none")))
    assert model.at_vapour_fraction(0.0, ATM, np.array([M, 3.0])).temperature == pytest.approx(373.15, abs=0.2)
    assert (
        not lookup("7782-42-5").dissolves and not lookup(None, data_key({"formula": "Fe2O3", "name": "x", "non_volatile": "yes"})).dissolves
    )
    with pytest.raises(SpeciesError, match="a salt of two ions makes 2"):
        lookup(*salt(particles="50"))


def test_dry_salt_in_steam_stays_dry():
    """Far above its boiling point no solution of any sense is left: the steam is all vapour."""
    model = phase_model("ideal", (WATER, salt()))
    state = model.at_temperature(520.0, ATM, np.array([1.0, 0.01]))
    assert state.vapour_fraction == pytest.approx(1.0 / 1.01, rel=1e-9) and state.x[0] == 0.0


def test_lye_in_a_process_concentrates_and_says_what_nobody_typed():
    """20 % potassium hydroxide: van 't Hoff's law gives 0.86 of water's vapour pressure, as tables have it near 100 degC (from memory)."""
    lye = {
        "id": "lye",
        "name": "lye",
        "data": {"formula": "KOH", "non_volatile": True, "formation_enthalpy": "-482 kJ/mol", "particles": "2"},
    }
    doc = document(
        {"water": WATER},
        units=[{"id": "D", "kind": "flash-drum", "mode": "temperature", "temperature": "105 degC", "pressure": "1 atm"}],
        streams=[
            feed("F", "D", {"water": "44.4 kmol/h", "lye": "3.56 kmol/h"}, T="60 degC", P="2 bar"),
            {"id": "vapour", "from": "D.vapour"},
            {"id": "liquid", "from": "D.liquid"},
        ],
    )
    plain = doc.dump()
    plain["species"].append(lye)
    out = solve(type(doc).model_validate(plain))
    assert out.solved, out.messages
    liquid = out.streams["liquid"].flow
    assert liquid["lye"] * 3.6 == pytest.approx(3.56, rel=1e-9)
    factor = liquid["water"] / (liquid["water"] + 2 * liquid["lye"])
    pure = phase_model("ideal", (WATER,)).at_vapour_fraction(0.5, ATM / factor, np.ones(1)).temperature
    assert pure == pytest.approx(378.15, abs=0.01) and factor < 44.4 / (44.4 + 7.12)
    lye["data"].pop("particles")
    plain["species"][-1] = lye
    said = [m.what for m in solve(type(doc).model_validate(plain)).messages]
    assert any("dissolved in water as one particle" in w for w in said)


@pytest.mark.parametrize("kind", KINDS)
def test_mixing_with_salt_adds_its_ideal_entropy_once_under_every_model(kind):
    """-R (n ln x + particles ln x) over the separate parts, whatever the model."""
    model = phase_model(kind, (WATER, salt()))
    T, P, water, dissolved = 300.0, 2e5, 1.0, 0.1
    brine = model.at_temperature(T, P, np.array([water, dissolved]))
    apart = [model.at_temperature(T, P, z).entropy * z.sum() for z in (np.array([water, 0.0]), np.array([0.0, dissolved]))]
    whole = water + 2 * dissolved
    mixing = -8.31446261815324 * (water * np.log(water / whole) + 2 * dissolved * np.log(2 * dissolved / whole))
    assert brine.entropy * (water + dissolved) == pytest.approx(sum(apart) + mixing, rel=1e-6)


# Asked once when they are added


BOILING = ["1310-73-2", "7647-14-5", "7664-38-2", "12125-02-9"]
OTHERS = ["64-17-5", "7757-82-6", "7439-97-6", "7704-34-9", "7550-45-0"]


@pytest.mark.parametrize(("cas", "asked"), [*((c, True) for c in BOILING), *((c, False) for c in OTHERS)])
def test_salts_and_hydroxides_that_boil_are_asked_about(cas, asked):
    """Not ethanol, nor sodium sulfate (known as a solid), mercury, sulfur, titanium tetrachloride (boils at 136 degC)."""
    questions = [m for m in check(document({"x": cas, "water": "7732-18-5"})) if m.level == "question"]
    assert bool(questions) == asked
    assert not asked or "Does it stay in the liquid?" in questions[0].what


@pytest.mark.parametrize("stays", ["yes", ""])
def test_the_answer_about_a_salt_is_kept(stays):
    project = document({"naoh": "1310-73-2", "water": "7732-18-5"})
    edit.set_species_datum(project, "naoh", "non_volatile", stays)
    again = load(project.dump())
    assert not any(m.level == "question" for m in check(again))
    assert lookup(*again.species[0].key).non_volatile == bool(stays)
