"""Repeating a pass until its tear no longer changes: direct passes, Wegstein, Anderson, Newton.

Knows nothing of flowsheets. The stopping test is on the estimated distance to the answer,
last change * gain/(1 - gain), since a slow loop changes little while still far away; where derivatives of the pass are known, on Newton's
own step.

Notation: the vector of unknowns has shape (size,); a history of differences has shape (size, depth).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from gulch.engine.settle.accelerated import accelerated
from gulch.engine.settle.newton import Slopes, damped_newton, with_slopes
from gulch.engine.settle.search import UNWATCHED, LoopResult, PassFailed, Reason, Search, Watch

__all__ = ["METHODS", "UNWATCHED", "LoopResult", "PassFailed", "Reason", "Slopes", "Watch", "settle"]

METHODS = {
    "automatic": "automatic",
    "direct": "direct passes",
    "wegstein": "Wegstein",
    "anderson": "Anderson",
    "newton": "damped Newton",
}
DIRECT = 3  # plain passes before Newton's first step, where nothing is known


def settle(
    one_pass: Callable,
    start: np.ndarray,
    *,
    scale: np.ndarray,
    floor: np.ndarray | None = None,
    ceiling: np.ndarray | None = None,
    tol: float = 1e-9,
    max_passes: int = 150,
    depth: int = 6,
    direct: int = 2,
    secants: tuple | None = None,
    watch: Watch = UNWATCHED,
    method: str = "automatic",
    slopes: Slopes | None = None,
    only: bool = False,
) -> LoopResult:
    """Find the fixed point of one_pass.

    one_pass: array of shape (n,) to array of shape (n,); start: shape (n,); scale: shape (n,);
    floor, ceiling: bounds of the accelerated iterates, shape (n,). secants: those of an earlier LoopResult of a
    similar problem, so that acceleration starts at once. method: one of METHODS. watch: a Watch, which may end the search.
    slopes: derivatives of the pass, by which the automatic method goes first; only: nor by anything else where they lead nowhere.
    Not settling is a result, not an error; PassFailed is passed on when no step back helps.
    """
    x = np.array(start, float)
    floor = np.full_like(x, -np.inf) if floor is None else floor
    ceiling = np.full_like(x, np.inf) if ceiling is None else ceiling
    search = Search(one_pass, scale, floor, ceiling, tol, max_passes, watch)
    if method == "newton":
        return damped_newton(search, x)
    first: LoopResult | None = None
    if method == "automatic" and slopes is not None:
        first = with_slopes(search, x, slopes, DIRECT)
        if only or first.reason not in (Reason.STALLED, Reason.PASS_FAILED):
            return first
    found = _without(search, x, depth, direct, secants, method)
    if first is None:
        return found
    return replace(found, history=first.history + found.history, iterates=first.iterates + found.iterates)


def _without(search: Search, x: np.ndarray, depth: int, direct: int, secants: tuple | None, method: str) -> LoopResult:
    """LoopResult without derivatives of the pass."""
    found = accelerated(search, x, depth, direct, secants, method)
    if method == "automatic" and found.reason in (Reason.OUT_OF_PASSES, Reason.STALLED) and _newton_may_help(found):
        # a few full steps from the best iterate; a loop that only accumulates has no answer to find
        at = int(np.argmin(found.history))
        search.allow(8 * (x.size + 4))
        again = damped_newton(search, found.iterates[at][0])
        if again.reason is Reason.SETTLED:
            return replace(again, history=found.history + again.history, iterates=found.iterates + again.iterates)
        return replace(found, passes=again.passes)
    return found


def _newton_may_help(found: LoopResult) -> bool:
    return found.gain is not None and abs(found.gain - 1.0) > 1e-3
