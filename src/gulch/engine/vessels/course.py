"""Reactions followed along time, volume or mass of catalyst at a known course of temperature, with the slopes of where they lead.

A vessel is followed in the extents of its reactions, so that balances close by themselves. The integrator is the Radau IIA method of
three stages, of order 5 and stable on stiff laws (Hairer & Wanner, Solving Ordinary Differential Equations II, IV.8); the slopes are
those of its own steps, by the implicit function theorem on the equations of the stages, so that they fit the figures to the last digit.

Notation: xi: extents [mol or mol/s], shape (m,); n: amounts or flows, shape (n,); s: time [s], volume [m3] or mass [kg];
p: number of what is asked; slopes of xi: shape (m, p).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gulch.engine.chemistry.kernels.rates import PER_FLUID, Rates, rates_in
from gulch.engine.chemistry.kernels.slopes import Along, rates_and_slopes
from gulch.engine.compiling import Cube, Matrix, Places, Vector, Ways, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.arrays import assign, assign_rows, fill, fill_rows
from gulch.engine.fluids.constants import FOUND, IDEAL, NOT_FOUND, VAPOUR
from gulch.engine.fluids.linear import factor, substitute
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.fluids.phase import volume_of
from gulch.engine.vessels.radau import AHEAD, C1, C2, ERROR, REAL, A

kernel = chapter(__name__)

CONSTANT_VOLUME, AT_PRESSURE = 0, 1  # what stays: the volume (flow) of what reacts, or the pressure over it


class Vessel(NamedTuple):
    """What is followed.

    kind: what stays; batch: 1 where a law that counts on fluid counts on the volume at hand; phase: code of the phase; P [Pa] at the
    start; follows: 1 where the pressure follows amounts and temperature (a gas at constant volume); n0: charge [mol] or feed [mol/s],
    shape (n,); volume [m3 or m3/s] of n0; course: s and T [K] in rising s, shape (k, 2), level beyond its ends; shares: how much of what
    a law counts on (fluid, bed, catalyst) there is, in a batch as a whole, else in one of s; shape (3,).
    """

    kind: int
    batch: int
    phase: int
    follows: int
    P: float
    volume: float
    n0: Vector
    course: Matrix
    shares: Vector


class Room(NamedTuple):
    """Room in which a step is worked out, made once: making it anew costs more than a rate."""

    M: Matrix  # (3 m, 3 m), of the stages
    order: Places  # (3 m,)
    one: Matrix  # (m, m), of the error
    order_one: Places  # (m,)
    F: Matrix  # (3, m)
    at: Vector  # (m,)
    right: Vector  # (3 m,)
    by_extent: Cube  # (3, m, m)
    by_number: Cube  # (3, m, p)
    along_x: Matrix  # (m, n)
    along_v: Vector  # (m,)
    along_ln_p: Vector  # (m,)


MOST_STEPS = 4000
NEWTON = 9  # iterations on the stages
DIFFERENCE = 1e-5  # of the amounts, by which the molar volume is differenced


@kernel
def room_of(m: int, n: int, p: int) -> Room:
    """Room for m reactions of n species and p numbers."""
    return Room(
        np.empty((3 * m, 3 * m)),
        np.empty(3 * m, np.int64),
        np.empty((m, m)),
        np.empty(m, np.int64),
        np.empty((3, m)),
        np.empty(m),
        np.empty(3 * m),
        np.empty((3, m, m)),
        np.empty((3, m, p)),
        np.empty((m, n)),
        np.empty(m),
        np.empty(m),
    )


@kernel
def temperature_at(course: Matrix, s: float) -> float:
    """T [K] at s."""
    last = course.shape[0] - 1
    if s <= course[0, 0]:
        return course[0, 1]
    for k in range(last):
        if s < course[k + 1, 0]:
            w = (s - course[k, 0]) / (course[k + 1, 0] - course[k, 0])
            return (1.0 - w) * course[k, 1] + w * course[k + 1, 1]
    return course[last, 1]


@kernel
def state_in(mix: Mixture, vessel: Vessel, T: float, xi: Vector, nu: Matrix, x: Vector) -> tuple[float, float, float]:
    """(all amounts, P [Pa], molar volume [m3/mol]) at extents xi; fills x. An amount below zero counts as none."""
    total, first = 0.0, 0.0
    for i in range(x.size):
        value = vessel.n0[i]
        first += value
        for r in range(xi.size):
            value += xi[r] * nu[r, i]
        x[i] = max(value, 0.0)
        total += x[i]
    for i in range(x.size):
        x[i] /= total
    P = vessel.P
    if vessel.kind == CONSTANT_VOLUME:
        if vessel.follows == 1:
            P *= total * T / (first * vessel.course[0, 1])
        return total, P, vessel.volume / total
    return total, P, volume_of(mix, T, P, x, vessel.phase)


@kernel
def change(mix: Mixture, vessel: Vessel, s: float, xi: Vector, laws: Rates, per: Places, x: Vector, out: Vector) -> None:
    """d xi/ds, shape (m,)."""
    T = temperature_at(vessel.course, s)
    total, P, v = state_in(mix, vessel, T, xi, laws.nu, x)
    rates = rates_in(mix, T, P, x, v, vessel.phase, laws)
    for r in range(xi.size):
        out[r] = rates[r] * vessel.shares[per[r]]
        if per[r] == PER_FLUID and vessel.batch == 1:
            out[r] *= total * v


@kernel
def along_extents(mix: Mixture, vessel: Vessel, T: float, total: float, P: float, v: float, x: Vector, nu: Matrix, along: Along) -> None:
    """Fills how x, v and ln P change with each extent."""
    m, n = nu.shape
    moved = x
    if vessel.kind == AT_PRESSURE:
        moved = np.empty(n)
    for s in range(m):
        along.v[s], along.ln_p[s] = 0.0, 0.0
        made, size = 0.0, 0.0
        for i in range(n):
            made += nu[s, i]
        for i in range(n):
            along.x[s, i] = (nu[s, i] - x[i] * made) / total
            size = max(size, abs(along.x[s, i]))
        if vessel.kind == CONSTANT_VOLUME:
            along.v[s] = -v * made / total
            if vessel.follows == 1:
                along.ln_p[s] = made / total
        elif size > 0.0 and not (mix.kind == IDEAL and vessel.phase == VAPOUR):
            step = DIFFERENCE / size
            for i in range(n):
                moved[i] = max(x[i] + step * along.x[s, i], 0.0)
            ahead = volume_of(mix, T, P, moved, vessel.phase)
            for i in range(n):
                moved[i] = max(x[i] - step * along.x[s, i], 0.0)
            along.v[s] = (ahead - volume_of(mix, T, P, moved, vessel.phase)) / (2.0 * step)


@kernel
def change_slopes(
    mix: Mixture, vessel: Vessel, s: float, xi: Vector, laws: Rates, per: Places, asked: Ways, pivots: Vector, x: Vector,
    by_extent: Matrix, by_number: Matrix, room: Room,
) -> None:  # fmt: skip
    """Fills d(d xi/ds)/d xi, shape (m, m), and the same with what is asked, shape (m, p)."""
    m, p = xi.size, asked.shape[0]
    T = temperature_at(vessel.course, s)
    total, P, v = state_in(mix, vessel, T, xi, laws.nu, x)
    along = Along(room.along_x, room.along_v, room.along_ln_p)
    along_extents(mix, vessel, T, total, P, v, x, laws.nu, along)
    rates = rates_and_slopes(mix, T, P, x, v, vessel.phase, laws, along, asked, pivots, by_extent, by_number)
    for r in range(m):
        share, batch = vessel.shares[per[r]], per[r] == PER_FLUID and vessel.batch == 1
        factor_ = share * total * v if batch else share
        for c in range(m):
            by_extent[r, c] *= factor_
            if batch and vessel.kind == AT_PRESSURE:
                made = 0.0
                for i in range(x.size):
                    made += laws.nu[c, i]
                by_extent[r, c] += rates[r] * share * (made * v + total * along.v[c])
        for a in range(p):
            by_number[r, a] *= factor_


@kernel
def stages(
    mix: Mixture, vessel: Vessel, s: float, h: float, xi: Vector, laws: Rates, per: Places, J: Matrix, scale: Vector, x: Vector, Z: Matrix,
    room: Room,
) -> int:  # fmt: skip
    """Solve the three stages of a step, from what stands in Z, shape (3, m). Returns the iterations taken, 0 where they do not settle."""
    m = xi.size
    M, order, F, at, right = room.M, room.order, room.F, room.at, room.right
    for a in range(3):
        for b in range(3):
            for r in range(m):
                for c in range(m):
                    M[a * m + r, b * m + c] = -h * A[a, b] * J[r, c]
    for r in range(3 * m):
        M[r, r] += 1.0
    if not factor(M, order):
        return 0
    before = 1e300
    for iteration in range(NEWTON):
        for a in range(3):
            for r in range(m):
                at[r] = xi[r] + Z[a, r]
            change(mix, vessel, s + (C1 if a == 0 else C2 if a == 1 else 1.0) * h, at, laws, per, x, F[a])
        for a in range(3):
            for r in range(m):
                right[a * m + r] = h * (A[a, 0] * F[0, r] + A[a, 1] * F[1, r] + A[a, 2] * F[2, r]) - Z[a, r]
        substitute(M, order, right)
        size = 0.0
        for a in range(3):
            for r in range(m):
                size = max(size, abs(right[a * m + r]) / scale[r])
                Z[a, r] += right[a * m + r]
        if not math.isfinite(size) or (iteration > 1 and size > 0.9 * before and size > 1e-2):
            return 0
        if size < 1e-3 or (iteration > 1 and size * size / max(before, 1e-300) < 1e-4):
            return iteration + 1
        before = size
    return 0


@kernel
def stage_slopes(
    mix: Mixture, vessel: Vessel, s: float, h: float, xi: Vector, laws: Rates, per: Places, asked: Ways, pivots: Vector, x: Vector,
    Z: Matrix, J: Matrix, S: Matrix, want: bool, room: Room,
) -> bool:  # fmt: skip
    """Carry the slopes S of xi over a step whose stages are Z, and leave in J the slopes of the change at its end."""
    m, p = S.shape
    at, F, slopes, M, order, right = room.at, room.by_number, room.by_extent, room.M, room.order, room.right
    for a in range(3) if want else range(2, 3):
        for r in range(m):
            at[r] = xi[r] + Z[a, r]
        change_slopes(
            mix, vessel, s + (C1 if a == 0 else C2 if a == 1 else 1.0) * h, at, laws, per, asked, pivots, x, slopes[a], F[a], room
        )
    assign_rows(J, slopes[2])
    if not want:
        return True
    for a in range(3):
        for b in range(3):
            for r in range(m):
                for c in range(m):
                    M[a * m + r, b * m + c] = -h * A[a, b] * slopes[b, r, c]
    for r in range(3 * m):
        M[r, r] += 1.0
    if not factor(M, order):
        return False
    for q in range(p):
        for a in range(3):
            for r in range(m):
                value = 0.0
                for b in range(3):
                    here = F[b, r, q]
                    for c in range(m):
                        here += slopes[b, r, c] * S[c, q]
                    value += A[a, b] * here
                right[a * m + r] = h * value
        substitute(M, order, right)
        for r in range(m):
            S[r, q] += right[2 * m + r]
    return True


@kernel
def error_of(
    mix: Mixture, vessel: Vessel, s: float, h: float, xi: Vector, laws: Rates, per: Places, J: Matrix, scale: Vector, x: Vector, Z: Matrix,
    f: Vector, again: bool, room: Room,
) -> float:  # fmt: skip
    """How far the step's end may be off, in parts of the tolerance. f: the change where it begins."""
    m = xi.size
    M, order, right, moved = room.one, room.order_one, room.F[0], room.at
    for r in range(m):
        for c in range(m):
            M[r, c] = -J[r, c]
        M[r, r] += REAL / h
    if not factor(M, order):
        return 1e9
    for r in range(m):
        right[r] = f[r] + (ERROR[0] * Z[0, r] + ERROR[1] * Z[1, r] + ERROR[2] * Z[2, r]) / h
    substitute(M, order, right)
    size = 0.0
    for r in range(m):
        size = max(size, abs(right[r]) / scale[r])
    if again and size > 1.0:
        for r in range(m):
            moved[r] = xi[r] + right[r]
        change(mix, vessel, s, moved, laws, per, x, right)
        size = 0.0
        for r in range(m):
            right[r] += (ERROR[0] * Z[0, r] + ERROR[1] * Z[1, r] + ERROR[2] * Z[2, r]) / h
        substitute(M, order, right)
        for r in range(m):
            size = max(size, abs(right[r]) / scale[r])
    return size if math.isfinite(size) else 1e9


@kernel
def follow(
    mix: Mixture, vessel: Vessel, points: Vector, laws: Rates, per: Places, asked: Ways, pivots: Vector, tolerance: float, want: bool,
    reached: Matrix, slopes: Matrix,
) -> int:  # fmt: skip
    """Follow a batch or a tube from s = 0 to rising points, shape (k,).

    Fills the extents at each, shape (k, m), and, where they are wanted, their slopes with what is asked, shape (k m, p), row k m + r being
    that of extent r at point k. Returns FOUND, or NOT_FOUND where no step can be taken.
    """
    m, p = laws.nu.shape[0], asked.shape[0]
    n = vessel.n0.size
    x, xi, scale, f = np.empty(n), np.zeros(m), np.empty(m), np.empty(m)
    Z, ahead, J, S, unused = np.zeros((3, m)), np.zeros((3, m)), np.empty((m, m)), np.zeros((m, p)), np.empty((m, p))
    total, s = 0.0, 0.0
    for i in range(n):
        total += vessel.n0[i]
    room = room_of(m, n, p)
    change_slopes(mix, vessel, 0.0, xi, laws, per, asked, pivots, x, J, unused, room)
    change(mix, vessel, 0.0, xi, laws, per, x, f)
    fastest = 0.0
    for r in range(m):
        fastest = max(fastest, abs(f[r]))
        for c in range(m):
            fastest = max(fastest, abs(J[r, c]) * 1e-2 * total)
    end = points[points.size - 1]
    h = min(end, 1e-3 * total / fastest) if fastest > 0.0 else end
    last, at, rejected = 0.0, 0, False
    for _ in range(MOST_STEPS):
        while at < points.size and points[at] <= s * (1.0 + 1e-14):
            assign(reached[at], xi)
            for r in range(m):
                assign(slopes[at * m + r], S[r])
            at += 1
        if at == points.size:
            return FOUND
        left = points[at] - s
        step = left if left < 1.0001 * h else min(h, 0.5 * left) if left < 2.0 * h else h
        if not step > 1e-13 * end:
            return NOT_FOUND
        for r in range(m):
            scale[r] = tolerance * (1e-3 * total + abs(xi[r]))
        if last > 0.0:
            for a in range(3):
                w = 1.0 + (C1 if a == 0 else C2 if a == 1 else 1.0) * step / last
                for r in range(m):
                    foreseen, power = 0.0, w
                    for b in range(3):
                        foreseen += power * (ahead[0, r] * AHEAD[0, b] + ahead[1, r] * AHEAD[1, b] + ahead[2, r] * AHEAD[2, b])
                        power *= w
                    Z[a, r] = foreseen - ahead[2, r]
        else:
            fill_rows(Z, 0.0)
        taken = stages(mix, vessel, s, step, xi, laws, per, J, scale, x, Z, room)
        if taken == 0:
            h, last, rejected = 0.25 * step, 0.0, True
            continue
        error = error_of(mix, vessel, s, step, xi, laws, per, J, scale, x, Z, f, rejected or s == 0.0, room)
        grown = 0.9 * (2.0 * NEWTON + 1.0) / (2.0 * NEWTON + taken) * max(error, 1e-12) ** -0.25
        if error > 1.0:
            h, rejected = step * max(0.1, min(grown, 0.9)), True
            last = 0.0
            continue
        if not stage_slopes(mix, vessel, s, step, xi, laws, per, asked, pivots, x, Z, J, S, want, room):
            return NOT_FOUND
        for r in range(m):
            xi[r] += Z[2, r]
        assign_rows(ahead, Z)
        s = points[at] if step == left else s + step
        change(mix, vessel, s, xi, laws, per, x, f)
        h = max(h if step == left else step, step * min(8.0, grown)) if grown > 1.0 else step * max(0.3, grown)
        last, rejected = step, False
    return NOT_FOUND


@kernel.entry
def followed(
    vessel: Vessel, points: Vector, laws: Rates, per: Places, asked: Ways, pivots: Vector, tolerance: float, want: bool,
    reached: Matrix, slopes: Matrix,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> int:  # fmt: skip
    """`follow` as Python calls it, with the fields of the Mixture."""
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    return follow(mix, vessel, points, laws, per, asked, pivots, tolerance, want, reached, slopes)


@kernel.entry
def rates_read(
    vessel: Vessel, laws: Rates, asked: Ways, pivots: Vector, slopes: Matrix,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> Vector:  # fmt: skip
    """Rates of all reactions at the charge itself, as a differential reactor shows them, and their slopes, shape (m, p)."""
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    m = laws.nu.shape[0]
    x, xi, J = np.empty(vessel.n0.size), np.empty(m), np.empty((m, m))
    fill(xi, 0.0)
    T = vessel.course[0, 1]
    total, P, v = state_in(mix, vessel, T, xi, laws.nu, x)
    along = Along(np.empty((m, x.size)), np.empty(m), np.empty(m))
    along_extents(mix, vessel, T, total, P, v, x, laws.nu, along)
    return rates_and_slopes(mix, T, P, x, v, vessel.phase, laws, along, asked, pivots, J, slopes)


@kernel.entry
def volume_read(
    vessel: Vessel, s: float, xi: Vector, nu: Matrix, along: Vector,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[float, float, float]:  # fmt: skip
    """(volume [m3] or volume flow [m3/s], P [Pa], T [K]) at extents xi; fills d volume / d xi, shape (m,)."""
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    x = np.empty(vessel.n0.size)
    T = temperature_at(vessel.course, s)
    total, P, v = state_in(mix, vessel, T, xi, nu, x)
    changes = Along(np.empty((xi.size, x.size)), np.empty(xi.size), np.empty(xi.size))
    along_extents(mix, vessel, T, total, P, v, x, nu, changes)
    for c in range(xi.size):
        made = 0.0
        for i in range(x.size):
            made += nu[c, i]
        along[c] = made * v + total * changes.v[c]
    return total * v, P, T
