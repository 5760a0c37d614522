"""Equilibrium by elements: the least Gibbs energy of what is there, and the reactions that describe a change."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry.equations import null_space
from gulch.engine.chemistry.equilibrium import MAX_OUTER, Equilibrium, EquilibriumTrouble
from gulch.engine.chemistry.kernels import equilibrium as kernels
from gulch.engine.phases.kernels import P0, VAPOUR, R

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel


def _apart(atoms: np.ndarray, gas: np.ndarray, solid: int) -> bool:
    """Whether the elements fix the amount of a solid, because it holds what no gas does."""
    gases = np.ascontiguousarray(atoms[:, gas])
    return len(_independent_rows(np.c_[gases, atoms[:, solid]])) > len(_independent_rows(gases))


def by_elements(
    n0: np.ndarray, inert: np.ndarray, T: float, P: float, model: PhaseModel, aside: np.ndarray | None = None, approach: float = 0.0
) -> Equilibrium:
    """Least Gibbs energy of a gas, and of one pure solid, over all species not marked inert that the elements allow.

    n0: amounts before [mol/s], shape (n,); inert: bool, shape (n,); aside: amounts that only dilute the gas,
    shape (n,), not part of the result; approach: the standard potentials are taken at T + approach [K]. The first
    non-volatile species that is not inert may form as a pure phase beside the gas; every other one stays as it is.
    Returns Equilibrium, amounts down to 1e-43 of what reacts; raises EquilibriumTrouble. Elements close to 1e-12.
    """
    aside = np.zeros(n0.size) if aside is None else aside
    elements, atoms = model.elements, model.atoms
    solids = np.flatnonzero(~model.volatile & ~inert)
    solid = int(solids[0]) if solids.size else None
    free = ~inert & model.volatile
    if solid is not None:
        free[solid] = True
    b = atoms[:, free] @ n0[free]
    missing = b <= 1e-14 * float(n0.sum())
    active = free & ~(atoms[missing] > 0.0).any(axis=0)  # what holds a missing element stays as it is
    if solid is not None and active[solid] and _apart(atoms, active & model.volatile, solid):
        active[solid] = False
    with_solid = solid is not None and bool(active[solid])
    b = atoms[:, active] @ n0[active]
    gas = active & model.volatile
    if gas.sum() == 0:
        raise EquilibriumTrouble("No species of this feed can react: all are inert, or their elements are missing.")
    independent = _independent_rows(atoms[:, gas])
    A, target = np.ascontiguousarray(atoms[np.ix_(independent, gas)]), b[independent]
    rest = ~active & model.volatile
    still = float(n0[rest].sum() + aside[model.volatile].sum())
    h, s = model.ideal_gas_properties(T + approach)
    g_all = (h - (T + approach) * s) / (R * (T + approach))
    g0 = g_all[gas] + np.log(P / P0)
    a_solid = np.ascontiguousarray(atoms[independent, solid]) if with_solid else np.zeros(len(independent))
    g_solid = float(g_all[solid]) if with_solid else 0.0
    ln_n = np.full(int(gas.sum()), np.log(0.1 * n0[active].sum() / gas.sum()))
    potentials, formed, forming = np.zeros(len(independent)), 0.0, False
    diluted = n0 + aside

    def at_fugacities(ln_phi: np.ndarray) -> np.ndarray:
        """Amounts of the gas, inert ones included."""
        nonlocal ln_n, potentials, formed, forming
        terms = g0 + ln_phi[gas]
        if not forming:
            try:
                ln_n, potentials, _ = _minimise(A, target, terms, still, ln_n, a_solid, g_solid, False, 0.0)
                forming = with_solid and float(a_solid @ potentials) > g_solid + 1e-12
            except EquilibriumTrouble:
                if not with_solid:
                    raise
                forming = True  # the gas alone cannot hold all of the elements
        if forming:
            ln_n, potentials, formed = _minimise(
                A, target, terms, still, ln_n, a_solid, g_solid, True, max(formed, 1e-6 * float(target.max()))
            )
            if formed <= 0.0:
                forming, formed = False, 0.0
                ln_n, potentials, _ = _minimise(A, target, terms, still, ln_n, a_solid, g_solid, False, 0.0)
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
    if with_solid:
        out[solid] = formed
    elif solid is not None:
        formed = float(n0[solid])
    named = {elements[k]: float(v) for k, v in zip(independent, potentials, strict=True)}
    return Equilibrium(out, potentials=named, solid=formed, passes=number)


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
    g_solid: float,
    with_solid: bool,
    n_solid: float,
) -> tuple:
    """kernels.newton_elements, with the rest of the element error put right where the minimum is degenerate."""
    outcome, ln_n, potentials, formed, moved = kernels.newton_elements(A, b, g, still, ln_n.copy(), a_solid, g_solid, with_solid, n_solid)
    if outcome == kernels.FOUND:
        return ln_n, potentials, formed
    have = a_solid * formed
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
