"""A shortcut column: how it parts its feed, both ends' temperatures found with the split and not inside each of its rounds.

Fenske's and Underwood's equations as in `units.shortcut`, whose words hold here. All species are volatile and present.

Notation: n, top, bottom: feed, distillate, bottoms [mol/s]; ln_ratio: ln d/b; x: the liquid beside the distillate at its dew point, y:
the vapour beside the bottoms at their bubble point, mole fractions; alpha: volatilities on the heavy key; all of shape (n,).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Places, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.boundary import rising
from gulch.engine.fluids.constants import T_HIGH, T_LOW
from gulch.engine.fluids.fluid import prepared
from gulch.engine.fluids.linear import eliminate
from gulch.engine.fluids.mixture import Mixture

kernel = chapter(__name__)

NONE = -1.0  # for a number that cannot be less than zero
TRACE = 1e-9  # share of the feed from which a species between the keys counts
BESIDE = 1e-9  # of the way between two poles, kept from them
HALVINGS = 100
ROUNDS = 30
DEPTH = 5  # of Anderson's acceleration
SMALL = 1e-10  # change of a round, of ln d/b and hundreds of kelvins
PATIENT, NOISE = 10, 1e-8  # rounds after which a change is taken that is no more than noise of the fugacities
LIMIT = 60.0  # of ln d/b
HUNDRED = 100.0  # K in which temperatures are counted


@kernel
def underwoods_root(alpha: Vector, f: Vector, F: float, q: float, low: float, high: float) -> float:
    """The root of Σ alpha f/(alpha − theta) = F (1 − q) between two poles, from below zero to above it; NONE where there is none."""
    a, b = low + BESIDE * (high - low), high - BESIDE * (high - low)
    theta = 0.5 * (a + b)
    for end in range(2):
        at = a if end == 0 else b
        value = 0.0
        for i in range(f.size):
            value += alpha[i] * f[i] / (alpha[i] - at)
        value = value / F - 1.0 + q
        if (end == 0 and value > 0.0) or (end == 1 and value < 0.0):
            return NONE
    for _ in range(HALVINGS):
        value, slope = 0.0, 0.0
        for i in range(f.size):
            part = alpha[i] * f[i] / (alpha[i] - theta)
            value += part
            slope += part / (alpha[i] - theta)
        value = value / F - 1.0 + q
        if value < 0.0:
            a = theta
        else:
            b = theta
        new = theta - value * F / slope if slope > 0.0 else a
        if not (a < new and new < b):
            new = 0.5 * (a + b)
        if abs(new - theta) <= 1e-15 * abs(theta) or b - a <= 1e-15 * abs(theta):
            return new
        theta = new
    return theta


@kernel
def another_root(kept: Places, k: int, below: bool) -> int:
    """The root that falls away with species k: the next one below it where it all stays down, above where it all goes up."""
    first, last, found = -1, -1, -1
    for r in range(kept.size):
        if kept[r] == 0:
            continue
        if first < 0:
            first = r
        last = r
        if below and r > k and found < 0:
            found = r
        if not below and r <= k:
            found = r
    if found >= 0:
        return found
    return last if below else first


@kernel
def between_keys(alpha: Vector, f: Vector, F: float, light: int) -> Places:
    """The species that boil between the keys and are there in amounts that count, the lightest first."""
    found, count = np.zeros(f.size, np.int64), 0
    for i in range(f.size):
        if alpha[i] > 1.0 + 1e-6 and alpha[i] < alpha[light] * (1.0 - 1e-6) and f[i] > TRACE * F:
            k = count
            while k > 0 and alpha[found[k - 1]] < alpha[i]:
                found[k] = found[k - 1]
                k -= 1
            found[k] = i
            count += 1
    return found[:count].copy()


@kernel
def distributed(alpha: Vector, top: Vector, roots: Vector, kept: Places, between: Places, amounts: Vector, free: int) -> Vector:
    """Amounts that go up of the species still free, and after them D (R + 1): linear equations, one for each root that is kept."""
    rows, right, row = np.zeros((free + 1, free + 1)), np.zeros(free + 1), 0
    for r in range(kept.size):
        if kept[r] == 0:
            continue
        column = 0
        for k in range(between.size):
            i = between[k]
            if amounts[i] < 0.0:
                rows[row, column] = -alpha[i] / (alpha[i] - roots[r])
                column += 1
        rows[row, column] = 1.0
        for i in range(top.size):
            right[row] += alpha[i] / (alpha[i] - roots[r]) * top[i]
        row += 1
    return eliminate(rows, right)


@kernel
def underwoods(alpha: Vector, f: Vector, d: Vector, q: float, light: int, amounts: Vector) -> float:
    """Minimum reflux ratio; amounts become what goes up of species between the keys, NONE of all others. NONE where a root is missing."""
    F, D = 0.0, 0.0
    for i in range(f.size):
        F += f[i]
        amounts[i] = NONE
    between = between_keys(alpha, f, F, light)
    count = between.size
    roots, kept = np.empty(count + 1), np.ones(count + 1, np.int64)
    for r in range(count + 1):
        high = alpha[light] if r == 0 else alpha[between[r - 1]]
        roots[r] = underwoods_root(alpha, f, F, q, 1.0 if r == count else alpha[between[r]], high)
        if roots[r] < 0.0:
            return NONE
    top, free = d.copy(), count
    while True:
        for k in range(count):
            top[between[k]] = max(amounts[between[k]], 0.0)
        found = distributed(alpha, top, roots, kept, between, amounts, free)
        worst, at, where, column = 1e-12, -1, 0, 0
        for k in range(count):
            i = between[k]
            if amounts[i] < 0.0:
                away = max(-found[column], found[column] - f[i]) / f[i]
                if away > worst:
                    worst, at, where = away, k, column
                column += 1
        if at < 0:
            break
        below = found[where] < 0.0
        amounts[between[at]] = 0.0 if below else f[between[at]]
        kept[another_root(kept, at, below)] = 0
        free -= 1
    column = 0
    for k in range(count):
        i = between[k]
        if amounts[i] < 0.0:
            amounts[i] = min(max(found[column], 0.0), f[i])
            column += 1
        top[i] = amounts[i]
    for i in range(f.size):
        D += top[i]
    return max(0.0, found[free] / D - 1.0)


@kernel.entry
def underwood_of(alpha: Vector, f: Vector, d: Vector, q: float, light: int) -> tuple[float, Vector]:
    """(minimum reflux ratio or NONE, amounts) as `underwoods` says."""
    amounts = np.empty(f.size)
    least = underwoods(alpha, f, d, q, light, amounts)
    return least, amounts


@kernel
def keyed(n: Vector, ln_ratio: Vector, by_recovery: bool, one: float, other: float, light: int, heavy: int, top: Vector) -> bool:
    """Fill top with the keys as given and the others by their ratios; False where the keys cannot be had so.

    one, other: recoveries of the light and the heavy key, or the light key's fraction in the bottoms and the heavy one's in the top.
    """
    up, down = 0.0, 0.0
    for i in range(n.size):
        top[i] = n[i] / (1.0 + math.exp(-ln_ratio[i]))
        if i != light and i != heavy:
            up += top[i]
            down += n[i] - top[i]
    if by_recovery:
        top[light], top[heavy] = n[light] * one, n[heavy] * (1.0 - other)
        return True
    whole = 1.0 - one - other
    if not whole > 0.0:
        return False
    right, left = one * (n[heavy] + down), other * (n[light] + up)
    b = ((1.0 - other) * right - one * left) / whole
    d = ((1.0 - one) * left - other * right) / whole
    top[light], top[heavy] = n[light] - b, d
    return b > 0.0 and b < n[light] and d > 0.0 and d < n[heavy]


@kernel
def at_end(
    mix: Mixture, dew: bool, P: float, T: float, slope: float, amounts: Vector, other: Vector, z: Vector, ln_k: Vector
) -> tuple[float, float]:
    """(T after a step of Newton's method, the slope used) of an end, whose incipient phase `other` follows; ln_k become those before it."""
    total = 0.0
    for i in range(z.size):
        total += amounts[i]
    for i in range(z.size):
        z[i] = max(amounts[i] / total, 1e-300)
    weights = np.empty(z.size)
    f, _ = rising(mix, prepared(mix, T, P), dew, z, other, weights)
    whole = 0.0
    for i in range(z.size):
        ln_k[i] = (math.log(z[i] / weights[i])) if dew else math.log(weights[i] / z[i])
        whole += weights[i]
    if slope == 0.0:
        h = 1e-5 * T
        slope = (rising(mix, prepared(mix, T + h, P), dew, z, other, np.empty(z.size))[0] - f) / h
    for i in range(z.size):
        other[i] = weights[i] / whole
    if not slope > 0.0:
        return NONE, slope
    return T - min(max(f / slope, -0.1 * T), 0.1 * T), slope


@kernel
def accelerated(v: Vector, g: Vector, dx: Matrix, df: Matrix, before: Vector, before_f: Vector, seen: int) -> None:
    """Let v go on from its image g, by Anderson's acceleration over the last changes; before, before_f: the last v and its change."""
    size = v.size
    f = g - v
    if seen > 0:
        row = (seen - 1) % DEPTH
        for i in range(size):
            dx[row, i], df[row, i] = v[i] - before[i], f[i] - before_f[i]
    for i in range(size):
        before[i], before_f[i] = v[i], f[i]
    m = min(seen, DEPTH)
    normal, right = np.zeros((m, m)), np.zeros(m)
    for a in range(m):
        for b in range(m):
            for i in range(size):
                normal[a, b] += df[a, i] * df[b, i]
        for i in range(size):
            right[a] += df[a, i] * f[i]
    for a in range(m):
        normal[a, a] *= 1.0 + 1e-12
    weights = eliminate(normal, right)
    for i in range(size):
        v[i] += f[i]
        for a in range(m):
            v[i] -= weights[a] * (dx[a, i] + df[a, i])


@kernel.entry
def parted(
    n: Vector, by_recovery: bool, one: float, other: float, light: int, heavy: int, P_top: float, P_bottom: float, q: float,
    ln_ratio: Vector, T_top: float, T_bottom: float, x: Vector, y: Vector,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> tuple[bool, Vector, Vector, Vector, Vector, Vector, Vector]:  # fmt: skip
    """(found, top, alpha, [T_top, T_bottom, minimum stages, minimum reflux], ln_ratio, x, y) from a split nearby.

    not found: look for it by other means; what is returned then means nothing.
    """
    mix, N = Mixture(kind, vapour, active, par, pairs, groups), n.size
    v, g = np.empty(3 * N + 2), np.empty(3 * N + 2)
    dx, df, before, before_f = np.empty((DEPTH, v.size)), np.empty((DEPTH, v.size)), np.empty(v.size), np.empty(v.size)
    top, bottom, alpha, amounts, z = np.zeros(N), np.zeros(N), np.zeros(N), np.zeros(N), np.zeros(N)
    above, below, told, up, down = np.zeros(N), np.zeros(N), np.zeros(4), np.zeros(N), np.zeros(N)
    for i in range(N):
        v[i], v[N + i], v[2 * N + i] = ln_ratio[i], math.log(max(x[i], 1e-300)), math.log(max(y[i], 1e-300))
    v[3 * N], v[3 * N + 1] = T_top / HUNDRED, T_bottom / HUNDRED
    slope_top, slope_bottom, found = 0.0, 0.0, False
    for turn in range(ROUNDS):
        if not keyed(n, v[:N], by_recovery, one, other, light, heavy, top):
            break
        for i in range(N):
            bottom[i] = n[i] - top[i]
            up[i], down[i] = math.exp(v[N + i]), math.exp(v[2 * N + i])
        told[0], told[1] = HUNDRED * v[3 * N], HUNDRED * v[3 * N + 1]
        if not (told[0] > T_LOW and told[0] < T_HIGH and told[1] > T_LOW and told[1] < T_HIGH):
            break
        T_up, slope_top = at_end(mix, True, P_top, told[0], slope_top, top, up, z, above)
        T_down, slope_bottom = at_end(mix, False, P_bottom, told[1], slope_bottom, bottom, down, z, below)
        for i in range(N):
            alpha[i] = math.exp(0.5 * (above[i] - above[heavy] + below[i] - below[heavy]))
        if not (alpha[light] > 1.0 + 1e-6 and T_up > 0.0 and T_down > 0.0):
            break
        told[2] = math.log(top[light] / bottom[light] * (bottom[heavy] / top[heavy])) / math.log(alpha[light])
        told[3] = underwoods(alpha, n, top, q, light, amounts)
        if told[3] < 0.0:
            break
        largest = 0.0
        for i in range(N):
            ratio = math.log(top[heavy] / bottom[heavy]) + told[2] * math.log(alpha[i])
            if amounts[i] >= 0.0:
                ratio = math.log(max(amounts[i], 1e-300) / max(n[i] - amounts[i], 1e-300))
            g[i] = min(max(ratio, -LIMIT), LIMIT)
            g[N + i], g[2 * N + i] = math.log(max(up[i], 1e-300)), math.log(max(down[i], 1e-300))
        g[3 * N], g[3 * N + 1] = T_up / HUNDRED, T_down / HUNDRED
        for i in range(v.size):
            largest = max(largest, abs(g[i] - v[i]))
        if not math.isfinite(largest):
            break
        if largest < (SMALL if turn < PATIENT else NOISE):
            found = True
            break
        accelerated(v, g, dx, df, before, before_f, turn)
    return found, top, alpha, told, v[:N].copy(), up, down
