"""Every constant of a rate law is an input like any other: knob, target, tie, scan, formula, how sure."""

import math
import re

import pytest
from helpers import document, feed

from gulch.engine.document import Project
from gulch.engine.explain import Plan, solve
from gulch.engine.project import edit
from gulch.engine.project.inputs import addresses, write
from gulch.engine.quantities import DISPLAY_SETS, QuantityError, parse, show

A, B = "110-54-3", "107-83-5"  # two hexanes, alike in all that matters here


def tank(rate, order=1, **more):
    """A tank of liquid at 60 °C, 1 m3, fed with 10 kmol/h of A at a concentration of some 7 mol/l."""
    return document(
        {"a": A, "b": B},
        [
            {
                "id": "T",
                "kind": "stirred-tank",
                "set": "main",
                "phase": "liquid",
                "size_by": "volume",
                "volume": "1 m3",
                "heat": {"mode": "isothermal", "temperature": "60 degC"},
            }
        ],
        [feed("F", "T", {"a": "10 kmol/h"}, T="60 degC", P="5 bar"), {"id": "P", "from": "T"}],
        [{"id": "r", "equation": "a = b", "rate": rate}],
        [{"id": "main", "steps": [["r"]]}],
        phase_model="ideal",
        **more,
    )


FIRST = {"forward": {"k": "0.5 1/h", "energy": "60 kJ/mol", "at": "60 degC"}}
FULL = {
    "forward": {"k": "2 L/(mol h)", "energy": "60 kJ/mol", "at": "60 degC"},
    "orders": {"a": "2"},
    "reverse": "own",
    "backward": {"k": "0.1 1/h", "energy": "70 kJ/mol", "at": "60 degC"},
    "adsorption": [{"species": "a", "constant": {"k": "0.05 L/mol", "energy": "-20 kJ/mol", "at": "60 degC"}}],
}


def conversion(project, overrides=None):
    solved = Plan(project).run(overrides=overrides)
    assert solved.solved, [m.what for m in solved.messages]
    return solved.units["T"].values["conversion"]["a"]


def test_the_kind_of_a_constant_follows_its_orders():
    known = addresses(tank(FULL))
    assert {a for a in known if a.startswith("r.")} == {
        "r.k", "r.energy", "r.power", "r.order.a", "r.back_k", "r.back_energy", "r.back_power", "r.back_order.b",
        "r.adsorption.a", "r.adsorption_heat.a", "r.adsorption_power.a", "r.exponent",
    }  # fmt: skip
    k = known["r.k"]
    assert parse("2 L/(mol h)", k.dimension) == pytest.approx(2e-3 / 3600.0)
    assert parse("3 m3/(kmol s)", k.dimension) == pytest.approx(3e-3)
    assert show(1e-3 / 3600.0, k.dimension, "process-metric").startswith("1.000 L/")
    assert DISPLAY_SETS["us-customary"].unit(k.dimension) == "L/(mol h)"
    with pytest.raises(QuantityError, match="rate constant is wanted here"):
        parse("2 1/h", k.dimension)
    with pytest.raises(KeyError):
        DISPLAY_SETS["si"].unit("rate of nothing")


def test_a_constant_that_does_not_fit_its_orders_is_no_input():
    assert "r.k" not in addresses(tank({"forward": {"k": "0.5 L/(mol s)"}}))
    assert "r.k" not in addresses(tank({"forward": {"k": ""}}))


@pytest.mark.parametrize("address, text", [("r.k", "0.9 1/h"), ("r.energy", "70 kJ/mol")])
def test_what_is_written_is_what_was_typed(address, text):
    project = tank(FIRST)
    write(project, address, text)
    assert addresses(project)[address].text == text


@pytest.mark.parametrize("factor", [0.25, 1.0, 3.0])
def test_a_turned_constant_is_a_typed_one(factor):
    """First order in a tank: X = k t/(1 + k t) (Levenspiel)."""
    project = tank(FIRST)
    edit.knob_on(project, "r.k", "0.1 1/h", "2 1/h")
    X = conversion(project, {"r.k": factor * 0.5 / 3600.0})
    typed = tank({"forward": FIRST["forward"] | {"k": f"{factor * 0.5} 1/h"}})
    assert pytest.approx(conversion(typed), rel=1e-9) == X
    tau = solve(typed).units["T"].values["residence_time"] / 3600.0
    assert pytest.approx(factor * 0.5 * tau / (1.0 + factor * 0.5 * tau), rel=1e-3) == X


@pytest.mark.parametrize(
    ("address", "value", "change"),
    [
        ("r.back_k", 1.0 / 3600.0, ("backward", "k", "1 1/h")),
        ("r.back_energy", 30e3, ("backward", "energy", "30 kJ/mol")),
        ("r.adsorption.a", 0.5e-3, ("adsorption", "k", "0.5 L/mol")),
        ("r.adsorption_heat.a", -60e3, ("adsorption", "energy", "-60 kJ/mol")),
        ("r.k", 5e-3 / 3600.0, ("forward", "k", "5 L/(mol h)")),
        ("r.power", 0.1, ("forward", "power", "0.1")),
        ("r.exponent", 2.0, ("", "exponent", "2")),
    ],
)
def test_each_number_of_a_full_law_can_be_turned(address, value, change):
    data = tank(FULL).dump()
    where, field, text = change
    rate = data["reactions"][0]["rate"]
    (rate["adsorption"][0]["constant"] if where == "adsorption" else rate[where] if where else rate)[field] = text
    data["units"][0]["heat"]["temperature"] = "75 degC"  # off the reference temperature, where energies count
    base = tank(FULL)
    base.unit("T").heat.temperature = "75 degC"
    turned = conversion(base, {address: value})
    assert turned == pytest.approx(conversion(Project.model_validate(data)), rel=1e-9)
    assert abs(turned - conversion(base)) > 1e-4


@pytest.mark.parametrize(
    ("address", "text", "unit"),
    [
        ("r.order.a", "1.4", ("forward", "2 mol/(L h)/(mol/L)^1.4")),
        ("r.order.a", "1", ("forward", "2 1/h")),
        ("r.back_order.b", "2", ("backward", "0.1 L/(mol h)")),
        ("r.adsorption_power.a", "0.5", ("adsorption", "0.05 1/(mol/L)^0.5")),
    ],
)
def test_a_turned_order_keeps_k_at_one_of_its_unit(address, text, unit):
    """The order turned in a run and the order written agree, and the number typed for k stays."""
    base = tank(FULL)
    turned = conversion(base, {address: float(text)})
    write(base, address, text)
    rate = base.reactions[0].rate
    assert {"forward": rate.forward, "backward": rate.backward, "adsorption": rate.adsorption[0].constant}[unit[0]].k == unit[1]
    assert turned == pytest.approx(conversion(base), rel=1e-9) and abs(turned - conversion(tank(FULL))) > 1e-5


@pytest.mark.parametrize("k", ["2 L/(mol h)", "0.003 m3/(kmol s)", "1e-4 1/(mol/cm3)/min", "7 ft3/(lbmol h)"])
def test_an_order_turned_there_and_back_leaves_k_alone(k):
    law = FULL | {"forward": {"k": k}}
    base = tank(law)
    before = parse(k, addresses(base)["r.k"].dimension)
    for order in ("1.7", "0", "2"):
        write(base, "r.order.a", order)
    assert parse(base.reactions[0].rate.forward.k, addresses(base)["r.k"].dimension) == pytest.approx(before, rel=1e-12)


def test_terms_of_one_species_keep_what_each_is_typed_with():
    """1 + K c + (K' c)^2 in one species: neither constant is named by it alone, and turning another number leaves both."""
    data = tank(FULL).dump()
    more = {"species": "a", "constant": {"k": "0.4 L^2/mol^2"}, "power": "2"}
    data["reactions"][0]["rate"]["adsorption"].append(more)
    twice = Project.model_validate(data)
    assert not any("adsorption" in a for a in addresses(twice))
    typed = twice.model_copy(deep=True)
    typed.reactions[0].rate.forward.k = "5 L/(mol h)"
    assert conversion(twice, {"r.k": 5e-3 / 3600.0}) == pytest.approx(conversion(typed), rel=1e-9)


def test_k_is_found_from_a_measured_conversion():
    """A target: turn k until 60 % convert; by hand k = X/((1 − X) t)."""
    project = tank(FIRST)
    data = project.dump()
    data["knobs"] = [{"id": "speed", "input": "r.k", "low": "0.01 1/h", "high": "20 1/h"}]
    data["gauges"] = [{"id": "measured", "reads": "T.conversion.a"}]
    data["targets"] = [{"id": "t", "gauge": "measured", "value": "60 %", "knob": "speed"}]
    solved = solve(Project.model_validate(data))
    assert solved.solved and solved.gauges["measured"] == pytest.approx(0.6, abs=1e-7)
    assert solved.targets[0].knob_value * solved.units["T"].values["residence_time"] == pytest.approx(1.5, rel=1e-3)


SURFACE = {  # Langmuir-Hinshelwood with a named intermediate, as a user writes it
    "law": "formula",
    "formula": "kT = k*exp(-E/R*(1/T - 1/T0))\ntheta = 1/(1 + K*c.a)\nkT*c.a*theta^2",
    "numbers": {"k": "0.5 1/h", "E": "60 kJ/mol", "T0": "60 degC", "K": "0.05 L/mol"},
}


def test_a_formula_with_names_of_its_own_is_the_law_it_writes():
    """The same law as typed by its constants (adsorption, exponent 2); its numbers are inputs, turned and written."""
    typed = {
        "forward": FIRST["forward"],
        "adsorption": [{"species": "a", "constant": {"k": "0.05 L/mol"}}],
        "exponent": "2",
    }
    project = tank(SURFACE)
    assert conversion(project) == pytest.approx(conversion(tank(typed)), rel=1e-7)
    known = addresses(project)
    assert {a for a in known if a.startswith("r.")} == {f"r.number.{n}" for n in ("k", "E", "T0", "K")}
    assert parse("0.1 L/mol", known["r.number.K"].dimension) == pytest.approx(1e-4)
    turned = conversion(project, {"r.number.K": 2e-4, "r.number.k": 1.0 / 3600.0})
    for address, text in (("r.number.K", "0.2 L/mol"), ("r.number.k", "1 1/h")):
        write(project, address, text)
    assert turned == pytest.approx(conversion(project), rel=1e-9)
    edit.knob_on(project, "r.number.K", "0 L/mol", "1 L/mol")
    edit.forget(project)
    assert project.knobs  # what it turns is known


@pytest.mark.parametrize(
    ("formula", "words"),
    [
        ("theta = 1/(1 + K*c.a)\n", "No formula|comes out in"),
        ("c.a = 2\nk*c.a", "names nothing"),
        ("k = 2\nk*c.a", "name already"),
        ("theta = 1 + K\nk*c.a", "cannot be added"),
        ("k*c.a*theta", "is not known here"),
        ("tanh(c.a)*k*c.a", "bare number"),
        ("\n".join(f"a{i} = 1" for i in range(30)) + "\nk*c.a", "20 are read"),
    ],
)
def test_a_formula_that_cannot_be_read_says_why(formula, words):
    project = tank(SURFACE | {"formula": formula})
    said = [m.what for m in Plan(project).messages]
    assert any(re.search(words, s) for s in said), said


def test_functions_of_a_formula():
    """tanh and log10 by a rate that is k c tanh(log10(1000)): 3 and then tanh(3) (any table)."""
    plain = tank(SURFACE | {"formula": "k*c.a*0.99505475368673"})
    assert conversion(tank(SURFACE | {"formula": "k*c.a*tanh(log10(1000))"})) == pytest.approx(conversion(plain), rel=1e-9)
    assert math.tanh(3.0) == pytest.approx(0.99505475368673)


def test_k_from_a_second_temperature_and_by_eyring():
    """E = R ln(k2/k1)/(1/T1 − 1/T2); Eyring at 25 °C: ΔH‡ 80 kJ/mol and ΔS‡ −40 J/(mol K) give 4.9e-4 1/s (by hand)."""
    project = tank(FIRST)
    edit.by_second_point(project, "r", "1.5 1/h", "80 degC")
    E = 8.314462618e-3 * math.log(3.0) / (1 / 333.15 - 1 / 353.15)
    assert parse(project.reactions[0].rate.forward.energy, "molar energy") / 1e3 == pytest.approx(E, rel=1e-5)
    edit.by_activated_complex(project, "r", "80 kJ/mol", "-40 J/(mol K)")
    law = Plan(project).reactions["r"].rate.constant
    by_hand = 1.380649e-23 * 298.15 / 6.62607015e-34 * math.exp(-40 / 8.314462618) * math.exp(-80e3 / (8.314462618 * 298.15))
    assert law.at(298.15) == pytest.approx(by_hand, rel=1e-7)
    for k, at, words in (
        ("1 L/(mol h)", "80 degC", "same unit"),
        ("1 1/h", "60 degC", "two temperatures"),
        ("1 1/h", "5 bar", "unit of pressure"),
    ):
        fresh = tank(FIRST)
        with pytest.raises(edit.EditError, match=words):
            edit.by_second_point(fresh, "r", k, at)
