"""Chemical equilibrium: by extents of given reactions in a gas, a liquid or both, and by element potentials.

By extents: each constant may count fugacities, activities, partial pressures, mole fractions or concentrations;
all are written as ln(n/N) plus a term that hardly changes with composition, so that one Newton iteration on mole
fractions serves them, repeated until those terms stand. By elements: least Gibbs energy over all species.
Sources: Smith & Missen, Chemical Reaction Equilibrium Analysis (1982), ch. 4 and 6; Gordon & McBride,
NASA RP-1311 (1994) for the element-potential iteration and its damping.

Notation: T [K], P [Pa]; n, n0: amounts [mol/s], shape (n,); nu: shape (m, n); extents: shape (m,).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry.constants import Constant, ln_equilibrium_constants
from gulch.engine.chemistry.inside import EquilibriumTrouble, PhaseMissing, dependent_reaction, interior
from gulch.engine.chemistry.kernels import equilibrium as kernels
from gulch.engine.fluids import LIQUID, P0, VAPOUR, fugacity_slopes
from gulch.engine.settle import settle

if TYPE_CHECKING:
    from collections.abc import Callable

    from gulch.engine.phases.model import PhaseModel

MAX_OUTER = 80
DIRECT_OUTER = 25  # passes before acceleration takes over


@dataclass
class Equilibrium:
    """Amounts n [mol/s], shape (n_species,); extents [mol/s] and ln of the quotients reached, shape (m,), by
    reactions only; element potentials over RT, {element: value}, by minimisation only, and `solids`: amounts of pure
    solids that may stand beside the gas, {position: mol/s}; passes over the composition-dependent terms."""

    n: np.ndarray
    extents: np.ndarray = field(default_factory=lambda: np.zeros(0))
    ln_q: np.ndarray = field(default_factory=lambda: np.zeros(0))
    potentials: dict | None = None
    solids: dict[int, float] = field(default_factory=dict)
    passes: int = 0

    @property
    def solid(self) -> float:
        """Amount of all solids [mol/s]."""
        return sum(self.solids.values())


@dataclass(frozen=True)
class Held:
    """A reaction kept from equilibrium: at an extent [mol/s], or at a conversion of `key` (a position) counted on
    what of it is fed and what the other reactions leave of it or make."""

    extent: float | None = None
    conversion: float | None = None
    key: int | None = None


def ln_activities(n: np.ndarray, T: float, P: float, model: PhaseModel) -> np.ndarray:
    """ln(f_i/P0) of a gas of amounts n, shape (n,); -inf where nothing is present."""
    with np.errstate(divide="ignore"):
        return np.log(n / n.sum()) + model.ln_phi(T, P, n, VAPOUR) + np.log(P / P0)


def by_extents(
    n0: np.ndarray,
    nu: np.ndarray,
    ln_k: np.ndarray,
    T: float,
    P: float,
    model: PhaseModel,
    constants: list | None = None,
    mixture: str = "gas",
    held: list | None = None,
    near: np.ndarray | None = None,
    solids: np.ndarray | None = None,
) -> Equilibrium:
    """Equilibrium of independent reactions.

    n0: amounts before [mol/s], shape (n,); nu: shape (m, n); ln_k: in the basis of each constant, shape (m,);
    T [K], P [Pa]. constants: a Constant per reaction (f/P0 when left out); mixture: "gas", "liquid" (held as one
    phase, existing or not) or "split" (vapour and liquid as the flash finds them); held: a Held or None per
    reaction; near: extents of a state nearby, shape (m,), from which the search may begin; solids: which species are pure
    phases of their own, of activity 1 as long as any is left, shape (n,). Returns Equilibrium; raises EquilibriumTrouble, PhaseMissing.
    At the answer the quotient of every reaction that is not held and can run is K to 1e-9 in ln K, unless a
    species is used up to rounding (1e-16 of the whole).
    """
    m = len(nu)
    constants = constants or [Constant()] * m
    if solids is not None and (nu[:, solids] != 0.0).any():
        return _beside_solids(n0, nu, np.asarray(ln_k, float), T, P, model, constants, mixture, list(held or [None] * m), solids)
    way = _prepared(nu.tobytes(), nu.shape, tuple(held or [None] * m))
    base = way.fixed + way.per_amount @ n0
    ln_k = np.asarray(ln_k, float)
    in_one = mixture != "split" and model.all_volatile and all(c.counts_fugacity for c in constants)
    phase = VAPOUR if mixture == "gas" else LIQUID
    if near is not None and in_one and n0.min() >= 0.0:
        found = _from_near(n0, nu, way, base, near, ln_k, T, P, model, phase)
        if found is not None:
            return found
    search = _Search(n0, nu, way, base, ln_k)
    if in_one and len(search.rows):
        found = search.in_phase(T, P, model, phase)
        if found is not None:
            return found
    mine = [constants[r] for r in search.running]
    n, _, missing, passes = _settle_terms(search.amounts_at, mine, search.needed, T, P, model, mixture)
    if missing:
        raise PhaseMissing(missing)
    all_terms, _ = composition_terms(n, constants, T, P, model, mixture)
    with np.errstate(divide="ignore"):
        ln_z = np.log(n / n.sum())
    ln_q = np.array([float(r[r != 0.0] @ (ln_z + t)[r != 0.0]) for r, t in zip(nu, all_terms, strict=True)])
    return search.done(n, ln_q, passes)


FORMED = ("mole-fraction", "partial-pressure")  # bases whose quotients answer to amounts by formulas, beside those of fugacities


def moved(
    n: np.ndarray,
    nu: np.ndarray,
    ln_k_by_T: np.ndarray,
    T: float,
    P: float,
    model: PhaseModel,
    phase: int,
    constants: list,
    held: list,
    n0_moves: np.ndarray,
    P_moves: np.ndarray,
) -> tuple[np.ndarray, np.ndarray] | None:
    """How amounts n at equilibrium in one phase answer: (changes with n0 and P, shape (n, k), at constant T; changes per kelvin, (n,)).

    By the implicit function theorem on ln Q = ln K. n0_moves: shape (n, k); P_moves: (k,); ln_k_by_T: shape (m,) [1/K]. None where a
    species that moves is used up, nothing is free, or a constant counts neither fugacities nor one of FORMED.
    """
    way = _prepared(nu.tobytes(), nu.shape, tuple(held))
    free = [c for c, h in zip(constants, held, strict=True) if h is None]
    if not way.at.size or n[way.at].min() <= 1e-12 * n.sum() or n.min() < 0.0:
        return None
    if not all(c.counts_fugacity or c.basis in FORMED for c in free):
        return None
    slopes = _quotient_slopes(n, way.rows, free, T, P, model, phase)
    start = n0_moves + nu.T @ (way.per_amount @ n0_moves)
    right = np.column_stack([-slopes[:, :-2] @ start - np.outer(slopes[:, -1], P_moves), ln_k_by_T[way.free] - slopes[:, -2]])
    try:
        extents = np.linalg.solve(slopes[:, :-2] @ way.moves.T, right)
    except np.linalg.LinAlgError:
        return None
    change = way.moves.T @ extents
    return start + change[:, :-1], change[:, -1]


def _quotient_slopes(n: np.ndarray, rows: np.ndarray, constants: list, T: float, P: float, model: PhaseModel, phase: int) -> np.ndarray:
    """d ln Q of reactions, rows of shape (m, n), by amounts n, T and P: shape (m, n + 2)."""
    there, total = np.flatnonzero(n > 0.0), float(n.sum())
    where = np.ix_(there, np.concatenate([there, [n.size, n.size + 1]]))
    by_fugacity, by_fraction = np.zeros((n.size, n.size + 2)), np.zeros((n.size, n.size + 2))
    if any(c.counts_fugacity for c in constants):
        by_fugacity[where] = fugacity_slopes(T, P, n[there] / total, phase, *model.part(there))
        by_fugacity[:, :-2] /= total
    by_fraction[np.ix_(there, there)] = np.diag(1.0 / n[there]) - 1.0 / total
    out = np.array([row @ (by_fugacity if c.counts_fugacity else by_fraction) for row, c in zip(rows, constants, strict=True)])
    for r, c in enumerate(constants):
        if not c.counts_fugacity and c.basis == "partial-pressure":
            out[r, -1] += float(rows[r].sum()) / P
    return out


def _beside_solids(
    n0: np.ndarray, nu: np.ndarray, ln_k: np.ndarray, T: float, P: float, model: PhaseModel, constants: list, mixture: str, held: list,
    solids: np.ndarray,
) -> Equilibrium:  # fmt: skip
    """`by_extents` with pure solids: they count in no quotient, and a reaction that uses one up stops there.

    What a solid has gone to stays so where the reaction would still use it; else it is let free again.
    """
    free, fluid = list(held), ~solids
    for _ in range(2 * int(solids.sum()) + 2):
        way = _prepared(nu.tobytes(), nu.shape, tuple(free))
        search = _Search(n0, nu, way, way.fixed + way.per_amount @ n0, ln_k, fluid)
        mine = [constants[r] for r in search.running]
        n, _, missing, passes = _settle_terms(search.amounts_at, mine, search.needed, T, P, model, mixture, fluid)
        if missing:
            raise PhaseMissing(missing)
        all_terms, _ = composition_terms(np.where(fluid, n, 0.0), constants, T, P, model, mixture)
        with np.errstate(divide="ignore", invalid="ignore"):
            ln_z = np.log(n / n[fluid].sum())
            ln_q = np.array([float(r[fluid & (r != 0.0)] @ (ln_z + t)[fluid & (r != 0.0)]) for r, t in zip(nu, all_terms, strict=True)])
        gone = [i for i in np.flatnonzero(solids) if n[i] < -1e-12 * n0.sum()]
        stuck = next(((i, r) for i in gone for r in range(len(nu)) if free[r] is None and nu[r, i] != 0.0), None)
        back = next((r for r, h in enumerate(free) if h is not held[r] and (ln_k[r] - ln_q[r]) * nu[r, h.key] > 1e-9), None)
        if stuck is not None:
            free[stuck[1]] = Held(conversion=1.0, key=int(stuck[0]))
        elif back is not None:
            free[back] = held[back]
        else:
            return search.done(np.maximum(n, 0.0), ln_q, passes)
    raise EquilibriumTrouble("Which of the solids are used up was not found.")


class _Search:
    """Extents of the reactions that can run, searched from inside; held reactions follow, blocked ones stand still.

    fluid: which species count in the quotients, shape (n,): the others are pure solids.
    """

    def __init__(
        self, n0: np.ndarray, nu: np.ndarray, way: _Way, base: np.ndarray, ln_k: np.ndarray, fluid: np.ndarray | None = None
    ) -> None:
        self.nu, self.way, self.base = nu, way, base
        fluid = np.ones(n0.size, bool) if fluid is None else fluid
        start = n0 + base @ nu
        x_free, self.blocked = np.zeros(int(way.free.sum())), np.zeros(0, bool)
        if way.free.any():
            x_free, self.blocked = interior(start, way.moves)
            if self.blocked.all() and way.free.all():
                raise EquilibriumTrouble(
                    "No reaction of the set can run from this feed: each has a reactant and a product that are absent and cannot be made."
                )
        if start.min() < -1e-9 * n0.sum() and not way.free.any():
            raise EquilibriumTrouble("The held reactions use up more than there is.")
        self.start, self.size = start, float(n0.sum())
        self.running = np.flatnonzero(way.free)[~self.blocked]
        self.rows, self.move = np.where(fluid, nu[self.running], 0.0), way.moves[~self.blocked]
        self.needed = (self.rows != 0.0).astype(float)
        self.target = ln_k[self.running]
        self.x = x_free[~self.blocked]
        self.touched = (np.abs(self.move).sum(axis=0) > 0.0) & fluid
        self.still = float(start[~self.touched & fluid].sum())
        if len(self.rows) and self.still <= 0.0 and self.touched.sum() < 2 and not fluid.all():
            raise EquilibriumTrouble(
                "Beside solids only one gas is there: at one pressure they are at equilibrium with it at one temperature alone. "
                "Feed some other gas with it, or hold the reaction."
            )

    def done(self, n: np.ndarray, ln_q: np.ndarray, passes: int) -> Equilibrium:
        """Equilibrium with amounts n, at the extents that stand."""
        extents, way = self.base, self.way
        if way.free.any():
            mine = _spread(self.x, ~self.blocked)
            extents = self.base + way.link @ mine
            extents[way.free] = mine
        return Equilibrium(n, extents=extents, ln_q=ln_q, passes=passes)

    def in_phase(self, T: float, P: float, model: PhaseModel, phase: int) -> Equilibrium | None:
        """Equilibrium with constants for f/P0 in one phase, or None where the fugacities do not come to rest."""
        outcome, x, n, ln_phi, passes, _ = kernels.extents_in_phase(
            T,
            P,
            self.start,
            self.rows,
            self.move,
            np.flatnonzero(self.touched),
            self.target,
            self.x.copy(),
            phase,
            MAX_OUTER,
            *model.mix,
        )
        if outcome != kernels.FOUND:
            return None
        self.x = x
        return self.done(n, kernels.ln_quotients(n, self.nu, ln_phi, math.log(P / P0)), passes)

    def amounts_at(self, terms: np.ndarray) -> np.ndarray:
        """Amounts in equilibrium while the terms stay as they are, shape (m_running, n). Raises EquilibriumTrouble."""
        if not len(self.rows):
            return np.maximum(self.start, 0.0)
        touched = self.touched
        rows, move, start = (np.ascontiguousarray(a[..., touched]) for a in (self.rows, self.move, self.start))
        effective = self.target - (self.rows * terms).sum(axis=1)
        outcome, self.x, traced, error = kernels.free_extents(start, rows, move, effective, self.still, self.x.copy())
        if outcome != kernels.FOUND:
            raise EquilibriumTrouble(f"The equilibrium was not found in {kernels.MAX_NEWTON} steps (remaining error {error:.1e} in ln K).")
        n = self.start + self.x @ self.move
        n[touched] = np.where(n[touched] > 1e-8 * self.size, n[touched], traced)
        return n


def _spread(values: np.ndarray, where: np.ndarray) -> np.ndarray:
    out = np.zeros(where.size)
    out[where] = values
    return out


@dataclass(frozen=True)
class _Way:
    """What a set of reactions with some of them held always has in common.

    Extents of the held ones are fixed + per_amount @ n0 + link @ (extents of the free ones): shapes (m,), (m, n), (m, m_free).
    """

    free: np.ndarray
    fixed: np.ndarray
    per_amount: np.ndarray
    link: np.ndarray
    rows: np.ndarray  # nu of the free reactions, shape (m_free, n)
    moves: np.ndarray  # changes per free extent, held reactions following, shape (m_free, n)
    touched: np.ndarray
    at: np.ndarray  # positions of the species that move


@lru_cache(maxsize=256)
def _prepared(nu_bytes: bytes, shape: tuple, held: tuple) -> _Way:
    nu = np.frombuffer(nu_bytes).reshape(shape)
    m, n = shape
    free = np.array([h is None for h in held], bool)
    fixed, per_amount, link = np.zeros(m), np.zeros((m, n)), np.zeros((m, int(free.sum())))
    at = np.flatnonzero(~free)
    if at.size:
        M, right = np.eye(at.size), np.zeros(at.size)
        shares, coupling = np.zeros((at.size, n)), np.zeros((at.size, int(free.sum())))
        for k, r in enumerate(at):
            h = held[r]
            if h.extent is not None:
                right[k] = h.extent
                continue
            per = -nu[r, h.key]  # moles of key used per extent
            M[k] = [1.0 if q == r else -h.conversion * nu[q, h.key] / per for q in at]
            shares[k, h.key] = h.conversion / per
            coupling[k] = h.conversion * nu[free, h.key] / per
        fixed[at], per_amount[at], link[at] = (np.linalg.solve(M, v) for v in (right, shares, coupling))
    moves = nu[free] + link.T @ nu if free.any() else np.zeros((0, n))
    touched = np.abs(moves).sum(axis=0) > 0.0
    return _Way(free, fixed, per_amount, link, nu[free], moves, touched, np.flatnonzero(touched))


def _from_near(
    n0: np.ndarray,
    nu: np.ndarray,
    way: _Way,
    base: np.ndarray,
    near: np.ndarray,
    ln_k: np.ndarray,
    T: float,
    P: float,
    model: PhaseModel,
    phase: int,
) -> Equilibrium | None:
    """Equilibrium in one phase, searched from extents nearby; None where they are no start or it is not found so."""
    x, start = near[way.free], n0 + base @ nu
    if not way.at.size or (start + x @ way.moves)[way.at].min() <= 1e-9 * n0.sum():
        return None
    target = np.ascontiguousarray(ln_k[way.free], float)
    outcome, x, n, ln_phi, passes, _ = kernels.extents_in_phase(
        T, P, start, way.rows, way.moves, way.at, target, x, phase, MAX_OUTER, *model.mix
    )
    if outcome != kernels.FOUND:
        return None
    extents = base + way.link @ x
    extents[way.free] = x
    return Equilibrium(n, extents=extents, ln_q=kernels.ln_quotients(n, nu, ln_phi, math.log(P / P0)), passes=passes)


def composition_terms(n: np.ndarray, constants: list, T: float, P: float, model: PhaseModel, mixture: str) -> tuple:
    """What each constant's quotient holds besides ln(n/N): (terms of shape (m, n), name of a phase that is missing or "").

    ln q_i = ln(n_i/N) + term_i, with q as the constant counts it.
    """
    z = n / n.sum()
    out = np.zeros((len(constants), n.size))
    missing = ""
    cache = {}

    def phase(name: str) -> tuple:
        """(its amounts, ln x/z, exists); non-volatile species are part of a liquid only."""
        if name not in cache:
            amounts, exists = n, True
            if mixture == "split":
                state = model.at_temperature(T, P, n)
                exists = False
                for kind, _, x, _ in state.phases:
                    if kind == name and x[model.volatile].sum() > 0.0:
                        amounts, exists = x, True
                        break
            if name == "vapour" and not model.all_volatile:
                amounts = np.where(model.volatile, amounts, 0.0)
            if amounts is n:
                ln_share = np.zeros(n.size)
            else:
                with np.errstate(divide="ignore", invalid="ignore"):
                    ln_share = np.where(amounts > 0.0, np.log(amounts / amounts.sum() / z), 0.0)
            cache[name] = (amounts, ln_share, exists)
        return cache[name]

    ln_phi = {}  # by phase, and of pure liquids
    for r, c in enumerate(constants):
        name = c.phase
        if mixture in ("gas", "liquid"):
            name = "vapour" if mixture == "gas" else "liquid"
        elif c.source == "gibbs" and not phase(name)[2]:
            name = "liquid" if name == "vapour" else "vapour"  # fugacities are the same in whatever exists
        amounts, ln_share, exists = phase(name)
        code = VAPOUR if name == "vapour" else LIQUID
        if not exists:
            missing = name
        if c.basis == "activity" or c.source == "gibbs":
            if name not in ln_phi:
                ln_phi[name] = model.ln_phi(T, P, amounts, code)
            out[r] = ln_share + ln_phi[name] + np.log(P / P0)
            if name == "liquid" and c.source != "gibbs":
                if "pure" not in ln_phi:
                    ln_phi["pure"] = model.ln_phi_pure_liquid(T, P)
                out[r] -= ln_phi["pure"] + np.log(P / P0)
        elif c.basis == "partial-pressure":
            out[r] = ln_share + np.log(P / c.scale)
        elif c.basis == "concentration":
            out[r] = ln_share - np.log(model.phase_volume(T, P, amounts, code) * c.scale)
        else:
            out[r] = ln_share
    return out, missing


def _settle_terms(
    amounts_of: Callable,
    constants: list[Constant],
    needed: np.ndarray,
    T: float,
    P: float,
    model: PhaseModel,
    mixture: str,
    fluid: np.ndarray | None = None,
) -> tuple:
    """Repeat amounts_of(terms) until the composition-dependent terms stand: directly, then accelerated.

    fluid: as `_Search` takes it. Returns (amounts, terms, missing phase, passes).
    """

    def amounts_at(terms: np.ndarray) -> np.ndarray:
        found = amounts_of(terms)
        return found if fluid is None else np.where(fluid, found, 0.0)

    if mixture == "split":
        terms = np.zeros(needed.shape)
        start = amounts_at(terms)
        terms = composition_terms(start, constants, T, P, model, mixture)[0] * needed
    else:
        terms = np.zeros(needed.shape)
    missing, lacked, change, before = "", "", np.inf, np.inf
    for number in range(1, DIRECT_OUTER + 1):
        n = amounts_at(terms)
        latest, missing = composition_terms(n, constants, T, P, model, mixture)
        latest, lacked = latest * needed, missing or lacked
        before, change = change, float(np.max(np.abs(latest - terms), initial=0.0))
        terms = latest
        if change < 1e-11:
            return n if fluid is None else amounts_of(terms), terms, missing, number
        if number > 6 and change > 0.7 * before:
            break

    def one_pass(flat: np.ndarray) -> np.ndarray:
        nonlocal missing, lacked
        found, missing = composition_terms(amounts_at(flat.reshape(needed.shape)), constants, T, P, model, mixture)
        lacked = missing or lacked
        return (found * needed).ravel()

    result = settle(one_pass, terms.ravel(), scale=np.ones(terms.size), tol=1e-10, max_passes=MAX_OUTER)
    if not result.reason.settled:
        if lacked:  # where the phase exists the reactions do not come to rest, and where they do it is gone
            raise PhaseMissing(lacked)
        raise EquilibriumTrouble("The phases and the reactions did not settle together: the state is too near a phase boundary.")
    terms = result.tear.reshape(needed.shape)
    return amounts_of(terms), terms, missing, number + len(result.history)


__all__ = [
    "Equilibrium",
    "EquilibriumTrouble",
    "Held",
    "PhaseMissing",
    "by_extents",
    "composition_terms",
    "dependent_reaction",
    "interior",
    "ln_activities",
    "ln_equilibrium_constants",
]
