"""Compiled thermodynamics: cubic and ideal models, flashes, enthalpy and entropy.

All kernels of the engine stand in this one file because numba's disk cache follows a
file's own time stamp and would not notice a change in a kernel imported from another.

Arrays in, numbers and arrays out. ``par`` has one row per species and the columns named
below; ``kij`` is the symmetric matrix of binary interaction parameters, shape (n, n).
Units are SI and molar: K, Pa, mol, J/mol, J/(mol K), m3/mol.

Sources
-------
Cubic models: Peng & Robinson, Ind. Eng. Chem. Fundam. 15 (1976) 59; Soave, Chem. Eng.
Sci. 27 (1972) 1197. Derivatives, stability test and flash: Michelsen & Mollerup,
Thermodynamic Models: Fundamentals & Computational Aspects, 2nd ed., chapters 3, 9, 10;
Michelsen, Fluid Phase Equilib. 9 (1982) 1 and 21. Start values: Wilson (1968). Chemical equilibrium: Smith & Missen,
Chemical Reaction Equilibrium Analysis (1982), ch. 4 and 6; Gordon & McBride, NASA RP-1311 (1994), ch. 2 for the
element potentials, the condensed species and the damping.
"""

import math

import numpy as np
from numba import njit

from gulch.engine.species.heat_capacity import THETAS, R

P0 = 1.0e5  # standard state pressure [Pa]

IDEAL, PENG_ROBINSON, SOAVE_REDLICH_KWONG = 0, 1, 2
VAPOUR, LIQUID = 1, 2

# Columns of `par`.
TC, PC, OMEGA, MW, B_, AC, M_, H_CONST, S_CONST, ZRA = range(10)
VP0 = 10  # ln(Psat/Pa) = a + b/T + c ln T + d T + e T^2: five columns
VP_TMIN, VP_TMAX = 15, 16
CP0 = 17  # constant part of Cp/R, then one weight per characteristic temperature
N_COLUMNS = CP0 + 1 + THETAS.size

MAX_NEWTON = 300  # steps of an equilibrium
TRACE = 100.0  # amounts are followed down to e^-100 (about 1e-43) of what reacts

T_LOW, T_HIGH = 30.0, 6000.0  # search range of every temperature solve [K]

# Outcome of a temperature solve.
FOUND, BELOW_RANGE, ABOVE_RANGE, NOT_FOUND = 0, 1, 2, 3

_options = dict(cache=True, nogil=True, error_model="numpy")


@njit(**_options)
def ideal_gas(T, par, h, s):
    """Fill molar enthalpy h (elements basis) and entropy s (at 1 bar) of every species."""
    n = par.shape[0]
    ln_t = math.log(T)
    for i in range(n):
        h[i] = par[i, H_CONST] + R * par[i, CP0] * T
        s[i] = par[i, S_CONST] + R * par[i, CP0] * ln_t
    for k in range(THETAS.size):
        u = THETAS[k] / T
        e = math.expm1(u)
        energy = THETAS[k] / e
        entropy = u / e - math.log1p(-math.exp(-u))
        for i in range(n):
            w = par[i, CP0 + 1 + k]
            if w != 0.0:
                h[i] += R * w * energy
                s[i] += R * w * entropy


@njit(**_options)
def ideal_gas_cp(T, par, i):
    """Ideal-gas heat capacity of species i [J/(mol K)], a sum of Einstein functions."""
    cp = par[i, CP0]
    for k in range(THETAS.size):
        u = THETAS[k] / T
        e = math.exp(-u)
        cp += par[i, CP0 + 1 + k] * u * u * e / (1.0 - e) ** 2
    return R * cp


@njit(**_options)
def ln_psat(T, par, i):
    """ln(Psat/Pa) of species i and its temperature derivative [1/K].

    Beyond the fitted range the line ln P over 1/T is drawn on straight (Clausius-Clapeyron).
    """
    t = min(max(T, par[i, VP_TMIN]), par[i, VP_TMAX])
    a, b, c, d, e = par[i, VP0], par[i, VP0 + 1], par[i, VP0 + 2], par[i, VP0 + 3], par[i, VP0 + 4]
    value = a + b / t + c * math.log(t) + d * t + e * t * t
    slope = -b / (t * t) + c / t + d + 2.0 * e * t
    if t != T:
        steepness = slope * t * t  # d ln P / d(-1/T)
        value += steepness * (1.0 / t - 1.0 / T)
        slope = steepness / (T * T)
    return value, slope


@njit(**_options)
def rackett_volume(T, par, i):
    """Saturated liquid volume [m3/mol] by Rackett (1970) with Z_RA of Yamada & Gunn (1973)."""
    tr = min(T / par[i, TC], 1.0)
    exponent = 1.0 + (1.0 - tr) ** (2.0 / 7.0)
    return R * par[i, TC] / par[i, PC] * par[i, ZRA] ** exponent


@njit(**_options)
def cubic_constants(kind):
    """(delta1, delta2) of P = RT/(v-b) - a/((v + delta1 b)(v + delta2 b))."""
    if kind == PENG_ROBINSON:
        return 1.0 + math.sqrt(2.0), 1.0 - math.sqrt(2.0)
    return 1.0, 0.0


@njit(**_options)
def attraction(T, par, kij, q, dq, aij):
    """Fill q_i = sqrt(a_i), its temperature derivative dq and a_ij = q_i q_j (1 - k_ij)."""
    n = par.shape[0]
    for i in range(n):
        root = math.sqrt(par[i, AC])
        st = math.sqrt(T / par[i, TC])
        q[i] = root * (1.0 + par[i, M_] * (1.0 - st))
        dq[i] = -root * par[i, M_] * st / (2.0 * T)
    for i in range(n):
        for j in range(n):
            aij[i, j] = q[i] * q[j] * (1.0 - kij[i, j])


@njit(**_options)
def residual_gibbs(Z, A, B, d1, d2):
    """Residual Gibbs energy over RT of one root, used to choose among roots."""
    return Z - 1.0 - math.log(Z - B) - A / (B * (d1 - d2)) * math.log((Z + d1 * B) / (Z + d2 * B))


@njit(**_options)
def polish(Z, c2, c1, c0):
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


@njit(**_options)
def compressibility(A, B, d1, d2, want):
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
    low = polish(m * math.cos(phi - 4.0 * math.pi / 3.0) + shift, c2, c1, c0)
    mid = m * math.cos(phi - 2.0 * math.pi / 3.0) + shift
    if mid < low:
        low = polish(mid, c2, c1, c0)
    if low <= B or want == VAPOUR:
        return high
    if want == LIQUID:
        return low
    if residual_gibbs(low, A, B, d1, d2) < residual_gibbs(high, A, B, d1, d2):
        return low
    return high


@njit(**_options)
def cubic_ln_phi(T, P, x, par, aij, d1, d2, want, ln_phi):
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


@njit(**_options)
def cubic_ln_phi_derivatives(T, P, x, Z, par, aij, d1, d2, out):
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


@njit(**_options)
def wilson_ln_k(T, P, par, ln_k):
    for i in range(par.shape[0]):
        ln_k[i] = math.log(par[i, PC] / P) + 5.373 * (1.0 + par[i, OMEGA]) * (1.0 - par[i, TC] / T)


@njit(**_options)
def rachford_rice(z, K, start):
    """Vapour share solving sum z (K-1)/(1 + beta (K-1)) = 0, from a start value.

    Returns -1.0 when there is no vapour, 2.0 when there is no liquid.
    """
    n = z.size
    g0 = 0.0
    g1 = 0.0
    for i in range(n):
        g0 += z[i] * (K[i] - 1.0)
        g1 += z[i] * (1.0 - 1.0 / K[i])
    if g0 <= 0.0:
        return -1.0
    if g1 >= 0.0:
        return 2.0
    low, high = 0.0, 1.0
    beta = start if 0.0 < start < 1.0 else g0 / (g0 - g1)
    for _ in range(100):
        g = 0.0
        dg = 0.0
        for i in range(n):
            k1 = K[i] - 1.0
            q = k1 / (1.0 + beta * k1)
            g += z[i] * q
            dg -= z[i] * q * q
        if g > 0.0:
            low = beta
        else:
            high = beta
        new = beta - g / dg
        if not (low < new < high):
            if abs(g) < 1e-15:
                return beta
            new = 0.5 * (low + high)
        if abs(new - beta) < 1e-14 * (1.0 + beta) and abs(new - beta) < 1e-10 * beta:
            return new
        beta = new
    return beta


@njit(**_options)
def k_values(ln_k, K):
    for i in range(K.size):
        K[i] = math.exp(min(max(ln_k[i], -300.0), 300.0))


@njit(**_options)
def split(z, K, beta, x, y):
    sx = 0.0
    sy = 0.0
    for i in range(z.size):
        x[i] = z[i] / (1.0 + beta * (K[i] - 1.0))
        y[i] = K[i] * x[i]
        sx += x[i]
        sy += y[i]
    for i in range(z.size):
        x[i] /= sx
        y[i] /= sy


@njit(**_options)
def tangent_trial(T, P, d, z, w, par, aij, d1, d2):
    """Follow one trial phase, mole numbers w (changed in place), from the tangent plane d.

    Returns True when a composition below the plane is found (w then holds it, normalised).
    """
    n = z.size
    ln_phi = np.empty(n)
    ln_w = np.empty(n)
    last = np.zeros(n)
    step = np.zeros(n)
    for i in range(n):
        ln_w[i] = math.log(max(w[i], 1e-300))
    norm_before = 0.0
    for it in range(60):
        total = 0.0
        for i in range(n):
            w[i] = math.exp(ln_w[i])
            total += w[i]
        for i in range(n):
            w[i] /= total
        cubic_ln_phi(T, P, w, par, aij, d1, d2, 0, ln_phi)
        distance = 1.0
        norm = 0.0
        dot = 0.0
        for i in range(n):
            new = d[i] - ln_phi[i]
            step[i] = new - ln_w[i]
            distance += total * w[i] * (-step[i] - 1.0)
            norm += step[i] * step[i]
            dot += step[i] * last[i]
        if distance < -1e-9:
            away = 0.0
            for i in range(n):
                away += abs(w[i] - z[i])
            if away > 1e-5:
                return True
        if norm < 0.1 * distance or norm < 1e-18:
            return False  # near a stationary point the distance is right to the order of the norm
        factor = 1.0
        if it % 4 == 3 and norm_before > 0.0:
            gain = dot / norm_before  # dominant eigenvalue of the substitution
            if 0.0 < gain < 0.98:
                factor = 1.0 / (1.0 - gain)
        trivial = 0.0
        for i in range(n):
            ln_w[i] += factor * step[i]
            last[i] = step[i]
            trivial += (ln_w[i] - math.log(z[i])) ** 2
        norm_before = norm
        if trivial < 1e-6:
            return False
    return False


@njit(**_options)
def pure_ln_phi(T, P, par, aij, d1, d2, i):
    rt = R * T
    A = aij[i, i] * P / (rt * rt)
    B = par[i, B_] * P / rt
    Z = compressibility(A, B, d1, d2, 0)
    return residual_gibbs(Z, A, B, d1, d2)


@njit(**_options)
def find_instability(T, P, d, ref, par, aij, d1, d2, thorough, w):
    """Search a trial phase below the tangent plane d through composition ref.

    With thorough, Wilson-like vapour and liquid trials come first; the trials that start
    from a nearly pure species are always made where that species' activity is not small.
    """
    n = ref.size
    if thorough:
        ln_k = np.empty(n)
        wilson_ln_k(T, P, par, ln_k)
        for sign in (1.0, -1.0):
            for i in range(n):
                w[i] = ref[i] * math.exp(min(max(sign * ln_k[i], -200.0), 200.0))
            if tangent_trial(T, P, d, ref, w, par, aij, d1, d2):
                return True
    for i in range(n):
        activity = math.exp(min(d[i] - pure_ln_phi(T, P, par, aij, d1, d2, i), 50.0))
        if activity > 0.3 and ref[i] < 0.95:
            for j in range(n):
                w[j] = 1e-4 * ref[j]
            w[i] = 1.0
            if tangent_trial(T, P, d, ref, w, par, aij, d1, d2):
                return True
    return False


@njit(**_options)
def solve_symmetric(H, g, n):
    """Solve H s = -g by Cholesky in place; returns False when H is not positive definite."""
    for j in range(n):
        for k in range(j):
            H[j, j] -= H[j, k] * H[j, k]
        if H[j, j] <= 1e-14:
            return False
        H[j, j] = math.sqrt(H[j, j])
        for i in range(j + 1, n):
            for k in range(j):
                H[i, j] -= H[i, k] * H[j, k]
            H[i, j] /= H[j, j]
    for i in range(n):
        value = -g[i]
        for k in range(i):
            value -= H[i, k] * g[k]
        g[i] = value / H[i, i]
    for i in range(n - 1, -1, -1):
        value = g[i]
        for k in range(i + 1, n):
            value -= H[k, i] * g[k]
        g[i] = value / H[i, i]
    return True


@njit(**_options)
def two_phase(T, P, z, ln_k, par, aij, d1, d2, x, y):
    """Converge a two-phase split from ln_k: substitution, then Newton on the Gibbs energy.

    Changes ln_k, x, y in place. Returns beta of the `y` phase, or -1.0 when one phase
    vanished or both became alike.
    """
    n = z.size
    phi_x, phi_y = np.empty(n), np.empty(n)
    step, last, K = np.empty(n), np.zeros(n), np.empty(n)
    beta = -1.0
    norm_before = 0.0
    smallest = 0.0
    next_newton = 1
    for it in range(400):
        k_values(ln_k, K)
        beta = rachford_rice(z, K, beta)
        if beta <= 0.0 or beta >= 1.0:
            return -1.0
        split(z, K, beta, x, y)
        Zx, _, _ = cubic_ln_phi(T, P, x, par, aij, d1, d2, 0, phi_x)
        Zy, _, _ = cubic_ln_phi(T, P, y, par, aij, d1, d2, 0, phi_y)
        norm = 0.0
        dot = 0.0
        alike = 0.0
        for i in range(n):
            step[i] = phi_x[i] - phi_y[i] - ln_k[i]
            norm += step[i] * step[i]
            dot += step[i] * last[i]
            alike += ln_k[i] * ln_k[i]
        if alike < 1e-10:
            return -1.0
        if norm < 1e-24:
            return beta
        if it >= next_newton and beta > 1e-9 and beta < 1.0 - 1e-9:
            done = newton_split(T, P, z, ln_k, beta, Zx, Zy, par, aij, d1, d2, x, y)
            if done >= 0.0:
                return done
            next_newton = it + 5
            if it > 30 and smallest > 0.0 and norm >= smallest and norm < 1e-16:
                return beta  # rounding: no further improvement possible
        smallest = norm if smallest == 0.0 else min(smallest, norm)
        factor = 1.0
        if it % 5 == 4 and norm_before > 0.0:
            gain = dot / norm_before
            if 0.0 < gain < 0.95:
                factor = 1.0 / (1.0 - gain)
        for i in range(n):
            ln_k[i] += factor * step[i]
            last[i] = step[i]
        norm_before = norm
    return beta


@njit(**_options)
def newton_split(T, P, z, ln_k, beta, Zx, Zy, par, aij, d1, d2, x, y):
    """Newton on the mole numbers of the `y` phase; returns beta or -1.0 when it did not help."""
    n = z.size
    phi_x, phi_y = np.empty(n), np.empty(n)
    Jx, Jy, H = np.empty((n, n)), np.empty((n, n)), np.empty((n, n))
    g, v, dv, scale = np.empty(n), np.empty(n), np.empty(n), np.empty(n)
    xs, ys = x.copy(), y.copy()
    for i in range(n):
        v[i] = beta * y[i]
    before = 1e300
    gibbs_before = 1e300
    length = 1.0
    halvings = 0
    for _ in range(24):
        Zx, _, _ = cubic_ln_phi(T, P, xs, par, aij, d1, d2, 0, phi_x)
        Zy, _, _ = cubic_ln_phi(T, P, ys, par, aij, d1, d2, 0, phi_y)
        worst = 0.0
        gibbs = 0.0
        for i in range(n):
            gx = math.log(xs[i]) + phi_x[i]
            gy = math.log(ys[i]) + phi_y[i]
            g[i] = gy - gx
            gibbs += beta * ys[i] * gy + (1.0 - beta) * xs[i] * gx
            worst = max(worst, abs(g[i]))
        if worst < 1e-12 or (worst < 1e-10 and worst >= 0.5 * before):
            for i in range(n):
                ln_k[i] = phi_x[i] - phi_y[i]
                x[i] = xs[i]
                y[i] = ys[i]
            return beta
        if gibbs > gibbs_before + 1e-12 * abs(gibbs):
            # uphill: take half the step back
            halvings += 1
            if halvings > 6:
                return -1.0
            length *= 0.5
            beta = 0.0
            for i in range(n):
                v[i] -= length * dv[i]
                beta += v[i]
        else:
            halvings = 0
            before = worst
            gibbs_before = gibbs
            cubic_ln_phi_derivatives(T, P, xs, Zx, par, aij, d1, d2, Jx)
            cubic_ln_phi_derivatives(T, P, ys, Zy, par, aij, d1, d2, Jy)
            for i in range(n):
                scale[i] = math.sqrt(xs[i] * ys[i] / z[i]) * math.sqrt(beta * (1.0 - beta))
            # Scaled so, the ideal part is about the unit matrix: shifting towards it is damping.
            shift = 0.0
            solved = False
            for _try in range(5):
                for i in range(n):
                    for j in range(n):
                        H[i, j] = (Jy[i, j] - 1.0) / beta + (Jx[i, j] - 1.0) / (1.0 - beta)
                        if i == j:
                            H[i, j] += 1.0 / (beta * ys[i]) + 1.0 / ((1.0 - beta) * xs[i])
                        H[i, j] *= scale[i] * scale[j]
                    H[i, i] += shift
                    dv[i] = g[i] * scale[i]
                if solve_symmetric(H, dv, n):
                    solved = True
                    break
                shift = 0.2 if shift == 0.0 else 3.0 * shift
            if not solved:
                return -1.0
            length = 1.0
            for i in range(n):
                dv[i] *= scale[i]
                if dv[i] < 0.0 and v[i] + length * dv[i] <= 0.0:
                    length = min(length, -0.9 * v[i] / dv[i])
                if dv[i] > 0.0 and v[i] + length * dv[i] >= z[i]:
                    length = min(length, 0.9 * (z[i] - v[i]) / dv[i])
            beta = 0.0
            for i in range(n):
                v[i] += length * dv[i]
                beta += v[i]
        if not (0.0 < beta < 1.0):
            return -1.0
        for i in range(n):
            liquid = z[i] - v[i]
            if v[i] <= 0.0 or liquid <= 0.0:
                return -1.0
            ys[i] = v[i] / beta
            xs[i] = liquid / (1.0 - beta)
    return -1.0


@njit(**_options)
def phase_name(A, B, Z, kind):
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


@njit(**_options)
def gibbs_of_split(beta, x, y, T, P, par, aij, d1, d2):
    """Mixing and residual Gibbs energy of a split over RT, to compare splits."""
    n = x.size
    phi = np.empty(n)
    total = 0.0
    cubic_ln_phi(T, P, x, par, aij, d1, d2, 0, phi)
    for i in range(n):
        total += (1.0 - beta) * x[i] * (math.log(x[i]) + phi[i])
    cubic_ln_phi(T, P, y, par, aij, d1, d2, 0, phi)
    for i in range(n):
        total += beta * y[i] * (math.log(y[i]) + phi[i])
    return total


@njit(**_options)
def cubic_flash(kind, T, P, z, par, kij, ln_k, warm, x, y):
    """PT flash of a cubic model; z positive and summing to 1.

    ln_k: start values when warm, and the result. x, y: heavier and lighter phase.
    Returns (beta, name of x, name of y, third): beta the share of the lighter phase,
    0.0 or 1.0 when there is one phase (whose name stands in both), third = 1 when the
    stability test of the final split still finds a further phase.
    """
    n = z.size
    d1, d2 = cubic_constants(kind)
    q, dq, aij = np.empty(n), np.empty(n), np.empty((n, n))
    attraction(T, par, kij, q, dq, aij)
    phi = np.empty(n)
    d = np.empty(n)
    Z, A, B = cubic_ln_phi(T, P, z, par, aij, d1, d2, 0, phi)
    g_single = 0.0
    for i in range(n):
        d[i] = math.log(z[i]) + phi[i]
        g_single += z[i] * d[i]
    beta = -1.0
    if n > 1:
        if not warm:
            wilson_ln_k(T, P, par, ln_k)
        beta = two_phase(T, P, z, ln_k, par, aij, d1, d2, x, y)
        if beta > 0.0 and gibbs_of_split(beta, x, y, T, P, par, aij, d1, d2) > g_single - 1e-13:
            beta = -1.0
        if beta < 0.0:
            w = np.empty(n)
            if find_instability(T, P, d, z, par, aij, d1, d2, True, w):
                beta = split_from_trial(T, P, z, d, w, ln_k, par, aij, d1, d2, x, y)
    third = 0
    if beta > 0.0:
        beta, third = lowest_split(T, P, z, beta, ln_k, par, aij, d1, d2, x, y)
    if beta <= 0.0 or beta >= 1.0:
        name = phase_name(A, B, Z, kind)
        for i in range(n):
            x[i] = z[i]
            y[i] = z[i]
        return (1.0 if name == VAPOUR else 0.0), name, name, third
    Zx, Ax, Bx = cubic_ln_phi(T, P, x, par, aij, d1, d2, 0, phi)
    Zy, Ay, By = cubic_ln_phi(T, P, y, par, aij, d1, d2, 0, phi)
    mass_x = 0.0
    mass_y = 0.0
    for i in range(n):
        mass_x += x[i] * par[i, MW]
        mass_y += y[i] * par[i, MW]
    if mass_y / Zy > mass_x / Zx:  # the lighter phase is y by definition
        for i in range(n):
            x[i], y[i] = y[i], x[i]
            ln_k[i] = -ln_k[i]
        beta = 1.0 - beta
        Zx, Zy, Ax, Ay, Bx, By = Zy, Zx, Ay, Ax, By, Bx
    # The lighter of two phases leaves as vapour unless it is as dense as a liquid well below its
    # critical point (2.6 b: saturated liquid at about 0.97 of the critical temperature).
    name_y = VAPOUR
    if phase_name(Ay, By, Zy, kind) == LIQUID and Zy / By < 2.6:
        name_y = LIQUID
    return beta, LIQUID, name_y, third


@njit(**_options)
def split_from_trial(T, P, z, d, w, ln_k, par, aij, d1, d2, x, y):
    """Start a split from an unstable trial composition w against the rest."""
    n = z.size
    phi = np.empty(n)
    cubic_ln_phi(T, P, w, par, aij, d1, d2, 0, phi)
    for i in range(n):
        ln_k[i] = d[i] - math.log(z[i]) - phi[i]
    beta = two_phase(T, P, z, ln_k, par, aij, d1, d2, x, y)
    if beta > 0.0:
        return beta
    # The trial may be far from the final phase: feed a little of it and let the split grow.
    share = 0.5
    for i in range(n):
        share = min(share, 0.9 * z[i] / w[i])
    for i in range(n):
        rest = (z[i] - share * w[i]) / (1.0 - share)
        ln_k[i] = math.log(w[i]) - math.log(max(rest, 1e-300))
    return two_phase(T, P, z, ln_k, par, aij, d1, d2, x, y)


@njit(**_options)
def lowest_split(T, P, z, beta, ln_k, par, aij, d1, d2, x, y):
    """Test a converged split for stability; restart from what lies below it, keep the lowest."""
    n = z.size
    phi, d, w = np.empty(n), np.empty(n), np.empty(n)
    x2, y2, k2 = np.empty(n), np.empty(n), np.empty(n)
    third = 0
    for _ in range(3):
        ref = x if beta < 0.5 else y
        other = y if beta < 0.5 else x
        Zr, Ar, Br = cubic_ln_phi(T, P, ref, par, aij, d1, d2, 0, phi)
        for i in range(n):
            d[i] = math.log(ref[i]) + phi[i]
        # Two dense phases: a vapour may be missing.
        dense = Zr < 0.35
        if dense:
            Zo, _, _ = cubic_ln_phi(T, P, other, par, aij, d1, d2, 0, phi)
            dense = Zo < 0.35
        if not find_instability(T, P, d, ref, par, aij, d1, d2, dense, w):
            return beta, 0
        third = 1
        best = gibbs_of_split(beta, x, y, T, P, par, aij, d1, d2)
        improved = False
        for against in (0, 1):
            partner = x if against == 0 else y
            for i in range(n):
                k2[i] = math.log(w[i]) - math.log(partner[i])
            b2 = two_phase(T, P, z, k2, par, aij, d1, d2, x2, y2)
            if 0.0 < b2 < 1.0:
                g2 = gibbs_of_split(b2, x2, y2, T, P, par, aij, d1, d2)
                if g2 < best - 1e-12:
                    best = g2
                    beta = b2
                    improved = True
                    for i in range(n):
                        x[i] = x2[i]
                        y[i] = y2[i]
                        ln_k[i] = k2[i]
        if not improved:
            return beta, third
    return beta, third


@njit(**_options)
def ideal_flash(T, P, z, par, ln_k, x, y):
    """PT flash by Raoult's law, K = Psat/P; same results as `cubic_flash`."""
    n = z.size
    for i in range(n):
        ln_k[i] = ln_psat(T, par, i)[0] - math.log(P)
    if n == 1:
        beta = 2.0 if ln_k[0] > 0.0 else -1.0
    else:
        K = np.empty(n)
        k_values(ln_k, K)
        beta = rachford_rice(z, K, -1.0)
        if 0.0 < beta < 1.0:
            split(z, K, beta, x, y)
    if 0.0 < beta < 1.0:
        return beta, LIQUID, VAPOUR, 0
    for i in range(n):
        x[i] = z[i]
        y[i] = z[i]
    if beta >= 1.0:
        return 1.0, VAPOUR, VAPOUR, 0
    return 0.0, LIQUID, LIQUID, 0


@njit(**_options)
def phase_properties(kind, T, P, x, name, par, kij):
    """Molar enthalpy [J/mol], entropy [J/(mol K)] and volume [m3/mol] of one phase."""
    n = x.size
    h_ig, s_ig = np.empty(n), np.empty(n)
    ideal_gas(T, par, h_ig, s_ig)
    h = 0.0
    s = 0.0
    for i in range(n):
        if x[i] > 0.0:
            h += x[i] * h_ig[i]
            s += x[i] * (s_ig[i] - R * math.log(x[i]))
    if kind == IDEAL:
        if name == VAPOUR:
            return h, s - R * math.log(P / P0), R * T / P
        v = 0.0
        for i in range(n):
            ln_p, slope = ln_psat(T, par, i)
            h -= x[i] * R * T * T * slope
            s -= x[i] * R * (ln_p - math.log(P0) + T * slope)
            v += x[i] * rackett_volume(T, par, i)
        return h, s, v
    d1, d2 = cubic_constants(kind)
    q, dq, aij = np.empty(n), np.empty(n), np.empty((n, n))
    attraction(T, par, kij, q, dq, aij)
    a = 0.0
    da = 0.0
    b = 0.0
    for i in range(n):
        b += x[i] * par[i, B_]
        for j in range(n):
            a += x[i] * x[j] * aij[i, j]
            da += x[i] * x[j] * (1.0 - kij[i, j]) * (dq[i] * q[j] + q[i] * dq[j])
    rt = R * T
    A, B = a * P / (rt * rt), b * P / rt
    # The flash chose the stable root: choosing by Gibbs energy again gives the same one.
    Z = compressibility(A, B, d1, d2, 0)
    log_term = math.log((Z + d1 * B) / (Z + d2 * B)) / (b * (d1 - d2))
    h += rt * (Z - 1.0) + (T * da - a) * log_term
    s += R * math.log(Z - B) + da * log_term - R * math.log(P / P0)
    return h, s, Z * rt / P


@njit(**_options)
def flash(kind, T, P, z, par, kij, ln_k, warm):
    """PT flash with properties. Returns (beta, name_x, name_y, third, x, y, props).

    props: h, s, v of the whole, then h, s, v of the x phase, then of the y phase (molar).
    """
    n = z.size
    x, y = np.empty(n), np.empty(n)
    if kind == IDEAL:
        beta, name_x, name_y, third = ideal_flash(T, P, z, par, ln_k, x, y)
    else:
        beta, name_x, name_y, third = cubic_flash(kind, T, P, z, par, kij, ln_k, warm, x, y)
    props = np.empty(9)
    if beta < 1.0:
        props[3], props[4], props[5] = phase_properties(kind, T, P, x, name_x, par, kij)
    if beta > 0.0:
        props[6], props[7], props[8] = phase_properties(kind, T, P, y, name_y, par, kij)
    for k in range(3):
        if beta <= 0.0:
            props[6 + k] = props[3 + k]
        elif beta >= 1.0:
            props[3 + k] = props[6 + k]
        props[k] = (1.0 - beta) * props[3 + k] + beta * props[6 + k]
    return beta, name_x, name_y, third, x, y, props


@njit(**_options)
def property_at(kind, T, P, z, par, kij, ln_k, warm, column):
    """Molar enthalpy, entropy or vapour fraction of the flashed mixture."""
    beta, name_x, name_y, third, x, y, props = flash(kind, T, P, z, par, kij, ln_k, warm)
    if column == 3:  # vapour share, the liquid side counted as zero
        return beta if name_y == VAPOUR else 0.0
    return props[column]


@njit(**_options)
def temperature_slope(T, z, par, column):
    """How enthalpy (column 0) or entropy (1) of the ideal gas rises with temperature."""
    cp = 0.0
    for i in range(z.size):
        cp += z[i] * ideal_gas_cp(T, par, i)
    return cp / T if column == 1 else cp


@njit(**_options)
def temperature_in_phase(kind, P, target, column, z, par, kij, T, f, name, tolerance):
    """Secant steps in one phase of that name from T, where its error is f: the temperature at the target, 0 if they go astray."""
    slope = temperature_slope(T, z, par, column)
    for _ in range(16):
        step = -f / slope
        T_next = T + step
        if abs(step) > 0.3 * T or T_next <= T_LOW or T_next >= T_HIGH:
            return 0.0
        f_next = phase_properties(kind, T_next, P, z, name, par, kij)[column] - target
        if abs(f_next) <= 1e-4 * tolerance:
            return T_next
        if abs(f_next) > 0.5 * abs(f) or (f_next - f) * step <= 0.0:
            return T_next if abs(f_next) <= tolerance else 0.0
        slope = (f_next - f) / step
        T, f = T_next, f_next
    return 0.0


@njit(**_options)
def near_temperature(kind, P, target, column, z, par, kij, T, f, tolerance):
    """Secant steps from a start whose error is f, as long as each halves it: (found, T). Most starts are near."""
    ln_k = np.empty(z.size)
    h = 1e-5 * T if f < 0.0 else -1e-5 * T  # what boils takes many times the heat of one phase
    slope = (property_at(kind, T + h, P, z, par, kij, ln_k, False, column) - target - f) / h
    if slope <= 0.0:
        return False, T
    for _ in range(12):
        step = -f / slope
        if abs(step) > 0.3 * T:
            return False, T
        T_next = T + step
        if T_next <= T_LOW or T_next >= T_HIGH or T_next == T:
            return False, T
        f_next = property_at(kind, T_next, P, z, par, kij, ln_k, False, column) - target
        if abs(f_next) <= 1e-4 * tolerance:
            return True, T_next  # the loops around it take their differences from what is left here
        if abs(f_next) > 0.5 * abs(f) or (f_next - f) * step <= 0.0:
            return abs(f_next) <= tolerance, T_next
        slope = (f_next - f) / step
        T, f = T_next, f_next
    return False, T


@njit(**_options)
def solve_temperature(kind, P, target, column, z, par, kij, T, f, tolerance):
    """Temperature at which a property of the flashed mixture reaches target, at constant P, from T where its error is f.

    column: 0 enthalpy, 1 entropy, 3 vapour fraction. All of them rise with temperature.
    Returns (outcome, T below, T above): equal when the property is continuous there; where
    it jumps (a pure species boiling) the two sides of the jump, a few nanokelvin apart.
    """
    n = z.size
    ln_k = np.empty(n)
    if column != 3:
        found, T_near = near_temperature(kind, P, target, column, z, par, kij, T, f, tolerance)
        if found:
            return FOUND, T_near, T_near
    low, f_low, high, f_high = T, f, T, f
    step = 0.02 * T
    for _ in range(80):
        if f_low < 0.0 and f_high >= 0.0 and low < high:
            break
        if f >= 0.0:
            if low <= T_LOW:
                return BELOW_RANGE, low, low
            high, f_high = low, f_low
            low = max(T_LOW, low - step)
            value = property_at(kind, low, P, z, par, kij, ln_k, False, column)
            f_low = value - target
            f = f_low
        else:
            if high >= T_HIGH:
                return ABOVE_RANGE, high, high
            low, f_low = high, f_high
            high = min(T_HIGH, high + step)
            value = property_at(kind, high, P, z, par, kij, ln_k, False, column)
            f_high = value - target
            f = f_high
        step *= 2.0
    if not (f_low <= 0.0 <= f_high):
        return NOT_FOUND, low, high
    g_low, g_high = f_low, f_high  # Illinois-scaled ends
    side = 0
    for it in range(200):
        if high - low <= 4e-14 * high:
            break
        T = high - g_high * (high - low) / (g_high - g_low) if g_high != g_low else 0.5 * (low + high)
        if it % 3 == 2 and it > 8 or not (low < T < high):
            T = 0.5 * (low + high)
        if low >= T or high <= T:
            break
        value = property_at(kind, T, P, z, par, kij, ln_k, False, column)
        f = value - target
        if abs(f) <= tolerance and (column != 3 or target > 0.0 and target < 1.0):
            return FOUND, T, T
        if f < 0.0:
            low, g_low, f_low = T, f, f
            if side == -1:
                g_high *= 0.5
            side = -1
        else:
            high, g_high, f_high = T, f, f
            if side == 1:
                g_low *= 0.5
            side = 1
    return FOUND, low, high


@njit(**_options)
def present_part(n, par, kij):
    """(positions of what is present, its fractions, parameters and k_ij) of amounts n with zeros among them."""
    count, total = 0, 0.0
    for i in range(n.size):
        if n[i] > 0.0:
            count += 1
            total += n[i]
    at, z = np.empty(count, np.int64), np.empty(count)
    if count == n.size:
        for i in range(count):
            at[i] = i
            z[i] = n[i] / total
        return at, z, par, kij
    k = 0
    for i in range(n.size):
        if n[i] > 0.0:
            at[k] = i
            z[k] = n[i] / total
            k += 1
    par_c, kij_c = np.empty((count, par.shape[1])), np.empty((count, count))
    for a in range(count):
        for c in range(par.shape[1]):
            par_c[a, c] = par[at[a], c]
        for b in range(count):
            kij_c[a, b] = kij[at[a], at[b]]
    return at, z, par_c, kij_c


@njit(**_options)
def spread(x, at, size):
    """Values of what is present on all species, zero elsewhere."""
    if x.size == size:
        return x
    out = np.zeros(size)
    for k in range(x.size):
        out[at[k]] = x[k]
    return out


@njit(**_options)
def flash_amounts(kind, T, P, n, par, kij):
    """`flash` of amounts n of any scale, zeros allowed; compositions on all species."""
    at, z, par_c, kij_c = present_part(n, par, kij)
    beta, name_x, name_y, third, x, y, props = flash(kind, T, P, z, par_c, kij_c, np.empty(z.size), False)
    return beta, name_x, name_y, third, spread(x, at, n.size), spread(y, at, n.size), props


@njit(**_options)
def flash_amounts_to(kind, P, target, column, n, par, kij, T_start, tolerance):
    """The temperature at which a property (column as in `solve_temperature`) reaches target, of amounts n, and the flash there.

    From a start in one phase the search goes on inside that phase, and one flash judges where it ends.
    Returns (outcome, T below, T above, flash at T above).
    """
    at, z, par_c, kij_c = present_part(n, par, kij)
    T = min(max(T_start, T_LOW), T_HIGH)
    beta, name_x, name_y, third, x, y, props = flash(kind, T, P, z, par_c, kij_c, np.empty(z.size), False)
    f = props[column] - target if column != 3 else (beta if name_y == VAPOUR else 0.0) - target
    outcome, low, high = FOUND, T, T
    found = column != 3 and abs(f) <= 1e-4 * tolerance
    if column != 3 and not found and (beta <= 0.0 or beta >= 1.0):
        T_next = temperature_in_phase(kind, P, target, column, z, par_c, kij_c, T, f, name_x, tolerance)
        if T_next > 0.0:
            beta, name_x, name_y, third, x, y, props = flash(kind, T_next, P, z, par_c, kij_c, np.empty(z.size), False)
            found, low, high = abs(props[column] - target) <= tolerance, T_next, T_next
    if not found:
        outcome, low, high = solve_temperature(kind, P, target, column, z, par_c, kij_c, T, f, tolerance)
        beta, name_x, name_y, third, x, y, props = flash(kind, high, P, z, par_c, kij_c, np.empty(z.size), False)
    return outcome, low, high, beta, name_x, name_y, third, spread(x, at, n.size), spread(y, at, n.size), props


@njit(**_options)
def enthalpies(kind, T, P, n, par, kij):
    """Molar enthalpy [J/mol] of amounts n flashed at several temperatures T [K], shape (m,)."""
    at, z, par_c, kij_c = present_part(n, par, kij)
    out = np.empty(T.size)
    for k in range(T.size):
        out[k] = flash(kind, T[k], P, z, par_c, kij_c, np.empty(z.size), False)[6][0]
    return out


@njit(**_options)
def ln_phi_phase(kind, T, P, x, name, par, kij):
    """ln fugacity coefficients of one phase of composition x (zeros allowed)."""
    n = x.size
    out = np.zeros(n)
    if kind == IDEAL:
        if name == LIQUID:
            for i in range(n):
                out[i] = ln_psat(T, par, i)[0] - math.log(P)
        return out
    d1, d2 = cubic_constants(kind)
    q, dq, aij = np.empty(n), np.empty(n), np.empty((n, n))
    attraction(T, par, kij, q, dq, aij)
    cubic_ln_phi(T, P, x, par, aij, d1, d2, name, out)
    return out


@njit(**_options)
def eliminate(M, right):
    """Solve M x = right by Gauss elimination with row exchange; a vanishing pivot gives a zero. Both are changed."""
    n = right.size
    for c in range(n):
        at = c
        for r in range(c + 1, n):
            if abs(M[r, c]) > abs(M[at, c]):
                at = r
        if at != c:
            for k in range(n):
                M[c, k], M[at, k] = M[at, k], M[c, k]
            right[c], right[at] = right[at], right[c]
        if abs(M[c, c]) < 1e-14:
            M[c, c] = 1e300
        for r in range(c + 1, n):
            factor = M[r, c] / M[c, c]
            if factor != 0.0:
                for k in range(c, n):
                    M[r, k] -= factor * M[c, k]
                right[r] -= factor * right[c]
    for c in range(n - 1, -1, -1):
        for k in range(c + 1, n):
            right[c] -= M[c, k] * right[k]
        right[c] /= M[c, c]
    return right


@njit(**_options)
def newton_extents(n0, nu, move, target, still, x):
    """Newton's method on nu @ ln(n/N) = target with n = n0 + x @ move above zero and N = sum(n) + still.

    nu, move: shape (m, k); with move = nu this minimises a convex Gibbs energy. x: start inside, shape (m,).
    The amounts are carried along beside the extents, so that a trace keeps its figures where n0 + x @ move rounds.
    Returns (outcome, x, n, largest error in ln K).
    """
    m, k = nu.shape
    same = True
    for r in range(m):
        for i in range(k):
            if nu[r, i] != move[r, i]:
                same = False
    order, order_move = nu.sum(axis=1), move.sum(axis=1)
    g, H = np.empty(m), np.empty((m, m))
    n, trial = np.empty(k), np.empty(k)
    worst = np.inf
    dn = np.empty(k)
    for i in range(k):
        n[i] = n0[i]
        for r in range(m):
            n[i] += x[r] * move[r, i]
        n[i] = max(n[i], 1e-300)
    for _ in range(MAX_NEWTON):
        total = still
        for i in range(k):
            total += n[i]
        worst = 0.0
        norm = 0.0
        for r in range(m):
            g[r] = -target[r]
            for i in range(k):
                if nu[r, i] != 0.0:
                    g[r] += nu[r, i] * math.log(n[i] / total)
            worst = max(worst, abs(g[r]))
            norm += g[r] * g[r]
        for r in range(m):
            for q in range(m):
                H[r, q] = -order[r] * order_move[q] / total
                for i in range(k):
                    H[r, q] += nu[r, i] * move[q, i] / n[i]
        scale = np.empty(m)
        for r in range(m):
            scale[r] = math.sqrt(abs(H[r, r])) if H[r, r] != 0.0 else 1.0
        for r in range(m):
            for q in range(m):
                H[r, q] /= scale[r] * scale[q]
        step = eliminate(H, -g / scale) / scale
        length = 1.0
        largest = 0.0
        for i in range(k):
            dn[i] = 0.0
            for r in range(m):
                dn[i] += step[r] * move[r, i]
            if dn[i] < 0.0:
                length = min(length, -0.95 * n[i] / dn[i])
        decrease = 0.0
        for r in range(m):
            decrease += g[r] * step[r]
        for _ in range(60):
            low = np.inf
            total_trial = still
            for i in range(k):
                trial[i] = n[i] + length * dn[i]
                low = min(low, trial[i])
                total_trial += trial[i]
            if low > 0.0:
                along = 0.0
                norm_trial = 0.0
                for r in range(m):
                    gr = -target[r]
                    for i in range(k):
                        if nu[r, i] != 0.0:
                            gr += nu[r, i] * math.log(trial[i] / total_trial)
                    along += gr * step[r]
                    norm_trial += gr * gr
                if same:
                    if along <= 1e-3 * abs(decrease):
                        break
                elif norm_trial < norm:
                    break
            length *= 0.5
        relative = 0.0
        for i in range(k):
            relative = max(relative, abs(length * dn[i]) / n[i])
            largest = max(largest, abs(length * dn[i]))
            n[i] = max(n[i] + length * dn[i], 1e-300)
        for r in range(m):
            x[r] += length * step[r]
        if worst < 1e-11 or relative < 1e-14:
            return FOUND, x, n, worst
        if largest < 1e-16 * total and worst < 1e-8 or largest < 1e-30 * total:
            return FOUND, x, n, worst  # complete to rounding: a constant this large or small leaves nothing to resolve
    if worst < 1e-8:
        return FOUND, x, n, worst
    return NOT_FOUND, x, n, worst


@njit(**_options)
def newton_elements(A, b, g, still, ln_n, a_solid, g_solid, with_solid, n_solid):
    """Element-potential iteration on ln n.

    A: atoms, shape (E, k), independent rows; b: shape (E,); g: standard potentials over RT with the fugacity
    terms, shape (k,); still: amount of gas that takes no part. a_solid, g_solid: the same for one pure condensed
    species, present when with_solid, of amount n_solid (may come out negative: it then does not form).
    Returns (outcome, ln n, potentials, n_solid, element error).
    """
    E, k = A.shape
    size = E + 1 + (1 if with_solid else 0)
    potentials = np.zeros(E)
    closure, moved = np.inf, np.inf
    n = np.empty(k)
    mu, d = np.empty(k), np.empty(k)
    M, right, scale = np.zeros((size, size)), np.zeros(size), np.empty(size)
    for _ in range(MAX_NEWTON):
        total = 0.0
        for i in range(k):
            n[i] = math.exp(ln_n[i])
            total += n[i]
        ln_total = math.log(total + still)
        M[:, :] = 0.0
        right[:] = 0.0
        for i in range(k):
            mu[i] = g[i] + ln_n[i] - ln_total
            for e in range(E):
                mu[i] -= potentials[e] * A[e, i]
        for e in range(E):
            An = 0.0
            for i in range(k):
                An += A[e, i] * n[i]
                right[e] += A[e, i] * n[i] * mu[i]
            for f in range(E):
                for i in range(k):
                    M[e, f] += A[e, i] * n[i] * A[f, i]
            M[e, E] = An
            M[E, e] = An
            right[e] += b[e] - An
            if with_solid:
                M[e, E + 1] = a_solid[e]
                M[E + 1, e] = a_solid[e]
                right[e] -= a_solid[e] * n_solid
                right[E + 1] -= a_solid[e] * potentials[e]
        M[E, E] = -still
        for i in range(k):
            right[E] += n[i] * mu[i]
        if with_solid:
            right[E + 1] += g_solid
        for e in range(E):
            scale[e] = math.sqrt(max(M[e, e], 1e-300))
        scale[E] = math.sqrt(total + still)
        if with_solid:
            scale[E + 1] = 1.0 / math.sqrt(total + still)
        for r in range(size):
            right[r] /= scale[r]
            for c in range(size):
                M[r, c] /= scale[r] * scale[c]
        solved = eliminate(M, right) / scale
        d_total = solved[E]
        largest, length = 5.0 * abs(d_total), 1.0
        ln_gas = math.log(total)
        for i in range(k):
            d[i] = d_total - mu[i]
            for e in range(E):
                d[i] += solved[e] * A[e, i]
            # steps of the large species are limited to e^2, small ones may not grow past 1e-4 of the whole at once
            if ln_n[i] - ln_gas > -18.42:
                largest = max(largest, abs(d[i]))
            elif d[i] > 0.0:
                length = min(length, (ln_gas - ln_n[i] - 9.2103404) / max(d[i], 1e-300))
        if largest > 2.0:
            length = min(length, 2.0 / largest)
        floor = ln_gas - TRACE
        moved, traces = 0.0, 0.0
        for i in range(k):
            moved = max(moved, n[i] * abs(d[i]) / total)
            ln_n[i] = max(ln_n[i] + length * d[i], floor)
            if ln_n[i] > floor + 3.0:
                traces = max(traces, abs(d[i]))
        for e in range(E):
            potentials[e] += solved[e]
        if with_solid:
            moved = max(moved, abs(solved[E + 1]) / total)
            n_solid += length * solved[E + 1]
        closure = 0.0
        for e in range(E):
            have = a_solid[e] * n_solid if with_solid else 0.0
            for i in range(k):
                have += A[e, i] * math.exp(ln_n[i])
            closure = max(closure, abs(have - b[e]) / b[e])
        if length == 1.0 and moved < 1e-13 and closure < 1e-11 and traces < 1e-9:
            return FOUND, ln_n, potentials, n_solid, closure
    # Elements in the exact ratio of one species leave a direction without curvature: the caller puts the rest right.
    return NOT_FOUND, ln_n, potentials, n_solid, moved


@njit(**_options)
def extents_in_phase(kind, T, P, start, nu, move, at, target, x, phase, par, kij, max_outer):
    """Equilibrium of reactions in one phase with constants for f/P0, fugacities updated round Newton's method.

    start: amounts at x = 0, shape (n,); nu, move: shape (m, n); at: positions of the species that move; target: ln K.
    Returns (outcome, x, n, ln_phi, passes, error): outcome NOT_FOUND with passes = max_outer when the fugacities
    do not come to rest.
    """
    m, n_all, k = nu.shape[0], start.size, at.size
    ln_p = math.log(P / P0)
    ln_phi = np.zeros(n_all)
    nu_t, move_t, start_t = np.empty((m, k)), np.empty((m, k)), np.empty(k)
    still, size = start.sum(), np.abs(start).sum()
    for c in range(k):
        start_t[c] = start[at[c]]
        still -= start[at[c]]
        for r in range(m):
            nu_t[r, c] = nu[r, at[c]]
            move_t[r, c] = move[r, at[c]]
    still = max(still, 0.0)
    n = start.copy()
    effective = np.empty(m)
    error = 0.0
    for outer in range(1, max_outer + 1):
        for r in range(m):
            effective[r] = target[r]
            for i in range(n_all):
                effective[r] -= nu[r, i] * (ln_phi[i] + ln_p)
        outcome, x, traced, error = newton_extents(start_t, nu_t, move_t, effective, still, x)
        if outcome != FOUND:
            return NOT_FOUND, x, n, ln_phi, outer, error
        for c in range(k):
            value = start_t[c]
            for r in range(m):
                value += x[r] * move_t[r, c]
            n[at[c]] = value if value > 1e-8 * size else traced[c]
        latest = ln_phi_phase(kind, T, P, n / n.sum(), phase, par, kij)
        change = 0.0
        for i in range(n_all):
            change = max(change, abs(latest[i] - ln_phi[i]))
        ln_phi = latest
        if change < 1e-11:
            return FOUND, x, n, ln_phi, outer, error
    return NOT_FOUND, x, n, ln_phi, max_outer, error


@njit(**_options)
def ln_quotients(n, nu, ln_phi, ln_p):
    """ln of the products of f/P0 of each reaction, shape (m,); ln_p: ln P/P0. Infinite where a species is used up."""
    total = n.sum()
    out = np.zeros(nu.shape[0])
    for i in range(n.size):
        ln_a = (math.log(n[i] / total) if n[i] > 0.0 else -np.inf) + ln_phi[i] + ln_p
        for r in range(nu.shape[0]):
            if nu[r, i] != 0.0:
                out[r] += nu[r, i] * ln_a
    return out


# Reaction rates. A set of rate laws is packed by `chemistry.rates.pack` into `Rates`, a tuple of arrays:
# ways (m, 8) whole numbers, numbers (m, 14), nu, forward and reverse orders (m, n), adsorption (m, A, 5): species, ln K0,
# energy/R, power of T, exponent;# table of K (m, 2, K), programs (m, L, 2).
W_LAW, W_BASIS, W_REVERSE, W_SOURCE, W_QUOTIENT, W_ADSORPTION, W_TABLE, W_PROGRAM = range(8)
POWER, FORMULA = 0, 1
CONCENTRATION, PARTIAL_PRESSURE, FUGACITY, MOLE_FRACTION, LIQUID_ACTIVITY = range(5)
IRREVERSIBLE, OWN_REVERSE, FROM_EQUILIBRIUM = 0, 1, 2
FROM_GIBBS, FROM_COEFFICIENTS, FROM_TABLE = 0, 1, 2
N_LN_K, N_POWER, N_E, N_LN_KR, N_POWER_R, N_E_R, N_A, N_B, N_C, N_D, N_SCALE, N_EXPONENT, N_LN_SCALE = range(13)
# Instructions of a formula.
(PUSH, PUSH_T, PUSH_P, PUSH_C, PUSH_PP, PUSH_X, ADD, SUBTRACT, MULTIPLY, DIVIDE, RAISE, NEGATE, EXP, LN, SQRT, LOWEST,
 HIGHEST) = range(17)  # fmt: skip
VANISHING = 1e-9  # mole fraction below which a reactant of an order under one slows its reaction down


@njit(**_options)
def run_program(program, length, T, P, v, x):
    """Value of a formula: a stack of numbers; SI throughout."""
    stack = np.empty(40)
    top = -1
    for k in range(length):
        op = int(program[k, 0])
        arg = program[k, 1]
        if op <= PUSH_X:
            top += 1
            if op == PUSH:
                stack[top] = arg
            elif op == PUSH_T:
                stack[top] = T
            elif op == PUSH_P:
                stack[top] = P
            elif op == PUSH_C:
                stack[top] = x[int(arg)] / v
            elif op == PUSH_PP:
                stack[top] = x[int(arg)] * P
            else:
                stack[top] = x[int(arg)]
        elif op >= NEGATE and op <= SQRT:
            value = stack[top]
            if op == NEGATE:
                value = -value
            elif op == EXP:
                value = math.exp(min(value, 700.0))
            elif op == LN:
                value = math.log(max(value, 1e-300))
            else:
                value = math.sqrt(max(value, 0.0))
            stack[top] = value
        else:
            b = stack[top]
            top -= 1
            a = stack[top]
            if op == ADD:
                a = a + b
            elif op == SUBTRACT:
                a = a - b
            elif op == MULTIPLY:
                a = a * b
            elif op == DIVIDE:
                a = a / b if b != 0.0 else 0.0
            elif op == RAISE:
                a = max(a, 0.0) ** b if b != math.floor(b) else a**b
            elif op == LOWEST:
                a = min(a, b)
            else:
                a = max(a, b)
            stack[top] = a
    return stack[0]


@njit(**_options)
def ln_quantities(basis, T, P, v, ln_phi, ln_pure, scale, i):
    """What ln q_i holds besides ln x_i."""
    if basis == CONCENTRATION:
        return -math.log(v * scale)
    if basis == PARTIAL_PRESSURE:
        return math.log(P / scale)
    if basis == FUGACITY:
        return ln_phi[i] + math.log(P / scale)
    if basis == LIQUID_ACTIVITY:
        return ln_phi[i] - ln_pure[i]
    return 0.0


@njit(**_options)
def reaction_rates(kind, T, P, x, v, phase, par, kij, laws):
    """Rates of all reactions of a pack at mole fractions x and molar volume v [m3/mol] of one phase.

    Returns mol/s per m3 of fluid, m3 of bed or kg of catalyst, as each law counts; shape (m,).
    """
    ways, numbers, nu, forward, reverse, adsorption, table, programs = laws
    m, n = nu.shape
    out = np.zeros(m)
    need_phi, need_pure, need_gibbs = False, False, False
    for r in range(m):
        if ways[r, W_BASIS] == FUGACITY:
            need_phi = True
        if ways[r, W_REVERSE] == FROM_EQUILIBRIUM:
            if ways[r, W_QUOTIENT] == FUGACITY or ways[r, W_QUOTIENT] == LIQUID_ACTIVITY:
                need_phi = True
            if ways[r, W_QUOTIENT] == LIQUID_ACTIVITY:
                need_pure = True
            if ways[r, W_SOURCE] == FROM_GIBBS:
                need_gibbs = True
    ln_phi, ln_pure = np.zeros(n), np.zeros(n)
    if need_phi:
        ln_phi = ln_phi_phase(kind, T, P, x, phase, par, kij)
    if need_pure:
        one = np.ones(1)
        for i in range(n):
            ln_pure[i] = ln_phi_phase(kind, T, P, one, LIQUID, par[i : i + 1], kij[i : i + 1, i : i + 1])[0]
    h, s = np.empty(n), np.empty(n)
    if need_gibbs:
        ideal_gas(T, par, h, s)
    ln_t = math.log(T)
    for r in range(m):
        if ways[r, W_LAW] == FORMULA:
            rate = run_program(programs[r], ways[r, W_PROGRAM], T, P, v, x)
            for i in range(n):
                if nu[r, i] < 0.0 and rate > 0.0:
                    rate *= x[i] / (x[i] + VANISHING)
            out[r] = rate
            continue
        basis = ways[r, W_BASIS]
        ln_forward = numbers[r, N_LN_K] + numbers[r, N_POWER] * ln_t - numbers[r, N_E] / T
        ahead, back = True, ways[r, W_REVERSE] != IRREVERSIBLE
        ln_reverse = 0.0
        if ways[r, W_REVERSE] == OWN_REVERSE:
            ln_reverse = numbers[r, N_LN_KR] + numbers[r, N_POWER_R] * ln_t - numbers[r, N_E_R] / T
        elif back:
            ln_k = 0.0
            if ways[r, W_SOURCE] == FROM_GIBBS:
                for i in range(n):
                    if nu[r, i] != 0.0:
                        ln_k -= nu[r, i] * (h[i] - T * s[i]) / (R * T)
            elif ways[r, W_SOURCE] == FROM_COEFFICIENTS:
                ln_k = numbers[r, N_A] + numbers[r, N_B] / T + numbers[r, N_C] * ln_t + numbers[r, N_D] * T
            else:
                count = ways[r, W_TABLE]
                k = 1
                while k < count - 1 and table[r, 0, k] < T:
                    k += 1
                if count == 1:
                    ln_k = table[r, 1, 0]
                else:
                    w = (1.0 / T - 1.0 / table[r, 0, k - 1]) / (1.0 / table[r, 0, k] - 1.0 / table[r, 0, k - 1])
                    ln_k = (1.0 - w) * table[r, 1, k - 1] + w * table[r, 1, k]
            ln_reverse = ln_forward - ln_k
        stop = 1.0
        for i in range(n):
            order, order_back = forward[r, i], reverse[r, i]
            through = nu[r, i] if ways[r, W_REVERSE] == FROM_EQUILIBRIUM else 0.0
            if order == 0.0 and order_back == 0.0 and through == 0.0 and nu[r, i] == 0.0:
                continue
            ln_x = math.log(x[i]) if x[i] > 1e-300 else -690.0
            ln_q = ln_quantities(basis, T, P, v, ln_phi, ln_pure, 1.0, i)
            if order != 0.0:
                if x[i] <= 1e-300 and order > 0.0:
                    ahead = False
                ln_forward += order * (ln_x + ln_q)
            if ways[r, W_REVERSE] == OWN_REVERSE and order_back != 0.0:
                if x[i] <= 1e-300 and order_back > 0.0:
                    back = False
                ln_reverse += order_back * (ln_x + ln_q)
            elif ways[r, W_REVERSE] == FROM_EQUILIBRIUM:
                total = order + through
                if total > 0.0 and x[i] <= 1e-300:
                    back = False
                if total != 0.0:
                    ln_reverse += total * ln_x
                ln_reverse += order * ln_q
                if through != 0.0:
                    ln_reverse += through * ln_quantities(
                        ways[r, W_QUOTIENT], T, P, v, ln_phi, ln_pure, numbers[r, N_SCALE], i
                    )
            if nu[r, i] < 0.0 and order < 1.0:
                stop *= x[i] / (x[i] + VANISHING)
        rate = stop * math.exp(min(ln_forward, 690.0)) if ahead else 0.0
        if back:
            rate -= math.exp(min(ln_reverse, 690.0))
        if ways[r, W_ADSORPTION] > 0:
            covered = 1.0
            for k in range(ways[r, W_ADSORPTION]):
                i = int(adsorption[r, k, 0])
                if x[i] > 0.0:
                    ln_q = math.log(x[i]) + ln_quantities(basis, T, P, v, ln_phi, ln_pure, 1.0, i)
                    covered += math.exp(
                        min(
                            adsorption[r, k, 1]
                            + adsorption[r, k, 3] * math.log(T)
                            - adsorption[r, k, 2] / T
                            + adsorption[r, k, 4] * ln_q,
                            600.0,
                        )
                    )
            rate /= covered ** numbers[r, N_EXPONENT]
        out[r] = rate
    return out


@njit(**_options)
def temperature_of(kind, h, P, x, phase, par, kij, guess):
    """Temperature [K] of one phase with molar enthalpy h [J/mol] by Newton's method; nan where none is found."""
    T = guess
    for _ in range(60):
        here = phase_properties(kind, T, P, x, phase, par, kij)[0]
        step = 1e-4 * T
        slope = (phase_properties(kind, T + step, P, x, phase, par, kij)[0] - here) / step
        if not slope > 0.0:
            return math.nan
        change = (h - here) / slope
        change = min(max(change, -0.3 * T), 0.3 * T)
        T = min(max(T + change, T_LOW), T_HIGH)
        if abs(change) < 1e-10 * T:
            return T
    return math.nan if abs(change) > 1e-6 * T else T


# Heat and pressure of a plug flow, and its numbers.
ISOTHERMAL, ADIABATIC, GIVEN_HEAT, COOLED, COCURRENT, COUNTERCURRENT = range(6)
LEVEL, LINEAR, ERGUN = 0, 1, 2
(F_T, F_HEAT, F_UA, F_TC, F_CAPACITY, F_DROP, F_AREA, F_VOID, F_DIAMETER, F_VISCOSITY, F_BULK, F_LIMIT, F_P_LOW) = (
    range(13)
)


@njit(**_options)
def plug_state(y, kind, phase, heat, fixed, par, kij, x, guess):
    """(T, P, total, molar volume) at a point of a plug flow, mole fractions into x; T is nan where none exists."""
    n = x.size
    total = 0.0
    for i in range(n):
        x[i] = max(y[i], 0.0)
        total += x[i]
    for i in range(n):
        x[i] /= total
    P = math.sqrt(max(y[n + 1], 1.0))
    T = fixed[F_T] if heat == ISOTHERMAL else temperature_of(kind, y[n] / total, P, x, phase, par, kij, guess[0])
    if not math.isfinite(T):
        return T, P, total, 1.0
    guess[0] = T
    return T, P, total, phase_properties(kind, T, P, x, phase, par, kij)[2]


@njit(**_options)
def plug_change(y, kind, phase, heat, pressure, fixed, par, kij, laws, per, mass, guess):
    """dy/dV of a plug flow. y: flows [mol/s], enthalpy flow [W], P^2 [Pa2], coolant temperature [K].

    per: 0 fluid volume, 1 bed volume, 2 catalyst mass, shape (m,). Where the pressure is gone or the temperature
    leaves its limit nothing changes any more; `guess[1]` then keeps 1 (pressure) or 2 (temperature).
    """
    nu = laws[2]
    m, n = nu.shape
    out = np.zeros(n + 3)
    x = np.empty(n)
    T, P, total, v = plug_state(y, kind, phase, heat, fixed, par, kij, x, guess)
    if y[n + 1] <= fixed[F_P_LOW] ** 2:
        guess[1] = 1.0
        return out
    if not math.isfinite(T) or fixed[F_LIMIT] < T:
        guess[1] = 2.0
        return out
    rates = reaction_rates(kind, T, P, x, v, phase, par, kij, laws)
    for r in range(m):
        factor = fixed[F_VOID] if per[r] == 0 else (1.0 if per[r] == 1 else fixed[F_BULK])
        for i in range(n):
            if nu[r, i] != 0.0:
                out[i] += nu[r, i] * rates[r] * factor
    if heat == GIVEN_HEAT:
        out[n] = fixed[F_HEAT]
    elif heat >= COOLED:
        flux = fixed[F_UA] * (y[n + 2] - T)
        out[n] = flux
        if heat == COCURRENT:
            out[n + 2] = -flux / fixed[F_CAPACITY]
        elif heat == COUNTERCURRENT:
            out[n + 2] = flux / fixed[F_CAPACITY]
    if pressure == LINEAR:
        out[n + 1] = -2.0 * P * fixed[F_DROP]
    elif pressure == ERGUN:
        area, e, d = fixed[F_AREA], fixed[F_VOID], fixed[F_DIAMETER]
        u = total * v / area
        w = 0.0
        for i in range(n):
            w += x[i] * mass[i]
        slope = (
            150.0 * fixed[F_VISCOSITY] * (1.0 - e) ** 2 / (e**3 * d * d) * u
            + 1.75 * (w / v) * (1.0 - e) / (e**3 * d) * u * u
        )
        out[n + 1] = -2.0 * P * slope / area
    return out


@njit(**_options)
def tank_residual(xi, T, P, n0, size, by_time, kind, phase, par, kij, laws, per, void, bulk, x, out):
    """xi - (rate times volume) of a stirred tank with outlet n0 + xi @ nu. Returns the volume [m3], negative where a flow is.

    size: volume [m3], or residence time [s] when by_time.
    """
    nu = laws[2]
    m, n = nu.shape
    total = 0.0
    for i in range(n):
        value = n0[i]
        for r in range(m):
            value += xi[r] * nu[r, i]
        if value < 0.0:
            return -1.0
        x[i] = value
        total += value
    for i in range(n):
        x[i] /= total
    v = phase_properties(kind, T, P, x, phase, par, kij)[2]
    volume = size * total * v if by_time else size
    rates = reaction_rates(kind, T, P, x, v, phase, par, kij, laws)
    for r in range(m):
        factor = void if per[r] == 0 else (1.0 if per[r] == 1 else bulk)
        out[r] = xi[r] - volume * factor * rates[r]
    return volume


@njit(**_options)
def tank(T, P, n0, size, by_time, kind, phase, par, kij, laws, per, void, bulk, xi):
    """Extents [mol/s] of a stirred tank at T and P: Newton's method, the volume raised in steps where it fails.

    xi: start, inside; shape (m,). Returns (outcome, xi, volume).
    """
    nu = laws[2]
    m, n = nu.shape
    x, out, shifted = np.empty(n), np.empty(m), np.empty(m)
    J = np.empty((m, m))
    flow = n0.sum()
    reached, trying = 0.0, 1.0
    best = xi.copy()
    for attempt in range(60):
        now = best.copy()
        good = False
        part = size * trying
        volume = tank_residual(now, T, P, n0, part, by_time, kind, phase, par, kij, laws, per, void, bulk, x, out)
        if volume < 0.0:
            now[:] = 0.0
            volume = tank_residual(now, T, P, n0, part, by_time, kind, phase, par, kij, laws, per, void, bulk, x, out)
        for _ in range(60):
            norm = 0.0
            for r in range(m):
                norm += out[r] * out[r]
            for c in range(m):
                step = 1e-7 * flow
                moved = now.copy()
                moved[c] += step
                test = tank_residual(
                    moved, T, P, n0, part, by_time, kind, phase, par, kij, laws, per, void, bulk, x, shifted
                )
                if test < 0.0:
                    step = -step
                    moved[c] = now[c] + step
                    test = tank_residual(
                        moved, T, P, n0, part, by_time, kind, phase, par, kij, laws, per, void, bulk, x, shifted
                    )
                    if test < 0.0:
                        step = 1e-3 * step
                        moved[c] = now[c] + step
                        test = tank_residual(
                            moved, T, P, n0, part, by_time, kind, phase, par, kij, laws, per, void, bulk, x, shifted
                        )
                for r in range(m):
                    J[r, c] = (shifted[r] - out[r]) / step if test >= 0.0 else (1.0 if r == c else 0.0)
            change = eliminate(J.copy(), -out.copy())
            length = 1.0
            for i in range(n):  # no flow may pass zero
                dn, have = 0.0, n0[i]
                for r in range(m):
                    dn += change[r] * nu[r, i]
                    have += now[r] * nu[r, i]
                if dn < 0.0:
                    length = min(length, 0.98 * have / -dn)
            moved_by = 0.0
            taken = False
            for _ in range(30):
                trial = now + length * change
                volume = tank_residual(
                    trial, T, P, n0, part, by_time, kind, phase, par, kij, laws, per, void, bulk, x, shifted
                )
                if volume >= 0.0:
                    norm_trial = 0.0
                    for r in range(m):
                        norm_trial += shifted[r] * shifted[r]
                    if norm_trial < norm or norm_trial < 1e-28 * flow * flow:
                        taken = True
                        break
                length *= 0.5
            if not taken:
                good = norm < 1e-18 * flow * flow
                break
            for r in range(m):
                moved_by = max(moved_by, abs(trial[r] - now[r]))
                now[r] = trial[r]
                out[r] = shifted[r]
            if moved_by < 1e-13 * flow:
                good = True
                for r in range(m):  # a large step cut short is no answer: it is stuck at a flow of zero
                    good = good and abs(change[r]) < 1e-8 * flow
                break
        else:  # rounding keeps the last digits moving
            good = norm < 1e-18 * flow * flow
        if good:
            best = now
            reached = trying
            if trying >= 1.0:
                return FOUND, best, volume
            trying = min(1.0, max(3.0 * trying, trying + 0.05))
        else:
            trying = 0.5 * (reached + trying) if reached > 0.0 else 0.1 * trying
            if trying - reached < 1e-9:
                break
    return NOT_FOUND, best, 0.0
