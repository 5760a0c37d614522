"""Chemical equilibrium of a gas: by extents of given reactions, and by element potentials.

Both minimise the Gibbs energy; the first over the extents of independent reactions (so that single
equilibrium constants may be shifted by an approach temperature), the second over all species that the
elements allow. Fugacity coefficients are updated round the inner Newton solve.
Sources: Smith & Missen, Chemical Reaction Equilibrium Analysis (1982), ch. 4 and 6; Gordon & McBride,
NASA RP-1311 (1994) for the element-potential iteration and its damping.
"""

from dataclasses import dataclass

import numpy as np
from scipy.optimize import linprog

from gulch.engine.phases import kernels
from gulch.engine.phases.kernels import P0, VAPOUR, R

MAX_NEWTON, MAX_OUTER = 300, 80
TRACE = 100.0  # amounts are followed down to e^-100 (about 1e-43) of what reacts


class EquilibriumTrouble(ValueError):
    """An equilibrium that cannot be computed; the message is a sentence for the user."""


@dataclass
class Equilibrium:
    """Amounts n [mol/s], shape (n_species,); extents [mol/s], shape (m,), by reactions only; element
    potentials over RT, {element: value}, by minimisation only; passes over the fugacity coefficients."""

    n: np.ndarray
    ln_phi: np.ndarray
    extents: np.ndarray | None = None
    potentials: dict | None = None
    passes: int = 0


def ln_equilibrium_constants(nu, T, model):
    """ln K of reactions from Gibbs energies, ideal gas at 1 bar. nu: shape (m, n); T [K]. Returns shape (m,)."""
    g = model.ideal_gas_enthalpies(T) - T * model.ideal_gas_entropies(T)
    return -(nu @ g) / (R * T)


def ln_activities(n, T, P, model):
    """ln(f_i/P0) of a gas of amounts n, shape (n,); -inf where nothing is present."""
    ln_phi = kernels.ln_phi_phase(model.code, T, P, n / n.sum(), VAPOUR, model.par, model.kij)
    with np.errstate(divide="ignore"):
        return np.log(n / n.sum()) + ln_phi + np.log(P / P0)


def dependent_reaction(nu):
    """Position of the first reaction that is a combination of those before it, or None."""
    for m in range(1, len(nu) + 1):
        if np.linalg.matrix_rank(nu[:m]) < m:
            return m - 1
    return None


def interior(n0, nu):
    """Extents that leave every species that can be present above zero.

    Returns (extents, blocked): blocked marks the reactions that cannot run because a species they need
    is absent and cannot be made.
    """
    blocked = np.zeros(len(nu), bool)
    while True:
        rows = nu[~blocked]
        if not len(rows):
            return np.zeros(len(nu)), blocked
        touched = np.flatnonzero(np.abs(rows).sum(axis=0) > 0.0)
        size = n0.sum()
        # maximise the smallest amount among the touched species
        A = np.hstack([-rows[:, touched].T, np.ones((touched.size, 1))])
        found = linprog(np.r_[np.zeros(len(rows)), -1.0], A_ub=A, b_ub=n0[touched] / size,
                        bounds=[(None, None)] * len(rows) + [(None, 1.0)], method="highs")  # fmt: skip
        if found.status == 0 and found.x[-1] > 1e-12:
            out = np.zeros(len(nu))
            out[~blocked] = found.x[:-1] * size
            return out, blocked
        # which species stay at zero whatever runs?
        stuck = []
        for i in touched[n0[touched] <= 1e-12 * size]:
            most = linprog(-rows[:, i], A_ub=-rows[:, touched].T, b_ub=n0[touched] / size,
                           bounds=[(None, None)] * len(rows), method="highs")  # fmt: skip
            if most.status == 0 and -most.fun <= 1e-12:
                stuck.append(i)
        newly = ~blocked & (np.abs(nu[:, stuck]).sum(axis=1) > 0.0 if stuck else np.ones(len(nu), bool))
        blocked |= newly


def _settle_fugacities(amounts_at, T, P, model):
    """Repeat amounts_at(ln_phi), which returns the gas's amounts, until the fugacity coefficients stand.

    Returns (amounts, ln_phi, passes); raises EquilibriumTrouble.
    """
    ln_phi = np.zeros(model.n)
    for number in range(1, MAX_OUTER + 1):
        n = amounts_at(ln_phi)
        latest = kernels.ln_phi_phase(model.code, T, P, n / n.sum(), VAPOUR, model.par, model.kij)
        change = float(np.max(np.abs(latest - ln_phi)))
        ln_phi = latest
        if change < 1e-11:
            return n, ln_phi, number
    raise EquilibriumTrouble("The fugacity coefficients did not settle: the state is too near a phase boundary.")


def by_extents(n0, nu, ln_k, T, P, model):
    """Equilibrium of independent reactions in a gas.

    n0: amounts before [mol/s], shape (n,); nu: shape (m, n); ln_k: for activities f/P0, shape (m,);
    T [K], P [Pa]. Returns Equilibrium; raises EquilibriumTrouble.
    At the answer nu @ ln a = ln_k to 1e-9 for every reaction that can run, unless a species is used up to
    rounding (1e-16 of the whole).
    """
    extents, blocked = interior(n0, nu)
    if blocked.all():
        raise EquilibriumTrouble(
            "No reaction of the set can run from this feed: each has a reactant and a product that are absent "
            "and cannot be made."
        )
    rows, target = nu[~blocked], np.asarray(ln_k, float)[~blocked]
    moving = np.abs(rows).sum(axis=0) > 0.0
    x = extents[~blocked]
    ln_p = np.log(P / P0)

    def at_fugacities(ln_phi):
        nonlocal x
        x = _newton_extents(n0, rows, moving, target, ln_p, ln_phi, x)
        return np.where(moving, np.maximum(n0 + x @ rows, 0.0), n0)

    n, ln_phi, outer = _settle_fugacities(at_fugacities, T, P, model)
    out = np.zeros(len(nu))
    out[~blocked] = x
    return Equilibrium(n, ln_phi, extents=out, passes=outer)


def _newton_extents(n0, rows, moving, target, ln_p, ln_phi, x):
    """Minimise the Gibbs energy over extents at fixed fugacity coefficients (convex); n stays above zero."""
    nu = rows[:, moving]
    base, still, phi = n0[moving], float(n0[~moving].sum()), ln_phi[moving]
    order = nu.sum(axis=1)

    def gradient(n, total):
        return nu @ (np.log(n / total) + phi + ln_p) - target

    for _ in range(MAX_NEWTON):
        n = base + x @ nu
        total = n.sum() + still
        g = gradient(n, total)
        H = (nu / n) @ nu.T - np.outer(order, order) / total
        try:
            step = -np.linalg.solve(H, g)
        except np.linalg.LinAlgError:
            step = -np.linalg.lstsq(H, g, rcond=None)[0]
        dn = step @ nu
        shrinking = dn < 0.0
        length = min(1.0, 0.95 * float(np.min(-n[shrinking] / dn[shrinking]))) if shrinking.any() else 1.0
        decrease = float(g @ step)
        for _ in range(60):
            trial = base + (x + length * step) @ nu
            if trial.min() > 0.0 and float(gradient(trial, trial.sum() + still) @ step) <= 1e-3 * abs(decrease):
                break
            length *= 0.5
        x = x + length * step
        if np.max(np.abs(g)) < 1e-11 or np.max(np.abs(length * dn) / n) < 1e-14:
            return x
        if np.max(np.abs(length * dn)) < 1e-16 * total:
            return x  # complete to rounding: a constant this large or small leaves nothing to resolve
    if np.max(np.abs(g)) < 1e-8:
        return x
    raise EquilibriumTrouble(
        f"The equilibrium was not found in {MAX_NEWTON} steps (remaining error {np.max(np.abs(g)):.1e} in ln K)."
    )


def by_elements(n0, inert, T, P, model, aside=None):
    """Least Gibbs energy of a gas over all species not marked inert that its elements allow.

    n0: amounts before [mol/s], shape (n,); inert: bool, shape (n,); aside: amounts that only dilute the gas,
    shape (n,), not part of the result. Returns Equilibrium, amounts down to
    1e-43 of what reacts; raises EquilibriumTrouble. Element balances close to 1e-12.
    """
    aside = np.zeros(n0.size) if aside is None else aside
    elements = sorted({e for s in model.species for e in s.atoms})
    atoms = np.array([[s.atoms.get(e, 0) for s in model.species] for e in elements], float)
    b = atoms[:, ~inert] @ n0[~inert]
    size = float(n0.sum())
    missing = b <= 1e-14 * size
    active = ~inert & ~(atoms[missing] > 0.0).any(axis=0)  # what holds a missing element stays as it is
    b = atoms[:, active] @ n0[active]
    if active.sum() == 0:
        raise EquilibriumTrouble("No species of this feed can react: all are inert, or their elements are missing.")
    independent = _independent_rows(atoms[:, active])
    A, target = atoms[np.ix_(independent, active)], b[independent]
    still = float(n0[~active].sum() + aside.sum())
    g0 = (model.ideal_gas_enthalpies(T) - T * model.ideal_gas_entropies(T))[active] / (R * T) + np.log(P / P0)
    ln_n = np.full(int(active.sum()), np.log(0.1 * n0[active].sum() / active.sum()))
    potentials = None

    def at_fugacities(ln_phi):
        nonlocal ln_n, potentials
        ln_n, potentials = _newton_elements(A, target, g0 + ln_phi[active], still, ln_n)
        n = n0 + aside
        n[active] = np.exp(ln_n) + aside[active]
        return n

    n, ln_phi, outer = _settle_fugacities(at_fugacities, T, P, model)
    n = n - aside
    n[active] = np.exp(ln_n)  # exact for traces, which the difference would round away
    named = {elements[k]: float(v) for k, v in zip(independent, potentials)}
    return Equilibrium(n, ln_phi, potentials=named, passes=outer)


def _independent_rows(A):
    """Positions of rows that are not combinations of earlier ones."""
    chosen = []
    for k in range(len(A)):
        if np.any(A[k]) and np.linalg.matrix_rank(A[[*chosen, k]]) > len(chosen):
            chosen.append(k)
    return np.array(chosen, int)


def _newton_elements(A, b, g, still, ln_n):
    """Element-potential iteration on ln n; still: amount of gas that takes no part. Returns ln n and the potentials."""
    E = len(A)
    potentials = np.zeros(E)
    closure = np.inf
    for _ in range(MAX_NEWTON):
        n = np.exp(ln_n)
        ln_total = np.log(n.sum() + still)
        mu = g + ln_n - ln_total - potentials @ A  # what is left of it: small near the answer, so little rounding
        An = A @ n
        M = np.zeros((E + 1, E + 1))
        M[:E, :E] = (A * n) @ A.T
        M[:E, E] = M[E, :E] = An
        M[E, E] = -still
        right = np.r_[b - An + A @ (n * mu), n @ mu]
        scale = np.sqrt(np.maximum(np.diag(M)[:E], 1e-300))
        scale = np.r_[scale, np.sqrt(n.sum() + still)]
        try:
            solved = np.linalg.solve(M / np.outer(scale, scale), right / scale) / scale
        except np.linalg.LinAlgError:
            solved = np.linalg.lstsq(M / np.outer(scale, scale), right / scale, rcond=1e-14)[0] / scale
        step, d_total = solved[:E], solved[E]
        d = d_total + step @ A - mu
        # steps of the large species are limited to e^2, small ones may not grow past 1e-4 of the whole at once
        major = ln_n - np.log(n.sum()) > -18.42
        largest = max(5.0 * abs(d_total), float(np.max(np.abs(d[major]), initial=0.0)))
        length = min(1.0, 2.0 / largest) if largest > 0.0 else 1.0
        growing = ~major & (d > 0.0)
        if growing.any():
            room = (-ln_n[growing] + np.log(n.sum()) - 9.2103404) / np.maximum(d[growing], 1e-300)
            length = min(length, float(np.min(room)))
        floor = np.log(n.sum()) - TRACE
        ln_n = np.maximum(ln_n + length * d, floor)
        potentials = potentials + step
        n = np.exp(ln_n)
        closure = np.max(np.abs(A @ n - b) / b)
        moved = float(np.max(n * np.abs(d))) / n.sum()
        traces = float(np.max(np.abs(d[ln_n > floor + 3.0]), initial=0.0))
        if length == 1.0 and moved < 1e-13 and closure < 1e-11 and traces < 1e-9:
            return ln_n, potentials
    # Elements in the exact ratio of one species leave a direction without curvature: what is missing in the
    # element balances is then put right on the large species.
    for _ in range(3):
        n = np.exp(ln_n)
        correction = np.linalg.lstsq((A * n) @ A.T, b - A @ n, rcond=1e-10)[0] @ A
        if not np.all(np.isfinite(correction)) or np.max(np.abs(correction[n > 1e-9 * n.sum()]), initial=0.0) > 1e-3:
            break
        ln_n = ln_n + np.log1p(np.clip(correction, -0.5, 1.0))
    closure = np.max(np.abs(A @ np.exp(ln_n) - b) / b)
    if closure < 1e-10 and moved < 1e-4:
        return ln_n, potentials
    raise EquilibriumTrouble(
        f"The least Gibbs energy was not found in {MAX_NEWTON} steps (element error {closure:.1e})."
    )
