"""Space velocities, space time and productivity, and reactors sized by them, by hand."""

import pytest
from helpers import document, feed

from gulch.engine.explain import solve
from gulch.engine.units import KINDS

MOLAR_VOLUME = 22.414e-3  # m3/mol of ideal gas at 0 °C and 1.01325 bar (CODATA)
RATE = {
    "law": "power",
    "basis": "partial-pressure",
    "per": "catalyst",
    "forward": {"k": "2e-3 mol/(kg s bar)", "at": "400 degC", "energy": "90 kJ/mol"},
    "orders": {"ethylbenzene": "1"},
}
REACTION = {
    "id": "r",
    "equation": "ethylbenzene = styrene + hydrogen",
    "conversion": {"key": "ethylbenzene", "value": "40 %"},
    "rate": RATE,
}


def bed(**more):
    """Ethylbenzene and steam over 2 m3 of catalyst at 1100 kg/m3; the reaction dehydrogenates."""
    data = document(
        {"ethylbenzene": "100-41-4", "styrene": "100-42-5", "hydrogen": "1333-74-0", "water": "7732-18-5"},
        [{"id": "R", "bulk_density": "1100 kg/m3", **more}],
        [
            feed("f", "R", {"ethylbenzene": "20 kmol/h", "water": "180 kmol/h"}, T="580 degC", P="1 bar"),
            {"id": "p", "from": "R"},
        ],
        [REACTION],
        [{"id": "s", "steps": [["r"]]}],
        measures={"key": "ethylbenzene", "product": "styrene"},
    )
    return solve(data)


def by_hand(solution, V):
    """(GHSV, LHSV, WHSV, productivity) in 1/h and the space time in s, of what is fed and made."""
    f, made = 200.0, solution.streams["p"].flow["styrene"] * 3.6
    mass = 20.0 * 106.165 + 180.0 * 18.0153  # kg/h
    liquid = 20.0 * 106.165 / 871.0 + 180.0 * 18.0153 / 999.1  # m3/h at 15 °C: handbook densities, two liquids side by side
    volume_flow = 200.0 / 3.6 * 8.314462618 * 853.15 / 1e5
    return f * 1e3 * MOLAR_VOLUME / V, liquid / V, mass / (1100.0 * V), made * 104.149 / (1100.0 * V), V / volume_flow


@pytest.mark.parametrize("kind", ["plug-flow", "stoichiometric-reactor"])
def test_each_is_what_is_fed_over_what_is_there(kind):
    heat = {"mode": "isothermal", "temperature": "580 degC"}
    rated = {"phase": "vapour"} if kind == "plug-flow" else {}
    solution = bed(kind=kind, set="s", volume="2 m3", heat=heat, **rated)
    assert solution.solved, solution.messages
    values = solution.units["R"].values
    gas, liquid, weight, productivity, time = by_hand(solution, 2.0)
    hourly = {n: values[n] * 3600.0 for n in ("gas_velocity", "liquid_velocity", "weight_velocity", "productivity")}
    assert hourly["gas_velocity"] == pytest.approx(gas, rel=1e-4) and hourly["weight_velocity"] == pytest.approx(weight, rel=1e-4)
    assert hourly["liquid_velocity"] == pytest.approx(liquid, rel=0.01)
    assert hourly["productivity"] == pytest.approx(productivity, rel=1e-4) and productivity > 0.05
    assert values["space_time"] == pytest.approx(time, rel=1e-4) and values["held_catalyst"] == pytest.approx(2200.0)


@pytest.mark.parametrize(("by", "typed"), [("gas", "2000 1/h"), ("liquid", "2.5 1/h"), ("weight", "1.8 1/h"), ("space-time", "0.4 s")])
@pytest.mark.parametrize("kind", ["plug-flow", "stirred-tank"])
def test_a_reactor_sized_by_one_of_them_reads_it_back(by, typed, kind):
    heat = {"mode": "isothermal", "temperature": "580 degC"}
    size = {"typed_time": typed} if by == "space-time" else {"velocity": typed}
    solution = bed(kind=kind, set="s", size_by=by, heat=heat, phase="vapour", **size)
    assert solution.solved, solution.messages
    values, number = solution.units["R"].values, float(typed.split()[0])
    name = {"gas": "gas_velocity", "liquid": "liquid_velocity", "weight": "weight_velocity", "space-time": "space_time"}[by]
    assert values[name] * (1.0 if by == "space-time" else 3600.0) == pytest.approx(number, rel=1e-9)
    same = bed(kind=kind, set="s", volume=f"{values['volume_result']:.17g} m3", heat=heat, phase="vapour")
    assert same.units["R"].values["conversion"]["ethylbenzene"] == pytest.approx(values["conversion"]["ethylbenzene"], rel=1e-9)


def test_what_has_no_liquid_has_no_lhsv_and_what_has_no_catalyst_no_whsv():
    data = document(
        {"methane": "74-82-8", "hydrogen": "1333-74-0", "ethane": "74-84-0"},
        [{"id": "R", "kind": "plug-flow", "set": "s", "size_by": "liquid", "phase": "vapour", "heat": {"mode": "adiabatic"}}],
        [feed("f", "R", {"methane": "1 kmol/h"}, T="500 degC", P="10 bar"), {"id": "p", "from": "R"}],
        [
            {
                "id": "r",
                "equation": "2 methane = ethane + hydrogen",
                "rate": {"forward": {"k": "1e-6 1/s"}, "orders": {"methane": "1"}},
            }
        ],
        [{"id": "s", "steps": [["r"]]}],
    )
    (said,) = [m for m in solve(data).messages if m.level == "error"]
    assert "Nothing of the feed is liquid at 15 °C" in said.what
    data.unit("R").size_by = "weight"
    (said,) = [m for m in solve(data).messages if m.level == "error"]
    assert "WHSV" in said.what and "catalyst per bed volume" in said.todo
    data.unit("R").size_by = "gas"
    values = solve(data).units["R"].values
    assert values["liquid_velocity"] is None and values["weight_velocity"] is None and values["gas_velocity"] * 3600.0 == pytest.approx(1.0)


def test_every_reactor_has_them():
    reactors = [k for k in KINDS.values() if k.family == "reactors" and not k.kind.endswith("batch-reactor")]  # nothing flows in these
    assert len(reactors) >= 6
    for kind in reactors:
        assert {"gas_velocity", "liquid_velocity", "weight_velocity", "space_time", "productivity"} <= {r.name for r in kind.results()}, (
            kind
        )
