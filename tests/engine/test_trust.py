"""Figures that could mislead: each test shows a case where a plausible but wrong figure must not come out."""

import math

import numpy as np
import pytest
from helpers import document, feed

from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.phases import phase_model
from gulch.engine.project.edit import complete_streams

COMBUSTION = {"co": "630-08-0", "o2": "7782-44-7", "n2": "7727-37-9", "co2": "124-38-9"}
BURN = {"id": "r1", "equation": "2 co + o2 = 2 co2", "rate": {"forward": {"k": "1e7 1/s", "energy": "110 kJ/mol"}, "orders": {"co": "1"}}}


def burner(unit, co="20 kmol/h"):
    flow = {"co": co, "o2": "15 kmol/h", "n2": "65 kmol/h"}
    return document(
        COMBUSTION,
        [{"id": "R", "set": "main", "phase": "vapour", **unit}],
        [feed("F", "R", flow, T="326.85 degC", P="1.5 bar"), {"id": "P", "from": "R"}],
        [BURN],
        [{"id": "main", "steps": [["r1"]]}],
    )


@pytest.mark.parametrize(("volume", "T"), [("0.05 m3", 2206.4), ("2 m3", 2208.2)])
def test_a_tank_finds_its_ignited_state_up_to_the_adiabatic_limit(volume, T):
    """The smaller tank has an unstable state at 864 K besides.

    All the CO burnt warms the gas by more than 1500 K (heats of formation and heat capacities of JANAF).
    """
    s = solve(burner({"kind": "stirred-tank", "volume": volume, "heat": {"mode": "adiabatic"}}))
    assert s.solved and s.streams["P"].temperature == pytest.approx(T, abs=1.0)
    assert s.units["R"].values["conversion"]["co"] > 0.998
    assert next(r for r in s.units["R"].values["steady"] if r["runs"])["stable"]


def test_the_hot_spot_does_not_hide_between_the_points_of_the_profile():
    """The same tube cut to a hundredth, with U A per volume kept, shows its hot spot with a hundred times the points."""

    def hottest(share):
        unit = {
            "kind": "plug-flow",
            "volume": f"{500 * share} m3",
            "limit": "4000 degC",
            "heat": {"mode": "coolant", "coolant": "300 degC", "conductance": f"{2 * share} kW/K"},
        }
        return solve(burner(unit, "8 kmol/h")).units["R"].values

    long, short = hottest(1.0), hottest(0.05)
    assert long["hot_spot"] == pytest.approx(short["hot_spot"], abs=0.2)
    assert long["hot_spot"] > long["profile"]["T"][0] + 300.0


LIQUID = {"A": "106-97-8", "B": "75-28-5"}


def liquid_reactor(unit, rate, T="350 K"):
    return document(
        LIQUID,
        [{"id": "R", "set": "main", "phase": "liquid", **unit}],
        [feed("F", "R", {"A": "36 kmol/h"}, T=T, P="40 bar"), {"id": "P", "from": "R"}],
        [{"id": "r1", "equation": "A = B", "rate": rate}],
        [{"id": "main", "steps": [["r1"]]}],
        "peng-robinson",
    )


@pytest.mark.parametrize("power", ["0", "2.5", "-1"])
def test_an_adsorption_constant_typed_where_it_is_used_does_not_feel_its_power_of_t(power):
    """K = K(350 K) (T/350)^n exp(…): at 350 K the power says nothing (definition)."""
    constant = {"k": "0.2 L/mol", "power": power, "energy": "-10 kJ/mol", "at": "350 K"}
    rate = {"forward": {"k": "3 1/h"}, "adsorption": [{"species": "A", "constant": constant}]}
    got = solve(liquid_reactor({"kind": "plug-flow", "volume": "1 m3"}, rate)).units["R"].values["conversion"]["A"]
    plain = {"forward": {"k": "3 1/h"}, "adsorption": [{"species": "A", "constant": {"k": "0.2 L/mol"}}]}
    want = solve(liquid_reactor({"kind": "plug-flow", "volume": "1 m3"}, plain)).units["R"].values["conversion"]["A"]
    assert got == pytest.approx(want, rel=1e-9)


@pytest.mark.parametrize("void", ["50 %", "100 %"])
def test_a_residence_time_comes_back_as_typed(void):
    """X = k t/(1 + k t) for a first-order tank at constant density (Levenspiel); t is that of the fluid."""
    s = solve(liquid_reactor({"kind": "stirred-tank", "time": "20 min", "void": void}, {"forward": {"k": "3 1/h"}}))
    values = s.units["R"].values
    assert values["residence_time"] == pytest.approx(1200.0)
    assert values["conversion"]["A"] == pytest.approx(0.5, rel=1e-6)


def test_nothing_happening_is_zero_and_not_rounding():
    unit = {
        "kind": "equilibrium-reactor",
        "set": "main",
        "mixture": "gas",
        "heat": {"mode": "isothermal", "temperature": "900 degC"},
    }
    s = solve(
        document(
            {"h2": "1333-74-0", "o2": "7782-44-7", "h2o": "7732-18-5", "n2": "7727-37-9"},
            [{"id": "R", **unit}],
            [
                feed("F", "R", {"h2": "37.3 kmol/h", "o2": "100 kmol/h", "n2": "77.7 kmol/h"}, T="25 degC", P="1 bar"),
                {"id": "P", "from": "R"},
            ],
            [{"id": "r1", "equation": "2 h2 + o2 = 2 h2o"}],
            [{"id": "main", "steps": [["r1"]]}],
        )
    )
    assert s.solved and s.units["R"].values["conversion"]["n2"] == 0.0


def test_a_quotient_of_a_burnt_up_reactant_is_not_shown():
    """At 25 °C K of 2 H2 + O2 = 2 H2O is 1e80: no double holds what is left of the hydrogen."""
    unit = {
        "kind": "equilibrium-reactor",
        "set": "main",
        "mixture": "gas",
        "heat": {"mode": "isothermal", "temperature": "25 degC"},
    }
    s = solve(
        document(
            {"h2": "1333-74-0", "o2": "7782-44-7", "h2o": "7732-18-5"},
            [{"id": "R", **unit}],
            [feed("F", "R", {"h2": "10 kmol/h", "o2": "100 kmol/h"}, T="25 degC", P="0.1 bar"), {"id": "P", "from": "R"}],
            [{"id": "r1", "equation": "2 h2 + o2 = 2 h2o"}],
            [{"id": "main", "steps": [["r1"]]}],
        )
    )
    (row,) = s.units["R"].reactions
    assert s.solved and row["ln_k"] > 150.0 and row["ln_q"] is None and row["gone"] == "h2"
    assert np.isfinite(s.streams["P"].temperature) and math.isfinite(row["extent"])


# Units


def washed(temperature=None):
    """HCl gas into caustic soda: the formation enthalpies of what is dissolved are a handbook's (CRC), −470.1 and −407.3."""
    own = {"naoh": ("NaOH", "-470.1 kJ/mol"), "nacl": ("NaCl", "-407.3 kJ/mol")}
    species = [{"id": "hcl", "cas": "7647-01-0"}, {"id": "water", "cas": "7732-18-5"}]
    species += [{"id": i, "data": {"formula": f, "non_volatile": True, "formation_enthalpy": h}} for i, (f, h) in own.items()]
    unit = {"id": "W", "kind": "washer", "set": "main", "share": {"hcl": "100 %"}}
    flow = {"water": "100 kmol/h", "naoh": "5 kmol/h"}
    project = document(
        {},
        [unit | ({"temperature": temperature} if temperature else {})],
        [
            feed("gas", "W", {"hcl": "1 kmol/h"}, P="1.5 bar"),
            feed("lye", "W", flow, P="1.5 bar"),
            {"id": "out", "from": "W.gas"},
            {"id": "spent", "from": "W.liquid"},
        ],
        [{"id": "r1", "equation": "hcl + naoh = nacl + water", "conversion": {"key": "hcl", "value": "100 %"}}],
        [{"id": "main", "steps": [["r1"]]}],
    )
    return load(project.dump() | {"species": species})


def test_a_neutralisation_gives_off_what_handbooks_say():
    """NaOH(aq) + HCl(g) = NaCl(aq) + H2O(l): −407.3 − 285.8 + 470.1 + 92.3 = −130.7 kJ/mol."""
    s = solve(washed("25 degC"))
    assert s.solved, s.messages
    assert s.units["W"].values["duty"] * 3.6 / 1000.0 == pytest.approx(-130.7e3 / 1e3 * 1.0, abs=2.5)


def test_an_adiabatic_washer_has_no_duty():
    s = solve(washed())
    assert s.solved and abs(s.units["W"].values["duty"]) < 1e-6 * 130e3 / 3.6
    # 5.4 K: 36.3 kW into 100 kmol/h of water at 75 J/(mol K) and some salt (hand calculation)
    assert 15.0 < s.streams["spent"].temperature - 298.15 < 20.0 and abs(s.units["W"].balances["energy"]) < 1e-9


@pytest.mark.parametrize("T", ["150 degC", "250 degC", "-150 degC"])
def test_a_vapour_fraction_has_one_answer_wherever_the_feed_comes_from(T):
    flow = {
        "h2": "13.15 kmol/h",
        "ch4": "5.63 kmol/h",
        "benzene": "32.05 kmol/h",
        "ch": "25.18 kmol/h",
        "toluene": "24.00 kmol/h",
    }
    species = {"h2": "1333-74-0", "ch4": "74-82-8", "benzene": "71-43-2", "ch": "110-82-7", "toluene": "108-88-3"}
    s = solve(
        document(
            species,
            [{"id": "H", "kind": "heater", "vapour_fraction": "12.92 %"}],
            [feed("F", "H", flow, T=T, P="83.4 bar"), {"id": "P", "from": "H"}],
            phase_model="peng-robinson",
        )
    )
    assert s.solved and s.streams["P"].temperature == pytest.approx(273.15 + 133.1, abs=3.0)  # flat there: 1 K is 2e-5
    assert s.streams["P"].vapour_fraction == pytest.approx(0.1292, abs=1e-7)
    assert any("as well" in m.what for m in s.messages)


# Three phases

SRK = "soave-redlich-kwong"

EFFLUENT = {"h2": "1333-74-0", "eb": "100-41-4", "st": "100-42-5", "water": "7732-18-5"}


def effluent(unit):
    flow = {"h2": "54 kmol/h", "eb": "50 kmol/h", "st": "50 kmol/h", "water": "900 kmol/h"}
    project = document(
        EFFLUENT,
        [{"id": "C", "kind": "heater", "temperature": "40 degC"}, unit],
        [feed("F", "C", flow, T="600 degC", P="1.5 bar"), {"id": "S", "from": "C", "to": unit["id"]}],
        phase_model="peng-robinson",
    )
    complete_streams(project)
    return project


def test_two_liquids_are_said_on_the_stream():
    s = solve(effluent({"id": "M", "kind": "mixer"}))
    said = [m for m in s.messages if m.level == "warning"]
    assert any(m.where == "S" and "two liquids" in m.what for m in said)
    assert [p["kind"] for p in s.streams["S"].phases] == ["vapour", "liquid", "liquid"]
    assert any("poor guide" in m.what and "water with" in m.what for m in said)


def parted(**unit):
    """(Solution, {outlet: its flows in mol/s}) of the effluent in one unit D."""
    project = effluent({"id": "D", **unit})
    solution = solve(project)
    return solution, {s.source.partition(".")[2]: solution.streams[s.id].flow for s in project.streams if s.source and "D." in s.source}


def test_no_drum_or_separator_sends_gas_out_as_liquid():
    """Hydrogen's solubility in the liquids is a few tenths of a per cent; a decanter says that it does not part gas."""
    drum, out = parted(kind="flash-drum")
    assert drum.solved and out["vapour"]["h2"] > 0.99 * 15.0 and out["liquid"]["h2"] < 0.01 * 15.0
    assert any("Two liquids form and leave together" in m.what for m in drum.messages)
    three, out = parted(kind="three-phase-separator")
    assert three.solved and out["vapour"]["h2"] > 0.99 * 15.0 and out["heavy"]["water"] > 0.9 * 250.0
    assert out["light"]["st"] > 0.8 * 50.0 / 3.6 and out["heavy"]["st"] < 1e-3
    decanter, _ = parted(kind="decanter", mode="equilibrium")
    assert any("is vapour, which a decanter does not part" in m.what for m in decanter.messages)


@pytest.mark.parametrize(("P", "vapour", "told"), [("3 bar", "ideal", False), ("30 bar", "ideal", True), ("30 bar", SRK, False)])
def test_an_ideal_vapour_under_pressure_is_said(P, vapour, told):
    project = document(
        {"methanol": "67-56-1", "water": "7732-18-5"},
        [{"id": "H", "kind": "heater", "temperature": "260 degC"}],
        [feed("F", "H", {"methanol": "10 kmol/h", "water": "10 kmol/h"}, P=P), {"id": "P", "from": "H"}],
        phase_model="modified-unifac",
    )
    project.phase_model.vapour = vapour
    solution = solve(project)
    assert solution.solved and any("counted as an ideal gas at 30.00 bar" in m.what for m in solution.messages) == told


@pytest.mark.parametrize(
    "pair, told",
    [(("64-17-5", "7732-18-5"), False), (("71-43-2", "108-88-3"), False), (("71-36-3", "7732-18-5"), True)],
)
def test_the_model_is_called_a_poor_guide_only_where_it_is(pair, told):
    """Peng–Robinson has a k_ij for ethanol and water, none for butanol and water; aromatics need none."""
    a, b = pair
    s = solve(
        document(
            {"a": a, "b": b},
            [{"id": "H", "kind": "heater", "temperature": "40 degC"}],
            [feed("F", "H", {"a": "10 kmol/h", "b": "10 kmol/h"}), {"id": "P", "from": "H"}],
            phase_model="peng-robinson",
        )
    )
    assert any("poor guide" in m.what for m in s.messages) == told


@pytest.mark.parametrize("phase, heat, words", [("vapour", -45.8e3, "of gases at 25"), ("liquid", -44.0e3, "of pure liquids at 25")])
def test_the_heat_of_reaction_says_where_it_holds(phase, heat, words):
    """C2H4 + H2O = C2H5OH: −45.8 kJ/mol of gases; with liquid water and ethanol (heats of vaporisation 44.0 and 42.3 kJ/mol,
    handbooks) −44.1. Ethylene is no liquid at 25 °C."""
    project = document(
        {"e": "74-85-1", "w": "7732-18-5", "a": "64-17-5"},
        [
            {
                "id": "R",
                "kind": "stoichiometric-reactor",
                "set": "main",
                "heat": {"mode": "isothermal", "temperature": "400 degC" if phase == "vapour" else "20 degC"},
            }
        ],
        [
            feed("F", "R", {"e": "1 kmol/h", "w": "99 kmol/h"}, P="60 bar" if phase == "liquid" else "1 bar"),
            {"id": "P", "from": "R"},
        ],
        [{"id": "r1", "equation": "e + w = a", "conversion": {"key": "e", "value": "100 %"}}],
        [{"id": "main", "steps": [["r1"]]}],
        "peng-robinson",
    )
    values = solve(project).units["R"].values
    assert values["heat_of_reaction"] * 3.6 / 1000.0 == pytest.approx(heat / 1000.0, abs=1.2)
    assert values["heat_holds"].startswith(words)
    assert values["heat_holds"].endswith("e as gas") == (phase == "liquid")


@pytest.mark.parametrize(
    "kind, temperature, pressure, more, heat, words",
    [
        # vapour in, liquid out: conversions say no phase, so gases, and why
        ("stoichiometric-reactor", "30 degC", "1 bar", {}, -45.8, "of gases at 25.00 °C; what enters is mostly vapour, what leaves liquid"),
        ("equilibrium-reactor", "30 degC", "1 bar", {"mixture": "gas"}, -45.8, "of gases at 25.00 °C"),
        ("equilibrium-reactor", "300 degC", "1 bar", {"mixture": "gas"}, -45.8, "of gases at 25.00 °C"),
    ],
)
def test_the_heat_of_reaction_holds_in_the_phase_that_reacts(kind, temperature, pressure, more, heat, words):
    """C2H4 + H2O = C2H5OH of gases: −45.8 kJ/mol (Smith, Van Ness & Abbott, 7th ed., example 4.4)."""
    reaction = {"id": "r1", "equation": "e + w = a", "conversion": {"key": "e", "value": "100 %"}, "equilibrium": {"source": "gibbs"}}
    project = document(
        {"e": "74-85-1", "w": "7732-18-5", "a": "64-17-5"},
        [{"id": "R", "kind": kind, "set": "main", "heat": {"mode": "isothermal", "temperature": temperature}, **more}],
        [feed("F", "R", {"e": "10 kmol/h", "w": "40 kmol/h"}, T="150 degC", P=pressure), {"id": "P", "from": "R"}],
        [reaction],
        [{"id": "main", "steps": [["r1"]]}],
    )
    values = solve(project).units["R"].values
    extent = values["extent"]["r1"]
    assert values["heat_of_reaction"] / extent / 1000.0 == pytest.approx(heat, abs=1.2)
    assert values["heat_holds"].startswith(words)


def said(project):
    return [m.what for m in solve(project).messages if m.level != "assumed"]


def test_a_steep_rate_is_asked_about_at_the_temperatures_in_use():
    """280 kJ/mol is usual for cracking at 850 °C (any text); the same rate at 25 °C would look absurd."""
    rate = {"forward": {"k": "1e14 1/s", "energy": "280 kJ/mol"}}
    hot = burner({"kind": "plug-flow", "volume": "1 m3", "heat": {"mode": "isothermal", "temperature": "850 degC"}}).dump()
    hot["reactions"][0]["rate"] = rate | {"orders": {"co": "1"}}
    assert not [m for m in check(load(hot)) if m.level == "question"]
    hot["reactions"][0]["rate"]["forward"]["energy"] = "280000 kJ/mol"
    assert [m for m in check(load(hot)) if m.level == "question"]


def test_cold_argon_is_inside_its_heat_capacity_and_a_hot_trace_is_left_out():
    cold = document(
        {"ar": "7440-37-1"},
        [{"id": "M", "kind": "mixer"}],
        [feed("F", "M", {"ar": "1 kmol/h"}, T="-20 degC"), {"id": "P", "from": "M"}],
    )
    assert said(cold) == []
    hot = document(
        {"n2": "7727-37-9", "dme": "115-10-6"},
        [{"id": "H", "kind": "heater", "duty": "40 kW"}],
        [feed("F", "H", {"n2": "3.6 kmol/h", "dme": "1e-4 kmol/h"}), {"id": "P", "from": "H"}],
    )
    assert said(hot) == []
    hot.streams[0].given.flow["dme"] = "0.1 kmol/h"
    assert any("heat-capacity data of dme" in what for what in said(hot))


def test_the_shipped_parameter_of_ethanol_and_water_fits_what_its_comment_says():
    """x, y, T at 1 atm (Perry's Handbook, 7th ed., table 13-1; from memory). No azeotrope: y stays above x."""
    model = phase_model("peng-robinson", ("64-17-5", "7732-18-5"))
    data = np.array(
        [
            (0.0966, 0.4375, 86.7),
            (0.2377, 0.5445, 82.7),
            (0.3965, 0.6122, 80.7),
            (0.5079, 0.6564, 79.8),
            (0.6763, 0.7385, 78.74),
            (0.7472, 0.7815, 78.41),
        ]
    )
    found = [model.boundary(False, 101325.0, np.array([x, 1.0 - x]), 352.0) for x, _, _ in data]
    y, T = np.array([f[2][0] for f in found]), np.array([f[0] - 273.15 for f in found])
    assert np.sqrt(np.mean((y - data[:, 1]) ** 2)) < 0.03 and np.sqrt(np.mean((T - data[:, 2]) ** 2)) < 1.3
    assert all(model.boundary(False, 101325.0, np.array([x, 1.0 - x]), 352.0)[2][0] > x for x in (0.8, 0.9, 0.97))


def test_a_reaction_that_rests_on_a_disputed_datum_says_so():
    """Quinoline's formation enthalpy: its sources form camps."""
    project = document(
        {"q": "91-22-5", "h2": "1333-74-0", "d": "635-46-1"},
        [{"id": "R", "kind": "stoichiometric-reactor", "set": "main"}],
        [feed("F", "R", {"q": "1 kmol/h", "h2": "9 kmol/h"}), {"id": "P", "from": "R"}],
        [{"id": "r1", "equation": "q + 2 h2 = d", "conversion": {"key": "q", "value": "50 %"}}],
        [{"id": "main", "steps": [["r1"]]}],
    )
    assert any("kJ/mol apart" in m.what and "q" in m.what for m in check(project))
