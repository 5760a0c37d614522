"""Searches for the fixed point of a pass, on passes whose answers are known."""

import numpy as np
import pytest

from gulch.engine.settle import UNWATCHED, settle
from gulch.engine.settle.accelerated import wegstein_step
from gulch.engine.settle.newton import _jacobian
from gulch.engine.settle.search import Search


def search_of(one_pass, n, ceiling=np.inf):
    ones = np.ones(n)
    return Search(one_pass, ones, -np.inf * ones, ceiling * ones, 1e-9, 100, UNWATCHED)


def test_differences_at_the_ceiling_look_below_it():
    """x → x² has slope 2x − 1 of its change; at the ceiling a step up would leave what the pass is defined on."""

    def one_pass(x):
        assert (x <= 3.0).all()
        return x**2

    search = search_of(one_pass, 1, ceiling=3.0)
    x = np.array([3.0])
    assert _jacobian(search, x, search.change(x))[0, 0] == pytest.approx(5.0, rel=1e-5)
    inside = np.array([2.0])
    assert _jacobian(search, inside, search.change(inside))[0, 0] == pytest.approx(3.0, rel=1e-5)


@pytest.mark.parametrize(
    ("slope", "q"),
    [(0.5, -1.0), (0.75, -3.0), (0.95, -5.0), (-1.0, 0.0), (2.0, 0.0)],  # q = s/(s − 1), kept in −5 … 0
)
def test_wegsteins_step_is_bounded(slope, q):
    """On a straight pass x → s x + 1 from 0 and 1; Wegstein, Comm. ACM 1 (1958) 9: x' = q x + (1 − q) g(x)."""
    xs = [np.array([0.0]), np.array([1.0])]
    fs = [slope * x + 1.0 - x for x in xs]
    g = slope * xs[-1] + 1.0
    assert wegstein_step(xs, fs) == pytest.approx(q * xs[-1] + (1.0 - q) * g)


def test_wegstein_ends_where_a_straight_pass_does():
    found = settle(lambda x: 0.8 * x + 1.0, np.zeros(1), scale=np.ones(1), method="wegstein")
    assert found.reason.settled and found.tear[0] == pytest.approx(5.0, rel=1e-8)
