"""Activity models, predictive SRK and Henry's law against thermo, published tables and the Gibbs-Duhem equation."""

import numpy as np
import pytest
import thermo.unifac as published
from helpers import bare, document, feed
from scipy.optimize import brentq
from thermo.eos_mix import PSRK
from thermo.nrtl import NRTL
from thermo.unifac import UNIFAC
from thermo.wilson import Wilson

from gulch.engine import fluids as k
from gulch.engine.explain import solve
from gulch.engine.fluids import association, derivatives, fluid
from gulch.engine.phases import PhaseModel, phase_model
from gulch.engine.phases.pairs.dissolved import guideline, henry, in_water
from gulch.engine.species import lookup
from gulch.engine.species.own import SpeciesError, data_key

ETHANOL, WATER, BENZENE, METHANOL, ACETIC = "64-17-5", "7732-18-5", "71-43-2", "67-56-1", "64-19-7"
ATM = 101325.0
# x, y, t/degC at 1 atm of the lighter species (Perry's Handbook, vapour-liquid tables; from memory)
ETHANOL_WATER = [
    (0.0190, 0.1700, 95.5), (0.0721, 0.3891, 89.0), (0.0966, 0.4375, 86.7), (0.1238, 0.4704, 85.3), (0.1661, 0.5089, 84.1),
    (0.2337, 0.5445, 82.7), (0.2608, 0.5580, 82.3), (0.3273, 0.5826, 81.5), (0.3965, 0.6122, 80.7), (0.5079, 0.6564, 79.8),
    (0.5198, 0.6599, 79.7), (0.5732, 0.6841, 79.3), (0.6763, 0.7385, 78.74), (0.7472, 0.7815, 78.41), (0.8943, 0.8943, 78.15),
]  # fmt: skip
METHANOL_WATER = [
    (0.02, 0.134, 96.4), (0.04, 0.230, 93.5), (0.06, 0.304, 91.2), (0.08, 0.365, 89.3), (0.10, 0.418, 87.7), (0.15, 0.517, 84.4),
    (0.20, 0.579, 81.7), (0.30, 0.665, 78.0), (0.40, 0.729, 75.3), (0.50, 0.779, 73.1), (0.60, 0.825, 71.2), (0.70, 0.870, 69.3),
    (0.80, 0.915, 67.6), (0.90, 0.958, 66.0), (0.95, 0.979, 65.0),
]  # fmt: skip


def ln_gamma(mix, T, x):
    """ln activity coefficients at one state, shape (n,)."""
    return k.ln_gammas(np.array([T]), 1e5, x[None, :], *mix)[0]


@pytest.fixture(scope="module", autouse=True)
def tables_loaded():
    published.load_unifac_ip()


def bubble(model, x):
    """(t/degC, y of the first) at 1 atm of a liquid with x of the first species."""
    T, _, y = model.boundary(False, ATM, np.array([x, 1.0 - x]), 350.0)
    return T - 273.15, y[0]


def test_unifac_gives_its_published_example():
    """Fredenslund, Jones & Prausnitz, AIChE J. 21 (1975) 1086 (from memory): acetone and n-pentane at 307 K."""
    model = phase_model("unifac", ("67-64-1", "109-66-0"))
    assert np.exp(ln_gamma(model.mix, 307.0, np.array([0.047, 0.953]))) == pytest.approx([4.99, 1.005], abs=0.003)


@pytest.mark.parametrize(
    ("kind", "version", "shapes", "acts"), [("unifac", 0, "UFSG", "UFIP"), ("modified-unifac", 1, "DOUFSG", "DOUFIP2016")]
)
@pytest.mark.parametrize("T", [280.0, 330.0, 400.0])
def test_activity_coefficients_by_groups_match_thermo(kind, version, shapes, acts, T):
    x = [0.3, 0.2, 0.45, 0.05]
    model = phase_model(kind, (ETHANOL, WATER, BENZENE, ACETIC))
    theirs = UNIFAC.from_subgroups(
        chemgroups=[{1: 1, 2: 1, 14: 1}, {16: 1}, {9: 6}, {1: 1, 42: 1}],
        T=T,
        xs=x,
        version=version,
        interaction_data=getattr(published, acts),
        subgroups=getattr(published, shapes),
    )
    assert np.exp(ln_gamma(model.mix, T, np.array(x))) == pytest.approx(theirs.gammas(), rel=1e-9)


def test_predictive_srk_matches_thermo():
    x, T, P = [0.3, 0.5, 0.2], 350.0, 20e5
    model = bare("predictive-srk", (ETHANOL, WATER, "124-38-9"))
    groups = UNIFAC.from_subgroups(
        chemgroups=[{1: 1, 2: 1, 14: 1}, {16: 1}, {117: 1}],
        T=T,
        xs=x,
        version=0,
        interaction_data=published.PSRKIP,
        subgroups=published.PSRKSG,
    )
    c = model.species
    theirs = PSRK(
        Tcs=[s.critical_temperature.value for s in c],
        Pcs=[s.critical_pressure.value for s in c],
        omegas=[s.acentric_factor.value for s in c],
        zs=x,
        T=T,
        P=P,
        ge_model=groups,
        alpha_coeffs=[[*model.par[i, [k.M3_, k.M2_, k.M_]].tolist(), 1.0] for i in range(3)],
    )
    x = np.array(x)
    for name, H, S, V in ((k.LIQUID, theirs.H_dep_l, theirs.S_dep_l, theirs.V_l), (k.VAPOUR, theirs.H_dep_g, theirs.S_dep_g, theirs.V_g)):
        h, s, v = fluid_residuals(model, T, P, x, name)
        assert (h, s, v) == pytest.approx((H, S, V), rel=1e-5)


def fluid_residuals(model, T, P, x, name):
    """(h, s) beyond the ideal gas at T and P, and v, of one phase."""
    h_ig, s_ig = model.ideal_gas_properties(T)
    h, s, v = k.phase_properties(T, P, x, name, *model.mix)
    mixing = -8.31446261815324 * (x @ np.log(x) + np.log(P / 1e5))
    return h - x @ h_ig, s - x @ s_ig - mixing, v


@pytest.mark.parametrize("kind", ["unifac", "modified-unifac", "nrtl", "wilson", "predictive-srk"])
@pytest.mark.parametrize("name", [k.LIQUID, k.VAPOUR])
def test_fugacities_obey_gibbs_and_duhem(kind, name):
    """n_i d ln phi_i/dn_j sums to nothing over i, for condensable species, a dissolved gas and an acid's dimers."""
    model = phase_model(kind, (ETHANOL, WATER, ACETIC, "124-38-9"))
    n, T, P, h = np.array([0.3, 0.35, 0.3, 0.05]), 340.0, 3e5, 1e-6
    for j in range(4):
        up, down = n.copy(), n.copy()
        up[j] += h
        down[j] -= h
        slope = (k.ln_phi_phase(T, P, up / up.sum(), name, *model.mix) - k.ln_phi_phase(T, P, down / down.sum(), name, *model.mix)) / h / 2
        assert n @ slope == pytest.approx(0.0, abs=1e-8)


@pytest.mark.parametrize("kind", ["nrtl", "wilson"])
def test_typed_parameters_match_thermo(kind):
    T, x = 350.0, [0.2, 0.5, 0.3]
    a = np.array([[0.0, 0.8, -0.3], [0.1, 0.0, 0.4], [0.5, -0.2, 0.0]])
    b = np.array([[0.0, 120.0, 300.0], [250.0, 0.0, -80.0], [40.0, 210.0, 0.0]])
    typed = {(i, j): (a[i, j], b[i, j]) for i in range(3) for j in range(3) if i != j}
    model = PhaseModel(kind, [lookup(c) for c in (ETHANOL, WATER, METHANOL)], parameters_of_pairs=tuple(typed.items()))
    if kind == "nrtl":
        theirs = NRTL(T=T, xs=x, tau_as=a.tolist(), tau_bs=b.tolist(), alpha_cs=(0.3 * (1 - np.eye(3))).tolist()).gammas()
    else:
        v = np.array([k.phase_properties(T, 1e5, np.ones(1), k.LIQUID, *model.part(np.array([i])))[2] for i in range(3)])
        a_ln = np.log(v[None, :] / v[:, None]) - a
        theirs = Wilson(T=T, xs=x, lambda_as=a_ln.tolist(), lambda_bs=(-b).tolist()).gammas()
    assert np.exp(ln_gamma(model.mix, T, np.array(x))) == pytest.approx(theirs, rel=1e-9)
    assert {str(source) for source in model.origins.values()} == {"typed"}


@pytest.mark.parametrize("kind", ["nrtl", "wilson"])
def test_pairs_that_nobody_typed_are_filled_from_groups(kind):
    model, groups = (phase_model(x, (ETHANOL, WATER)) for x in (kind, "unifac"))
    assert {at: str(source) for at, source in model.origins.items()} == {(0, 1): "filled from UNIFAC"}
    for x in (0.1, 0.5, 0.9):
        x = np.array([x, 1.0 - x])
        assert ln_gamma(model.mix, 350.0, x) == pytest.approx(ln_gamma(groups.mix, 350.0, x), abs=0.1)


@pytest.mark.parametrize(
    ("kind", "first", "data", "dT", "dy"),
    [
        ("modified-unifac", ETHANOL, ETHANOL_WATER, 0.3, 0.0052),
        ("nrtl", ETHANOL, ETHANOL_WATER, 0.3, 0.005),
        ("modified-unifac", METHANOL, METHANOL_WATER, 0.3, 0.006),
        ("unifac", METHANOL, METHANOL_WATER, 0.3, 0.006),
        ("predictive-srk", METHANOL, METHANOL_WATER, 0.5, 0.006),
    ],
)
def test_alcohols_with_water_boil_as_measured(kind, first, data, dT, dy):
    model = phase_model(kind, (first, WATER))
    found = np.array([bubble(model, x) for x, _, _ in data])
    assert np.abs(found[:, 0] - [t for _, _, t in data]).mean() < dT
    assert np.abs(found[:, 1] - [y for _, y, _ in data]).mean() < dy


@pytest.mark.parametrize("kind", ["modified-unifac", "nrtl"])
def test_acetic_acid_with_water_boils_as_measured(kind):
    """x, y of water and t/degC at 1 atm (handbooks' tables; from memory)."""
    measured = [
        (0.05, 0.092, 115.7), (0.1, 0.167, 113.8), (0.2, 0.302, 110.1), (0.3, 0.425, 107.5), (0.4, 0.530, 105.8), (0.5, 0.626, 104.4),
        (0.6, 0.716, 103.2), (0.7, 0.795, 102.1), (0.8, 0.864, 101.3), (0.9, 0.930, 100.6), (0.95, 0.965, 100.3),
    ]  # fmt: skip
    model = phase_model(kind, (WATER, ACETIC))
    found = np.array([bubble(model, x) for x, _, _ in measured])
    assert np.abs(found[:, 0] - [t for _, _, t in measured]).mean() < 0.5
    assert np.abs(found[:, 1] - [y for _, y, _ in measured]).mean() < 0.02


@pytest.mark.parametrize("kind", ["unifac", "modified-unifac"])
def test_the_azeotrope_of_ethanol_and_water(kind):
    """x = 0.894 at 78.2 degC and 1 atm (handbooks' tables; from memory)."""
    model = phase_model(kind, (ETHANOL, WATER))
    x = brentq(lambda x: bubble(model, x)[1] - x, 0.8, 0.97)
    assert x == pytest.approx(0.894, abs=0.01) and bubble(model, x)[0] == pytest.approx(78.2, abs=0.3)


def test_water_and_benzene_part_and_boil_together():
    """0.003 water in benzene and 4e-4 benzene in water at 25 degC; both boil at 69.3 degC with 0.70 benzene (from memory)."""
    model = phase_model("unifac", (BENZENE, WATER))
    state = model.at_temperature(298.15, ATM, np.array([0.5, 0.5]))
    (_, _, oil, _), (_, _, water, _) = state.liquids
    assert 0.003 / 1.3 < oil[1] < 0.003 * 1.3 and 4e-4 / 1.3 < water[0] < 4e-4 * 1.3
    state = model.at_vapour_fraction(0.3, ATM, np.array([0.5, 0.5]))
    assert [p[0] for p in state.phases] == ["vapour", "liquid", "liquid"] and state.vapour_fraction == pytest.approx(0.3)
    assert state.temperature == pytest.approx(273.15 + 69.3, abs=0.3) and state.y[0] == pytest.approx(0.70, abs=0.01)
    assert sum(share * z[0] for _, share, z, _ in state.phases) == pytest.approx(0.5, abs=1e-9)


@pytest.mark.parametrize(
    ("gas", "measured"),
    [("124-38-9", 1.66e8), ("7782-44-7", 4.4e9), ("1333-74-0", 7.1e9), ("7727-37-9", 8.7e9), ("74-82-8", 4.0e9), ("630-08-0", 5.9e9)],
)
def test_gases_dissolve_in_water_as_tables_say(gas, measured):
    """Henry's constants in Pa at 25 degC (Sander's compilation, recalculated from 0.034, 0.0013 … mol/(L atm); from memory)."""
    a, b, c, *_ = henry(lookup(gas), lookup(WATER))
    assert np.exp(a + b / 298.15 + c * np.log(298.15)) == pytest.approx(measured, rel=0.25)


def test_a_gas_under_pressure_dissolves_by_henrys_constant():
    """x = y P/H at a trace, by the flash."""
    model = phase_model("unifac", (WATER, "7782-44-7"))
    state = model.at_temperature(298.15, 2e5, np.array([0.5, 0.5]))
    a, b, c = in_water("7782-44-7", guideline)
    assert state.x[1] == pytest.approx(state.y[1] * 2e5 / np.exp(a + b / 298.15 + c * np.log(298.15)), rel=1e-3)


def test_dimers_solve_their_own_balance():
    """One acid: p + K p² = P; its vapour weighs nearly two molecules each. Acetic acid's K of DECHEMA's series (from memory)."""
    model = phase_model("unifac", (ACETIC,))
    T, P = 391.0, ATM
    root = np.zeros(1)
    assert association.dimer_roots(T, model.par, root)
    K = root[0] ** 2
    p = (np.sqrt(1.0 + 4.0 * K * P) - 1.0) / (2.0 * K)
    ln_phi = np.empty(1)
    Z = association.dimer_ln_phi(P, np.ones(1), root, ln_phi)
    assert np.exp(ln_phi[0]) == pytest.approx(p / P, rel=1e-12)
    assert pytest.approx(P / (p + 2.0 * K * p * p), rel=1e-12) == Z and 0.60 < Z < 0.66  # about 0.63 at the boiling point (from memory)


def test_a_species_without_groups_mixes_ideally_and_says_so():
    model = phase_model("unifac", (WATER, ETHANOL, "7647-01-0"))  # hydrogen chloride has none
    assert model.unknown_pairs == [(0, 2), (1, 2)]
    alone = phase_model("unifac", (WATER, ETHANOL))
    found = ln_gamma(model.mix, 330.0, np.array([0.4, 0.4, 0.2]))
    assert found[2] == pytest.approx(0.0, abs=1e-12)
    assert found[:2] == pytest.approx(ln_gamma(alone.mix, 330.0, np.array([0.5, 0.5])), abs=1e-12)


# Densities at 25 degC [kg/m3] (CRC Handbook, rounded; from memory)
DENSITIES = {
    "7732-18-5": 997.0, "67-56-1": 786.6, "64-17-5": 785.1, "67-63-0": 781.0, "71-36-3": 805.8, "67-64-1": 784.5, "64-19-7": 1043.9,
    "141-78-6": 894.6, "60-29-7": 708.0, "71-43-2": 873.6, "108-88-3": 862.3, "100-41-4": 862.6, "100-42-5": 901.6, "106-42-3": 856.6,
    "110-82-7": 773.9, "110-54-3": 654.8, "142-82-5": 679.5, "109-66-0": 621.4, "67-66-3": 1479.7, "75-09-2": 1316.8, "56-23-5": 1584.4,
    "108-24-7": 1075.0, "62-53-3": 1017.5, "108-95-2": 1058.0, "107-21-1": 1110.0,
}  # fmt: skip


@pytest.mark.parametrize("kind", ["ideal", "peng-robinson", "soave-redlich-kwong", "predictive-srk", "unifac"])
def test_liquids_are_as_dense_as_tables_say(kind):
    away = []
    for cas, known in DENSITIES.items():
        model = phase_model(kind, (cas,))
        v = k.phase_properties(298.15, ATM, np.ones(1), k.LIQUID, *model.mix)[2]
        away.append(abs(model.molar_mass[0] / v / known - 1.0))
    assert np.mean(away) < 0.01 and max(away) < 0.03, dict(zip(DENSITIES, away, strict=True))


def test_a_typed_density_counts_in_every_model_and_moves_no_equilibrium():
    for kind in ("ideal", "peng-robinson", "predictive-srk", "unifac"):
        own = phase_model(kind, ((ETHANOL, data_key({"liquid_density": "700 kg/m3"})), WATER))
        plain = phase_model(kind, (ETHANOL, WATER))
        v = k.phase_properties(298.15, ATM, np.ones(1), k.LIQUID, *own.part(np.array([0])))[2]
        assert own.molar_mass[0] / v == pytest.approx(700.0, rel=5e-3)
        a, b = (m.at_temperature(355.0, ATM, np.array([0.4, 0.6])) for m in (own, plain))
        assert a.vapour_fraction == pytest.approx(b.vapour_fraction, abs=1e-3 if kind == "unifac" else 1e-9)  # Poynting's factor


@pytest.mark.parametrize(
    ("a", "b", "words"),
    [
        ([0, 0], ["many", "0 K"], "many"),
        ([99, 0], ["0 K", "0 K"], "did you mean b"),
        ([0, 0], ["1e6 K", "0 K"], "beyond all reason"),
    ],
)
def test_unusable_parameters_of_a_file_are_said(a, b, words):
    project = document(
        {"a": ETHANOL, "w": WATER},
        [{"id": "H", "kind": "heater", "temperature": "40 degC"}],
        [feed("F", "H", {"a": "10 kmol/h", "w": "10 kmol/h"}), {"id": "P", "from": "H"}],
        phase_model="nrtl",
    )
    project.phase_model.pairs = [{"pair": ["a", "w"], "model": "nrtl", "a": a, "b": b}]
    solution = solve(project)
    assert not solution.solved and any(words in m.what and m.level == "error" for m in solution.messages)


def test_the_largest_parameters_leave_numbers():
    typed = {(0, 1): (-50.0, -20_000.0), (1, 0): (50.0, 20_000.0)}
    for kind in ("nrtl", "wilson"):
        model = PhaseModel(kind, [lookup(ETHANOL), lookup(WATER)], parameters_of_pairs=tuple(typed.items()))
        for T in (30.0, 300.0, 2000.0):
            state = model.at_temperature(T, ATM, np.array([0.4, 0.6]))
            assert np.isfinite([state.enthalpy, state.volume, *state.x, *state.y]).all()


def test_a_pair_that_unifac_does_not_know_is_not_called_filled():
    model = phase_model("nrtl", (WATER, ETHANOL, "7647-01-0"))
    assert str(model.origins[0, 1]) == "filled from UNIFAC" and model.origins[0, 2].unknown


def test_critical_constants_that_leave_no_liquid_leave_no_translation():
    odd = phase_model("peng-robinson", ((ETHANOL, data_key({"acentric_factor": "3"})),))
    v = k.phase_properties(298.15, ATM, np.ones(1), k.LIQUID, *odd.mix)[2]
    assert np.isfinite(v) and v > 0.0


def test_a_prepared_mixture_tells_the_phase_of_lower_gibbs_energy():
    model = phase_model("modified-unifac", (ETHANOL, WATER))
    out = np.empty(2)
    x = np.array([0.5, 0.5])
    for T, name in ((340.0, k.LIQUID), (365.0, k.VAPOUR)):
        assert fluid.phase_ln_phi(fluid.prepared(model.mix, T, ATM), x, 0, out)[3] == name


@pytest.mark.parametrize("kind", ["unifac", "modified-unifac", "nrtl", "wilson", "predictive-srk"])
@pytest.mark.parametrize("name", [k.LIQUID, k.VAPOUR])
def test_derivatives_of_fugacities_are_those_of_differences(kind, name):
    """Condensable species, one without groups, a dissolved gas and an acid's dimers; central differences to 1e-6."""
    model = phase_model(kind, (ETHANOL, WATER, ACETIC, "124-38-9", "7647-01-0"))
    n, T, P, h = np.array([0.25, 0.3, 0.3, 0.05, 0.1]), 340.0, 3e5, 1e-6
    ready = fluid.prepared(model.mix, T, P)
    Z, _, _, told = fluid.phase_ln_phi(ready, n, name, np.empty(5))
    found = np.empty((5, 5))
    derivatives.ln_phi_derivatives(ready, n, Z, told or name, found)
    for j in range(5):
        up, down = n.copy(), n.copy()
        up[j] += h
        down[j] -= h
        slope = (k.ln_phi_phase(T, P, up / up.sum(), name, *model.mix) - k.ln_phi_phase(T, P, down / down.sum(), name, *model.mix)) / h / 2
        assert found[:, j] == pytest.approx(slope, rel=2e-5, abs=2e-6)


def test_groups_of_ones_own_take_the_place_of_assigned_ones():
    """Ethanol by its groups, typed for a species without a CAS number, mixes as the databank's ethanol does."""
    shared = {
        "critical_temperature": "513.9 K",
        "critical_pressure": "61.4 bar",
        "acentric_factor": "0.645",
        "formula": "C2H6O",
        "name": "Q",
    }
    own = phase_model("unifac", ((None, data_key(shared | {"groups": "CH3, 1 CH2; OH"})), WATER))
    plain = phase_model("unifac", ((None, data_key(shared)), WATER))
    known = phase_model("unifac", (ETHANOL, WATER))
    x = np.array([0.3, 0.7])
    assert ln_gamma(own.mix, 350.0, x) == pytest.approx(ln_gamma(known.mix, 350.0, x), rel=1e-12)
    assert not own.unknown_pairs and plain.unknown_pairs == [(0, 1)] and ln_gamma(plain.mix, 350.0, x) == pytest.approx([0.0, 0.0])
    with pytest.raises(SpeciesError, match="no group “CHH”: did you mean"):
        lookup(ETHANOL, data_key({"groups": "CH3, CHH"}))
