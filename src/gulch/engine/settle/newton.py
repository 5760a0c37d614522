"""Newton's method on the change of a pass, damped, with differences or with derivatives that are handed in.

Notation: the vector of unknowns has shape (n,), derivatives of a pass (n, n).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from gulch.engine.settle.search import LoopResult, PassFailed, Reason, Search
from gulch.engine.settle.secants import distance_left


def damped_newton(search: Search, x: np.ndarray) -> LoopResult:
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
        gain, mode = dominant(jacobian + np.eye(n), x - iterates[0][0])
        step = -np.linalg.lstsq(jacobian, f, rcond=1e-12)[0]
        found = _damped(search, x, f, step)
        if found is None:
            reason = search.ended() or Reason.STALLED
            break
        x, f = found
    left = distance_left(history[-1], gain) if history else None
    return LoopResult(x, f * scale, reason, tuple(history), gain, mode, left, (), search.passes, tuple(iterates))


def _jacobian(search: Search, x: np.ndarray, f: np.ndarray) -> np.ndarray | None:
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


def _damped(search: Search, x: np.ndarray, f: np.ndarray, step: np.ndarray) -> tuple | None:
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


MOST_BACKS = 6  # halvings of a step at whose end no pass can be made
MOST_TURNS = 3  # steps that each go back on the one before, after which they are cut
LEAST_SHARE = 0.2
LONGEST_ROUND, ROUND = 4, 0.1  # steps after which a walk may come round, and the share of its way by which it is then away
PATIENCE = 14  # passes without a smaller change, after which the walk is given up
POOR = 0.2  # of the change before: a step that leaves more asks for new derivatives
KEPT = 0.1  # of what a plain pass gives, where a step would go below a bound
NEAR = 1e-3  # of the scale, from where derivatives were made to the answer: they are those of the answer


@dataclass
class Slopes:
    """Derivatives of a pass for Newton's method.

    at(x, rough): of the pass just made from x, scaled, shape (n, n), or None where they cannot be had; rough ones do for a
    step. known: those of a like problem, or None, made at known_at; exact: whether those at the answer are asked for.
    reach: by how much an unknown may go in a step, scaled, (n,).
    """

    at: Callable[[np.ndarray, bool], np.ndarray | None]
    known: np.ndarray | None = None
    known_at: np.ndarray | None = None
    exact: bool = False
    reach: np.ndarray | None = None


class _Walk:
    """Newton's steps with derivatives of the pass, renewed where they serve badly, else moved along by Broyden's formula.

    Broyden, Math. Comp. 19 (1965) 577. Changes may grow for some passes: what fills a loop is far from empty at first.
    """

    def __init__(self, search: Search, slopes: Slopes, direct: int) -> None:
        self.search, self.slopes, self.direct = search, slopes, direct
        self.history: list[float] = []
        self.iterates: list[tuple] = []
        self.jacobian = slopes.known
        self.made_at = slopes.known_at
        self.backs = 0
        self.share, self.turns = 1.0, 0  # of Newton's step that is taken; steps in turn that went back on the one before
        self.last: np.ndarray | None = None
        self.taken: list[np.ndarray] = []  # the last steps
        self.cut: np.ndarray | float = 0.0  # which way unknowns went that nothing held
        self.stretch = 1.0  # of their reach
        self.best, self.since = np.inf, 0

    def go(self, x: np.ndarray) -> LoopResult:
        """LoopResult of the walk from x, shape (n,)."""
        search, self.begin = self.search, x
        while True:
            reason = search.ended()
            if reason is not None:
                return self.found(reason)
            try:
                f = search.change(x)
            except PassFailed:
                if not self.iterates:
                    raise
                self.backs += 1
                if self.backs > MOST_BACKS or len(self.history) <= self.direct:
                    return self.found(Reason.PASS_FAILED)
                before = self.iterates[-1][0]
                x = before + 0.5 * (x - before)
                continue
            if not np.isfinite(f).all():
                return self.found(Reason.NOT_FINITE)
            size = float(np.max(np.abs(f))) if f.size else 0.0
            self.history.append(size)
            self.iterates.append((x, f * search.scale))
            self.judge(size)
            if self.since > PATIENCE:
                return self.found(Reason.STALLED)
            if len(self.history) <= self.direct and size > search.tol:
                x = np.clip(x + f * search.scale, search.floor, search.ceiling)
                continue
            if not self.ready(x, f):
                return self.found(Reason.STALLED)
            step = self.step(f)
            if size <= 10.0 * search.tol and float(np.max(np.abs(step - f), initial=0.0)) <= search.tol:
                return self.settled(x, f, step)  # what the pass gave is that near to the answer
            x = self.bounded(x + search.scale * self.shorter(step), x + f * search.scale)

    def judge(self, size: float) -> None:
        """Count the passes since the smallest change."""
        self.backs = 0
        self.best, self.since = (size, 0) if size < self.best else (self.best, self.since + 1)

    def shorter(self, step: np.ndarray) -> np.ndarray:
        """A step, shortened where the last ones went to and fro, as over a bend; whole again once they go on."""
        turned = self.last is not None and float(step @ self.last) < 0.0
        self.turns = self.turns + 1 if turned else 0
        cut = self.turns >= MOST_TURNS or self.circles(self.share * step)
        self.share = max(0.6 * self.share, LEAST_SHARE) if cut else min(1.0, 2.0 * self.share)
        self.last = step
        self.taken = [*self.taken[-LONGEST_ROUND:], self.share * step]
        return self.share * step

    def circles(self, step: np.ndarray) -> bool:
        """Whether a step ends about where some steps before it began."""
        gone, way = step.copy(), float(np.linalg.norm(step))
        for number, before in enumerate(reversed(self.taken), 2):
            gone, way = gone + before, way + float(np.linalg.norm(before))
            if number > 2 and np.linalg.norm(gone) < ROUND * way:
                return True
        return False

    def ready(self, x: np.ndarray, f: np.ndarray) -> bool:
        """Have derivatives for the next step; False where there are none."""
        poor = len(self.history) > 1 and self.history[-1] > POOR * self.history[-2]
        if self.jacobian is not None and len(self.iterates) > 1 and not (poor and len(self.history) > self.direct + 1):
            before, change = self.iterates[-2]
            dx, df = (x - before) / self.search.scale, f - change / self.search.scale
            if dx @ dx > 0.0:
                self.jacobian = self.jacobian + np.outer(df - (self.jacobian @ dx - dx), dx) / (dx @ dx)
            return True
        return self.jacobian is not None and not poor or self.renew(x)

    def renew(self, x: np.ndarray, rough: bool = True) -> bool:
        """Derivatives of the pass just made; False where they cannot be had."""
        found = self.slopes.at(x, rough)
        if found is None or not np.isfinite(found).all():
            return False
        self.jacobian, self.made_at = found, x
        return True

    def step(self, f: np.ndarray) -> np.ndarray:
        """Newton's step, scaled."""
        assert self.jacobian is not None  # made ready
        found = np.linalg.lstsq(np.eye(f.size) - self.jacobian, f, rcond=1e-13)[0]
        if self.slopes.reach is None:
            return found
        # a step that goes so far says only that nothing holds the unknown here: it goes on as passes would take it, the further the longer
        reach = self.stretch * self.slopes.reach
        cut = np.where(np.abs(found) > reach, np.copysign(1.0, f), 0.0)
        self.stretch = 2.0 * self.stretch if cut.any() and (cut == self.cut).all() else 1.0
        self.cut = cut
        return np.where(cut != 0.0, np.copysign(reach, f), found)

    def bounded(self, new: np.ndarray, passed: np.ndarray) -> np.ndarray:
        """A new iterate inside the bounds: beyond one it keeps a part of what a plain pass gives."""
        search = self.search
        inside = np.clip(passed, search.floor, search.ceiling)
        with np.errstate(invalid="ignore"):
            low = np.where(new < search.floor, search.floor + KEPT * (inside - search.floor), new)
            return np.where(low > search.ceiling, search.ceiling - KEPT * (search.ceiling - inside), low)

    def settled(self, x: np.ndarray, f: np.ndarray, step: np.ndarray) -> LoopResult:
        scale = self.search.scale
        far = self.made_at is None or float(np.max(np.abs(x - self.made_at) / (scale + np.abs(x)))) > NEAR
        if self.slopes.exact and far:
            self.renew(x, rough=False)
        return self.found(Reason.SETTLED, x + f * scale, float(np.max(np.abs(step - f), initial=0.0)))

    def found(self, reason: Reason, tear: np.ndarray | None = None, distance: float | None = None) -> LoopResult:
        at = int(np.argmin(self.history)) if self.history else None
        x, change = self.iterates[-1 if tear is not None or at is None else at] if self.iterates else (self.begin, 0.0 * self.begin)
        gain = mode = None
        if self.jacobian is not None:
            gain, mode = dominant(self.jacobian, (x - self.begin) / self.search.scale)
        end, passes = x if tear is None else tear, self.search.passes
        iterates, history = tuple(self.iterates), tuple(self.history)
        found = LoopResult(end, change, reason, history, gain, mode, distance, (), passes, iterates, self.jacobian)
        return replace(found, slopes_at=self.made_at)


GROWS = 1.0 + 1e-6  # eigenvalue from which a disturbance is said to grow
ALIKE = 1e-6  # within which eigenvalues are one


def dominant(jacobian: np.ndarray, travelled: np.ndarray) -> tuple[float, np.ndarray]:
    """(dominant eigenvalue of a pass, its size where it is complex, and the direction that belongs to it, shape (n,)).

    Where several eigenvalues are alike, the direction among theirs that the search has `travelled`, shape (n,).
    """
    values, vectors = np.linalg.eig(jacobian)
    top = int(np.argmax(np.abs(values)))
    value, mode = values[top], np.real(vectors[:, top])
    gain = float(abs(value)) if abs(value.imag) > 1e-9 * abs(value) else float(value.real)
    alike = np.abs(values - value) <= ALIKE * abs(value)
    if alike.sum() > 1:
        along = np.real(vectors[:, alike] @ np.linalg.lstsq(vectors, travelled.astype(complex), rcond=1e-10)[0][alike])
        mode = along if np.abs(along).max() > 0.0 else mode
    return gain, mode


def growing(jacobian: np.ndarray) -> float | None:
    """The largest real eigenvalue above 1 of a pass, by which a disturbance grows without turning; None where there is none."""
    values = np.linalg.eigvals(jacobian)
    found = values.real[(np.abs(values.imag) <= 1e-9 * np.abs(values)) & (values.real > GROWS)]
    return float(found.max()) if found.size else None


def with_slopes(search: Search, x: np.ndarray, slopes: Slopes, direct: int) -> LoopResult:
    """LoopResult of Newton's steps from x, after `direct` plain passes where no derivatives are known. Raises PassFailed."""
    return _Walk(search, slopes, direct if slopes.known is None else 0).go(x)
