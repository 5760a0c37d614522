"""Trade-off curves laid over each other: closed forms of crossing lines, and random curves against a brute-force look."""

import numpy as np
import pytest

from gulch.engine.scans.fronts import reach, stretches


def test_two_lines_that_cross_hold_a_half_each():
    """y = 1 − x and y = 0.8 − 0.5 x cross at x = 0.4."""
    one, other = np.array([[0.0, 1.0], [1.0, 0.0]]), np.array([[0.0, 0.8], [1.0, 0.3]])
    held = stretches([one, other])
    assert [s.of for s in held] == [0, 1]
    assert held[0].high == pytest.approx(0.4, abs=0.01) and held[1].high == 1.0 and held[0].low == 0.0


def test_who_is_better_everywhere_holds_all_and_equals_go_to_the_first():
    low, high = np.array([[0.0, 1.0], [1.0, 0.0]]), np.array([[0.2, 1.5], [1.4, 0.4]])
    assert {s.of for s in stretches([low, high])} == {1}
    assert {s.of for s in stretches([low, low.copy()])} == {0}


def test_a_choice_without_a_point_holds_nothing():
    assert {s.of for s in stretches([np.empty((0, 2)), np.array([[1.0, 2.0]])])} == {1}


def test_random_curves_against_a_look_at_every_point():
    rng = np.random.default_rng(3)
    for _ in range(40):
        curves = [np.column_stack([np.sort(rng.uniform(0, 1, 6)), np.sort(rng.uniform(0, 1, 6))[::-1]]) for _ in range(3)]
        held = stretches(curves)
        for s in held:
            middle = 0.5 * (s.low + s.high)
            reads = [reach(c, middle) for c in curves]
            assert reads[s.of] >= max(reads) - 0.03
        assert held[0].low == min(c[0, 0] for c in curves) and held[-1].high == max(c[-1, 0] for c in curves)
