"""Equilibrium by elements: the least Gibbs energy of a gas and of pure solids, and the reactions that describe a change."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry.equations import null_space
from gulch.engine.chemistry.equilibrium import MAX_OUTER, Equilibrium, EquilibriumTrouble
from gulch.engine.chemistry.kernels import equilibrium as kernels
from gulch.engine.fluids import P0, VAPOUR, R
from gulch.engine.fluids.slopes import fugacity_slopes

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from gulch.engine.phases.model import PhaseModel

TRACES = 1e-25  # of all moles: what is less changes nothing that is looked at


def _solids(atoms: np.ndarray, gas: np.ndarray, candidates: list[int]) -> list[int]:
    """The candidates whose amounts the elements leave open: one that holds what no gas and no other solid does stays as it is."""
    left = list(candidates)
    for j in candidates:
        others = [*np.flatnonzero(gas), *(i for i in left if i != j)]
        if len(_independent_rows(np.ascontiguousarray(atoms[:, [*others, j]]))) > len(
            _independent_rows(np.ascontiguousarray(atoms[:, others]))
        ):
            left.remove(j)
    return left


class _Standing:
    """Which of the solids there are: those that the gas cannot do without, and those that form from it.

    A: atoms by independent element, shape (E, all solids); g: standard potentials over RT; amounts: as fed, all of shape (s,).
    """

    def __init__(self, A: np.ndarray, g: np.ndarray, amounts: np.ndarray, gasless: np.ndarray, target: np.ndarray) -> None:
        self.A, self.g, self.amounts, self.target = A, g, amounts.copy(), target
        self.there: list[int] = []
        for e in np.flatnonzero(gasless):  # of an element that no gas holds: the most plentiful, so that it has a potential
            holds = [j for j in range(g.size) if A[e, j] > 0.0]
            self.there.append(max(holds, key=lambda j: (amounts[j], -j)))
        self.there = list(dict.fromkeys(self.there))
        self.needed = gasless

    def settled(self, solve: Callable) -> tuple:
        """(ln n, potentials) of the gas beside the solids that stand; solve(columns, amounts) -> (ln n, potentials, amounts)."""
        tried, seen = 0, set()
        while tried < 6 * self.g.size + 6:
            tried += 1
            seen.add(tuple(sorted(self.there)))
            try:
                ln_n, potentials, formed = solve(self.there, np.maximum(self.amounts[self.there], 1e-6 * float(self.target.max())))
            except EquilibriumTrouble:
                other = next((s for s in self._others() if tuple(sorted(s)) not in seen), None)
                if other is None:
                    raise
                self.there = other
                continue
            if formed.size and formed.min() <= 0.0 and (less := self._without(formed)) is not None:
                self.there.remove(less)
                continue
            over = potentials @ self.A - self.g
            more = max((j for j in range(self.g.size) if j not in self.there), key=lambda j: float(over[j]), default=None)
            if more is not None and over[more] > 1e-12:
                self.there.append(more)
                continue
            self.amounts = np.zeros(self.g.size)
            self.amounts[self.there] = formed
            return ln_n, potentials
        raise EquilibriumTrouble("Which solids stand beside the gas was not found.")

    def _others(self) -> Iterator[list[int]]:
        """Sets of solids to try where no gas goes with those there: one less, for together they may ask for more than the pressure;
        one more, for the gas may not hold all of the elements."""
        for j in self.there:
            rest = [i for i in self.there if i != j]
            if self._holds(rest):
                yield rest
        for j in range(self.g.size):
            if j not in self.there:
                yield [*self.there, j]

    def _holds(self, rest: list[int]) -> bool:
        """Whether some solids hold every element that no gas does."""
        return not self.needed.any() or bool(rest and (self.A[self.needed][:, rest].sum(axis=1) > 0.0).all())

    def _without(self, formed: np.ndarray) -> int | None:
        """The solid that came out most below nothing; None where all such are the last to hold an element that no gas does."""
        for at in np.argsort(formed):
            j = self.there[int(at)]
            if formed[at] <= 0.0 and self._holds([i for i in self.there if i != j]):
                return j
        return None


def by_elements(
    n0: np.ndarray, inert: np.ndarray, T: float, P: float, model: PhaseModel, aside: np.ndarray | None = None, approach: float = 0.0
) -> Equilibrium:
    """Least Gibbs energy of a gas, and of pure solids, over all species not marked inert that the elements allow.

    n0: amounts before [mol/s], shape (n,); inert: bool, shape (n,); aside: amounts that only dilute the gas,
    shape (n,), not part of the result; approach: the standard potentials are taken at T + approach [K]. Non-volatile species that are
    not inert may stand as pure phases beside the gas; one of which the elements fix the amount stays as it is.
    Returns Equilibrium, amounts down to 1e-43 of what reacts; raises EquilibriumTrouble. Elements close to 1e-12.
    """
    aside = np.zeros(n0.size) if aside is None else aside
    elements, atoms = model.elements, model.atoms
    candidates = [int(i) for i in np.flatnonzero(~model.volatile & ~inert)]
    free = ~inert
    b = atoms[:, free] @ n0[free]
    missing = b <= 1e-14 * float(n0.sum())
    active = free & ~(atoms[missing] > 0.0).any(axis=0)  # what holds a missing element stays as it is
    gas = active & model.volatile
    solids = np.array(_solids(atoms, gas, [i for i in candidates if active[i]]), int)
    active = gas.copy()
    active[solids] = True
    b = atoms[:, active] @ n0[active]
    if gas.sum() == 0:
        raise EquilibriumTrouble("No species of this feed can react: all are inert, or their elements are missing.")
    independent = _independent_rows(np.ascontiguousarray(atoms[:, [*np.flatnonzero(gas), *solids]]))
    A, target = np.ascontiguousarray(atoms[np.ix_(independent, gas)]), b[independent]
    rest = ~active & model.volatile
    still = float(n0[rest].sum() + aside[model.volatile].sum())
    h, s = model.ideal_gas_properties(T + approach)
    g_all = (h - (T + approach) * s) / (R * (T + approach))
    g0 = g_all[gas] + np.log(P / P0)
    standing = _Standing(
        np.ascontiguousarray(atoms[np.ix_(independent, solids)]), g_all[solids], n0[solids], np.abs(A).sum(axis=1) == 0.0, target
    )
    ln_n = np.full(int(gas.sum()), np.log(0.1 * n0[active].sum() / gas.sum()))
    potentials = np.zeros(len(independent))
    diluted = n0 + aside

    def at_fugacities(ln_phi: np.ndarray) -> np.ndarray:
        """Amounts of the gas, inert ones included."""
        nonlocal ln_n, potentials
        terms, start = g0 + ln_phi[gas], ln_n

        def solve(there: list[int], amounts: np.ndarray) -> tuple:
            columns = np.ascontiguousarray(standing.A[:, there])
            return _minimise(A, target, terms, still, start, columns, standing.g[there], amounts)

        ln_n, potentials = standing.settled(solve)
        n = np.where(model.volatile, diluted, 0.0)
        n[gas] = np.exp(ln_n) + aside[gas]
        return n

    ln_phi = np.zeros(model.n)
    for number in range(1, MAX_OUTER + 1):  # noqa: B007  (read after the loop)
        n = at_fugacities(ln_phi)
        latest = model.ln_phi(T, P, n, VAPOUR)
        change = float(np.max(np.abs(latest - ln_phi)))
        ln_phi = latest
        if change < 1e-11:
            break
    else:
        raise EquilibriumTrouble("The fugacity coefficients did not settle: the state is too near a phase boundary.")
    out = n0.copy()
    out[gas] = np.exp(ln_n)
    out[solids] = standing.amounts
    formed = {i: float(out[i]) for i in candidates}
    named = {elements[k]: float(v) for k, v in zip(independent, potentials, strict=True)}
    return Equilibrium(out, potentials=named, solids=formed, passes=number)


def moved(
    n: np.ndarray, active: np.ndarray, T: float, P: float, approach: float, model: PhaseModel, n0_moves: np.ndarray, P_moves: np.ndarray
) -> tuple[np.ndarray, np.ndarray] | None:
    """How a gas of least Gibbs energy answers: (changes of n with n0 and P, shape (n, k), at constant T; changes per kelvin, (n,)).

    By the implicit function theorem on ln f = Σ potentials of its elements, in logarithms of amounts [mol/s]. n: what leaves; active: which
    of them react, shape (n,), all volatile; the others change as their n0 do. n0_moves: shape (n, k); P_moves: (k,). None where the
    equations have no one solution.
    """
    total = float(n.sum())
    there = np.flatnonzero(n > TRACES * total)
    at, still = there[active[there]], there[~active[there]]
    slopes = np.zeros((n.size, n.size + 2))
    slopes[np.ix_(there, np.r_[there, n.size, n.size + 1])] = fugacity_slopes(T, P, n[there] / total, VAPOUR, *model.part(there))
    slopes[:, :-2] /= total
    rows = _independent_rows(np.ascontiguousarray(model.atoms[:, at]))
    A, warmer = model.atoms[np.ix_(rows, at)], T + approach
    left = np.block([[slopes[np.ix_(at, at)] * n[at], -A.T], [A * n[at], np.zeros((len(rows), len(rows)))]])
    by_T = model.ideal_gas_properties(warmer)[0][at] / (R * warmer**2) - slopes[at, -2]
    of_n = -slopes[np.ix_(at, still)] @ n0_moves[still] - np.outer(slopes[at, -1], P_moves)
    elements = model.atoms[rows][:, active] @ n0_moves[active]
    right = np.block([[of_n, by_T[:, None]], [elements, np.zeros((len(rows), 1))]])
    try:
        found = np.linalg.solve(left, right)[: at.size] * n[at, None]
    except np.linalg.LinAlgError:
        return None
    out, per_kelvin = np.where(active[:, None], 0.0, n0_moves), np.zeros(n.size)
    out[at], per_kelvin[at] = found[:, :-1], found[:, -1]
    return (out, per_kelvin) if np.isfinite(found).all() else None


def _independent_rows(A: np.ndarray) -> np.ndarray:
    """Positions of rows that are not combinations of earlier ones."""
    return _independent(A.tobytes(), A.shape)


@lru_cache(maxsize=512)
def _independent(rows: bytes, shape: tuple) -> np.ndarray:
    A, chosen = np.frombuffer(rows).reshape(shape), []
    for k in range(len(A)):
        if np.any(A[k]) and np.linalg.matrix_rank(A[[*chosen, k]]) > len(chosen):
            chosen.append(k)
    return np.array(chosen, int)


def _minimise(
    A: np.ndarray,
    b: np.ndarray,
    g: np.ndarray,
    still: float,
    ln_n: np.ndarray,
    a_solid: np.ndarray,
    g_solid: np.ndarray,
    n_solid: np.ndarray,
) -> tuple:
    """kernels.newton_elements, with the rest of the element error put right where the minimum is degenerate."""
    outcome, ln_n, potentials, formed, moved = kernels.newton_elements(A, b, g, still, ln_n.copy(), a_solid, g_solid, n_solid.copy())
    if outcome == kernels.FOUND:
        return ln_n, potentials, formed
    have = a_solid @ formed
    for _ in range(3):
        n = np.exp(ln_n)
        correction = np.linalg.lstsq((A * n) @ A.T, b - A @ n - have, rcond=1e-10)[0] @ A
        if not np.all(np.isfinite(correction)) or np.max(np.abs(correction[n > 1e-9 * n.sum()]), initial=0.0) > 1e-3:
            break
        ln_n = ln_n + np.log1p(np.clip(correction, -0.5, 1.0))
    closure = np.max(np.abs(A @ np.exp(ln_n) + have - b) / b)
    if closure < 1e-10 and moved < 1e-4:
        return ln_n, potentials, formed
    raise EquilibriumTrouble(f"The least Gibbs energy was not found in {kernels.MAX_NEWTON} steps (element error {closure:.1e}).")


TRACES = 1e-25  # of all moles: what is less changes nothing that is looked at


@dataclass(frozen=True)
class NetReaction:
    """One of the independent reactions that describe a change: {position: coefficient} and its extent [mol/s]."""

    coefficients: dict = field(default_factory=dict)
    extent: float = 0.0


def describing_reactions(change: np.ndarray, amounts: np.ndarray, species: tuple) -> list:
    """Independent reactions, one for each species that is no component, whose extents make up a change.

    change: mol/s, shape (n,); amounts: after the change, shape (n,), the most plentiful become components;
    species: Species. Species that do not change are left out. Returns a list of NetReaction.
    Source: Smith & Missen (1982), ch. 2.
    """
    size = max(float(np.abs(change).max()), 1e-300)
    at = [i for i in np.argsort(-amounts, kind="stable") if abs(change[i]) > 1e-9 * size]
    elements = sorted({e for i in at for e in species[i].atoms})
    out = []
    for k, vector in _formations(tuple(tuple(species[i].atoms.get(e, 0) for e in elements) for i in at)):
        factor = -1.0 if vector[k] * change[at[k]] < 0.0 else 1.0
        coefficients = {int(at[c]): factor * v for c, v in vector.items()}
        out.append(NetReaction(coefficients, float(change[at[k]] / coefficients[int(at[k])])))
    return out


@lru_cache(maxsize=512)
def _formations(atoms: tuple) -> tuple:
    """(position, {position: coefficient}) of each species that is made from the components before it; atoms: rows of species."""
    components = [int(c) for c in _independent_rows(np.array(atoms, float))]
    out = []
    for k in (k for k in range(len(atoms)) if k not in components):
        chosen = [*components, k]
        (vector,) = null_space([[Fraction(atoms[i][e]) for i in chosen] for e in range(len(atoms[0]))], len(chosen))
        out.append((k, {i: float(v) for i, v in zip(chosen, vector, strict=True) if v != 0}))
    return tuple(out)
