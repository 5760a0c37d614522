"""The same cases compiled and as plain Python."""

import copy

import numpy as np
import pytest
import scipy.optimize

from gulch.engine import fluids as k
from gulch.engine.chemistry.constants import Constant
from gulch.engine.chemistry.kernels import alone, equilibrium, pellet, rates, slopes
from gulch.engine.chemistry.rates import RateConstant, RateLaw, pack
from gulch.engine.chemistry.reaction import Reaction
from gulch.engine.compiling import taking
from gulch.engine.compiling.chapters import ENTRIES, plain
from gulch.engine.fluids import bracket, temperature
from gulch.engine.fluids.constants import ENTHALPY, ENTROPY, FOUND, LIQUID, VAPOUR, VAPOUR_SHARE
from gulch.engine.phases import PhaseModel
from gulch.engine.species import lookup
from gulch.engine.units.kernels import column as parting
from gulch.engine.vessels import contents, course, following, march, tank, well_mixed

CAS = ("74-85-1", "7732-18-5", "64-17-5")  # ethylene, water, ethanol
N = np.array([3.0, 2.0, 1.0])
COUNTED = np.array([0.4, 1.0, 800.0, 300.0])  # fluid, bed, catalyst, surface in 1 m3 of reactor
NU = np.array([[-1.0, -1.0, 1.0]])


def model(kind):
    return PhaseModel(kind, [lookup(c) for c in CAS])


def laws(model):
    law = RateLaw(
        constant=RateConstant(np.log(2e-5), 0.0, 2e4), forward=np.array([1.0, 1.0, 0.0]), basis="concentration", reverse="equilibrium"
    )
    reaction = Reaction("r", NU[0], 0, None, -45e3, Constant(), rate=law)
    return pack([reaction], [reaction.constant], model.n)


def cases():
    """(entry, arguments); arrays that a function fills are compared too."""
    for kind in ("peng-robinson", "soave-redlich-kwong", "ideal", "predictive-srk", "unifac", "nrtl"):
        m = model(kind)
        yield k.ideal_gas_of, (450.0, m.par, np.zeros(3), np.zeros(3))
        yield k.enthalpies, (np.array([300.0, 450.0]), 1e6, N, *m.mix)
        for T, P in ((300.0, 2e6), (380.0, 1e5), (500.0, 5e6)):
            yield k.flash_amounts, (T, P, N, *m.mix)
            yield k.fugacity_slopes, (T, P, N / N.sum(), VAPOUR, *m.mix)
            parts = np.array([0.4 * N, 0.6 * N[::-1]])
            yield k.state_slopes, (T, P, parts, np.array([VAPOUR, LIQUID]), ENTHALPY, np.eye(5), *m.mix)
            yield k.flash_amounts, (T, P, N * [1.0, 0.0, 1.0], *m.mix)
            for name in (VAPOUR, LIQUID):
                yield k.phase_properties, (T, P, N / N.sum(), name, *m.mix)
                yield k.ln_phi_phase, (T, P, N / N.sum(), name, *m.mix)
        yield k.ln_gammas, (np.array([330.0, 330.0, 350.0]), 1e5, np.tile(N / N.sum(), (3, 1)), *m.mix)
        for dew in (True, False):
            yield k.boundary_of, (dew, 2e6, N, 400.0, np.empty(0), *m.mix)
        for column, target in ((ENTHALPY, -1.2e5), (ENTROPY, 200.0), (VAPOUR_SHARE, 0.7)):
            yield k.flash_amounts_to, (2e6, target, column, N, 330.0, 1e-6, *m.mix)
        yield from reacting_cases(m)
        keys, x = (False, 0.02, 0.03, 0, 1, 1.2e5, 1.3e5, 0.9), N / N.sum()
        yield parting.parted, (N, *keys, np.array([3.0, -3.0, 0.5]), 300.0, 360.0, x, x, *m.mix)
    yield parting.underwood_of, (np.array([3.0, 1.0, 1.6, 0.2]), np.array([4.0, 3.0, 2.0, 1.0]), np.array([3.9, 0.1, 0.0, 0.0]), 0.7, 0)
    m = model("peng-robinson")
    water = PhaseModel("electrolytes", [lookup(c) for c in ("7732-18-5", "7664-41-7", "124-38-9", "1310-73-2")])
    yield k.dissociated_in, (320.0, 2e5, np.array([0.9, 0.05, 0.03, 0.02]), *water.mix)
    yield k.flash_amounts, (330.0, 1e5, np.array([9.0, 0.5, 0.6, 0.2]), *water.mix)
    yield k.further_phase_distance, (300.0, 2e6, np.array([0.05, 0.75, 0.2]), np.array([0.98, 0.01, 0.01]), *m.mix)
    A = np.array([[2.0, 0.0, 2.0], [4.0, 2.0, 6.0], [0.0, 1.0, 1.0]])
    yield (
        equilibrium.newton_elements,
        (A, A @ N, np.array([5.0, -10.0, -5.0]), 0.0, np.log(N), np.zeros((3, 0)), np.zeros(0), np.zeros(0)),
    )
    yield equilibrium.free_extents, (N.copy(), NU, NU, np.array([0.3]), 0.5, np.array([0.1]))
    yield equilibrium.ln_quotients, (N, NU, np.array([0.1, -0.2, 0.3]), 1.5)


def reacting_cases(m):
    """`cases` of reactions, rates and reactors."""
    yield (
        equilibrium.extents_in_phase,
        (550.0, 7e6, N.copy(), NU, NU, np.arange(3), np.array([-4.0]), np.array([0.1]), VAPOUR, 50, *m.mix),
    )
    pack_, per = laws(m)
    yield rates.reaction_rates, (600.0, 5e6, N / N.sum(), 1e-3, VAPOUR, pack_, *m.mix)
    yield tank.tank, (600.0, 5e6, N, 2.0, False, VAPOUR, pack_, per, COUNTED, np.zeros(1), *m.mix)
    beds = pack_._replace(ways=pack_.ways.copy(), pellet=np.array([1.0, pellet.SPHERE, 1e-3, 1e-8, 1.6, 1200.0, 0.8, 1e-5]))
    beds.ways[:, rates.W_PER] = rates.PER_BED
    both = np.array([N, N[::-1]]), VAPOUR
    yield temperature.in_phase_at, (-8e5, 2e6, *both, 500.0, *m.mix)
    for law in (pack_, beds):
        yield pellet.rates_over, (np.array([500.0, 600.0]), 5e6, *both, law, *m.mix)
        path = 5e6, N, 2.0 * NU[0]
        yield alone.at_rest, (np.array([450.0, 600.0]), *path, 1.0 - 1e-9, VAPOUR, law, *m.mix)
        yield alone.fastest, (np.array([0.001, 0.9]), *path, 350.0, 900.0, VAPOUR, law, *m.mix)
    yield pellet.shares_of, (600.0, 5e6, N / N.sum(), 1e-3, VAPOUR, beds, np.zeros(1), *m.mix)
    vessel = course.Vessel(course.AT_PRESSURE, 1, VAPOUR, 0, 5e6, 1.0, N, np.array([[0.0, 600.0]]), np.ones(3))
    asked, pivots = np.array([[0, slopes.LN_K, 0], [0, slopes.ENERGY, 0]]), np.array([0.0, 1 / 580.0])
    told = pack_, per, asked, pivots
    yield course.followed, (vessel, np.array([5.0, 20.0]), *told, 1e-6, True, np.zeros((2, 1)), np.zeros((2, 2)), *m.mix)
    yield well_mixed.mixed, (vessel, 2.0, *told, True, np.zeros(1), np.zeros((1, 2)), *m.mix)
    yield course.rates_read, (vessel, pack_, asked, pivots, np.zeros((1, 2)), *m.mix)
    yield course.volume_read, (vessel, 0.0, np.array([0.1]), pack_.nu, np.zeros(1), *m.mix)
    grid = np.array([560.0, 600.0, 640.0])
    yield tank.heats_over, (grid, 5e6, N, 2.0, False, VAPOUR, pack_, per, COUNTED, np.zeros(1), *m.mix)
    held = 5e6, N, 2.0, False, VAPOUR, pack_, per, COUNTED, np.zeros(1)
    for wall in ((0.0, 0.0), (50.0, 500.0)):
        yield tank.balanced_between, (420.0, 900.0, -8.3e5, *wall, *held, *m.mix)
    yield from followed_cases(m, pack_, per)


def followed_cases(m, laws_, per):
    """A tube and a closed batch followed, and their states looked at."""
    room = np.empty(60), np.empty((60, 5)), np.empty((60, 3, 5))
    y = np.array([0.0, 0.0, 5e6, 600.0, 400.0])
    for batch, pressure, phase in ((0, contents.LEVEL, VAPOUR), (1, contents.CLOSED, VAPOUR), (1, contents.LEVEL, contents.UNDER_VAPOUR)):
        fixed = np.zeros(contents.NUMBERS)
        fixed[[contents.F_T, contents.F_P, contents.F_VOLUME, contents.F_VOID, contents.F_BED]] = 600.0, 5e6, 0.004, 0.4, 1.0
        what = contents.Contents(batch, phase, contents.HELD_T, pressure, 0.0, N, np.zeros(3), 0.0, fixed, m.molar_mass)
        yield march.marched, (what, following.UNWATCHED, 3.0, y.copy(), laws_, per, 1e-5, *(a.copy() * 0.0 for a in room), *m.mix)
        yield contents.looked_at, (what, np.zeros(1), y[None, :].copy(), laws_, np.empty((1, 1)), np.empty((1, 4)), *m.mix)


def numbers(value):
    return np.concatenate([numbers(v) for v in value]) if isinstance(value, tuple) else np.ravel(np.asarray(value, float))


def test_compiled_and_plain_agree():
    seen = set()
    with np.errstate(all="ignore"):
        for entry, arguments in cases():
            compiled, same = copy.deepcopy(arguments), copy.deepcopy(arguments)
            assert taking.take(entry), entry
            a, b = entry(*compiled), plain(entry.kernel.function)(*same)
            for x, y in [(a, b)] * (a is not None) + list(zip(compiled, same, strict=True)):
                np.testing.assert_allclose(numbers(x), numbers(y), rtol=1e-7, atol=1e-9, err_msg=f"{entry.__name__} {arguments[:3]}")
            seen.add(entry.kernel)
    assert seen == {e.kernel for e in ENTRIES}  # none of what Python calls is left out


def test_searches_of_the_cases_find_something():
    """So that the comparison above compares answers."""
    m = model("peng-robinson")
    outcome, low, high, *_ = temperature.flash_amounts_to(2e6, -1.2e5, ENTHALPY, N, 330.0, 1e-6, *m.mix)
    assert outcome == FOUND and high - low < 1e-9
    pack_, per = laws(m)
    outcome, xi, volume = tank.tank(600.0, 5e6, N, 2.0, False, VAPOUR, pack_, per, COUNTED, np.zeros(1), *m.mix)
    assert outcome == FOUND and -1.0 < xi[0] < -0.01 and volume == 2.0  # ethanol goes back at 600 K
    held = 5e6, N, 2.0, False, VAPOUR, pack_, per, COUNTED, np.zeros(1)
    at = k.phase_properties(500.0, 5e6, N / N.sum(), VAPOUR, *m.mix)[0] * N.sum()
    for wall in (0.0, 50.0):
        outcome, T, growth, xi = tank.balanced_between(420.0, 900.0, at, wall, 480.0, *held, *m.mix)
        _, (heat,), _ = tank.heats_over(np.array([T]), *held, *m.mix)
        assert outcome == FOUND and growth < 0.0
        assert heat == pytest.approx(at + wall * (480.0 - T), rel=1e-12)


@pytest.mark.parametrize(
    "f", [lambda x: x**3 - 2.0, lambda x: 1.0 - x**9, lambda x: np.expm1(30.0 * (x - 1.9)), lambda x: np.arctan(1e3 * (x - 0.3))]
)
def test_a_bracket_is_narrowed_to_a_root(f):
    b, at, looks = bracket.bracket(0.0, f(0.0), 2.0, f(2.0)), np.nan, 0
    while abs(f(at)) > 1e-13 or looks == 0:
        at, looks = bracket.place_of(b), looks + 1
        bracket.narrow(b, at, f(at))
    assert at == pytest.approx(scipy.optimize.brentq(f, 0.0, 2.0, xtol=1e-14), abs=1e-13)
    assert looks <= 40
