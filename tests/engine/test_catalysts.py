"""Diffusion inside pellets and activity over time on stream, beside closed forms and an independent boundary value problem."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_bvp
from scipy.special import iv
from test_kinetics import MASS, converted, kinetic, law, plug, tank

from gulch.engine.explain import Plan, solve

Q = 3.6  # m3/h of the feed, 36 kmol/h at 10 kmol/m3
BED = {"void": "40 %"}
PELLETS = {"pellet_size": "4 mm", "diffusivity": "1e-9 m2/s"}


def by_bed(k, **more):
    return law(k, per="bed", **more)


def thiele(shape, phi):
    """First order: slab of half thickness L, cylinder and sphere of radius R (Levenspiel; Fogler; Froment & Bischoff)."""
    if shape == "slab":
        return math.tanh(phi) / phi
    if shape == "cylinder":
        return 2.0 / phi * iv(1, phi) / iv(0, phi)
    return 3.0 / phi**2 * (phi / math.tanh(phi) - 1.0)


@pytest.mark.parametrize("shape", ["slab", "cylinder", "sphere"])
@pytest.mark.parametrize("k", [0.02, 1.0, 40.0])
def test_first_order_in_pellets(shape, k):
    """Tank: X = η k τ/(1 + η k τ) with φ = (d/2) sqrt(k_p/D), k_p by volume of pellet; the effectiveness is a result."""
    phi = 0.002 * math.sqrt(k / 3600.0 / 0.6 / 1e-9)
    eta = thiele(shape, phi)
    solved = solve(project := kinetic(tank("2 m3", catalyst={"pellet": shape, **PELLETS}, **BED), [("A = B", by_bed(f"{k} 1/h"))]))
    assert solved.solved and solved.units["R"].values["effectiveness"]["r1"] == pytest.approx(eta, rel=1e-6)
    x = eta * k * 2.0 / Q
    assert converted(project) == pytest.approx(x / (1.0 + x), rel=1e-6)


@pytest.mark.parametrize("k", [0.5, 20.0])
def test_a_reversible_first_order_in_pellets(k):
    """The modulus counts k (1 + 1/K): φ = (d/2) sqrt(k (1 + 1/K)/D), and in plug flow X = Xe (1 − exp(−η k (1 + 1/K) τ))."""
    reverse = by_bed(f"{k} 1/h", reverse="own", backward={"k": f"{k / 3.0} 1/h"})
    eta = thiele("sphere", 0.002 * math.sqrt(k * (1.0 + 1.0 / 3.0) / 3600.0 / 0.6 / 1e-9))
    x = 0.75 * (1.0 - math.exp(-eta * k * (4.0 / 3.0) * 2.0 / Q))
    assert converted(kinetic(plug("2 m3", catalyst={"pellet": "sphere", **PELLETS}, **BED), [("A = B", reverse)])) == pytest.approx(
        x, rel=1e-5
    )


def slab_share(order, phi0):
    """Effectiveness of a slab with u'' = φ0² uⁿ, u(1) = 1, u'(0) = 0 (scipy's solve_bvp): u'(1)/φ0²."""
    z = np.linspace(0.0, 1.0, 200)
    guess = np.vstack([np.cosh(phi0 * z) / np.cosh(phi0), phi0 * np.sinh(phi0 * z) / np.cosh(phi0)])
    found = solve_bvp(
        lambda z, u: np.vstack([u[1], phi0**2 * np.maximum(u[0], 0.0) ** order]),
        lambda a, b: [a[1], b[0] - 1.0],
        z,
        guess,
        tol=1e-8,
        max_nodes=50_000,
    )
    return found.sol(1.0)[1] / phi0**2


@pytest.mark.parametrize(("order", "phi0"), [(2.0, 0.3), (2.0, 3.0), (2.0, 10.0), (1.5, 1.5)])
def test_other_orders_by_the_generalised_modulus(order, phi0):
    """Against the boundary value problem: the generalised modulus is exact at both ends, within 6 % between (Froment & Bischoff)."""
    c = 1e4  # mol/m3 of the feed
    k = phi0**2 * 1e-9 * 0.6 / 0.002**2 / c ** (order - 1.0)  # by volume of bed, so that L² k_p c^(n−1)/D = φ0²
    unit = plug("1e-6 m3", catalyst={"pellet": "slab", **PELLETS}, **BED)
    project = kinetic(unit, [("A = B", by_bed(f"{k} mol/(m3 s)/(mol/m3)^{order}", orders={"A": f"{order}"}))])
    assert solve(project).units["R"].values["effectiveness"]["r1"] == pytest.approx(slab_share(order, phi0), rel=0.06)


def test_rates_by_mass_and_pores():
    """By mass of catalyst the pellet's density counts, and D is D porosity/tortuosity; the same numbers by another way give the same."""
    one = {"pellet": "sphere", "pellet_size": "4 mm", "diffusivity": "6e-9 m2/s", "porosity": "50 %", "tortuosity": "3"}
    mass = kinetic(plug(bulk_density="600 kg/m3", catalyst=one, **BED), [("A = B", law("0.002 m3/(kg h)", per="catalyst"))])
    bed = kinetic(plug(catalyst={"pellet": "sphere", **PELLETS}, **BED), [("A = B", by_bed("1.2 1/h"))])
    assert converted(mass) == pytest.approx(converted(bed), rel=1e-9)
    denser = kinetic(
        plug(bulk_density="600 kg/m3", catalyst=one | {"pellet_density": "2000 kg/m3"}, **BED),
        [("A = B", law("0.002 m3/(kg h)", per="catalyst"))],
    )
    assert converted(denser) < converted(mass)
    area = plug(catalyst=one | {"surface": "3000 m2/m3"}, **BED)  # 5 m2/kg of the same catalyst
    area = kinetic(area, [("A = B", law("0.4 mm/h", per="surface"))])
    assert converted(area) == pytest.approx(converted(bed), rel=1e-9)


@pytest.mark.parametrize(("order", "left"), [("1", math.exp(-0.8)), ("2", 1 / 1.8), ("0", 0.2), ("0.5", 0.36), ("3", (1 + 1.6) ** -0.5)])
def test_activity_over_time_on_stream(order, left):
    """−da/dt = k aᵈ (Levenspiel, ch. 21): a = exp(−k t), 1/(1 + k t), 1 − k t, (1 − k t/2)², (1 + 2 k t)^(−1/2); X by a k τ."""
    unit = tank("2 m3", catalyst={"ageing": "order", "on_stream": "400 h", "decay": "0.002 1/h", "decay_order": order}, **BED)
    project = kinetic(unit, [("A = B", by_bed("1.2 1/h"))])
    assert solve(project).units["R"].values["activity_left"] == pytest.approx(left, rel=1e-9)
    x = left * 1.2 * 2.0 / Q
    assert converted(project) == pytest.approx(x / (1.0 + x), rel=1e-6)


def test_activity_is_a_number_one_can_turn_and_leaves_the_fluid_alone():
    both = [("A = B", by_bed("1.2 1/h")), ("A = C", law("0.3 1/h"))]
    plan = Plan(kinetic(tank("2 m3", **BED), both))
    found = plan.run(overrides={"R.activity": 0.5})
    a, b = (0.5 * 1.2 * 2.0 / Q, 0.4 * 0.3 * 2.0 / Q)
    made = found.streams["p"].flow
    assert made["B"] / made["C"] == pytest.approx(a / b, rel=1e-6)
    assert found.units["R"].values["conversion"]["A"] == pytest.approx((a + b) / (1 + a + b), rel=1e-6)


@pytest.mark.parametrize(
    ("unit", "rate", "words"),
    [
        ({"catalyst": {"pellet": "sphere"}, **BED}, law("1 1/h"), "count on the volume of fluid"),
        ({"catalyst": {"pellet": "sphere"}}, by_bed("1 1/h"), "have no room where the void fraction is 100 %"),
    ],
)
def test_pellets_that_cannot_be(unit, rate, words):
    solved = solve(kinetic(plug(**unit), [("A = B", rate)]))
    assert not solved.solved and any(words in m.what for m in solved.messages)


@pytest.mark.parametrize("coefficient", [1e-8, 1e-6, 1e-2])
def test_a_film_around_pellets(coefficient):
    """First order: 1/overall = 1/η + k_p L/k_c with L = R/3 (Levenspiel; Fogler)."""
    k = 5.0 / 3600.0 / 0.6
    overall = 1.0 / (1.0 / thiele("sphere", 0.002 * math.sqrt(k / 1e-9)) + k * 0.002 / 3.0 / coefficient)
    film = {"pellet": "sphere", **PELLETS, "film": "given", "film_coefficient": f"{coefficient} m/s"}
    solved = solve(kinetic(plug("2 m3", catalyst=film, **BED), [("A = B", by_bed("5 1/h"))]))
    assert solved.units["R"].values["effectiveness"]["r1"] == pytest.approx(overall, rel=1e-5)
    assert solved.units["R"].values["conversion"]["A"] == pytest.approx(1.0 - math.exp(-overall * 5.0 * 2.0 / Q), rel=1e-5)


def test_the_film_in_a_bed_by_its_published_equation():
    """Wakao & Funazkri (1978): Sh = 2 + 1.1 Sc^(1/3) Re^0.6, by hand."""
    film = {"pellet": "sphere", **PELLETS, "film": "bed", "fluid_diffusivity": "2e-9 m2/s", "fluid_viscosity": "0.5 mPa s"}
    unit = plug("2 m3", catalyst=film, diameter="0.5 m", **BED)
    solved = solve(kinetic(unit, [("A = B", by_bed("5 1/h"))]))
    rho, u = MASS * 1e4, Q / 3600.0 / (math.pi / 4 * 0.25)
    Sh = 2.0 + 1.1 * (0.5e-3 / (rho * 2e-9)) ** (1 / 3) * (rho * u * 0.004 / 0.5e-3) ** 0.6
    k = 5.0 / 3600.0 / 0.6
    overall = 1.0 / (1.0 / thiele("sphere", 0.002 * math.sqrt(k / 1e-9)) + k * 0.002 / 3.0 / (Sh * 2e-9 / 0.004))
    assert solved.units["R"].values["effectiveness"]["r1"] == pytest.approx(overall, rel=1e-4)
    bare = solve(kinetic(plug("2 m3", catalyst=film, **BED), [("A = B", by_bed("5 1/h"))]))
    assert any("diameter" in m.what for m in bare.messages)
