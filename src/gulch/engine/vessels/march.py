"""The contents of a reactor followed along its coordinate, until its end or until something that is watched for.

Radau IIA (see `radau`) on changes and equations together: the equations hold at every stage, so that no temperature or pressure is
searched for at a point. What is watched for is met to the last digit by steps of the length that leads there.

Notation: as in `contents`; N = m + 4: number of lines of y.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gulch.engine.chemistry.kernels.rates import Rates
from gulch.engine.compiling import Cube, Matrix, Places, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import assign, assign_rows, fill_rows
from gulch.engine.fluids.linear import factor, substitute
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.vessels.contents import (
    COOLANT,
    COOLED,
    P_AT,
    STATES,
    T_AT,
    Contents,
    E,
    change,
    is_equation,
    state_at,
)
from gulch.engine.vessels.radau import AHEAD, C1, C2, ERROR, REAL, A

kernel = chapter(__name__)

# How a march ends.
AT_END, CONVERTED, AT_TEMPERATURE, TOO_HOT, NO_PRESSURE, OVERFULL, STUCK, OUT_OF_STEPS = range(8)
NEWTON = 8  # iterations on the stages
SLOW = 4  # iterations from which on derivatives are made anew
DIFFERENCE = 1e-7  # of an unknown's size, by which changes are differenced
LONGEST = 0.125  # of the way, at a step
EVENTS = 5
LEAST_SIZE = 1e5  # Pa, of a pressure


class Watched(NamedTuple):
    """What ends a march. converted: conversion of species `key`, of `of` moles of it, 2 where none; at: temperature [K], 0 where none.

    rising: 1 where `at` is met from below, else −1; limit: T [K] that counts as running away; least: P [Pa]; most: volume [m3].
    """

    converted: float
    key: int
    of: float
    at: float
    rising: float
    limit: float
    least: float
    most: float


class Work(NamedTuple):
    """Room in which a step is worked out, made once."""

    M: Matrix  # (3 N, 3 N), of the stages
    order: Places  # (3 N,)
    one: Matrix  # (N, N), of the error
    order_one: Places  # (N,)
    J: Matrix  # (N, N), in units of `size`
    F: Matrix  # (3, N)
    Z: Matrix  # (3, N): the stages less where the step begins
    at: Vector  # (N,)
    right: Vector  # (3 N,)
    size: Vector  # (N,): of the unknowns
    rigid: Vector  # (N,): 0 where a line is an equation, else 1
    x: Vector  # (n,)
    rates: Vector  # (m,)
    seen: Vector  # (5,): distances from what is watched


@kernel
def work_for(what: Contents, y: Vector, nu: Matrix, whole: float) -> Work:
    """Room for a march over `whole` of s, with the sizes of its unknowns."""
    m, n = nu.shape
    N = m + STATES
    size, rigid, total = np.empty(N), np.ones(N), 0.0
    for i in range(n):
        total += what.n0[i] + whole * what.put_in[i]
    for r in range(m):
        size[r] = total
    size[m + E], size[m + P_AT], size[m + T_AT], size[m + COOLANT] = 1e4 * total, max(y[m + P_AT], LEAST_SIZE), 300.0, 300.0
    for k in range(STATES):
        if is_equation(what, k):
            rigid[m + k] = 0.0
    return Work(
        np.empty((3 * N, 3 * N)), np.empty(3 * N, np.int64), np.empty((N, N)), np.empty(N, np.int64), np.empty((N, N)),
        np.empty((3, N)), np.zeros((3, N)), np.empty(N), np.empty(3 * N), size, rigid, np.empty(n), np.empty(m), np.empty(EVENTS),
    )  # fmt: skip


@kernel
def differenced(mix: Mixture, what: Contents, s: float, y: Vector, f: Vector, laws: Rates, per: Places, work: Work) -> bool:
    """Fills work.J, from the changes f at y; returns whether all of it is finite."""
    N, m = y.size, laws.nu.shape[0]
    for c in range(N):
        if c == m + COOLANT and what.heat < COOLED:
            for r in range(N):
                work.J[r, c] = 0.0
            continue
        step = DIFFERENCE * work.size[c]
        assign(work.at, y)
        work.at[c] += step
        change(mix, what, s, work.at, laws, per, work.x, work.rates, work.F[0])
        for r in range(N):
            work.J[r, c] = (work.F[0, r] - f[r]) / DIFFERENCE / work.size[r]
            if not math.isfinite(work.J[r, c]):
                return False
    return True


@kernel
def stages_of(mix: Mixture, what: Contents, s: float, h: float, y: Vector, laws: Rates, per: Places, tolerance: float, work: Work) -> int:
    """Solve the three stages of a step from what stands in work.Z. Returns the iterations taken, 0 where they do not settle."""
    N = y.size
    M, F, Z, right, size, rigid = work.M, work.F, work.Z, work.right, work.size, work.rigid
    for a in range(3):
        for b in range(3):
            share = -h * A[a, b]
            for r in range(N):
                w = share if rigid[r] == 1.0 else -1.0 if a == b else 0.0
                for c in range(N):
                    M[a * N + r, b * N + c] = w * work.J[r, c]
    for a in range(3):
        for r in range(N):
            M[a * N + r, a * N + r] += rigid[r]
    if not factor(M, work.order):
        return 0
    before = 1e300
    for iteration in range(NEWTON):
        for a in range(3):
            for r in range(N):
                work.at[r] = y[r] + Z[a, r]
            change(mix, what, s + (C1 if a == 0 else C2 if a == 1 else 1.0) * h, work.at, laws, per, work.x, work.rates, F[a])
        for a in range(3):
            for r in range(N):
                if rigid[r] == 1.0:
                    right[a * N + r] = (h * (A[a, 0] * F[0, r] + A[a, 1] * F[1, r] + A[a, 2] * F[2, r]) - Z[a, r]) / size[r]
                else:
                    right[a * N + r] = F[a, r] / size[r]
        substitute(M, work.order, right)
        far = 0.0
        for a in range(3):
            for r in range(N):
                far = max(far, abs(right[a * N + r]))
                if not math.isfinite(right[a * N + r]):
                    return 0
                Z[a, r] += right[a * N + r] * size[r]
        if far < 1e-3 * tolerance:
            return iteration + 1
        if iteration > 0 and far > 0.9 * before:
            return 0
        if iteration > 0 and far * far / before < 1e-4 * tolerance:
            return iteration + 1
        before = far
    return 0


@kernel
def error_at(
    mix: Mixture, what: Contents, s: float, h: float, y: Vector, f: Vector, laws: Rates, per: Places, again: bool, work: Work
) -> float:
    """How far the step's end may be off, in parts of the unknowns' sizes. f: the changes where it begins."""
    N = y.size
    one, right, Z, size, rigid = work.one, work.right, work.Z, work.size, work.rigid
    for r in range(N):
        for c in range(N):
            one[r, c] = -work.J[r, c]
        one[r, r] += rigid[r] * REAL / h
    if not factor(one, work.order_one):
        return 1e9
    left, off = work.F[1], work.F[2]
    for r in range(N):
        left[r] = rigid[r] * (ERROR[0] * Z[0, r] + ERROR[1] * Z[1, r] + ERROR[2] * Z[2, r]) / h
        off[r] = (f[r] * rigid[r] + left[r]) / size[r]
    substitute(one, work.order_one, off)
    far = 0.0
    for r in range(N):
        far = max(far, abs(off[r]))
    if again and math.isfinite(far) and far > 0.0:
        for r in range(N):
            work.at[r] = y[r] + off[r] * size[r]
        change(mix, what, s, work.at, laws, per, work.x, work.rates, work.F[0])
        for r in range(N):
            right[r] = (work.F[0, r] * rigid[r] + left[r]) / size[r]
        for r in range(N):
            off[r] = right[r]
        substitute(one, work.order_one, off)
        far = 0.0
        for r in range(N):
            far = max(far, abs(off[r]))
    return far if math.isfinite(far) else 1e9


@kernel
def watch(mix: Mixture, what: Contents, watched: Watched, s: float, y: Vector, laws: Rates, work: Work) -> None:
    """Fills work.seen: how far it is to what is watched for, in the order of the ways a march ends from CONVERTED on; below 0: passed."""
    m = laws.nu.shape[0]
    seen = work.seen
    made = 0.0
    for r in range(m):
        made += y[r] * laws.nu[r, watched.key]
    seen[0] = watched.converted + made / watched.of if watched.converted < 1.5 else 1.0
    seen[1] = watched.rising * (watched.at - y[m + T_AT]) / watched.at if watched.at > 0.0 else 1.0
    seen[2] = 1.0 - y[m + T_AT] / watched.limit
    seen[3] = y[m + P_AT] / watched.least - 1.0 if watched.least > 0.0 else 1.0
    seen[4] = 1.0
    if watched.most < 1e30:
        seen[4] = 1.0 - state_at(mix, what, s, y, laws, work.x, work.rates)[3] / watched.most


@kernel.part
def passed(seen: Vector) -> int:
    """Which of what is watched for was passed, −1 where none was."""
    for k in range(seen.size):
        if seen[k] < 0.0:
            return k
    return -1


@kernel
def met(
    mix: Mixture, what: Contents, watched: Watched, s: float, h: float, y: Vector, before: float, which: int, laws: Rates, per: Places,
    tolerance: float, end: Vector, work: Work,
) -> float:  # fmt: skip
    """Length of the step from s at whose end what is watched for is met, between 0 and h, by regula falsi; `end` is filled with y there.

    before: its distance where the step begins, above 0.
    """
    N = y.size
    low, high, f_low, f_high = 0.0, h, before, work.seen[which]
    length, whole = h, h
    last = np.empty((3, N))
    assign_rows(last, work.Z)
    for _ in range(60):
        length = (low * f_high - high * f_low) / (f_high - f_low)
        if not (low < length < high):
            length = 0.5 * (low + high)
        for a in range(3):
            for r in range(N):
                work.Z[a, r] = last[a, r] * length / whole
        if stages_of(mix, what, s, length, y, laws, per, tolerance, work) == 0:
            length = 0.5 * (low + high)
            fill_rows(work.Z, 0.0)
            if stages_of(mix, what, s, length, y, laws, per, tolerance, work) == 0:
                break
        for r in range(N):
            end[r] = y[r] + work.Z[2, r]
        watch(mix, what, watched, s + length, end, laws, work)
        value = work.seen[which]
        if abs(value) < 1e-13 or high - low < 1e-14 * (abs(s) + h):
            break
        if value > 0.0:
            low, f_low, f_high = length, value, 0.5 * f_high
        else:
            high, f_high, f_low = length, value, 0.5 * f_low
    return length


@kernel
def first_step(whole: float, f: Vector, work: Work) -> float:
    """A first step that is short beside how fast anything changes."""
    fastest = 8.0 / whole
    for r in range(f.size):
        if work.rigid[r] == 1.0:
            fastest = max(fastest, abs(f[r]) / work.size[r] * 1e2)
            for c in range(f.size):
                fastest = max(fastest, abs(work.J[r, c]))
    return 0.1 / fastest


@kernel.part
def foreseen(Z: Matrix, last: float, step: float, ahead: Matrix) -> None:
    """Fills Z by the polynomial through the stages `ahead` of the last step, with nothing where there is none."""
    for a in range(3):
        if last == 0.0:
            for r in range(Z.shape[1]):
                Z[a, r] = 0.0
            continue
        w = 1.0 + (C1 if a == 0 else C2 if a == 1 else 1.0) * step / last
        for r in range(Z.shape[1]):
            value, power = 0.0, w
            for b in range(3):
                value += power * (ahead[0, r] * AHEAD[0, b] + ahead[1, r] * AHEAD[1, b] + ahead[2, r] * AHEAD[2, b])
                power *= w
            Z[a, r] = value - ahead[2, r]


@kernel
def renewed(mix: Mixture, what: Contents, s: float, y: Vector, f: Vector, laws: Rates, per: Places, want: bool, work: Work) -> bool:
    """Fills the changes f at y and, where they are wanted, their derivatives; returns whether all is finite."""
    change(mix, what, s, y, laws, per, work.x, work.rates, f)
    return not want or differenced(mix, what, s, y, f, laws, per, work)


@kernel
def first_met(
    mix: Mixture, what: Contents, watched: Watched, s: float, h: float, y: Vector, before: Vector, laws: Rates, per: Places,
    tolerance: float, end: Vector, work: Work,
) -> tuple[int, float]:  # fmt: skip
    """(which of what is watched for is met first in a step, −1 where none is, length of the step to it); work.seen: at the step's end."""
    which, length = passed(work.seen), h
    for _ in range(EVENTS):
        if which < 0:
            break
        length = met(mix, what, watched, s, length, y, before[which], which, laws, per, tolerance, end, work)
        work.seen[which] = 0.0
        other = passed(work.seen)
        if other < 0:
            break
        which = other
    return which, length


@kernel
def march(
    mix: Mixture, what: Contents, watched: Watched, whole: float, y: Vector, laws: Rates, per: Places, tolerance: float,
    places: Vector, rows: Matrix, inside: Cube,
) -> tuple[int, int]:  # fmt: skip
    """Follow y over `whole` of s. Returns (how it ended, steps taken); see `marched` for what it fills."""
    N = y.size
    work = work_for(what, y, laws.nu, whole)
    f, end, ahead, before = np.empty(N), np.empty(N), np.empty((3, N)), np.empty(EVENTS)
    s, last, fresh, failed, taken, start = 0.0, 0.0, True, False, 0, what.begin
    places[0] = start
    assign(rows[0], y)
    if not renewed(mix, what, start, y, f, laws, per, True, work):
        return STUCK, 0
    watch(mix, what, watched, start, y, laws, work)
    if passed(work.seen) >= 0:
        return CONVERTED + passed(work.seen), 0
    assign(before, work.seen)
    h = first_step(whole, f, work)
    for _ in range(20 * places.size):
        left = whole - s
        step = left if left < 1.0001 * h else min(h, 0.5 * left) if left < 2.0 * h else h
        if not step > 1e-14 * whole:
            return STUCK, taken
        foreseen(work.Z, last, step, ahead)
        rounds = stages_of(mix, what, start + s, step, y, laws, per, tolerance, work)
        if rounds == 0 and not fresh:
            fresh, last = renewed(mix, what, start + s, y, f, laws, per, True, work), 0.0
            if not fresh:
                return STUCK, taken
            continue
        error = error_at(mix, what, start + s, step, y, f, laws, per, failed or taken == 0, work) / tolerance if rounds > 0 else 1e9
        grown = 0.9 * (2.0 * NEWTON + 1.0) / (2.0 * NEWTON + rounds) * max(error, 1e-12) ** -0.25
        if error > 1.0:
            h, last, failed = step * max(0.1, min(grown, 0.9)), 0.0, True
            continue
        for r in range(N):
            end[r] = y[r] + work.Z[2, r]
        watch(mix, what, watched, start + s + step, end, laws, work)
        which, length = first_met(mix, what, watched, start + s, step, y, before, laws, per, tolerance, end, work)
        assign(before, work.seen)
        assign_rows(ahead, work.Z)
        assign_rows(inside[taken], work.Z)
        assign(y, end)
        s = whole if step == left and which < 0 else s + length
        taken += 1
        places[taken] = start + s
        assign(rows[taken], y)
        if which >= 0 or s >= whole:
            return CONVERTED + which if which >= 0 else AT_END, taken
        if taken == places.size - 1:
            return OUT_OF_STEPS, taken
        fresh = rounds >= SLOW
        if not renewed(mix, what, start + s, y, f, laws, per, fresh, work):
            return STUCK, taken
        h = min(LONGEST * whole, step * min(8.0, grown) if grown > 1.1 or grown < 1.0 else step)
        last, failed = step, False
    return OUT_OF_STEPS, taken


@kernel.entry
def marched(
    what: Contents, watched: Watched, whole: float, y: Vector, laws: Rates, per: Places, tolerance: float,
    places: Vector, rows: Matrix, inside: Cube,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[int, int]:  # fmt: skip
    """Follow y from what.begin over `whole` of s, in parts of tolerance of the unknowns' sizes; y ends where the march does.

    Returns (how it ended, steps taken) and fills: places of the steps' ends and the beginning, shape (k + 1,), y there, shape
    (k + 1, N), and each step's three stages less its beginning, shape (k, 3, N), of which a polynomial leads to any place between.
    """
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    return march(mix, what, watched, whole, y, laws, per, tolerance, places, rows, inside)
