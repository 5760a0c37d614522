"""Reactors between a stirred tank and plug flow: return, tanks in series, dispersion, measured residence times, against closed forms."""

import math

import numpy as np
import pytest
import scipy
from helpers import document, feed

from gulch.engine.explain import solve
from gulch.engine.reactors.dispersed import settled

BUTENES = {"a": "106-98-9", "b": "590-18-1"}
R = 8.314462618
T, P = 400.0, 1e5
FLOW = 10e3 / 3600 * R * T / P  # m3/s of 10 kmol/h as an ideal gas


def reactor(unit, k="0.5 1/s", order=1, a="10 kmol/h", b="0 kmol/h", **more):
    """a → b as an ideal gas of constant volume flow: what is made hangs on k tau alone."""
    rate = {"law": "power", "basis": "concentration", "per": "fluid", "forward": {"k": k} | more, "orders": {"a": str(order)}}
    return solve(
        document(
            BUTENES,
            [{"id": "R", "set": "s", "phase": "vapour", "heat": {"mode": "feed-temperature"}} | unit],
            [feed("f", "R", {"a": a, "b": b}, T=f"{T} K", P="1 bar"), {"id": "p", "from": "R"}],
            [{"id": "r", "equation": "a = b", "rate": rate}],
            [{"id": "s", "steps": [["r"]]}],
            measures={"key": "a", "product": "b"},
        )
    )


def converted(solution):
    assert solution.solved, solution.messages
    return solution.units["R"].values["conversion"]["a"]


KT = 1.5  # k tau
VOLUME = f"{KT / 0.5 * FLOW} m3"


@pytest.mark.parametrize("ratio", [0.3, 2.0, 50.0])
def test_a_return_is_between_plug_flow_and_a_tank(ratio):
    """k tau/(R + 1) = ln[(1 + R (1 − X))/((R + 1)(1 − X))] (Levenspiel, ch. 6)."""
    X = converted(reactor({"kind": "recycle-reactor", "volume": VOLUME, "returned": str(ratio)}))
    expected = scipy.optimize.brentq(
        lambda x: math.log((1 + ratio * (1 - x)) / ((ratio + 1) * (1 - x))) - KT / (ratio + 1), 1e-6, 1 - 1e-9, xtol=1e-13
    )
    assert expected == pytest.approx(X, rel=1e-6)
    assert KT / (1 + KT) < X < 1 - math.exp(-KT)


def test_an_adiabatic_return_keeps_its_enthalpy():
    solution = reactor({"kind": "recycle-reactor", "volume": VOLUME, "returned": "2", "heat": {"mode": "adiabatic"}})
    assert solution.solved, solution.messages
    assert abs(solution.units["R"].balances["energy"]) < 1e-9 and solution.streams["p"].temperature != pytest.approx(T, abs=1.0)


@pytest.mark.parametrize("tanks", [1, 3, 20])
def test_tanks_in_series(tanks):
    """X = 1 − 1/(1 + k tau/N)^N (Levenspiel, ch. 6)."""
    X = converted(reactor({"kind": "tanks-in-series", "volume": VOLUME, "tanks": str(tanks)}))
    assert 1 - (1 + KT / tanks) ** -tanks == pytest.approx(X, rel=1e-7)


@pytest.mark.parametrize("Pe", [0.5, 8.0, 200.0])
def test_dispersion_of_a_first_order_reaction(Pe):
    """1 − X = 4 q e^(Pe/2)/((1 + q)² e^(q Pe/2) − (1 − q)² e^(−q Pe/2)), q² = 1 + 4 k tau/Pe (Levenspiel, ch. 13)."""
    X = converted(reactor({"kind": "dispersed-tube", "volume": VOLUME, "peclet": str(Pe)}))
    q = math.sqrt(1 + 4 * KT / Pe)
    left = 4 * q * math.exp(Pe / 2) / ((1 + q) ** 2 * math.exp(q * Pe / 2) - (1 - q) ** 2 * math.exp(-q * Pe / 2))
    assert 1 - left == pytest.approx(X, rel=1e-6)


def test_dispersion_lies_between_a_tank_and_plug_flow_also_adiabatic():
    """A reaction that cools itself: the ends are those of the other kinds, and enthalpy is kept."""
    heat = {"heat": {"mode": "adiabatic"}, "volume": VOLUME}
    low, high = (
        converted(reactor(heat | u)) for u in ({"kind": "dispersed-tube", "peclet": "0.01"}, {"kind": "dispersed-tube", "peclet": "2000"})
    )
    assert low == pytest.approx(converted(reactor(heat | {"kind": "stirred-tank"})), rel=5e-3)
    assert high == pytest.approx(converted(reactor(heat | {"kind": "plug-flow"})), rel=5e-3)


def by_cells(pace, Pe, cells):
    """u at the outlet of a tube of cells that is followed from u = 0 for long, by central differences."""

    def change(t, u):
        through = np.r_[0.0, 0.5 * (u[1:] + u[:-1]) - np.diff(u) * cells / Pe, u[-1]]
        return pace(u) - np.diff(through) * cells

    return scipy.integrate.solve_ivp(change, (0.0, 40.0), np.zeros(cells), "LSODA", rtol=1e-9, atol=1e-11, lband=1, uband=1).y[-1, -1]


@pytest.mark.parametrize(("fast", "heats", "Pe"), [(0.15, 5.0, 1.0), (0.3, 5.0, 8.0), (0.2, 6.0, 30.0)])
def test_a_tube_with_dispersion_that_ignites(fast, heats, Pe):
    """Twenty to eighty times faster at the end than at first: beside cells written anew, whose error goes by the square of their size."""

    def pace(u):
        return fast * np.maximum(1.0 - u, 0.0) * np.exp(heats * np.minimum(u, 1.0))

    found = settled(pace, Pe, 1)[0]
    coarse, fine = by_cells(pace, Pe, 100), by_cells(pace, Pe, 200)
    assert found == pytest.approx(fine + (fine - coarse) / 3.0, abs=2e-5)
    assert 0.98 < found < 1.0 - 1e-5


def test_an_ignited_tube_with_dispersion_gives_off_what_plug_flow_does():
    law = {"basis": "concentration", "per": "fluid", "orders": {"benzene": "1", "hydrogen": "0"}}
    reaction = {"id": "r", "equation": "benzene + 3 hydrogen = cyclohexane"}
    reaction["rate"] = law | {"forward": {"k": "0.02 1/s", "energy": "90 kJ/mol", "at": "150 degC"}}
    species = {"hydrogen": "1333-74-0", "benzene": "71-43-2", "cyclohexane": "110-82-7", "nitrogen": "7727-37-9"}
    flow = {"benzene": "4 kmol/h", "hydrogen": "30 kmol/h", "nitrogen": "66 kmol/h"}
    left = []
    for kind in ({"kind": "plug-flow"}, {"kind": "dispersed-tube", "peclet": "5"}):
        unit = {"id": "R", "set": "main", "phase": "vapour", "volume": "1 m3", "heat": {"mode": "adiabatic"}} | kind
        streams = [feed("f", "R", flow, T="150 degC", P="5 bar"), {"id": "out", "from": "R"}]
        solution = solve(document(species, [unit], streams, [reaction], [{"id": "main", "steps": [["r"]]}]))
        assert solution.solved
        left.append(solution.streams["out"].temperature)
    assert left[1] == pytest.approx(left[0], abs=1e-4) and left[0] > 650.0


def pulse(E, longest, points=60):
    t = np.linspace(0.0, longest, points)
    return "; ".join(f"{x:.5g} s {max(E(x), 0.0):.6g}" for x in t)


def test_measured_times_of_a_first_order_reaction_ask_not_how_contents_mix():
    """First order: segregated and maximally mixed make the same, X = 1 − integral of E e^(−kt) (Levenspiel, ch. 16)."""
    tau = 3.0
    tracer = pulse(lambda t: t / tau**2 * math.exp(-t / tau) * 4.0, 45.0, 120)  # two tanks of 3 s each
    solution = reactor({"kind": "residence-time-reactor", "tracer": tracer})
    values = solution.units["R"].values
    exact = 1 - 1 / (1 + 0.5 * tau) ** 2
    assert values["conversion_late"] == pytest.approx(exact, abs=3e-3) and converted(solution) == pytest.approx(values["conversion_late"])
    assert values["conversion_early"] == pytest.approx(values["conversion_late"], abs=1e-3)
    assert values["residence_time"] == pytest.approx(2 * tau, rel=5e-3) and values["variance"] == pytest.approx(0.5, rel=0.02)


def test_the_bounds_of_a_tanks_times_for_second_order():
    """Times of a stirred tank: maximally mixed is the tank itself; segregated follows from its integral (Levenspiel, ch. 16)."""
    tau, c0 = 4.0, P / (R * T)
    k = 1.0 / (c0 * tau)  # k c0 tau = 1
    tracer = pulse(lambda t: math.exp(-t / tau), 60.0, 300)
    values = reactor({"kind": "residence-time-reactor", "tracer": tracer}, k=f"{k} m3/(mol s)", order=2).units["R"].values
    late = 1 - scipy.integrate.quad(lambda t: math.exp(-t) / (1 + t), 0, 60)[0]
    early = 1 - (math.sqrt(5.0) - 1.0) / 2.0
    assert values["conversion_late"] == pytest.approx(late, abs=2e-3)
    assert values["conversion_early"] == pytest.approx(early, abs=2e-3)
    assert values["conversion_late"] > values["conversion_early"]


def test_what_is_no_distribution_is_refused():
    for tracer, words in (
        ("0 s 1; 1 s 1", "no distribution"),
        ("0 s 0; 1 s 0; 2 s 0", "no distribution"),
        ("early 1", "Tracer at the outlet of R"),
    ):
        solution = reactor({"kind": "residence-time-reactor", "tracer": tracer})
        assert any(words in m.what for m in solution.messages if m.level == "error"), [m.what for m in solution.messages]
    falls = reactor({"kind": "recycle-reactor", "volume": VOLUME, "falls": "drop", "pressure_drop": "0.1 bar"})
    assert any("no fall of pressure can be held" in m.what for m in falls.messages)


@pytest.mark.parametrize(
    "unit",
    [
        {"kind": "dispersed-tube", "volume": VOLUME},
        {"kind": "tanks-in-series", "volume": VOLUME},
        {"kind": "recycle-reactor", "volume": VOLUME},
        {"kind": "residence-time-reactor", "tracer": "0 s 0; 1 s 4; 3 s 4; 9 s 0", "mixed": "early"},
        {"kind": "residence-time-reactor", "tracer": "0 s 0; 1 s 4; 3 s 4; 9 s 0", "mixed": "late"},
    ],
)
def test_half_the_activity_converts_as_half_the_constant(unit):
    """A catalyst by bed volume at 50 % of its activity is one of half the k, whatever the reactor."""
    bed = {"law": "power", "basis": "concentration", "per": "bed", "orders": {"a": "1"}}

    def run(k, activity):
        data = document(
            BUTENES,
            [{"id": "R", "set": "s", "phase": "vapour", "heat": {"mode": "feed-temperature"}, "catalyst": {"activity": activity}} | unit],
            [feed("f", "R", {"a": "10 kmol/h"}, T=f"{T} K", P="1 bar"), {"id": "p", "from": "R"}],
            [{"id": "r", "equation": "a = b", "rate": bed | {"forward": {"k": k}}}],
            [{"id": "s", "steps": [["r"]]}],
        )
        return converted(solve(data))

    assert run("0.5 1/s", "50 %") == pytest.approx(run("0.25 1/s", "100 %"), rel=1e-6)
    assert run("0.5 1/s", "50 %") < 0.9 * run("0.5 1/s", "100 %")
