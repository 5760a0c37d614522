"""Repeating a pass until its tear no longer changes: direct passes, then Anderson acceleration.

Knows nothing of flowsheets. The stopping test is on the estimated distance to the answer,
last change * gain/(1 - gain), since a slow loop changes little while still far away.
Source: Anderson, J. ACM 12 (1965) 547; Walker & Ni, SIAM J. Numer. Anal. 49 (2011) 1715.
"""

import time
from dataclasses import dataclass
from enum import Enum

import numpy as np
from scipy.linalg import qr


class Reason(Enum):
    SETTLED = "the tear is within the tolerance of its answer"
    OUT_OF_PASSES = "the pass limit came first"
    OUT_OF_TIME = "the time limit came first"
    NOT_FINITE = "a pass returned a value that is not finite"
    CANCELLED = "it was cancelled"

    @property
    def settled(self):
        return self is Reason.SETTLED


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


def settle(one_pass, start, *, scale, floor=None, tol=1e-9, max_passes=150, seconds=30.0, depth=6,
           direct=2, secants=None, cancelled=lambda: False):  # fmt: skip
    """Find the fixed point of one_pass.

    one_pass: array of shape (n,) to array of shape (n,); start: shape (n,); scale: shape (n,);
    floor: lower bounds, shape (n,). secants: those of an earlier LoopResult of a similar problem,
    so that acceleration starts at once. Not settling is a result, not an error.
    """
    x = np.array(start, float)
    floor = np.full_like(x, -np.inf) if floor is None else floor
    deadline = time.monotonic() + seconds
    xs, fs, history = [], [], []
    old_dx, old_df = usable_secants(secants, x.size)
    gain = mode = distance = None
    change = np.zeros_like(x)
    best = np.inf
    worse = 0
    reason = Reason.OUT_OF_PASSES
    for number in range(max_passes):
        if cancelled():
            reason = Reason.CANCELLED
            break
        if time.monotonic() > deadline:
            reason = Reason.OUT_OF_TIME
            break
        g = one_pass(x)
        f = (g - x) / scale
        size = float(np.max(np.abs(f))) if f.size else 0.0
        if not np.isfinite(size):
            reason = Reason.NOT_FINITE
            break
        history.append(size)
        change = g - x
        xs.append(x / scale)
        fs.append(f)
        if len(xs) > depth + 1:
            xs.pop(0)
            fs.pop(0)
        dx, df = differences(xs, fs, old_dx, old_df, depth)
        if size <= 1e3 * tol:
            gain, mode = loop_gain(dx, df)
            distance = distance_left(size, gain)
            if distance <= tol and (gain is not None or size == 0.0 or number >= 2):
                return LoopResult(g, change, Reason.SETTLED, tuple(history), gain, mode, distance, (dx, df))
        if size < best:
            best, worse = size, 0
        else:
            worse += 1
        if number < direct and not old_dx.size or not dx.size:
            x = g
            continue
        if worse >= 3 and size > 10.0 * best:
            # the secants mislead: forget them and go on with direct passes
            xs, fs, worse, best = xs[-1:], fs[-1:], 0, np.inf
            old_dx, old_df = usable_secants(None, x.size)
            x = np.maximum(g, floor)
            continue
        # A change that came back whole (df of rounding size) says nothing but that the gain is 1.
        telling = np.linalg.norm(df, axis=0) > 1e-9 * np.linalg.norm(dx, axis=0)
        if not telling.any():
            x = np.maximum(g, floor)
            continue
        dx, df = dx[:, telling], df[:, telling]
        gamma = np.linalg.lstsq(df, f, rcond=1e-12)[0]
        step = f - (dx + df) @ gamma
        limit = 3000.0 * size / max(1e-300, float(np.max(np.abs(step))))
        new = x + scale * step * min(1.0, limit)
        low = new < floor
        new[low] = np.maximum(g[low], floor[low])
        x = new
    dx, df = differences(xs, fs, old_dx, old_df, depth)
    gain, mode = loop_gain(dx, df)
    distance = distance_left(history[-1], gain) if history else None
    return LoopResult(x, change, reason, tuple(history), gain, mode, distance, (dx, df))


def usable_secants(secants, n):
    """(dx, df) of shape (n, m), empty when none are given or they belong to another problem."""
    if secants:
        dx, df = (np.asarray(a, float) for a in secants)
        if (
            dx.ndim == 2
            and dx.shape == df.shape
            and dx.shape[0] == n
            and np.isfinite(dx).all()
            and np.isfinite(df).all()
        ):
            return dx, df
    return np.empty((n, 0)), np.empty((n, 0))


def differences(xs, fs, old_dx, old_df, depth):
    """Secants of the passes made, newest last, filled up with older ones to `depth` columns."""
    n = old_dx.shape[0]
    dx = np.diff(np.array(xs), axis=0).T if len(xs) > 1 else np.empty((n, 0))
    df = np.diff(np.array(fs), axis=0).T if len(fs) > 1 else np.empty((n, 0))
    room = depth - dx.shape[1]
    if room > 0 and old_dx.shape[1]:
        dx, df = np.hstack([old_dx[:, -room:], dx]), np.hstack([old_df[:, -room:], df])
    return dx, df


def loop_gain(dx, df):
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
    q, r, order = qr(directions[:, ::-1], mode="economic", pivoting=True)
    size = np.abs(np.diag(r))
    rank = int(np.sum(size > 1e-4 * size[0]))
    small = q[:, :rank].T @ image[:, ::-1][:, order[:rank]] @ np.linalg.inv(r[:rank, :rank])
    values, vectors = np.linalg.eig(small)
    top = int(np.argmax(np.abs(values)))
    value = values[top]
    gain = float(np.abs(value)) if abs(value.imag) > 1e-9 * abs(value) else float(value.real)
    return gain, np.real(q[:, :rank] @ vectors[:, top])


def distance_left(size, gain):
    """Estimated scaled distance of the pass's result from the answer."""
    if gain is None:
        return size
    share = abs(gain) / max(abs(1.0 - gain), 1e-6)
    return size * max(share, 0.1)  # an estimated gain near zero is not trusted blindly
