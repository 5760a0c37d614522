"""Vapour and two liquids: the flash against thermo's, against every split in two, and by its own conditions of equilibrium."""

import numpy as np
import pytest
from helpers import bare
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import minimize
from thermo import CEOSGas, CEOSLiquid, ChemicalConstantsPackage, FlashVLN, HeatCapacityGas, PropertyCorrelationsPackage
from thermo.eos_mix import PRMIX

from gulch.engine import fluids as k
from gulch.engine.fluids.three import phase_shares
from gulch.engine.phases import Stream, phase_model
from gulch.engine.phases.model import PhaseModel
from gulch.engine.species import lookup

WATER, BENZENE, HEXANE, HYDROGEN, METHANE = "7732-18-5", "71-43-2", "110-54-3", "1333-74-0", "74-82-8"
MIXTURES = [
    (WATER, BENZENE, HYDROGEN),
    (WATER, HEXANE, METHANE),
    (WATER, "100-42-5", HYDROGEN, "100-41-4"),
    (WATER, "108-88-3", "124-38-9", METHANE),
    (METHANE, "7783-06-4", "124-38-9"),
    (METHANE, "74-84-0", "7727-37-9"),
    (WATER, "106-97-8", "74-98-6", "7727-37-9"),
    ("67-56-1", HEXANE, HYDROGEN),
    (WATER, "64-17-5", "74-85-1"),
    (WATER, BENZENE, "110-82-7", HYDROGEN, METHANE, "64-17-5"),
    ("124-38-9", HEXANE, WATER),
    (WATER, "74-85-1", "60-29-7", "64-17-5"),
]


def fugacities(model, T, P, z):
    return np.log(z) + k.ln_phi_phase(T, P, z, 0, *model.mix)


def gibbs(model, T, P, phases):
    return sum(share * (z @ fugacities(model, T, P, z)) for share, z in phases)


def thermos_flash(model, cas):
    """thermo's three-phase flash with the same constants and interaction parameters."""
    c = model.species
    constants = ChemicalConstantsPackage(
        Tcs=[x.critical_temperature.value for x in c],
        Pcs=[x.critical_pressure.value for x in c],
        omegas=[x.acentric_factor.value for x in c],
        MWs=[x.molar_mass.value * 1000.0 for x in c],
        CASs=list(cas),
    )
    heat = [HeatCapacityGas(poly_fit=(50.0, 1000.0, [30.0])) for _ in c]
    rest = PropertyCorrelationsPackage(constants, HeatCapacityGases=heat, skip_missing=True)
    form = dict(Tcs=constants.Tcs, Pcs=constants.Pcs, omegas=constants.omegas, kijs=model.kij.tolist())
    gas = CEOSGas(PRMIX, form, HeatCapacityGases=heat)
    liquid = CEOSLiquid(PRMIX, form, HeatCapacityGases=heat)
    return FlashVLN(constants, rest, liquids=[liquid, liquid], gas=gas)


@pytest.mark.parametrize("cas", MIXTURES, ids=lambda cas: "-".join(cas))
def test_phases_are_those_that_thermo_finds(cas):
    """Random states: as many phases, and vapour fractions to 1e-6, but where ours have the lower Gibbs energy."""
    rng = np.random.default_rng(20 + MIXTURES.index(cas))
    model = bare("peng-robinson", cas)
    theirs = thermos_flash(model, cas)
    three = 0
    for _ in range(14):
        T, P, z = rng.uniform(250.0, 420.0), 10 ** rng.uniform(5.0, 7.0), rng.dirichlet(np.ones(len(cas)))
        state, other = model.at_temperature(T, P, z), theirs.flash(T=T, P=P, zs=z.tolist())
        three += len(state.phases) == 3
        shares = sorted(share for _, share, _, _ in state.phases)
        if len(other.phases) != len(shares) or shares != pytest.approx(sorted(other.betas), abs=2e-6):
            mine = gibbs(model, T, P, [(share, x) for _, share, x, _ in state.phases])
            rest = gibbs(model, T, P, [(b, np.array(p.zs)) for b, p in zip(other.betas, other.phases, strict=True)])
            assert mine < rest - 1e-9
    assert three or cas[0] == METHANE or "64-17-5" in cas


@settings(max_examples=150, deadline=None, derandomize=True)
@given(
    st.sampled_from(MIXTURES),
    st.sampled_from(["peng-robinson", "soave-redlich-kwong", "predictive-srk", "unifac", "modified-unifac"]),
    st.floats(260.0, 420.0),
    st.floats(5.0, 6.8),
    st.lists(st.floats(0.02, 1.0), min_size=6, max_size=6),
)
def test_phases_are_in_equilibrium_and_lowest(cas, kind, T, log_p, amounts):
    model, P = phase_model(kind, cas), 10**log_p
    z = np.array(amounts[: len(cas)])
    z /= z.sum()
    state = model.at_temperature(T, P, z)
    phases = state.phases
    assert sum(share * x for _, share, x, _ in phases) == pytest.approx(z, abs=1e-12)
    first = fugacities(model, T, P, phases[0][2])
    for _, _, x, _ in phases[1:]:
        assert fugacities(model, T, P, x) == pytest.approx(first, abs=1e-9)
    mine = gibbs(model, T, P, [(share, x) for _, share, x, _ in phases])
    assert mine <= gibbs(model, T, P, [(1.0, z)]) + 1e-12
    rng = np.random.default_rng(1)
    for _ in range(20):  # below the plane of its own tangents lies nothing
        w = rng.dirichlet(np.full(len(cas), 0.3)) + 1e-9
        w /= w.sum()
        assert w @ (fugacities(model, T, P, w) - first) > -1e-8 or state.further_phase
    volumes = [v / (x @ model.molar_mass) for _, _, x, (_, _, v) in phases]
    assert volumes == sorted(volumes, reverse=True)  # from light to heavy


@pytest.mark.parametrize("kind", ["peng-robinson", "unifac", "predictive-srk"])
@pytest.mark.parametrize("what", ["enthalpy", "entropy", "vapour fraction"])
def test_searches_return_to_a_state_of_three_phases(kind, what):
    model, z = phase_model(kind, (WATER, BENZENE, HYDROGEN)), np.array([0.4, 0.4, 0.2])
    state = model.at_temperature(320.0, 3e5, z)
    assert len(state.phases) == 3
    if what == "enthalpy":
        again = model.at_enthalpy(state.enthalpy, 3e5, z, 350.0)
    elif what == "entropy":
        again = model.at_entropy(state.entropy, 3e5, z, 350.0)
    else:
        again = model.at_vapour_fraction(state.vapour_fraction, 3e5, z, 350.0)
    assert again.temperature == pytest.approx(320.0, abs=1e-5) and len(again.phases) == 3


def test_layers_of_a_stream_keep_its_material_and_heat():
    model = phase_model("unifac", (WATER, BENZENE, HYDROGEN))
    stream = Stream.at_temperature(model, np.array([4.0, 4.0, 2.0]), 320.0, 3e5)
    layers = stream.layers()
    assert sum(s.n for s in layers.values()) == pytest.approx(stream.n, abs=1e-12)
    assert sum(s.enthalpy_flow for s in layers.values()) == pytest.approx(stream.enthalpy_flow, rel=1e-12)
    assert layers["heavy"].n[0] > 0.99 * layers["heavy"].total and layers["light"].n[1] > 0.9 * layers["light"].total
    assert stream.parted()["liquid"].n == pytest.approx(layers["light"].n + layers["heavy"].n)
    for name, s in layers.items():
        assert getattr(stream, f"{name}_flow") == pytest.approx(s.total, rel=1e-12)
        assert [p[0] for p in s.state.phases] == ["vapour" if name == "vapour" else "liquid"]


def test_a_liquid_alone_leaves_by_what_it_is():
    """More than half water: heavy; else light."""
    model = phase_model("unifac", (WATER, BENZENE))
    for n, side in (([1.0, 1e-5], "heavy"), ([1e-4, 1.0], "light")):
        layers = Stream.at_temperature(model, np.array(n), 300.0, 1e5).layers()
        assert not layers[side].is_empty and sum(s.is_empty for s in layers.values()) == 2


@settings(max_examples=60)
@given(st.lists(st.floats(-6.0, 6.0), min_size=15, max_size=15), st.lists(st.floats(0.01, 1.0), min_size=5, max_size=5))
def test_shares_of_phases_are_the_lowest_of_their_function(ln_phi, amounts):
    """Against scipy's bounded minimum of the same convex function, written again here (Michelsen, 1994)."""
    z, phi = np.array(amounts) / sum(amounts), np.array(ln_phi).reshape(3, 5)

    def function(b):
        return b.sum() - z @ np.log(b @ np.exp(-phi))

    def slope(b):
        return 1.0 - np.exp(-phi) @ (z / (b @ np.exp(-phi)))

    shares = np.array([0.6, 0.35, 0.05])
    assert phase_shares(z, phi, shares, np.empty(5)) and shares.min() >= 0.0
    found = minimize(function, [0.4, 0.3, 0.3], jac=slope, bounds=[(0.0, None)] * 3, tol=1e-12)
    assert function(shares) <= found.fun + 1e-9


def test_a_second_liquid_larger_than_the_first_guess_of_it_is_found():
    """4 % of liquid that is itself two liquids: the first guess of shares is far off, and a phase held at nothing has to come back."""
    model = phase_model("peng-robinson", ("74-85-1", WATER, "64-17-5", "60-29-7", "74-84-0"))
    z = np.array([0.91716, 0.03639, 0.02165, 0.0034, 0.0214])
    state = model.at_temperature(323.15, 6.75e6, z)
    assert len(state.phases) == 3 and not state.further_phase
    shared = [np.log(p[2]) + k.ln_phi_phase(323.15, 6.75e6, p[2], 0, *model.mix) for p in state.phases]
    assert shared[1] == pytest.approx(shared[0], abs=1e-9) and shared[2] == pytest.approx(shared[0], abs=1e-9)


TWELVE = (
    *("74-85-1", WATER, "64-17-5", "60-29-7", METHANE, "74-84-0"),
    *("74-98-6", "106-97-8", "75-28-5", "109-66-0", "78-78-4", "463-82-1"),
)
# what is left of a dense gas and two watery liquids where the test for a further phase sees no other (found so in a recycle loop)
MISSED = [0.7529, 0.0979, 0.0596, 0.0086, 0.0130, 0.0114, 0.0104, 0.0095, 0.0098, 0.0087, 0.0089, 0.0094]


def test_a_liquid_hardly_denser_than_the_gas_is_found_beside_water():
    """The lower Gibbs energy decides: beside watery liquids a split without the light one lies 0.005 RT higher."""
    model, z = PhaseModel("peng-robinson", [lookup(c) for c in TWELVE]), np.array(MISSED) / sum(MISSED)
    for (i, j), source in model.origins.items():  # it was found without k_ij by groups
        if "groups" in str(source):
            model.mix.pairs[k.KIJ : k.KIJ + 3, [i, j], [j, i]] = 0.0
    state = model.at_temperature(323.15, 68e5, z)
    light = [x for name, _, x, _ in state.phases if name == "liquid" and x[1] < 0.5]
    assert len(light) == 1 and 0.6 < light[0][0] < 0.75
    found = gibbs(model, 323.15, 68e5, [(share, x) for _, share, x, _ in state.phases])
    assert found < -1.8800  # -1.8753 without it, by the same fugacities
