"""Direct passes, Wegstein's method and Anderson's acceleration.

Anderson, J. ACM 12 (1965) 547; Walker & Ni, SIAM J. Numer. Anal. 49 (2011) 1715; Wegstein, Comm. ACM 1 (1958) 9.

Notation: the vector of unknowns has shape (n,).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.settle.search import LoopResult, PassFailed, Reason, Search
from gulch.engine.settle.secants import differences, distance_left, loop_gain, usable_secants


def accelerated(search: Search, x: np.ndarray, depth: int, direct: int, secants: tuple | None, method: str) -> LoopResult:
    """LoopResult of passes from x, shape (n,), by a method of METHODS. Raises PassFailed where no step back helps."""
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
