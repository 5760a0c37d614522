"""How sure figures are: a published test function, ranges as typed, bands and shares that follow from formulas."""

import math

import numpy as np
import pytest
from by_hand import K1, gas_tank
from helpers import document, feed
from scipy.stats import qmc

from gulch.demo import projects
from gulch.engine.document import SpreadEntry
from gulch.engine.explain import Plan, solve
from gulch.engine.scans import ScanError, by_sources, run_scan, sure, swings
from gulch.engine.scans.sure import design, overrides_at, shares, unsure, unsure_of


def test_shares_of_the_ishigami_function():
    """a = 7, b = 0.1: first-order 0.314, 0.442, 0; total 0.558, 0.442, 0.244 (Ishigami & Homma 1990; closed forms)."""
    x = (2.0 * design(3, 4096) - 1.0) * math.pi
    values = np.sin(x[:, 0]) + 7.0 * np.sin(x[:, 1]) ** 2 + 0.1 * x[:, 2] ** 4 * np.sin(x[:, 0])
    first, total, off = shares(values, 3)
    assert off.max() < 0.05
    assert first == pytest.approx([0.314, 0.442, 0.0], abs=3e-3) and total == pytest.approx([0.558, 0.442, 0.244], abs=3e-3)
    few = (2.0 * design(3) - 1.0) * math.pi
    near, rough, off = shares(np.sin(few[:, 0]) + 7.0 * np.sin(few[:, 1]) ** 2 + 0.1 * few[:, 2] ** 4 * np.sin(few[:, 0]), 3)
    assert near.sum() <= 1.0 and (np.abs(rough - total) < 1.5 * off + 0.02).all()  # what it says that it may be off by
    assert list(np.argsort(-rough)) == [0, 1, 2]  # what is used ranks them alike


def test_a_value_that_nothing_moves_has_no_shares():
    assert [s.tolist() for s in shares(np.full(64 * 5, 3.0), 3)] == [[0.0] * 3] * 3


RATE = [("A = B", {"forward": {"k": f"{K1} 1/min", "energy": "60 kJ/mol", "at": "450 K"}})]


def tank(*spreads, **more):
    return gas_tank(RATE, gauges=[{"id": "X", "reads": "R.conversion.A"}], spreads=list(spreads), **more)


def conversion(factor=1.0, T=450.0, energy=60e3):
    """X = k t/(1 + k t) with t = V P/(F R T) (Levenspiel)."""
    R = 8.314462618
    t = 20.0 * 2e5 / (1e5 / 3600 * R * T) / 60.0
    k = factor * K1 * math.exp(-energy / R * (1.0 / T - 1.0 / 450.0))
    return k * t / (1.0 + k * t)


def test_the_band_of_a_rate_constant_is_that_of_the_formula():
    """k within a factor of 1.5, evenly in its logarithm: the band lies at 5 and 95 % of ln k, the conversion rising with k."""
    found = sure(Plan(tank({"what": "rate", "reaction": "r0", "by": "50 %"})))
    (g,) = found.gauges
    low, high = (conversion(1.5 ** (2.0 * q - 1.0)) for q in (0.05, 0.95))
    assert g["now"] == pytest.approx(conversion(), rel=1e-6)
    assert g["low"] == pytest.approx(low, rel=0.01) and g["high"] == pytest.approx(high, rel=0.01)
    assert g["total"] == {"rate.r0": pytest.approx(1.0, abs=0.05)} and found.failed == 0 and found.samples == 64 * 3


@pytest.mark.parametrize("shape", ["normal", "log-normal"])
def test_a_datum_spread_so_that_95_in_100_lie_within(shape):
    """k ± 50 % as a normal or log-normal spread: its 5 and 95 % lie at 1.645/1.960 of the ends, and the conversion with them."""
    found = sure(Plan(tank({"what": "rate", "reaction": "r0", "by": "50 %", "shape": shape})), samples=256).gauges[0]
    z = 1.6449 / 1.95996
    ends = (1.0 - z * 0.41667, 1.0 + z * 0.41667) if shape == "normal" else (1.5**-z, 1.5**z)
    assert found["low"] == pytest.approx(conversion(ends[0]), rel=0.015) and found["high"] == pytest.approx(conversion(ends[1]), rel=0.015)
    assert 0.0 < found["ends_off"][0] < 0.1 * found["low"]


@pytest.mark.parametrize("r", [-0.9, 0.0, 0.9])
def test_what_a_fit_left_is_sampled_together(r):
    """ln k at 450 K and E, normal with a correlation; at 470 K ln k has the variance s² + 2 r s d S + d² S², d of −E/R (closed form).

    What hangs together counts: with r = 0.9 the errors of k and E add up at 470 K, with r = −0.9 they take one another away.
    """
    s, S, d = 0.08, 6e3, -(1 / 470.0 - 1 / 450.0) / 8.314462618
    found = {"numbers": ["r0.k", "r0.energy"], "values": [0.0, 6e4], "covariance": [[s * s, r * s * S], [r * s * S, S * S]],
             "texts": [f"{K1} 1/min", "60 kJ/mol"], "on": "batches"}  # fmt: skip
    project = tank(fits=[{"id": "f", "set": "main", "free": ["r0.k", "r0.energy"], "found": found}])
    project.unit("R").heat.temperature = "470 K"
    out = sure(Plan(project), samples=256)
    spread = math.sqrt(s * s + 2 * r * s * d * S + d * d * S * S)
    ends = [conversion(math.exp(z * spread), 470.0) for z in (-1.6449, 1.6449)]
    assert (out.gauges[0]["low"], out.gauges[0]["high"]) == pytest.approx(ends, rel=0.02)
    assert out.gauges[0]["total"] == {"fit.f": pytest.approx(1.0, abs=0.01)} and out.samples == 256 * 3
    project.reactions[0].rate.forward.k = "1 1/min"  # typed over: what was found is out of use
    with pytest.raises(ScanError, match="No datum has a range"):
        sure(Plan(project))


@pytest.mark.parametrize(("r", "of_T"), [(1.0, 1.0), (0.9, 0.9), (0.9, -0.9), (0.0, 1.0)])
def test_data_with_a_common_cause_are_correlated_by_the_product_of_theirs(r, of_T):
    """k and T, normal with the correlation r r': against 16384 points drawn from that distribution itself."""
    spreads = ({"what": "rate", "reaction": "r0", "by": "40 %", "shape": "log-normal", "cause": "one rig", "correlation": r},
               {"what": "input", "input": "R.temperature", "by": "8 K", "shape": "normal", "cause": "one rig",
                "correlation": of_T})  # fmt: skip
    plan = Plan(tank(*spreads))
    out = sure(plan, samples=256)
    rho = r * of_T
    z = np.random.default_rng(5).multivariate_normal([0.0, 0.0], [[1.0, rho], [rho, 1.0]], 2**14) / 1.95996
    direct = np.array([conversion(1.4**a, 450.0 + 8.0 * b) for a, b in z])
    assert (out.gauges[0]["low"], out.gauges[0]["high"]) == pytest.approx(tuple(np.quantile(direct, (0.05, 0.95))), rel=0.02)
    assert len(out.gauges[0]["total"]) == (1 if rho else 2)
    u = qmc.Sobol(sum(x.width for x in unsure_of(plan)), seed=3).random(2**12)
    drawn = [overrides_at(unsure_of(plan), x) for x in u]
    (k, T) = (np.array([d[a] for d in drawn]) for a in sorted(drawn[0], key=lambda a: "temperature" in a))
    assert np.corrcoef(np.log(k), T)[0, 1] == pytest.approx(rho, abs=0.01)


def test_the_larger_lever_has_the_larger_share():
    """Against the variance by the formula itself on a million points."""
    spreads = ({"what": "rate", "reaction": "r0", "by": "20 %"}, {"what": "input", "input": "R.temperature", "by": "5 K"})
    found = sure(Plan(tank(*spreads)))
    u = qmc.Sobol(2, seed=4).random(2**14)
    k, T = 1.2 ** (2.0 * u[:, 0] - 1.0), 450.0 + 10.0 * (u[:, 1] - 0.5)
    both = np.array([conversion(a, b) for a, b in zip(k, T, strict=True)])
    alone = np.array([conversion(a) for a in k])
    assert found.gauges[0]["first"]["rate.r0"] == pytest.approx(alone.var() / both.var(), abs=0.06)
    assert found.gauges[0]["low"] == pytest.approx(np.quantile(both, 0.05), rel=0.01)


def test_an_equilibrium_constant_moves_its_reactor():
    """A = B at equilibrium: X = K/(1 + K); K ± 100 % lies between half and twice its value."""
    project = document(
        {"A": "106-97-8", "B": "75-28-5"},
        [{"id": "R", "kind": "equilibrium-reactor", "set": "main", "heat": {"mode": "isothermal", "temperature": "400 K"}}],
        [feed("F", "R", {"A": "10 kmol/h"}, T="400 K", P="1 bar"), {"id": "P", "from": "R"}],
        [{"id": "iso", "equation": "A = B"}],
        [{"id": "main", "steps": [["iso"]]}],
        gauges=[{"id": "X", "reads": "R.conversion.A"}],
        spreads=[{"what": "constant", "reaction": "iso", "by": "100 %"}],
    )
    plan = Plan(project)
    data = unsure_of(plan)
    now = plan.run().gauges["X"]
    K = now / (1.0 - now)
    for u, factor in ((0.0, 0.5), (0.5, 1.0), (1.0, 2.0)):
        X = plan.run(overrides=overrides_at(data, np.array([u]))).gauges["X"]
        assert pytest.approx(factor * K / (1.0 + factor * K), rel=1e-6) == X
    assert by_sources(plan, "iso") is None or by_sources(plan, "iso") >= 0.0


def test_the_reactor_says_what_the_sources_leave_open():
    """Ethylene to ethanol: K of hydration is open by tens of per cent among the databank's sources, and so is the conversion."""
    reactor = solve(projects()[0]).units["R1"].values
    low, high = reactor["between"]["conversion"]["ethylene"]
    assert low < reactor["conversion"]["ethylene"] < high and high - low > 0.01
    assert by_sources(Plan(projects()[0]), "hydration") == pytest.approx(0.42, abs=0.05)


def test_prices_are_sampled_too():
    project = projects()[0]
    project.spreads = [SpreadEntry(what="sold", species="ethanol", by="10 %")]
    plan = Plan(project)
    (datum,) = unsure_of(plan)
    parts = plan.run().overall["account"]["parts"]
    sold = next(p["rate"] for p in parts if p["what"] == "sold" and p["name"] == "ethanol")
    more, less = (plan.run(overrides={datum.address: f}).gauges["worth"] for f in (1.1, 0.9))
    assert more - less == pytest.approx(0.2 * sold, rel=1e-6)


@pytest.mark.parametrize(
    ("spread", "words"),
    [
        (None, "No datum has a range yet"),
        ({"what": "input", "input": "R.magic", "by": "5 K"}, "has no value that could be unsure"),
        ({"what": "input", "input": "R.temperature", "by": "5 bar"}, "unit of pressure"),
        ({"what": "rate", "reaction": "r0", "by": "0 %"}, "must lie above 0"),
        ({"what": "rate", "reaction": "r0", "by": "5 K"}, "The range of rate constant of r0"),
        ({"what": "input", "input": "R.temperature", "by": "0 K"}, "must lie above 0"),
    ],
)
def test_what_cannot_be_sampled_is_refused_with_a_sentence(spread, words):
    with pytest.raises(ScanError, match=words):
        unsure_of(Plan(tank(*([spread] if spread else []))))


def test_a_datum_that_a_tie_sets_cannot_be_unsure():
    project = tank(ties=[{"sets": "R.temperature", "formula": "feed.temperature + 50[K]"}])
    entry = SpreadEntry(what="input", input="R.temperature", by="5 K")
    with pytest.raises(ScanError, match="is set by a tie"):
        unsure(Plan(project), entry)


def test_per_cent_are_of_the_value_and_points_of_a_share():
    plan = Plan(tank())
    assert unsure(plan, SpreadEntry(what="input", input="R.volume", by="10 %")).low == pytest.approx(18.0)
    demo = Plan(projects()[0])
    purge = unsure(demo, SpreadEntry(what="input", input="SPLIT.drawn", by="2 %"))
    assert (purge.low, purge.high) == (pytest.approx(0.045), pytest.approx(0.085))


def test_a_scan_carries_the_band_at_each_point():
    scans = [{"id": "s", "over": [{"knob": "V", "points": 3}], "band": True}]
    knobs = [{"id": "V", "input": "R.volume", "low": "5 m3", "high": "40 m3"}]
    project = tank({"what": "rate", "reaction": "r0", "by": "50 %"}, knobs=knobs, scans=scans)
    for p in run_scan(project, project.scans[0]).points:
        low, high = p["band"]["X"]
        assert low < p["gauges"]["X"] < high
    project.scans[0].band = False
    assert all("band" not in p for p in run_scan(project, project.scans[0]).points)


def test_what_is_unsure_swings_beside_the_knobs():
    """A rate constant over its range, by the formula; its slope is that of a factor around 1."""
    project = tank({"what": "rate", "reaction": "r0", "by": "50 %"})
    (row,) = swings(Plan(project)).rows
    for end, factor in (("low", 1 / 1.5), ("high", 1.5)):
        assert row.ends[end]["gauges"]["X"] == pytest.approx(conversion(factor), rel=1e-6)
    h = 1e-4
    assert row.slopes["X"] == pytest.approx((conversion(1 + h) - conversion(1 - h)) / (2 * h), rel=1e-3)
