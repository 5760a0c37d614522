"""Secants of passes, and what they say of a loop: its gain, and how far it is from its answer.

Notation: the vector of unknowns has shape (n,); a history of differences has shape (n, m).
"""

from __future__ import annotations

import numpy as np


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
