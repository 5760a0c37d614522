"""Rate laws, stirred tank and plug flow against analytic solutions and worked examples."""

import math

import numpy as np
import pytest
from helpers import document, feed
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq

from gulch.demo import projects
from gulch.engine import formulas
from gulch.engine.chemistry.rates import half_life, read_rate_constant
from gulch.engine.document import SizingEntry, load
from gulch.engine.explain import Plan, solve
from gulch.engine.explain.checks import check
from gulch.engine.fluids import R
from gulch.engine.quantities import QuantityError
from gulch.engine.scans import run_scan
from gulch.engine.scans.sizing import SizingTrouble, size

# Made-up isomers whose liquids have equal density (10 kmol/m3) and heat capacity, so that text-book algebra is exact.
MASS = 46.06844e-3


def isomer(id_, enthalpy="0 kJ/mol", cp="100 J/(mol K)", **more):
    return {
        "id": id_,
        "data": {
            "formula": "C2H6O",
            "liquid_density": f"{MASS * 1e4!r} kg/m3",
            "heat_capacity": cp,
            "vapour_pressure": "300 K 1e-7 bar; 400 K 1e-6 bar",
            "formation_enthalpy": enthalpy,
            **more,
        },
    }


def kinetic(unit, reactions, flow=None, species=None, T="350 K", P="5 bar", phase_model="ideal", **more):
    names = species or [isomer("A"), isomer("B"), isomer("C")]
    return load(
        document({}, phase_model=phase_model).dump()
        | {
            "species": names,
            "units": [{"id": "R", "set": "s", **unit}],
            "streams": [
                feed("f", "R", flow or {"A": "36 kmol/h"}, T=T, P=P),
                *(
                    [{"id": "v", "from": "R.vapour"}, {"id": "p", "from": "R.liquid"}]
                    if unit.get("phase") == "both"
                    else [{"id": "p", "from": "R"}]
                ),
            ],
            "reactions": [{"id": f"r{i}", "equation": e, "rate": rate} for i, (e, rate) in enumerate(reactions, 1)],
            "reaction_sets": [{"id": "s", "steps": [[f"r{i}" for i in range(1, len(reactions) + 1)]]}],
            **more,
        }
    )


def law(k, **more):
    energy = more.pop("energy", "0 kJ/mol")
    at = more.pop("at", None)
    return {"forward": {"k": k, "energy": energy, **({"at": at} if at else {})}, **more}


def tank(volume="2 m3", **more):
    return {"kind": "stirred-tank", "phase": "liquid", "volume": volume, "heat": {"mode": "feed-temperature"}, **more}


def plug(volume="2 m3", **more):
    return {"kind": "plug-flow", "phase": "liquid", "volume": volume, "heat": {"mode": "feed-temperature"}, **more}


Q = 36.0 / 10.0  # m3/h of the feed


def converted(project, species="A"):
    s = solve(project)
    assert s.solved, s.messages
    return s.units["R"].values["conversion"][species]


@pytest.mark.parametrize("k", [0.02, 0.5, 5.0, 40.0])
def test_first_order(k):
    """X = kτ/(1 + kτ) in a tank, 1 − e^(−kτ) in plug flow (Levenspiel, ch. 5)."""
    r = [("A = B", law(f"{k} 1/h"))]
    x = k * 2.0 / Q
    assert converted(kinetic(tank(), r)) == pytest.approx(x / (1.0 + x), rel=1e-9)
    assert converted(kinetic(plug(), r)) == pytest.approx(1.0 - math.exp(-x), rel=1e-7)


@pytest.mark.parametrize(
    ("per", "k", "counts"),
    [
        ("fluid", "0.5 1/h", 0.4 * 0.5),
        ("bed", "0.5 1/h", 0.5),
        ("catalyst", "0.0005 m3/(kg h)", 800.0 * 0.0005),
        ("surface", "0.2 cm/h", 250.0 * 0.002),
    ],
)
def test_what_a_rate_counts_on(per, k, counts):
    """First order with k per fluid (40 % of the bed), per bed, per kg of catalyst (800 kg/m3 of bed) or per area (250 m2/m3)."""
    r, more = [("A = B", law(k, per=per))], {"void": "40 %", "bulk_density": "800 kg/m3", "catalyst": {"surface": "250 m2/m3"}}
    x = counts * 2.0 / Q
    assert converted(kinetic(plug(**more), r)) == pytest.approx(1.0 - math.exp(-x), rel=1e-7)
    assert converted(kinetic(tank(**more), r)) == pytest.approx(x / (1.0 + x), rel=1e-9)


@pytest.mark.parametrize("order", [0.5, 1.5, 2.0])
def test_other_orders_in_plug_flow(order):
    """c^(1−n) − c0^(1−n) = (n − 1) k τ (Levenspiel, ch. 3)."""
    k, c0, tau = 0.3, 10.0, 1.0 / Q
    c = max(c0 ** (1 - order) + (order - 1) * k * tau, 0.0) ** (1 / (1 - order))
    r = [("A = B", law(f"{k} (kmol/m3)^{1 - order:g}/h", orders={"A": f"{order}"}))]
    assert converted(kinetic(plug("1 m3"), r)) == pytest.approx(1.0 - c / c0, rel=1e-6)


@pytest.mark.parametrize(("k", "x"), [(9.0, 0.25), (35.0, 35.0 / 36.0), (100.0, 1.0)])
def test_zero_order_stops_at_exhaustion(k, x):
    """X = kτ/c0 until the reactant is gone; then it stays at 1 and no flow turns negative."""
    r = [("A = B", law(f"{k} kmol/m3/h", orders={"B": "0"}))]
    for unit in (plug("1 m3"), tank("1 m3")):
        s = solve(kinetic(unit, r))
        assert s.units["R"].values["conversion"]["A"] == pytest.approx(x, abs=3e-6)
        assert min(s.streams["p"].flow.values()) >= 0.0


def test_consecutive_reactions_have_their_best_times():
    """A→B→C: the most B at ln(k2/k1)/(k2 − k1) in plug flow, at 1/√(k1 k2) in a tank (Levenspiel, ch. 8)."""
    k1, k2 = 2.0, 0.7
    r = [("A = B", law(f"{k1} 1/h")), ("B = C", law(f"{k2} 1/h"))]
    s = solve(kinetic(plug("10 m3", diameter="0.5 m"), r))
    (peak,) = s.units["R"].values["peaks"]
    tau = math.log(k2 / k1) / (k2 - k1)
    assert peak["species"] == "B" and peak["volume"] == pytest.approx(tau * Q, rel=1e-4)
    assert peak["flow"] == pytest.approx(10.0 * (k1 / k2) ** (k2 / (k2 - k1)), rel=1e-6)
    assert peak["length"] == pytest.approx(peak["volume"] / (math.pi / 4 * 0.25))
    best = Q / math.sqrt(k1 * k2)
    made = [solve(kinetic(tank(f"{best * f} m3"), r)).streams["p"].flow["B"] for f in (0.97, 1.0, 1.03)]
    assert made[1] > made[0] and made[1] > made[2]


def test_tanks_in_series_tend_to_plug_flow():
    r = [("A = B", law("1.2 1/h"))]
    target = converted(kinetic(plug("3 m3"), r))
    gaps = []
    for n in (1, 4, 16):
        data = kinetic(tank(f"{3 / n} m3"), r).dump()
        unit = data["units"][0]
        data["units"] = [unit | {"id": f"R{i}"} for i in range(n)]
        data["streams"] = [
            data["streams"][0] | {"to": "R0"},
            *({"id": f"s{i}", "from": f"R{i}", **({"to": f"R{i + 1}"} if i < n - 1 else {})} for i in range(n)),
        ]
        out = solve(load(data)).streams[f"s{n - 1}"].flow
        assert 1.0 - out["A"] / 10.0 == pytest.approx(1.0 - (1.0 + 1.0 / n) ** -n, rel=1e-8)  # kτ = 1
        gaps.append(target - (1.0 - out["A"] / 10.0))
    assert gaps[0] > gaps[1] > gaps[2] > 0.0


@pytest.mark.parametrize("size_by", [{"size_by": "time", "time": "20 min"}, {"size_by": "conversion", "target": "25 %"}])
def test_tank_by_time_or_target(size_by):
    k = 1.0
    s = solve(kinetic(tank(**size_by), [("A = B", law(f"{k} 1/h"))]))
    v = s.units["R"].values
    assert v["conversion"]["A"] == pytest.approx(0.25, rel=1e-8)  # kτ = 1/3
    assert v["volume_result"] == pytest.approx(Q / 3.0, rel=1e-7) and v["residence_time"] == pytest.approx(1200.0, rel=1e-7)


def test_reversible_reactions():
    """Own reverse against reverse from a constant with the same ratio of k, and both against the algebra."""
    own = law("2 1/h", reverse="own", backward={"k": "0.5 1/h"})
    x = 2.0 * (2.0 / Q) / (1.0 + 2.5 * (2.0 / Q))
    assert converted(kinetic(tank(), [("A = B", own)])) == pytest.approx(x, rel=1e-9)
    project = kinetic(tank(), [("A = B", law("2 1/h", reverse="equilibrium"))])
    data = project.dump()
    data["reactions"][0]["equilibrium"] = {
        "source": "constant",
        "value": "4",
        "phase": "liquid",
        "basis": "concentration",
    }
    assert converted(load(data)) == pytest.approx(x, rel=1e-9)


@pytest.mark.parametrize("kind", ["ideal", "peng-robinson"])
@pytest.mark.parametrize("unit", ["plug-flow", "stirred-tank"])
def test_long_times_end_at_equilibrium(kind, unit):
    """With the reverse from Gibbs energies both reactors tend to the equilibrium reactor's answer."""

    def build(u):
        return document(
            {"eb": "100-41-4", "styrene": "100-42-5", "hydrogen": "1333-74-0", "water": "7732-18-5"},
            [u],
            [
                feed("f", "R", {"eb": "10 kmol/h", "water": "90 kmol/h"}, T="900 K", P="1.4 bar"),
                {"id": "p", "from": "R"},
            ],
            [
                {
                    "id": "r",
                    "equation": "eb = styrene + hydrogen",
                    "rate": law("5 mol/(m3 s bar)", basis="partial-pressure", reverse="equilibrium"),
                }
            ],
            [{"id": "s", "steps": [["r"]]}],
            phase_model=kind,
        )

    large = "1e4 m3" if unit == "plug-flow" else "1e6 m3"
    got = converted(
        build(
            {
                "id": "R",
                "kind": unit,
                "set": "s",
                "phase": "vapour",
                "volume": large,
                "heat": {"mode": "isothermal", "temperature": "900 K"},
            }
        ),
        "eb",
    )
    want = converted(
        build(
            {
                "id": "R",
                "kind": "equilibrium-reactor",
                "set": "s",
                "heat": {"mode": "isothermal", "temperature": "900 K"},
            }
        ),
        "eb",
    )
    assert got == pytest.approx(want, rel=1e-6 if unit == "plug-flow" else 1e-5)


def test_adiabatic_butane():
    """n-butane ⇌ isobutane, adiabatic: plug flow to X = 0.7 needs 2.5 to 2.6 m3, a tank to X = 0.4 about 1.0 m3 with
    T = 330 K + 43.4 K X (Fogler; from memory, with its constant heat capacities and density)."""

    def hydrocarbon(id_, formula, molar_mass, cp, enthalpy):
        return {
            "id": id_,
            "data": {
                "formula": formula,
                "liquid_density": f"{molar_mass * 10.333} kg/m3",
                "heat_capacity": f"{cp} J/(mol K)",
                "vapour_pressure": "300 K 1e-7 bar; 400 K 1e-6 bar",
                "formation_enthalpy": enthalpy,
            },
        }

    species = [
        hydrocarbon("n", "C4H10", 58.1222, 141, "0 kJ/mol"),
        hydrocarbon("i", "C4H10", 58.1222, 141, "-6.9 kJ/mol"),
        hydrocarbon("p", "C5H12", 72.14878, 161, "0 kJ/mol"),
    ]
    rate = law("31.1 1/h", energy="65.7 kJ/mol", at="360 K", reverse="equilibrium")
    flow = {"n": "146.7 kmol/h", "p": "16.3 kmol/h"}
    heat = {"mode": "adiabatic"}

    def build(unit):
        data = kinetic(unit | {"heat": heat}, [("n = i", rate)], flow, species, T="330 K").dump()
        data["reactions"][0]["equilibrium"] = {
            "source": "formula",
            "a": f"{math.log(3.03) - 6900 / R / 333.15}",
            "b": f"{6900 / R}",
            "phase": "liquid",
            "basis": "concentration",
        }
        return load(data)

    assert [converted(build(plug(f"{V} m3")), "n") > 0.70 for V in (2.45, 2.65)] == [False, True]
    s = solve(build(tank(size_by="conversion", target="40 %")))
    assert s.units["R"].values["volume_result"] == pytest.approx(1.0, abs=0.06)
    assert s.streams["p"].temperature == pytest.approx(330.0 + 43.4 * 0.4, abs=0.05)


# Several steady states


def exothermic(**unit):
    """ΔH = −60 kJ/mol on 100 J/(mol K): 600 K adiabatic rise, so that three states exist."""
    return kinetic(
        tank(**unit),
        [("A = B", law("0.02 1/h", energy="60 kJ/mol", at="300 K"))],
        {"A": "12 kmol/h", "C": "24 kmol/h"},
        [isomer("A"), isomer("B", "-60 kJ/mol"), isomer("C")],
        T="300 K",
    )


def text_book_states(jacket=None):
    """Roots of cp (T − T0) + UA (T − Tc) = x_A (−ΔH) kτ/(1 + kτ) by dense search."""

    def gap(T):
        k = 0.02 * math.exp(-60000.0 / R * (1.0 / T - 1.0 / 300.0))
        x = k * 2.0 / Q / (1.0 + k * 2.0 / Q)
        cooling = jacket[0] * (T - jacket[1]) / 10.0 if jacket else 0.0
        return 100.0 * (T - 300.0) + cooling - 60000.0 / 3.0 * x

    grid = np.linspace(250.0, 800.0, 20001)
    values = np.array([gap(T) for T in grid])
    return [brentq(gap, grid[i], grid[i + 1]) for i in np.flatnonzero(values[:-1] * values[1:] < 0.0)]


@pytest.mark.parametrize(("which", "at"), [("coldest", 0), ("hottest", -1)])
def test_every_adiabatic_steady_state_is_found(which, at):
    """All states lie where heat made = heat removed (van Heerden; Fogler ch. on multiple steady states)."""
    expected = text_book_states()
    assert len(expected) == 3
    s = solve(exothermic(heat={"mode": "adiabatic"}, state=which))
    listed = s.units["R"].values["steady"]
    assert [x["T"] for x in listed] == pytest.approx(expected, abs=1e-4)
    assert [x["stable"] for x in listed] == [True, False, True]
    assert s.streams["p"].temperature == pytest.approx(expected[at], abs=1e-4)
    assert abs(s.units["R"].balances["energy"]) < 1e-9


def test_jacket_and_the_nearest_state():
    jacket = {"mode": "jacket", "conductance": "0.5 kW/K", "coolant": "300 K"}
    expected = text_book_states((500.0, 300.0))
    s = solve(exothermic(heat=jacket))
    assert [x["T"] for x in s.units["R"].values["steady"]] == pytest.approx(expected, abs=1e-4)
    assert s.units["R"].values["duty"] == pytest.approx(500.0 * (300.0 - expected[-1]), rel=1e-6)
    middle = text_book_states()[1]
    near = solve(exothermic(heat={"mode": "adiabatic"}, state="nearest", near=f"{middle + 2:.2f} K"))
    assert near.streams["p"].temperature == pytest.approx(middle, abs=1e-4)
    assert any("although it is unstable" in m.what for m in near.messages)


def test_scan_follows_a_branch_and_says_where_it_ends():
    project = next(p for p in projects() if "acid" in p.name)
    unit = project.unit("TANK")
    unit.state, unit.near = "nearest", "34 degC"
    result = run_scan(project, project.scans[0])
    notes = [p["note"] for p in result.points if p["note"]]
    temperatures = [p["gauges"]["tank_T"] for p in result.points]
    assert temperatures[0] < 320.0 and temperatures[-1] > 420.0
    assert len(notes) == 1 and "branch of steady states run before ends here" in notes[0]


def test_no_steady_state_in_the_range_is_said():
    s = solve(exothermic(heat={"mode": "duty", "duty": "50 MW"}))
    assert not s.solved and any("no steady state in the range" in m.what for m in s.messages)


# Heat and pressure along a plug flow


def inert(**unit):
    return kinetic(plug(**unit), [("A = B", law("1e-30 1/s"))], T="400 K")


@pytest.mark.parametrize("mode", ["coolant", "cocurrent", "countercurrent"])
def test_heat_exchange_without_reaction(mode):
    """Effectiveness of an exchanger with equal and unequal streams (any heat-transfer handbook)."""
    UA, C, Cc = 800.0, 1000.0, 500.0  # W/K; the fluid carries 10 mol/s of 100 J/(mol K)
    s = solve(inert(heat={"mode": mode, "conductance": f"{UA} W/K", "coolant": "300 K", "capacity": f"{Cc} W/K"}))
    if mode == "coolant":
        cooled = 100.0 * (1.0 - math.exp(-UA / C))
    else:
        ntu, ratio = UA / Cc, Cc / C
        sign = 1.0 + ratio if mode == "cocurrent" else 1.0 - ratio
        e = math.exp(-ntu * sign)
        share = (1.0 - e) / sign if mode == "cocurrent" else (1.0 - e) / (1.0 - ratio * e)
        cooled = 100.0 * share * ratio
        assert s.units["R"].values["coolant_leaves"] == pytest.approx(300.0 + 100.0 * share, abs=1e-3)
    assert s.streams["p"].temperature == pytest.approx(400.0 - cooled, abs=1e-4)
    assert s.units["R"].values["duty"] == pytest.approx(-cooled * C, rel=1e-6)
    coolant = s.units["R"].values["profile"]["coolant"]
    enters, other = (coolant[-1], coolant[0]) if mode == "countercurrent" else (coolant[0], coolant[-1])
    assert enters == pytest.approx(300.0, abs=1e-4) and other >= enters


def test_duty_per_length_is_the_duty_spread_out():
    whole = solve(inert(diameter="0.5 m", heat={"mode": "duty", "duty": "40 kW"}))
    length = whole.units["R"].values["length_result"]
    part = solve(inert(diameter="0.5 m", heat={"mode": "per-length", "heating": f"{40 / length!r} kW/m"}))
    assert part.streams["p"].temperature == pytest.approx(440.0, abs=1e-5)  # 40 kW on 1 kW/K
    assert whole.streams["p"].temperature == pytest.approx(440.0, abs=1e-5)
    assert any("needs the length" in m.what for m in solve(inert(heat={"mode": "per-length"})).messages)


def ergun(**more):
    return document(
        {"nitrogen": "7727-37-9", "a": "74-84-0", "b": "74-85-1", "h": "1333-74-0"},
        [
            {
                "id": "R",
                "kind": "plug-flow",
                "set": "s",
                "size_by": "length",
                "length": "2 m",
                "diameter": "0.5 m",
                "void": "40 %",
                "heat": {"mode": "isothermal", "temperature": "500 K"},
                "falls": "ergun",
                "particle": "4 mm",
                "viscosity": "0.03 mPa s",
                **more,
            }
        ],
        [feed("f", "R", {"nitrogen": "200 kmol/h"}, T="500 K", P="5 bar"), {"id": "p", "from": "R"}],
        [{"id": "r", "equation": "a = b + h", "rate": law("1e-9 1/s")}],
        [{"id": "s", "steps": [["r"]]}],
        phase_model="ideal",
    )


def test_ergun_for_an_ideal_gas():
    """At one temperature dP/dz = −c/P, so that P² falls in a straight line (Ergun 1952)."""
    s = solve(ergun())
    area, G = math.pi / 16.0, 200.0 / 3.6 * 28.0134e-3
    rho, u = 5e5 * 28.0134e-3 / (R * 500.0), 200.0 / 3.6 * R * 500.0 / 5e5 / area
    slope = 150 * 3e-5 * 0.36 / (0.064 * 16e-6) * u + 1.75 * rho * 0.6 / (0.064 * 4e-3) * u * u
    assert u * rho * area == pytest.approx(G, rel=1e-4)
    assert s.streams["p"].pressure == pytest.approx(math.sqrt(25e10 - 2 * 5e5 * slope * 2.0), rel=1e-6)
    assert s.units["R"].values["pressure_fall"] == pytest.approx(5e5 - s.streams["p"].pressure)


def test_pressure_that_runs_out_says_where():
    s = solve(ergun(particle="0.2 mm"))
    (message,) = [m for m in s.messages if m.level == "error"]
    assert "The pressure runs out at" in message.what and " m)" in message.what and message.todo


def test_temperature_that_runs_away_says_where():
    s = solve(
        kinetic(
            plug("5 m3", heat={"mode": "adiabatic"}, limit="600 K"),
            [("A = B", law("1 1/h", energy="60 kJ/mol", at="300 K"))],
            species=[isomer("A"), isomer("B", "-60 kJ/mol"), isomer("C")],
            T="320 K",
        )
    )
    assert not s.solved and any("runs away at" in m.what for m in s.messages)


@pytest.mark.parametrize(
    "mode",
    [
        {"mode": "isothermal", "temperature": "620 degC"},
        {"mode": "adiabatic"},
        {"mode": "duty", "duty": "500 kW"},
        {"mode": "coolant", "coolant": "700 degC", "conductance": "5 kW/K"},
        {"mode": "countercurrent", "coolant": "700 degC", "conductance": "5 kW/K", "capacity": "20 kW/K"},
    ],
)
def test_balances_close_along_the_bed(mode):
    project = next(p for p in projects() if "styrene" in p.name)
    data = project.dump()
    data["units"][1]["heat"] = mode
    s = solve(load(data))
    assert s.solved, s.messages
    b = s.units["BED"].balances
    assert abs(b["mass"]) < 1e-12 and abs(b["energy"]) < 1e-9 and max(map(abs, b["elements"].values())) < 1e-11
    profile = s.units["BED"].values["profile"]
    assert len(profile["T"]) == len(profile["flow"]["styrene"]) >= 121
    assert profile["conversion"][-1] == pytest.approx(s.units["BED"].values["per_pass_conversion"], rel=1e-9)


def test_catalyst_mass_volume_and_length_agree():
    project = next(p for p in projects() if "styrene" in p.name)
    reference = solve(project).units["BED"].values
    data = project.dump()
    bed = data["units"][1]
    for size_by in (
        {"size_by": "volume", "volume": f"{16 / 1.3!r} m3"},
        {"size_by": "length", "length": f"{reference['length_result']!r} m"},
    ):
        data["units"][1] = bed | size_by
        got = solve(load(data)).units["BED"].values
        assert got["per_pass_conversion"] == pytest.approx(reference["per_pass_conversion"], rel=1e-7)


# Laws


def test_formula_equals_the_power_law():
    power = [("A = B", law("3 1/h", energy="20 kJ/mol", at="350 K"))]
    formula = [("A = B", {"law": "formula", "formula": "3[1/h]*exp(-20[kJ/mol]/R*(1/T - 1/350[K]))*c.A"})]
    assert converted(kinetic(plug(), formula)) == pytest.approx(converted(kinetic(plug(), power)), rel=1e-7)


def test_adsorption_slows_the_reaction_as_its_formula_says():
    terms = [
        {"species": "A", "constant": {"k": "0.2 L/mol"}},
        {"species": "B", "constant": {"k": "0.4 L/mol", "energy": "-10 kJ/mol", "at": "350 K"}},
    ]
    divided = law("3 1/h", adsorption=terms, exponent="2")
    text = {"law": "formula", "formula": "3[1/h]*c.A/(1 + 0.2[L/mol]*c.A + 0.4[L/mol]*c.B)^2"}
    assert converted(kinetic(plug(), [("A = B", divided)])) == pytest.approx(converted(kinetic(plug(), [("A = B", text)])), rel=1e-7)
    assert converted(kinetic(tank(), [("A = B", divided)])) == pytest.approx(converted(kinetic(tank(), [("A = B", text)])), rel=1e-8)


@settings(max_examples=40, deadline=None)
@given(st.floats(-3.0, 3.0), st.floats(-3.0, 3.0), st.floats(0.05, 20.0))
def test_random_reversible_tanks_balance_rate_and_volume(ln_k1, ln_k2, volume):
    k1, k2 = math.exp(ln_k1), math.exp(ln_k2)
    s = solve(
        kinetic(
            tank(f"{volume} m3"),
            [
                ("A = B", law(f"{k1} 1/h", reverse="own", backward={"k": f"{k2} 1/h"})),
                ("2 A = B + C", law(f"{k2} L/mol/h")),
            ],
        )
    )
    assert s.solved
    flow = {i: v * 3.6 for i, v in s.streams["p"].flow.items()}  # kmol/h; 3.6 m3/h leave
    c = {i: v / Q for i, v in flow.items()}
    first, second = k1 * c["A"] - k2 * c["B"], k2 * c["A"] ** 2
    assert flow["A"] == pytest.approx(36.0 - volume * (first + 2.0 * second), rel=1e-6, abs=1e-6)
    assert flow["C"] == pytest.approx(volume * second, rel=1e-6, abs=1e-9)


def test_vapour_leaving_a_reacting_liquid():
    """Both outlets are at equilibrium and the liquid's rate makes up the whole extent."""
    species = [isomer("A"), isomer("B") | {}, isomer("C")]
    species[1]["data"] |= {"vapour_pressure": "300 K 0.5 bar; 400 K 12 bar"}
    project = kinetic(
        {"kind": "stirred-tank", "phase": "both", "volume": "3 m3", "heat": {"mode": "isothermal", "temperature": "350 K"}},
        [("A = B", law("2 1/h"))],
        species=species,
        P="1.5 bar",
    )
    s = solve(project)
    assert s.solved, s.messages
    v, p = s.streams["v"], s.streams["p"]
    assert v.flow["B"] > 0.0 and v.vapour_fraction == pytest.approx(1.0) and p.vapour_fraction == pytest.approx(0.0)
    c = p.flow["A"] / p.volume_flow
    assert s.units["R"].values["extent"]["r1"] == pytest.approx(3.0 * 2.0 / 3600.0 * c, rel=1e-7)
    assert abs(s.units["R"].balances["energy"]) < 1e-9


@pytest.mark.parametrize(
    ("text", "basis", "per", "order", "si"),
    [
        ("2 1/h", "concentration", "fluid", 1.0, 2.0 / 3600.0),
        ("2 L/mol/s", "concentration", "fluid", 2.0, 2e-3),
        ("3 mol/(m3·s·bar)", "partial-pressure", "fluid", 1.0, 3e-5),
        ("1 mol/(kg·s·Pa²)", "fugacity", "catalyst", 2.0, 1.0),
        ("5 kmol/m3/h", "concentration", "bed", 0.0, 5000.0 / 3600.0),
        ("4 mol/(m3 s)", "mole-fraction", "fluid", 2.0, 4.0),
        ("1 (L/mol)^0.5/s", "concentration", "fluid", 1.5, 1e-3**0.5),
        ("1 cm3/(g h)", "concentration", "catalyst", 1.0, 1e-3 / 3600.0),
    ],
)
def test_rate_constants_in_the_units_of_their_sources(text, basis, per, order, si):
    assert read_rate_constant(text, basis, per, order) == pytest.approx(si, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "order", "words"),
    [
        ("2 L/mol/s", 1.0, "The orders add to 1 in molar concentration and the rate counts on volume of fluid: k needs 1/time"),
        ("2 L/mol/s", 1.0, "would fit orders that add to 2"),
        ("2 1/s", 2.0, "would fit orders that add to 1"),
        ("2 mol/(kg s)", 0.0, "counts on mass of catalyst"),
        ("2 bar", 1.0, "does not fit"),
        ("-1 1/s", 1.0, "not above zero"),
        ("1 foo", 1.0, "not a unit"),
    ],
)
def test_units_that_do_not_fit_the_orders_are_explained(text, order, words):
    with pytest.raises(QuantityError) as caught:
        read_rate_constant(text, "concentration", "fluid", order)
    assert words in str(caught.value)


def test_half_lives():
    """ln 2/k in first order, 1/(k c0) in second, c0/(2 k) in zeroth (any kinetics text)."""
    assert half_life(0.3 * 8.0, 1.0, 8.0) == pytest.approx(math.log(2.0) / 0.3)
    assert half_life(0.3 * 64.0, 2.0, 8.0) == pytest.approx(1.0 / (0.3 * 8.0))
    assert half_life(0.3, 0.0, 8.0) == pytest.approx(8.0 / 0.6)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"rate": law("1 L/mol/s")}, "The orders add to 1"),
        ({"rate": law("1 1/s", orders={"Z": "1"})}, "names Z, which is not a species"),
        ({"rate": law("1 1/s", orders={"A": "x"})}, "does not start with a number"),
        ({"rate": law("1 1/s", reverse="own")}, "reverse reaction has no rate constant"),
        ({"rate": law("1 1/s", reverse="equilibrium")}, "has no entropy, so there is no equilibrium constant"),
        ({"rate": None}, "no rate law"),
        ({"rate": {"law": "formula", "formula": "c.A*c.B"}}, "comes out in"),
        ({"rate": {"law": "formula", "formula": "__import__('os')"}}, "not allowed"),
        ({"rate": {"law": "formula", "formula": "2[1/s]*c.Z"}}, "not known here"),
        ({"rate": {"law": "formula", "formula": ""}}, "No formula"),
        ({"rate": law("1 1/s", per="catalyst")}, "rate counts on mass of catalyst"),
        ({"rate": law("1 1/s", adsorption=[{"species": "Z", "constant": {"k": "1 L/mol"}}])}, "names Z"),
        ({"rate": law("1 1/s", adsorption=[{"species": "A", "constant": {"k": "1 bar"}}])}, "adsorption constant"),
        ({"unit": {"volume": "0 m3"}}, "below"),
        ({"unit": {"volume": "-3 m3"}}, "below"),
        ({"unit": {"size_by": "conversion", "target": "120 %"}}, "above 100"),
        ({"unit": {"kind": "plug-flow", "size_by": "length"}}, "length alone gives no volume"),
        ({"unit": {"kind": "plug-flow", "size_by": "catalyst"}}, "mass of catalyst alone"),
        ({"unit": {"kind": "plug-flow", "falls": "ergun"}}, "needs the velocity"),
        ({"unit": {"kind": "plug-flow", "falls": "ergun", "diameter": "1 m"}}, "void fraction is 100 %"),
        ({"unit": {"kind": "plug-flow", "falls": "drop", "pressure_drop": "9 bar"}}, "not below the inlet pressure"),
    ],
)
def test_bad_input_is_said(change, words):
    data = kinetic(tank(), [("A = B", law("1 1/s"))]).dump()
    if "rate" in change:
        data["reactions"][0]["rate"] = change["rate"]
    if "unit" in change:
        unit = {"id": "R", "set": "s", "kind": "stirred-tank", "heat": {"mode": "feed-temperature"}} | change["unit"]
        data["units"] = [unit | ({"phase": "liquid"} if unit["kind"] == "plug-flow" else {})]
    s = solve(load(data))
    assert not s.solved
    assert any(words in m.what for m in s.messages), [m.what for m in s.messages]


def test_energy_typed_in_kilojoules_for_joules_is_asked():
    project = kinetic(tank(), [("A = B", law("1 1/s", energy="65700 kJ/mol", at="350 K"))])
    (question,) = [m for m in check(project) if m.level == "question"]
    assert "Was 65.7 kJ/mol meant" in question.what and question.answers[0][1] == "65.7 kJ/mol"
    project.reactions[0].rate.forward.meant = True
    assert not [m for m in check(project) if m.level == "question"]


def test_missing_order_in_a_species_that_vanishes_is_warned_of():
    project = kinetic(tank(), [("A + B = 2 C", law("1 1/s", orders={"A": "1"}))], {"A": "36 kmol/h", "B": "5 kmol/h"})
    assert any("uses up B but has no order in it" in m.what for m in check(project))
    s = solve(project)
    assert s.streams["p"].flow["B"] == pytest.approx(0.0, abs=1e-6) and s.streams["p"].flow["A"] * 3.6 == pytest.approx(31.0, abs=1e-4)


def test_activation_energy_can_be_a_knob():
    plan = Plan(kinetic(tank(), [("A = B", law("1 1/h", energy="10 kJ/mol", at="300 K"))]))
    x = math.exp(-30000.0 / R * (1 / 350 - 1 / 300)) * 2.0 / Q
    assert plan.run(overrides={"r1.energy": 30000.0}).units["R"].values["conversion"]["A"] == pytest.approx(x / (1 + x), rel=1e-8)


# Formulas


KNOWN = {"T": ("T", 0.0, "K"), "R": ("push", R, "J/mol/K"), "c.A": ("c", 0.0, "mol/m**3")}


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("c.A + T", "cannot be added"),
        ("exp(T)", "must be a bare number"),
        ("c.A^T", "has a unit"),
        ("[x for x in y]", "not allowed"),
        ("c.A if 1 else 2", "not allowed"),
        ("lambda: 1", "not allowed"),
        ("c.A.__class__", "not known here"),
        ("open('x')", "not allowed"),
        ("exp(1", "cannot be read"),
        ("2[furlong per]*c.A", "not a unit"),
        ("1+" * 400 + "1", "longer than"),
        ("min(c.A, T)", "two sides"),
        ("c.A^(1+1)", "plain number"),
    ],
)
def test_formulas_refuse_what_is_not_arithmetic(text, words):
    with pytest.raises(formulas.FormulaError, match=words.replace("(", r"\(")):
        formulas.read(text, KNOWN, "mol/m**3")


def test_formula_reads_units_and_powers():
    found = formulas.read("2[1/s] * sqrt(c.A^2) * exp(-8.314[kJ/mol]/(R*T)) * min(1, 3)", KNOWN, "mol/m**3/s")
    assert found.names == {"T", "R", "c.A"} and found.instructions[0] == ("push", 2.0)


# Sizing


@pytest.mark.parametrize("tanks", [1, 3])
def test_sizes_of_a_first_order_reaction(tanks):
    """V = Q ln(1/(1 − X))/k as plug flow, Q X/(k (1 − X)) as a tank, n tanks by (1 − X)^(−1/n) (Levenspiel, ch. 6)."""
    project = kinetic(tank(), [("A = B", law("1.5 1/h"))])
    found = size(project, solve(project), SizingEntry(set="s", stream="f", target="85 %", tanks=tanks))
    assert found.plug == pytest.approx(Q / 1.5 * math.log(1 / 0.15), rel=1e-6)
    assert found.tank == pytest.approx(Q / 1.5 * 0.85 / 0.15, rel=1e-6)
    assert found.each == pytest.approx(Q / 1.5 * (0.15 ** (-1 / tanks) - 1), rel=1e-6)
    assert found.steps[-1] == pytest.approx(0.85, rel=1e-8)
    for x, y in [*found.plug_curve[1:-1:10], *found.tank_curve]:
        assert y == pytest.approx(Q / 1.5 / (1 - x), rel=5e-3)


def test_sizing_says_what_it_cannot_reach():
    data = kinetic(tank(), [("A = B", law("1.5 1/h", reverse="own", backward={"k": "1.5 1/h"}))])
    with pytest.raises(SizingTrouble, match="convert only 50 %"):
        size(data, solve(data), SizingEntry(set="s", stream="f", target="60 %"))
    with pytest.raises(SizingTrouble, match="between 0 and 100"):
        size(data, solve(data), SizingEntry(set="s", stream="f", target="100 %"))
    with pytest.raises(SizingTrouble, match="not known"):
        size(data, None, SizingEntry(set="s", stream="f"))


@pytest.mark.parametrize("kind", ["plug-flow", "stirred-tank"])
def test_space_velocity_counts_what_enters(kind):
    """Of one mole two are made, so that more leaves by volume than enters (definition: Levenspiel)."""
    project = document(
        {"butene": "106-98-9", "ethylene": "74-85-1"},
        [{"id": "R", "kind": kind, "set": "s", "volume": "2 m3", "heat": {"mode": "isothermal", "temperature": "400 degC"}}],
        [feed("f", "R", {"butene": "10 kmol/h"}, T="400 degC", P="1 bar"), {"id": "p", "from": "R"}],
        [{"id": "r", "equation": "butene = 2 ethylene", "rate": {"basis": "concentration", "forward": {"k": "0.5 1/s"}}}],
        [{"id": "s", "steps": [["r"]]}],
    )
    found = solve(project)
    inlet = 10e3 / 3600.0 * 8.314462618 * 673.15 / 1e5  # m3/s, ideal gas
    assert found.solved and found.streams["p"].total > 1.3 * found.streams["f"].total
    assert found.units["R"].values["space_velocity"] == pytest.approx(inlet / 2.0, rel=1e-9)
