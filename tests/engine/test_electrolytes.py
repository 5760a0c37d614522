"""Weak electrolytes in water: partial pressures, pH and heats beside published ones, and one Gibbs energy behind them."""

import numpy as np
import pytest
from helpers import document, feed
from hypothesis import given, settings
from hypothesis import strategies as st

from gulch.engine import fluids as k
from gulch.engine.document import Project
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.explain.model_advice import advised
from gulch.engine.phases import phase_model
from gulch.engine.phases.weak import MADE_OF, dissociated
from gulch.engine.species import SpeciesError, lookup

W, NH3, CO2, H2S, SO2, HCL, NAOH = "7732-18-5", "7664-41-7", "124-38-9", "7783-06-4", "7446-09-5", "7647-01-0", "1310-73-2"
N2, NACL, SODA = "7727-37-9", "7647-14-5", "497-19-8"
WATER = 55.508  # mol/kg
MMHG = 133.322


def partial(amounts, celsius):
    """{CAS: partial pressure [mmHg]} over a liquid of amounts {CAS: mol}."""
    model = phase_model("electrolytes", tuple(amounts))
    z = np.array(list(amounts.values()))
    z = z / z.sum()
    found = z * np.exp(model.ln_phi(celsius + 273.15, 1e5, z, k.LIQUID)) * 1e5 / MMHG
    return dict(zip(amounts, found, strict=True))


def stands(amounts, celsius=25.0):
    """What `dissociated` says of a liquid of amounts {CAS: mol}."""
    z = np.array(list(amounts.values()))
    return dissociated(phase_model("electrolytes", tuple(amounts)), celsius + 273.15, 1e5, z / z.sum())


# Ammonia over water [mmHg] by g in 100 g of water: Sherwood, Ind. Eng. Chem. 17 (1925) 745, as in Perry's Handbook (from memory).
AMMONIA = {
    20: {2: 12.0, 3: 18.2, 4: 24.9, 5: 31.7, 7.5: 50.0, 10: 69.6, 15: 114, 20: 166, 25: 227, 30: 298},
    30: {2: 19.3, 3: 29.6, 4: 40.1, 5: 51.0, 7.5: 79.7, 10: 110, 15: 179, 20: 260, 25: 352, 30: 454},
    40: {4: 60.8, 5: 76.5, 7.5: 120, 10: 167, 15: 273, 20: 395, 25: 534, 30: 692},
}
SULFUR_DIOXIDE = {20: {0.5: 26, 1: 59, 2: 123, 5: 336}, 30: {0.2: 11.8, 0.5: 36, 1: 79, 2: 176, 5: 452}}  # the same (from memory)


@pytest.mark.parametrize("celsius, grams", [(t, g) for t in AMMONIA for g in AMMONIA[t]])
def test_ammonia_over_water(celsius, grams):
    found = partial({W: 100 / 18.015, NH3: grams / 17.031}, celsius)
    water = {20: 17.5, 30: 31.8, 40: 55.3}[celsius] * found[W] / partial({W: 1.0}, celsius)[W]
    assert found[NH3] == pytest.approx(AMMONIA[celsius][grams], rel=0.05)
    assert found[NH3] + found[W] == pytest.approx(AMMONIA[celsius][grams] + water, rel=0.05)


@pytest.mark.parametrize("celsius, grams", [(t, g) for t in SULFUR_DIOXIDE for g in SULFUR_DIOXIDE[t]])
def test_sulfur_dioxide_over_water(celsius, grams):
    found = partial({W: 100 / 18.015, SO2: grams / 64.064}, celsius)
    assert found[SO2] == pytest.approx(SULFUR_DIOXIDE[celsius][grams], rel=0.1)


@pytest.mark.parametrize("percent, published", [(10, 0.0070), (20, 0.32), (24, 1.49)])
def test_hydrogen_chloride_over_water(percent, published):
    """At 25 degC [mmHg]: Zeisberg (1925) as in Perry's Handbook (from memory)."""
    found = partial({W: (100 - percent) / 18.015, HCL: percent / 36.461}, 25.0)
    assert found[HCL] == pytest.approx(published, rel=0.2)


@pytest.mark.parametrize(
    "celsius, a, ammonia, sulfide",
    [(20, 1.10, 1.0, 0.5), (20, 1.10, 2.0, 0.4), (20, 1.10, 2.0, 1.0), (40, 1.70, 0.5, 0.3)]
    + [(40, 1.70, 1.0, 0.2), (40, 1.70, 1.0, 0.5), (40, 1.70, 2.0, 0.4), (60, 2.19, 0.5, 0.1), (60, 2.19, 0.5, 0.3), (60, 2.19, 1.0, 0.2)],
)
def test_sour_water(celsius, a, ammonia, sulfide):
    """p = S²/(N − S) 10^(a − 0.089 S) mmHg of H2S: van Krevelen, Hoftijzer & Huntjens, Rec. Trav. Chim. 68 (1949) 191 (from memory)."""
    published = sulfide**2 / (ammonia - sulfide) * 10 ** (a - 0.089 * sulfide)
    assert partial({W: WATER, NH3: ammonia, H2S: sulfide}, celsius)[H2S] == pytest.approx(published, rel=0.15)


@pytest.mark.parametrize("celsius, solubility", [(40, 0.0236), (60, 0.0163)])
@pytest.mark.parametrize("sodium", [0.5, 1.0, 2.0])
@pytest.mark.parametrize("share", [0.3, 0.5])
def test_carbon_dioxide_over_soda(celsius, solubility, sodium, share):
    """p = 137 f² N^1.29/(S (1 − f)(365 − t/°F)) mmHg: Harte, Baker & Purcell, Ind. Eng. Chem. 25 (1933) 528 (from memory)."""
    published = 137 * share**2 * sodium**1.29 / (solubility * (1 - share) * (365 - (celsius * 1.8 + 32)))
    found = partial({W: WATER, CO2: sodium * (share + (1 - share) / 2), NAOH: sodium}, celsius)
    assert found[CO2] == pytest.approx(published, rel=0.15)


@pytest.mark.parametrize(
    "amounts, celsius, ph",
    [
        ({W: 1.0}, 25.0, 7.00),
        ({W: 1.0}, 60.0, 6.51),
        ({W: WATER, HCL: 0.1}, 25.0, 1.10),  # gamma 0.796 (Robinson & Stokes)
        ({W: WATER, NAOH: 0.1}, 25.0, 12.88),
        ({W: WATER, NH3: 0.1}, 25.0, 11.12),
        ({W: WATER, CO2: 0.0338}, 25.0, 3.92),  # of 1 atm
        ({W: WATER, NAOH: 0.025, CO2: 0.025}, 25.0, 8.25),
        ({W: WATER, "144-55-8": 0.025}, 25.0, 8.25),
        ({W: WATER, NAOH: 0.075, CO2: 0.05}, 25.0, 10.012),  # as much carbonate as hydrogencarbonate: an NBS buffer
        ({W: WATER, SODA: 0.025, "144-55-8": 0.025}, 25.0, 10.012),
    ],
)
def test_ph(amounts, celsius, ph):
    """From memory of buffers and handbooks."""
    assert stands(amounts, celsius).pH == pytest.approx(ph, abs=0.04)


def test_sodium_carbonate_is_caustic_with_carbon_dioxide():
    salt = stands({W: WATER, SODA: 0.5})
    made = stands({W: WATER - 0.0 + 0.5, NAOH: 1.0, CO2: 0.5})
    assert salt.pH == pytest.approx(made.pH, abs=0.02)
    assert salt.molalities["CO3--"] == pytest.approx(made.molalities["CO3--"], rel=0.02)


MIXTURES = [
    {W: 55.5, NH3: 2.0, CO2: 1.2, H2S: 0.3},
    {W: 55.5, NH3: 4.0, CO2: 0.5, SO2: 0.3, NACL: 0.5},
    {W: 55.5, NAOH: 3.0, CO2: 1.0, HCL: 0.5, N2: 1e-3},
    {W: 40.0, NH3: 15.0, CO2: 4.0, "67-56-1": 5.0},
    {W: 10.0, NAOH: 6.0, CO2: 1.0},
]


@pytest.mark.parametrize("amounts", MIXTURES)
def test_one_gibbs_energy_lies_behind_all_fugacities(amounts):
    """d ln f_i/d n_j = d ln f_j/d n_i, and sum n_i d ln f_i/d n_j = 0 (Gibbs & Duhem)."""
    model = phase_model("electrolytes", tuple(amounts))
    n = np.array(list(amounts.values()))

    def ln_f(m):
        return np.log(m / m.sum()) + model.ln_phi(313.15, 1e5, m / m.sum(), k.LIQUID)

    slopes = np.empty((n.size, n.size))
    for j in range(n.size):
        step = 1e-4 * n[j] * np.eye(n.size)[j]
        slopes[:, j] = (ln_f(n + step) - ln_f(n - step)) / (2e-4 * n[j])
    scale = np.sqrt(np.outer(n, n))
    assert slopes * scale == pytest.approx((slopes * scale).T, abs=2e-5 * np.abs(slopes * scale).max())
    assert n @ slopes == pytest.approx(np.zeros(n.size), abs=1e-5 * np.abs(slopes * n[:, None]).max())


@pytest.mark.parametrize(
    "first, second, per, heat",
    [
        ({W: 100.0, HCL: 0.5}, {W: 100.0, NAOH: 0.5}, 0.5, -56.5),  # neutralisation: -55.8 at infinite dilution
        ({W: 200.0}, {HCL: 0.5}, 0.5, -73.5),  # -74.85 at infinite dilution
        ({W: 100.0}, {NH3: 0.5}, 0.5, -34.2),
        ({W: 200.0, NAOH: 1.0}, {CO2: 0.5}, 0.5, -107.0),  # -109.5; by the courses of the constants
        ({W: 1000.0}, {SO2: 0.5}, 0.5, -30.0),  # -26.2 as molecules, -14 more for the half that is ions
    ],
)
def test_heats_of_absorption(first, second, per, heat):
    """[kJ/mol] at 25 degC, from enthalpies of formation in water: NBS Tables (Wagman et al. 1982), from memory."""
    together = {c: first.get(c, 0.0) + second.get(c, 0.0) for c in {**first, **second}}
    model = phase_model("electrolytes", tuple(together))

    def enthalpy(amounts):
        n = np.array([amounts.get(c, 0.0) for c in together])
        return model.at_temperature(298.15, 101325.0, n).enthalpy * n.sum()

    assert (enthalpy(together) - enthalpy(first) - enthalpy(second)) / per / 1000.0 == pytest.approx(heat, abs=3.5)


def test_nothing_of_an_absorber_vanishes():
    """Ammonia, carbon dioxide, nitrogen and water as 10, 10, 10, 70 at 40 degC and 1.2 bar: half of the carbonate's gas is held."""
    model = phase_model("electrolytes", (NH3, CO2, N2, W))
    z = np.array([10.0, 10.0, 10.0, 70.0])
    state = model.at_temperature(313.15, 1.2e5, z)
    assert sum(share * x for _, share, x, _ in state.phases) * 100.0 == pytest.approx(z, rel=1e-9)
    gas, liquid = (next(p for p in state.phases if p[0] == kind) for kind in ("vapour", "liquid"))
    assert liquid[1] * liquid[2][0] > 0.09 and gas[1] * gas[2][2] > 0.099
    fugacities = [np.log(p[2]) + model.ln_phi(313.15, 1.2e5, p[2], code) for p, code in ((gas, k.VAPOUR), (liquid, k.LIQUID))]
    assert fugacities[0] == pytest.approx(fugacities[1], abs=1e-7)


@pytest.mark.parametrize("vapour", ["ideal", "soave-redlich-kwong"])
def test_a_vapour_that_is_no_ideal_gas_stands_beside_it(vapour):
    model = phase_model("electrolytes", (CO2, N2, W, NAOH, NH3), vapour=vapour)
    z = np.array([5.0, 50.0, 80.0, 15.0, 1.0])
    state = model.at_temperature(313.15, 15e5, z)
    assert [p[0] for p in state.phases] == ["vapour", "liquid"] and state.phases[1][2][3] > 0.1
    assert sum(share * x for _, share, x, _ in state.phases) * z.sum() == pytest.approx(z, rel=1e-9)
    assert model.at_enthalpy(state.enthalpy, 15e5, z, 300.0).temperature == pytest.approx(313.15, abs=1e-6)


amounts_of = st.one_of(st.just(0.0), st.just(1e-9), st.floats(1e-4, 0.1))  # per mole of water


@settings(max_examples=300, deadline=None, derandomize=True)
@given(
    species=st.lists(st.sampled_from([NH3, CO2, H2S, SO2, N2, *list(MADE_OF)[:7], "67-56-1"]), min_size=1, max_size=5, unique=True),
    shares=st.lists(amounts_of, min_size=5, max_size=5),
    T=st.floats(265.0, 480.0),
    log_P=st.floats(4.0, 6.5),
)
def test_random_solutions_have_states(species, shares, T, log_P):
    known = [c for c in species if not _unknown(c)]
    model = phase_model("electrolytes", (W, *known))
    n = np.array([1.0, *shares[: len(known)]])
    state = model.at_temperature(T, 10.0**log_P, n)
    assert np.isfinite([state.enthalpy, state.entropy, state.volume]).all()
    assert sum(share * x for _, share, x, _ in state.phases) * n.sum() == pytest.approx(n, rel=1e-7, abs=1e-9)
    back = model.at_enthalpy(state.enthalpy, state.pressure, n, T)
    assert back.temperature == pytest.approx(T, abs=1e-3) or back.enthalpy == pytest.approx(state.enthalpy, rel=1e-6)
    for kind, _, x, _ in state.phases:
        found = dissociated(model, T, 10.0**log_P, x) if kind == "liquid" else None
        assert found is None or np.isfinite([found.pH, found.strength, *found.molalities.values()]).all()


def _unknown(cas):
    try:
        lookup(cas)
    except SpeciesError:
        return True
    return False


def absorber(model="electrolytes", **flows):
    species = {"w": W, "n2": N2, "co2": CO2, "h2s": H2S, "nh3": NH3, "naoh": NAOH}
    used = {i: c for i, c in species.items() if i in flows}
    return document(
        used,
        [{"id": "D", "kind": "flash-drum", "temperature": "40 degC", "pressure": "1.2 bar"}],
        [
            feed("F", "D", {i: f"{v} kmol/h" for i, v in flows.items()}, T="25 degC", P="1.2 bar"),
            {"id": "G", "from": "D.vapour"},
            {"id": "L", "from": "D.liquid"},
        ],
        phase_model=model,
    )


def test_a_stream_tells_its_ph_and_what_is_in_its_water():
    solved = solve(absorber(w=100, n2=50, co2=1, naoh=3))
    liquid = solved.streams["L"]
    assert solved.solved and liquid.ph == pytest.approx(13.5, abs=0.5)
    assert solved.streams["G"].flow["co2"] < 1e-7 * liquid.flow["co2"]
    assert solved.streams["G"].ph is None and liquid.in_water["molalities"]["CO3--"] == pytest.approx(0.55, abs=0.05)
    assert not [m for m in solved.messages if "reaction, which is not modelled" in m.what]


@pytest.mark.parametrize(
    "flows, words",
    [
        ({"w": 100, "n2": 50, "nh3": 5, "h2s": 4}, ""),
        ({"w": 50, "n2": 5, "naoh": 20}, "ionic strength"),
        ({"n2": 50, "w": 0.5, "naoh": 1}, "without liquid water"),
    ],
)
def test_what_is_said_of_ions(flows, words):
    said = [m.what for m in solve(absorber(**flows)).messages if m.level != "assumed"]
    assert any(words in w for w in said) if words else not said


def test_other_models_name_the_one_that_knows_ions():
    said = [m for m in solve(absorber("nrtl", w=100, n2=50, nh3=5, h2s=4)).messages if "by reaction" in m.what]
    assert len(said) == 1 and "weak electrolytes in water" in said[0].todo


@pytest.mark.parametrize(
    "flows, kind",
    [
        ({"w": 100, "nh3": 5, "h2s": 4}, "electrolytes"),
        ({"w": 100, "co2": 5, "naoh": 4, "n2": 1}, "electrolytes"),
        ({"w": 100, "co2": 5, "n2": 4}, "peng-robinson"),
    ],
)
def test_advice_for_what_dissociates(flows, kind):
    found = advised(absorber("ideal", **flows))
    assert (found.kind == kind) or (kind != "electrolytes" and found.kind != "electrolytes")


@pytest.mark.parametrize("cas, name", [("17341-25-2", "sodium ion"), ("71-52-3", "bicarbonate"), ("14798-03-9", "ammonium")])
def test_an_ion_alone_is_no_species(cas, name):
    with pytest.raises(SpeciesError, match=f"{name} is an ion"):
        lookup(cas)


def test_a_ph_is_aimed_at():
    """A gauge like any other: caustic is turned until the liquid has pH 9.5; nearly as much sodium as carbonate asks for."""
    data = absorber(w=100, n2=50, co2=3, naoh=3).dump()
    data["knobs"] = [{"id": "caustic", "input": "F.flow.naoh", "low": "0.5 kmol/h", "high": "20 kmol/h"}]
    data["gauges"] = [{"id": "acidity", "reads": "L.ph"}]
    data["targets"] = [{"id": "t1", "gauge": "acidity", "value": "9.5", "knob": "caustic"}]
    solved = solve(Project.model_validate(data))
    assert solved.solved and solved.gauges["acidity"] == pytest.approx(9.5, abs=1e-6)
    assert 4.0 < 3.6 * solved.streams["F"].flow["naoh"] < 5.5


def test_a_salt_names_what_it_may_give_off():
    project = document({"w": W, "soda": SODA}, [], [feed("F", None, {"w": "1 kmol/h", "soda": "0.01 kmol/h"})], phase_model="electrolytes")
    said = [m for m in check(project) if "give off carbon dioxide" in m.what]
    assert len(said) == 1 and "carbon dioxide" in said[0].todo
    project = document({"co2": CO2}, [], [feed("F", None, {"co2": "1 kmol/h"})], phase_model="electrolytes")
    assert any("water is not among the species" in m.what for m in check(project))
