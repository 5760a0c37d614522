"""Slopes of rates and of vessels: values as the rate kernels give them, slopes as differences do, over random laws and vessels."""

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from gulch.engine.chemistry.constants import Constant
from gulch.engine.chemistry.kernels import slopes as sl
from gulch.engine.chemistry.kernels.rates import rates_in
from gulch.engine.chemistry.rates import RateConstant, RateLaw, pack
from gulch.engine.chemistry.reaction import Reaction
from gulch.engine.fluids import FOUND, LIQUID, VAPOUR
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.phases import phase_model
from gulch.engine.vessels import course, well_mixed
from gulch.engine.vessels.course import AT_PRESSURE, CONSTANT_VOLUME, Vessel

NAMES = ("64-17-5", "64-19-7", "141-78-6", "7732-18-5")  # ethanol, acetic acid, ethyl acetate, water
MODELS = {kind: phase_model(kind, tuple((c, ()) for c in NAMES), (), "ideal", ()) for kind in ("ideal", "peng-robinson")}
NU = (np.array([-1.0, -1.0, 1.0, 1.0]), np.array([-2.0, 0.0, 0.0, 1.0]))
ASKED = [
    (0, sl.LN_K, 0), (0, sl.ENERGY, 0), (0, sl.POWER_OF_T, 0), (0, sl.ORDER, 0), (0, sl.ORDER, 3), (0, sl.LN_STRENGTH, 0), (0, sl.HEAT, 0),
    (0, sl.STRENGTH_POWER, 0), (0, sl.EXPONENT, 0), (1, sl.LN_K, 0), (1, sl.LN_KR, 0), (1, sl.ENERGY_R, 0), (1, sl.ORDER_R, 3),
]  # fmt: skip
STILL = (0.0,) * len(ASKED)


def laws_of(basis, reverse, orders, shift=STILL, T=335.0):
    """Two laws whose numbers asked for are moved by `shift`, each about its pivot; k about 1 in rates at 1 of the quantity."""
    q = {"concentration": 1e3, "partial-pressure": 1e5, "fugacity": 1e5, "mole-fraction": 1.0}[basis]
    ln_q = math.log(q)

    def constant(ln_k, energy, power, order):
        return RateConstant(ln_k + energy / (8.314462618 * T) - power * math.log(T) - order * ln_q, power, energy)

    a, b, c, d, e, f, g, h, i, j, k, m, n = shift
    forward = np.array([orders[0] + d, orders[1], 0.0, orders[2] + e])
    strength = RateConstant(f + (-2e4 + g) / (8.314462618 * T) - (1.0 + h) * ln_q, 0.0, -2e4 + g)
    first = RateLaw(basis, "fluid", constant(a, 6e4 + b, 0.5 + c, forward.sum()), forward, reverse if reverse != "own" else "none",
                    adsorption=((0, strength, 1.0 + h),), exponent=1.5 + i)  # fmt: skip
    back = np.array([0.0, 0.0, 0.0, 1.0 + n])
    second = RateLaw(basis, "fluid", constant(j - 2.0, 5e4, 0.0, 2.0), np.array([2.0, 0, 0, 0]), "own",
                     constant(k - 4.0, 7e4 + m, 0.0, back.sum()), back)  # fmt: skip
    reactions = [Reaction(n, nu, 0, None, 0.0, Constant(), None, law) for n, nu, law in zip("ab", NU, (first, second), strict=True)]
    keq = Constant("constant", "liquid", "mole-fraction", 1.0, (1.2, 0.0, 0.0, 0.0), ((), ()))
    rates, per = pack(reactions, [keq, keq], 4)
    pivots = np.array(
        [{sl.ENERGY: 1 / T, sl.HEAT: 1 / T, sl.ENERGY_R: 1 / T, sl.POWER_OF_T: math.log(T)}.get(w, ln_q) for _, w, _ in ASKED]
    )
    return rates, per, pivots


def vessel_of(kind, phase, n, T, follows=0):
    batch = 1
    return Vessel(kind, batch, phase, follows, 2e5, 1.0, n, np.array([[0.0, T], [500.0, T + 12.0]]), np.array([1.0, 1.0, 50.0]))


orders = st.tuples(*(st.floats(1.0, 2.0),) * 2, st.floats(0.0, 0.5))
amounts = st.lists(st.floats(200.0, 4000.0), min_size=4, max_size=4).map(np.array)


@settings(max_examples=25, deadline=None)
@given(st.sampled_from(["concentration", "partial-pressure", "fugacity", "mole-fraction"]), st.sampled_from(["none", "equilibrium"]),
       orders, amounts, st.floats(330.0, 380.0), st.sampled_from(["ideal", "peng-robinson"]))  # fmt: skip
def test_rates_with_slopes_are_the_rates(basis, reverse, orders, n, T, kind):
    """Values as `rates_in`; slopes along extents as central differences of it."""
    rates, _, pivots = laws_of(basis, reverse, orders)
    model = MODELS[kind]
    mix, vessel = Mixture(*model.mix), vessel_of(AT_PRESSURE, VAPOUR, n, T)
    x, by_extent, by_number = np.empty(4), np.empty((2, 2)), np.empty((2, len(ASKED)))

    def at(xi):
        total, P, v = course.state_in(mix, vessel, T, xi, rates.nu, x)
        return total, P, v, rates_in(mix, T, P, x, v, VAPOUR, rates)

    total, P, v, plain = at(np.zeros(2))
    along = sl.Along(np.empty((2, 4)), np.empty(2), np.empty(2))
    course.along_extents(mix, vessel, T, total, P, v, x, rates.nu, along)
    found = sl.rates_and_slopes(mix, T, P, x, v, VAPOUR, rates, along, np.array(ASKED), pivots, by_extent, by_number)
    np.testing.assert_allclose(found, plain, rtol=1e-9)
    h = 1e-4 * n.sum()
    for s in range(2):
        step = h * np.eye(2)[s]
        (*_, v_ahead, ahead), (*_, v_behind, behind), (*_, farther), (*_, opposite) = (at(k * step) for k in (1.0, -1.0, 2.0, -2.0))
        assume(abs(v_ahead - v_behind) < 0.01 * v)  # where the equation's roots change, the volume jumps
        by_differences = (8.0 * (ahead - behind) - (farther - opposite)) / (12.0 * h)  # of fourth order
        np.testing.assert_allclose(by_extent[:, s], by_differences, rtol=1e-4, atol=1e-6 * np.abs(plain).max() / n.sum())


VESSELS = [(CONSTANT_VOLUME, LIQUID, 0), (CONSTANT_VOLUME, VAPOUR, 1), (AT_PRESSURE, VAPOUR, 0), (AT_PRESSURE, LIQUID, 0)]


@pytest.mark.parametrize(("kind", "phase", "follows"), VESSELS)
@pytest.mark.parametrize("which", range(len(ASKED)))
def test_where_a_vessel_leads_turns_with_every_number(kind, phase, follows, which):
    """Slopes of a batch (with a course of temperature) and of a tank against central differences of the solves themselves."""
    basis = "concentration" if phase == LIQUID else "partial-pressure"
    n, model = np.array([3000.0, 2500.0, 200.0, 800.0]), MODELS["ideal"]
    vessel = vessel_of(kind, phase, n if phase == LIQUID else 0.02 * n, 350.0, follows)
    points, asked = np.array([50.0, 300.0, 600.0]), np.array(ASKED)

    def solved(move):
        shift = [0.0] * len(ASKED)
        size = {1: 1e3, 6: 1e3, 11: 1e3}.get(which, 1e-2)
        shift[which] = move * size
        rates, per, pivots = laws_of(basis, "equilibrium", (1.0, 1.2, 0.3), shift)
        xi, S = np.zeros((3, 2)), np.zeros((6, len(ASKED)))
        assert course.followed(vessel, points, rates, per, asked, pivots, 1e-8, True, xi, S, *model.mix) == FOUND
        tank, T_ = np.zeros(2), np.zeros((2, len(ASKED)))
        held = vessel._replace(course=vessel.course[:1], batch=0)
        assert well_mixed.mixed(held, 400.0, rates, per, asked, pivots, True, tank, T_, *model.mix) == FOUND
        return xi, S.reshape(3, 2, -1)[:, :, which] * size, tank, T_[:, which] * size

    (_, slope, _, of_tank), (ahead, _, tank_a, _), (behind, _, tank_b, _) = solved(0.0), solved(0.1), solved(-0.1)
    scale = np.abs(slope).max()
    assert scale > 0.0
    np.testing.assert_allclose(slope, (ahead - behind) / 0.2, rtol=2e-4, atol=2e-5 * scale)
    np.testing.assert_allclose(of_tank, (tank_a - tank_b) / 0.2, rtol=2e-4, atol=2e-5 * np.abs(of_tank).max())


def test_a_formula_has_the_slopes_of_the_law_it_writes():
    """k c_A^2/(1 + K c_A) as a power law with adsorption, and as a formula: the same rates and slopes along extents."""
    T, v = 350.0, 1e-4
    one = RateLaw(
        constant=RateConstant(math.log(1e-6)), forward=np.array([2.0, 0, 0, 0]), adsorption=((0, RateConstant(math.log(1e-3)), 1.0),)
    )
    program = (("push", 1e-6), ("c", 0.0), ("push", 2.0), ("raise", 0.0), ("multiply", 0.0), ("push", 1.0), ("push", 1e-3), ("c", 0.0),
               ("multiply", 0.0), ("add", 0.0), ("divide", 0.0))  # fmt: skip
    mix = Mixture(*MODELS["ideal"].mix)
    x = np.array([0.4, 0.3, 0.2, 0.1])
    found = []
    for law in (one, RateLaw(program=program)):
        rates, _ = pack([Reaction("a", NU[0], 0, None, 0.0, Constant(), None, law)], [Constant()], 4)
        along = sl.Along(np.empty((1, 4)), np.empty(1), np.empty(1))
        course.along_extents(mix, vessel_of(CONSTANT_VOLUME, LIQUID, x, T), T, 1.0, 1e5, v, x, rates.nu, along)
        J, F = np.empty((1, 1)), np.empty((1, 0))
        r = sl.rates_and_slopes(mix, T, 1e5, x, v, LIQUID, rates, along, np.empty((0, 3), np.int64), np.empty(0), J, F)
        found.append((r[0], J[0, 0]))
    assert found[0] == pytest.approx(found[1], rel=1e-8)


def test_a_stiff_batch_is_followed():
    """A = B quickly, B -> C slowly: after the first instant A and B stand at their equilibrium, and their sum decays."""
    fast, slow = 1e5, 1e-3
    first = RateLaw(constant=RateConstant(math.log(fast)), forward=np.array([1.0, 0, 0]), reverse="own",
                    back=RateConstant(math.log(fast)), backward=np.array([0, 1.0, 0]))  # fmt: skip
    second = RateLaw(constant=RateConstant(math.log(slow)), forward=np.array([0, 1.0, 0]))
    nu = (np.array([-1.0, 1.0, 0.0]), np.array([0.0, -1.0, 1.0]))
    reactions = [Reaction(n, v, 0, None, 0.0, Constant(), None, law) for n, v, law in zip("ab", nu, (first, second), strict=True)]
    rates, per = pack(reactions, [Constant()] * 2, 3)
    model = phase_model("ideal", tuple((c, ()) for c in NAMES[:3]), (), "ideal", ())
    vessel = Vessel(CONSTANT_VOLUME, 1, LIQUID, 0, 1e5, 1.0, np.array([1e3, 0, 0]), np.array([[0.0, 300.0]]), np.ones(3))
    points = np.array([1e-3, 1.0, 1000.0])
    xi, S = np.zeros((3, 2)), np.zeros((6, 1))
    told = rates, per, np.array([[1, sl.LN_K, 0]]), np.zeros(1), 1e-7, True, xi, S
    assert course.followed(vessel, points, *told, *model.mix) == FOUND
    left = 1e3 - xi[:, 1]
    np.testing.assert_allclose(left, 1e3 * np.exp(-0.5 * slow * points), rtol=2e-6)
    assert S.reshape(3, 2, 1)[2, 1, 0] == pytest.approx(1e3 * 0.5 * np.exp(-0.5), rel=1e-4)  # d/d ln k of 1 − exp(−k t/2)
