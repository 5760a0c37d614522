"""Cubic equations of state: compressibility, fugacity coefficients and their derivatives.

Peng & Robinson, Ind. Eng. Chem. Fundam. 15 (1976) 59; Soave, Chem. Eng. Sci. 27 (1972) 1197. Derivatives: Michelsen &
Mollerup, Thermodynamic Models, 2nd ed., ch. 3.

Notation: T [K], P [Pa]; n, x, y, z, h, s, ln_k, phi: one number a species, shape (n,); par: shape (n, N_COLUMNS); aij: shape (n, n);
pairs: shape (N_PAIR, n, n).
"""

from __future__ import annotations

import numpy as np

from gulch.engine.compiling import Cube, Matrix, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.constants import AC, B_, KIJ, LIQUID, M2_, M3_, M_, PENG_ROBINSON, TC, VAPOUR, R

kernel = chapter(__name__)

COURSE = 300.0  # K; k_ij goes by 300/(300 + T/K), which stays between 0 and 1
FIRST, LAST, RESTS = 240.0, 550.0, 50.0  # K, between which k_ij follows its course, and over which it comes to rest beyond


@kernel.part
def cubic_constants(kind: int) -> tuple[float, float]:
    """(delta1, delta2) of P = RT/(v-b) - a/((v + delta1 b)(v + delta2 b))."""
    if kind == PENG_ROBINSON:
        return 1.0 + math.sqrt(2.0), 1.0 - math.sqrt(2.0)
    return 1.0, 0.0


@kernel.part
def unlike(T: float, pairs: Cube, i: int, j: int) -> tuple[float, float]:
    """k_ij of two species at T, and its temperature derivative."""
    b, c = pairs[KIJ + 1, i, j], pairs[KIJ + 2, i, j]
    if b == 0.0 and c == 0.0:
        return pairs[KIJ, i, j], 0.0
    t, dt = T, 1.0
    if T < FIRST or T > LAST:
        end = FIRST if T < FIRST else LAST
        away = (T - end) / RESTS
        root = math.sqrt(1.0 + away * away)
        t, dt = end + RESTS * away / root, 1.0 / (root * root * root)
    s, s25 = COURSE / (COURSE + t), COURSE / (COURSE + 298.15)
    return pairs[KIJ, i, j] + b * (s - s25) + c * (s * s - s25 * s25), -(b + 2.0 * c * s) * s * s / COURSE * dt


@kernel
def attraction(T: float, par: Matrix, pairs: Cube, q: Vector, dq: Vector, aij: Matrix) -> None:
    """Fill q_i = sqrt(a_i), its temperature derivative dq and a_ij = q_i q_j (1 - k_ij).

    With further constants below the critical temperature after Mathias & Copeman, Fluid Phase Equilib. 13 (1983) 91.
    """
    n = par.shape[0]
    for i in range(n):
        root = math.sqrt(par[i, AC])
        st = math.sqrt(T / par[i, TC])
        u = 1.0 - st
        q[i] = root * (1.0 + par[i, M_] * u)
        dq[i] = -root * par[i, M_] * st / (2.0 * T)
        if u > 0.0 and par[i, M2_] != 0.0:
            q[i] += root * u * u * (par[i, M2_] + u * par[i, M3_])
            dq[i] -= root * u * (2.0 * par[i, M2_] + 3.0 * u * par[i, M3_]) * st / (2.0 * T)
    for i in range(n):
        for j in range(n):
            aij[i, j] = q[i] * q[j] * (1.0 - unlike(T, pairs, i, j)[0])


@kernel.part
def residual_gibbs(Z: float, A: float, B: float, d1: float, d2: float) -> float:
    """Residual Gibbs energy over RT of one root, used to choose among roots."""
    return Z - 1.0 - math.log(Z - B) - A / (B * (d1 - d2)) * math.log((Z + d1 * B) / (Z + d2 * B))


@kernel.part
def polish(Z: float, c2: float, c1: float, c0: float) -> float:
    """A root of Z³ + c2 Z² + c1 Z + c0 after three steps of Newton's method from Z."""
    for _ in range(3):
        f = ((Z + c2) * Z + c1) * Z + c0
        df = (3.0 * Z + 2.0 * c2) * Z + c1
        if df == 0.0:
            break
        step = f / df
        Z -= step
        if abs(step) < 1e-15 * abs(Z):
            break
    return Z


@kernel.part
def compressibility(A: float, B: float, d1: float, d2: float, want: int) -> float:
    """Root Z of the cubic; want = VAPOUR, LIQUID or 0 for the root of lowest Gibbs energy."""
    u, w = d1 + d2, d1 * d2
    c2 = (u - 1.0) * B - 1.0
    c1 = A + w * B * B - u * B - u * B * B
    c0 = -(A * B + w * B * B + w * B * B * B)
    p = c1 - c2 * c2 / 3.0
    r = c2 * (2.0 * c2 * c2 - 9.0 * c1) / 27.0 + c0
    disc = 0.25 * r * r + p * p * p / 27.0
    shift = -c2 / 3.0
    if disc > 0.0:
        sq = math.sqrt(disc)
        # the larger of the two cube roots first, the other from their product: no cancellation
        big = -0.5 * r - sq if r > 0.0 else -0.5 * r + sq
        t = math.copysign(abs(big) ** (1.0 / 3.0), big)
        Z = polish(t - p / (3.0 * t) + shift if t != 0.0 else shift, c2, c1, c0)
        return max(Z, B * (1.0 + 1e-12))
    m = 2.0 * math.sqrt(max(-p / 3.0, 0.0))
    arg = 3.0 * r / (p * m) if p * m != 0.0 else 0.0
    phi = math.acos(min(1.0, max(-1.0, arg))) / 3.0
    high = polish(m * math.cos(phi) + shift, c2, c1, c0)
    if want == VAPOUR:
        return high
    # the other two solve what is left when the highest is divided off
    half = -0.5 * (c2 + high)
    product = -c0 / high
    root = math.sqrt(max(half * half - product, 0.0))
    low = product / (half + root) if half > 0.0 else half - root
    low = polish(low, c2, c1, c0)
    if low <= B:
        return high
    if want == LIQUID:
        return low
    # residual Gibbs energy of the lower root less that of the higher one
    apart = low - high - math.log((low - B) / (high - B))
    apart -= A / (B * (d1 - d2)) * math.log((low + d1 * B) * (high + d2 * B) / ((low + d2 * B) * (high + d1 * B)))
    return low if apart < 0.0 else high


@kernel.part
def cubic_ln_phi(
    T: float, P: float, x: Vector, par: Matrix, aij: Matrix, d1: float, d2: float, want: int, ln_phi: Vector
) -> tuple[float, float, float]:
    """Fill ln fugacity coefficients of composition x; return Z, A, B."""
    n = x.size
    a = 0.0
    b = 0.0
    for i in range(n):
        total = 0.0
        for j in range(n):
            total += x[j] * aij[i, j]
        ln_phi[i] = total
        a += x[i] * total
        b += x[i] * par[i, B_]
    rt = R * T
    A = a * P / (rt * rt)
    B = b * P / rt
    Z = compressibility(A, B, d1, d2, want)
    log_term = math.log((Z + d1 * B) / (Z + d2 * B)) / (d1 - d2)
    ab = A / B
    ln_zb = math.log(Z - B)
    for i in range(n):
        bi = par[i, B_] / b
        ln_phi[i] = bi * (Z - 1.0) - ln_zb - ab * log_term * (2.0 * ln_phi[i] / a - bi)
    return Z, A, B


@kernel
def cubic_ln_phi_derivatives(T: float, P: float, x: Vector, Z: float, par: Matrix, aij: Matrix, d1: float, d2: float, out: Matrix) -> None:
    """Fill out[i, j] = d ln phi_i / d n_j at one mole in all (Michelsen & Mollerup, ch. 3)."""
    n = x.size
    d = np.empty(n)
    D = 0.0
    b = 0.0
    for i in range(n):
        total = 0.0
        for j in range(n):
            total += x[j] * aij[i, j]
        d[i] = 2.0 * total
        D += x[i] * total
        b += x[i] * par[i, B_]
    rt = R * T
    V = Z * rt / P
    f = math.log((V + d1 * b) / (V + d2 * b)) / (R * b * (d1 - d2))
    f_v = -1.0 / (R * (V + d1 * b) * (V + d2 * b))
    f_b = -(f + V * f_v) / b
    f_vv = (1.0 / (V + d2 * b) ** 2 - 1.0 / (V + d1 * b) ** 2) / (R * b * (d1 - d2))
    f_bv = -(2.0 * f_v + V * f_vv) / b
    f_bb = -(2.0 * f_b + V * f_bv) / b
    g_v = b / (V * (V - b))
    g_b = -1.0 / (V - b)
    g_vv = -1.0 / (V - b) ** 2 + 1.0 / (V * V)
    g_bv = 1.0 / (V - b) ** 2
    g_bb = -1.0 / (V - b) ** 2
    F_nb, F_nv = -g_b, -g_v
    F_bb = -g_bb - D / T * f_bb
    F_bd = -f_b / T
    F_bv = -g_bv - D / T * f_bv
    F_dv = -f_v / T
    F_vv = -g_vv - D / T * f_vv
    F_d = -f / T
    dp_dv = -rt * F_vv - rt / (V * V)
    dp_dn = np.empty(n)
    for i in range(n):
        dp_dn[i] = -rt * (F_nv + F_bv * par[i, B_] + F_dv * d[i]) + rt / V
    for i in range(n):
        bi = par[i, B_]
        for j in range(i, n):
            bj = par[j, B_]
            second = F_nb * (bi + bj) + F_d * 2.0 * aij[i, j] + F_bb * bi * bj + F_bd * (bi * d[j] + bj * d[i])
            value = second + 1.0 + dp_dn[i] * dp_dn[j] / (rt * dp_dv)
            out[i, j] = value
            out[j, i] = value


@kernel.part
def phase_name(A: float, B: float, Z: float, kind: int) -> int:
    """Vapour or liquid by density: liquid is denser than the critical volume on a subcritical isotherm.

    A mixture behaves at fixed composition like a pure fluid with its own a and b, whose
    isotherm is subcritical when a/(bRT) exceeds Omega_a/Omega_b.
    """
    if kind == PENG_ROBINSON:
        critical_ratio, critical_volume = 0.457235529 / 0.0777960739, 0.3074013 / 0.0777960739
    else:
        critical_ratio, critical_volume = 0.42748023 / 0.08664035, (1.0 / 3.0) / 0.08664035
    if critical_ratio < A / B and critical_volume > Z / B:
        return LIQUID
    return VAPOUR
