"""Repeating a pass until its tear no longer changes: direct passes, Wegstein, Anderson, damped Newton.

Knows nothing of flowsheets. The stopping test is on the estimated distance to the answer,
last change * gain/(1 - gain), since a slow loop changes little while still far away.
Source: Anderson, J. ACM 12 (1965) 547; Walker & Ni, SIAM J. Numer. Anal. 49 (2011) 1715; Wegstein, Comm. ACM 1 (1958) 9.

Notation: the vector of unknowns has shape (size,); a history of differences has shape (size, depth).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import Enum

import numpy as np

METHODS = {
    "automatic": "automatic",
    "direct": "direct passes",
    "wegstein": "Wegstein",
    "anderson": "Anderson",
    "newton": "damped Newton",
}


class PassFailed(Exception):
    """Raised by a pass that could not be computed at an iterate; the search may step back and try another."""


class Reason(Enum):
    SETTLED = "the tear is within the tolerance of its answer"
    OUT_OF_PASSES = "the pass limit came first"
    STALLED = "it stopped coming nearer"
    OUT_OF_TIME = "it was stopped by the time limit"
    NOT_FINITE = "a pass returned a value that is not finite"
    PASS_FAILED = "a pass could not be computed"
    CANCELLED = "it was stopped"

    @property
    def settled(self) -> bool:
        return self is Reason.SETTLED


class Watch:
    """What a long calculation asks on its way, and whom it tells. This one never ends it and tells nobody.

    Searches are limited by their counts, so that a busy machine changes no outcome; a watch ends them from outside.
    """

    def ended(self) -> Reason | None:
        """A Reason to stop now, or None."""
        return None

    def passed(self, residual: float) -> None:
        """One more pass was made; residual: its largest scaled change."""


UNWATCHED = Watch()


@dataclass(frozen=True)
class LoopResult:
    """tear, change: last finite iterate and its change in one pass, shape (n,), unscaled."""

    tear: np.ndarray
    change: np.ndarray
    reason: Reason
    history: tuple  # largest scaled change of each pass
    gain: float | None  # dominant eigenvalue of one pass
    mode: np.ndarray | None  # scaled direction of the slowest change, shape (n,)
    distance: float | None  # estimated, scaled
    secants: tuple = ()  # scaled (changes of the tear, changes of the pass's change), each (n, m)
    passes: int = 0  # all that were made, those for differences included
    iterates: tuple = ()  # (x, change) of each pass in the history, unscaled


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
) -> LoopResult:
    """Find the fixed point of one_pass.

    one_pass: array of shape (n,) to array of shape (n,); start: shape (n,); scale: shape (n,);
    floor, ceiling: bounds of the accelerated iterates, shape (n,). secants: those of an earlier LoopResult of a
    similar problem, so that acceleration starts at once. method: one of METHODS. watch: a Watch, which may end the search.
    Not settling is a result, not an error; PassFailed is passed on when no step back helps.
    """
    x = np.array(start, float)
    floor = np.full_like(x, -np.inf) if floor is None else floor
    ceiling = np.full_like(x, np.inf) if ceiling is None else ceiling
    search = _Search(one_pass, scale, floor, ceiling, tol, max_passes, watch)
    if method == "newton":
        return _newton(search, x)
    found = _accelerated(search, x, depth, direct, secants, method)
    if method == "automatic" and found.reason in (Reason.OUT_OF_PASSES, Reason.STALLED) and _newton_may_help(found):
        # a few full steps from the best iterate; a loop that only accumulates has no answer to find
        at = int(np.argmin(found.history))
        search.allow(8 * (x.size + 4))
        again = _newton(search, found.iterates[at][0])
        if again.reason is Reason.SETTLED:
            return replace(again, history=found.history + again.history, iterates=found.iterates + again.iterates)
        return replace(found, passes=again.passes)
    return found


def _newton_may_help(found: LoopResult) -> bool:
    return found.gain is not None and abs(found.gain - 1.0) > 1e-3


class _Search:
    """What every method shares: the pass with its limits, and how it ended."""

    def __init__(
        self, one_pass: Callable, scale: np.ndarray, floor: np.ndarray, ceiling: np.ndarray, tol: float, max_passes: int, watch: Watch
    ) -> None:
        self.one_pass, self.scale, self.floor, self.ceiling, self.tol = one_pass, scale, floor, ceiling, tol
        self.left, self.watch = max_passes, watch
        self.passes = 0

    def allow(self, passes: int) -> None:
        self.left = passes

    def ended(self) -> Reason | None:
        """A Reason to stop before another pass, or None."""
        return self.watch.ended() or (Reason.OUT_OF_PASSES if self.left <= 0 else None)

    def change(self, x: np.ndarray) -> np.ndarray:
        """Scaled change of one pass from x."""
        self.left -= 1
        self.passes += 1
        out = (self.one_pass(x) - x) / self.scale
        self.watch.passed(float(np.max(np.abs(out))) if out.size else 0.0)
        return out

    def bounded(self, new: np.ndarray, fallback: np.ndarray) -> np.ndarray:
        """`new`, its entries outside the bounds replaced by those of the fallback inside them."""
        out = (new < self.floor) | (new > self.ceiling)
        new[out] = np.clip(fallback[out], self.floor[out], self.ceiling[out])
        return new


def _accelerated(search: _Search, x: np.ndarray, depth: int, direct: int, secants: tuple | None, method: str) -> LoopResult:
    scale, tol = search.scale, search.tol
    xs, fs, history, iterates = [], [], [], []
    old_dx, old_df = usable_secants(secants if method in ("automatic", "anderson") else None, x.size)
    gain = mode = distance = None
    change = np.zeros_like(x)
    best = np.inf
    worse = failed = hold = 0
    safe = None  # where a plain pass led, to step back to
    reason = search.ended()
    while reason is None:
        try:
            f = search.change(x)
        except PassFailed:
            failed += 1
            if safe is None or failed > 8:
                raise
            hold = 2 * failed  # plain passes before the next extrapolation
            # an extrapolation led nowhere: forget the secants, go on from where a plain pass led
            x, safe = safe, None
            xs, fs, best, worse = [], [], np.inf, 0
            old_dx, old_df = usable_secants(None, x.size)
            reason = search.ended()
            continue
        size = float(np.max(np.abs(f))) if f.size else 0.0
        if not np.isfinite(size):
            reason = Reason.NOT_FINITE
            break
        change = f * scale
        g = x + change
        history.append(size)
        iterates.append((x, change))
        safe = np.clip(g, search.floor, search.ceiling)
        xs.append(x / scale)
        fs.append(f)
        if len(xs) > depth + 1:
            xs.pop(0)
            fs.pop(0)
        dx, df = differences(xs, fs, old_dx, old_df, depth)
        if size <= 10.0 * tol:  # farther off it cannot be near enough, whatever the gain
            gain, mode = loop_gain(dx, df)
            if method == "direct" and len(history) > 2:
                gain = size / history[-2]
            distance = distance_left(size, gain)
            if distance <= tol and (gain is not None or size == 0.0 or len(history) >= 3):
                x, reason = g, Reason.SETTLED
                break
        reason = search.ended() or (Reason.STALLED if method != "direct" and stalled(history) else None)
        if size < best:
            best, worse = size, 0
        else:
            worse += 1
        hold -= 1
        if method == "direct" or hold >= 0 or (len(history) <= direct and not old_dx.size) or not dx.size:
            x = g
            continue
        if method == "wegstein":
            x = search.bounded(wegstein_step(xs, fs) * scale, g)
            continue
        if worse >= 3 and size > 10.0 * best:
            # the secants mislead: forget them and go on with direct passes
            xs, fs, worse, best = xs[-1:], fs[-1:], 0, np.inf
            old_dx, old_df = usable_secants(None, x.size)
            x = safe
            continue
        # A change that came back whole (df of rounding size) says nothing but that the gain is 1.
        telling = np.linalg.norm(df, axis=0) > 1e-9 * np.linalg.norm(dx, axis=0)
        if not telling.any():
            x = safe
            continue
        dx, df = dx[:, telling], df[:, telling]
        gamma = np.linalg.lstsq(df, f, rcond=1e-12)[0]
        step = f - (dx + df) @ gamma
        limit = 3000.0 * size / max(1e-300, float(np.max(np.abs(step))))
        x = search.bounded(x + scale * step * min(1.0, limit), g)
    dx, df = differences(xs, fs, old_dx, old_df, depth)
    if reason is not Reason.SETTLED:
        gain, mode = loop_gain(dx, df)
    if method == "direct" and len(history) > 2 and history[-2] > 0.0:
        gain = history[-1] / history[-2]  # power iteration: the plainest estimate there is
    if history and reason is not Reason.SETTLED:
        distance = distance_left(history[-1], gain)
    return LoopResult(x, change, reason, tuple(history), gain, mode, distance, (dx, df), search.passes, tuple(iterates))


def stalled(history: list[float], window: int = 40) -> bool:
    """Whether the last passes brought nothing: no change in them is well below the smallest before."""
    return len(history) > 1.25 * window and min(history[-window:]) > 0.3 * min(history[:-window])


def wegstein_step(xs: list, fs: list) -> np.ndarray:
    """Next iterate, scaled: x q + (1 − q) g with q = s/(s − 1) from the last two passes, kept in −5 … 0."""
    dx, dg = xs[-1] - xs[-2], xs[-1] + fs[-1] - xs[-2] - fs[-2]
    with np.errstate(all="ignore"):
        s = dg / dx
        q = np.where(np.isfinite(s), s / (s - 1.0), 0.0)
    q = np.clip(np.nan_to_num(q, nan=0.0), -5.0, 0.0)
    return q * xs[-1] + (1.0 - q) * (xs[-1] + fs[-1])


def _newton(search: _Search, x: np.ndarray) -> LoopResult:
    """Newton's method on the change of a pass, with differences, halving the step while the change grows."""
    scale, n = search.scale, x.size
    history, iterates = [], []
    jacobian, gain, mode, reason = None, None, None, None
    f = search.change(x)
    while True:
        size = float(np.max(np.abs(f))) if n else 0.0
        if not np.isfinite(size):
            reason = Reason.NOT_FINITE
            break
        history.append(size)
        iterates.append((x, f * scale))
        reason = search.ended()
        if size <= search.tol and jacobian is not None or size == 0.0:
            distance = distance_left(size, gain)
            if distance <= search.tol:
                x, reason = x + f * scale, Reason.SETTLED
        if reason is not None:
            break
        jacobian = _jacobian(search, x, f)
        if jacobian is None:
            reason = search.ended() or Reason.NOT_FINITE
            break
        values, vectors = np.linalg.eig(jacobian + np.eye(n))
        top = int(np.argmax(np.abs(values)))
        gain = float(abs(values[top])) if abs(values[top].imag) > 1e-9 * abs(values[top]) else float(values[top].real)
        mode = np.real(vectors[:, top])
        step = -np.linalg.lstsq(jacobian, f, rcond=1e-12)[0]
        found = _damped(search, x, f, step)
        if found is None:
            reason = search.ended() or Reason.STALLED
            break
        x, f = found
    left = distance_left(history[-1], gain) if history else None
    return LoopResult(x, f * scale, reason, tuple(history), gain, mode, left, (), search.passes, tuple(iterates))


def _jacobian(search: _Search, x: np.ndarray, f: np.ndarray) -> np.ndarray | None:
    """Differences of the scaled change, shape (n, n); None where a pass fails or the limits end it."""
    n = x.size
    out = np.empty((n, n))
    for k in range(n):
        if search.ended():
            return None
        h = 1e-6 * max(1.0, abs(x[k] / search.scale[k]))
        moved = x.copy()
        moved[k] += h * search.scale[k]
        if moved[k] > search.ceiling[k]:
            h, moved[k] = -h, x[k] - h * search.scale[k]
        try:
            out[:, k] = (search.change(moved) - f) / h
        except PassFailed:
            return None
    return out if np.isfinite(out).all() else None


def _damped(search: _Search, x: np.ndarray, f: np.ndarray, step: np.ndarray) -> tuple | None:
    """(x, change) after the longest of the steps 1, 1/2, … that lowers the change; None when none does."""
    share, size = 1.0, float(np.linalg.norm(f))
    for _ in range(10):
        if search.ended():
            return None
        new = np.clip(x + share * step * search.scale, search.floor, search.ceiling)
        try:
            moved = search.change(new)
            if np.linalg.norm(moved) < (1.0 - 1e-4 * share) * size:
                return new, moved
        except PassFailed:
            pass
        share *= 0.5
    return None


def usable_secants(secants: tuple | None, n: int) -> tuple:
    """(dx, df) of shape (n, m), empty when none are given or they belong to another problem."""
    if secants:
        dx, df = (np.asarray(a, float) for a in secants)
        if dx.ndim == 2 and dx.shape == df.shape and dx.shape[0] == n and np.isfinite(dx).all() and np.isfinite(df).all():
            return dx, df
    return np.empty((n, 0)), np.empty((n, 0))


def differences(xs: list, fs: list, old_dx: np.ndarray, old_df: np.ndarray, depth: int) -> tuple:
    """Secants of the passes made, newest last, filled up with older ones to `depth` columns."""
    n = old_dx.shape[0]
    dx = np.diff(np.array(xs), axis=0).T if len(xs) > 1 else np.empty((n, 0))
    df = np.diff(np.array(fs), axis=0).T if len(fs) > 1 else np.empty((n, 0))
    room = depth - dx.shape[1]
    if room > 0 and old_dx.shape[1]:
        dx, df = np.hstack([old_dx[:, -room:], dx]), np.hstack([old_df[:, -room:], df])
    return dx, df


def loop_gain(dx: np.ndarray, df: np.ndarray) -> tuple:
    """Dominant eigenvalue of the pass and its direction, on the span of the secants (Ritz value).

    dx, df: scaled, shape (n, m). Returns (None, None) when the secants span nothing.
    """
    lengths = np.linalg.norm(dx, axis=0)
    keep = lengths > 0.0
    if not keep.any():
        return None, None
    directions = (dx / np.where(keep, lengths, 1.0))[:, keep]
    image = directions + (df / np.where(keep, lengths, 1.0))[:, keep]
    # Newest first; of nearly dependent directions the newest is kept.
    q, order = leading(directions[:, ::-1])
    directions, image = directions[:, ::-1][:, order], image[:, ::-1][:, order]
    small = q.T @ image @ np.linalg.inv(q.T @ directions)
    values, vectors = np.linalg.eig(small)
    top = int(np.argmax(np.abs(values)))
    value = values[top]
    gain = float(np.abs(value)) if abs(value.imag) > 1e-9 * abs(value) else float(value.real)
    return gain, np.real(q @ vectors[:, top])


def leading(columns: np.ndarray, least: float = 1e-4) -> tuple:
    """(orthonormal basis (n, r), positions of the r columns that it was made from) of the span of columns (n, m).

    Gram-Schmidt, twice each, the longest remainder first, down to `least` of the first. scipy's pivoting QR does the
    same; loading it takes longer than most solves.
    """
    rest, basis, order = columns.copy(), [], []
    first = None
    for _ in range(min(columns.shape)):
        lengths = np.linalg.norm(rest, axis=0)
        at = int(np.argmax(lengths))
        first = lengths[at] if first is None else first
        if lengths[at] <= least * first:
            break
        q = rest[:, at] / lengths[at]
        if basis:
            done = np.array(basis).T
            q -= done @ (done.T @ q)
            q /= np.linalg.norm(q)
        basis.append(q)
        order.append(at)
        rest -= np.outer(q, q @ rest)
    return np.array(basis).T, np.array(order)


def distance_left(size: float, gain: float | None) -> float:
    """Estimated scaled distance of the pass's result from the answer."""
    if gain is None:
        return size
    share = abs(gain) / max(abs(1.0 - gain), 1e-6)
    return size * max(share, 0.1)  # an estimated gain near zero is not trusted blindly
