"""Repeating a pass until its tear no longer changes: direct passes, then Anderson acceleration.

Knows nothing of flowsheets. The stopping test is on the estimated distance to the answer,
last change * gain/(1 - gain), since a slow loop changes little while still far away.
Source: Anderson, J. ACM 12 (1965) 547; Walker & Ni, SIAM J. Numer. Anal. 49 (2011) 1715.
"""

import time
from dataclasses import dataclass
from enum import Enum

import numpy as np


class Reason(Enum):
    SETTLED = "the tear is within the tolerance of its answer"
    OUT_OF_PASSES = "the pass limit came first"
    OUT_OF_TIME = "the time limit came first"
    NOT_FINITE = "a pass returned a value that is not finite"
    CANCELLED = "it was cancelled"


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


def settle(one_pass, start, *, scale, floor=None, tol=1e-10, max_passes=150, seconds=30.0, depth=6,
           direct=2, cancelled=lambda: False):  # fmt: skip
    """Find the fixed point of one_pass.

    one_pass: array of shape (n,) to array of shape (n,); start: shape (n,); scale: shape (n,);
    floor: lower bounds, shape (n,). Not settling is a result, not an error.
    """
    x = np.array(start, float)
    floor = np.full_like(x, -np.inf) if floor is None else floor
    deadline = time.monotonic() + seconds
    xs, fs, history = [], [], []
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
        gain, mode = loop_gain(xs, fs, gain, mode)
        distance = distance_left(size, gain)
        if distance <= tol and (gain is not None or size == 0.0 or number >= 2):
            return LoopResult(g, change, Reason.SETTLED, tuple(history), gain, mode, distance)
        if size < best:
            best, worse = size, 0
        else:
            worse += 1
        if number < direct or len(xs) < 2:
            x = g
            continue
        if worse >= 3 and size > 10.0 * best:
            # the secants mislead: forget them and go on with direct passes
            xs, fs, worse, best = xs[-1:], fs[-1:], 0, np.inf
            x = np.maximum(g, floor)
            continue
        dx = np.diff(np.array(xs), axis=0).T
        df = np.diff(np.array(fs), axis=0).T
        gamma = np.linalg.lstsq(df, f, rcond=1e-12)[0]
        step = f - (dx + df) @ gamma
        limit = 30.0 * max(size, 1e-300) / max(1e-300, float(np.max(np.abs(step))))
        if gain is not None and 0.0 < gain < 1.0:
            limit *= max(1.0, 1.0 / (1.0 - gain) / 10.0)
        new = x + scale * step * min(1.0, limit)
        low = new < floor
        new[low] = np.maximum(g[low], floor[low])
        x = new
    return LoopResult(x, change, reason, tuple(history), gain, mode, distance)


def loop_gain(xs, fs, before, mode):
    """Dominant eigenvalue of the pass, estimated on the span of recent changes (Ritz value)."""
    if len(xs) < 2:
        return before, mode
    dx = np.diff(np.array(xs), axis=0).T
    dg = dx + np.diff(np.array(fs), axis=0).T
    lengths = np.linalg.norm(dx, axis=0)
    keep = lengths > max(1e-14, 1e-9 * lengths.max(initial=0.0))
    if not keep.any():
        return before, mode
    q, r = np.linalg.qr(dx[:, keep] / lengths[keep])
    solid = np.abs(np.diag(r)) > 1e-5
    if not solid.all():
        first = int(np.argmin(solid))
        if first == 0:
            return before, mode
        # keep the latest, independent changes
        q, r = np.linalg.qr((dx[:, keep] / lengths[keep])[:, -first:])
        image = (dg[:, keep] / lengths[keep])[:, -first:]
        if np.abs(np.diag(r)).min() < 1e-5:
            return before, mode
    else:
        image = dg[:, keep] / lengths[keep]
    small = q.T @ image @ np.linalg.inv(r)
    values, vectors = np.linalg.eig(small)
    top = int(np.argmax(np.abs(values)))
    value = values[top]
    gain = float(np.abs(value)) if abs(value.imag) > 1e-9 * abs(value) else float(value.real)
    direction = np.real(q @ vectors[:, top])
    return gain, direction


def distance_left(size, gain):
    """Estimated scaled distance of the pass's result from the answer."""
    if gain is None:
        return size
    share = abs(gain) / max(abs(1.0 - gain), 1e-6)
    return size * max(share, 0.1)  # an estimated gain near zero is not trusted blindly
