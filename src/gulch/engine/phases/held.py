"""Non-volatile species beside the flash: they stay with the liquid as a pure part of its own.

The functions take the PhaseModel; amounts in mol or mol/s, of any scale.

Notation: T [K], P [Pa]; z, held: amounts [mol] or [mol/s], shape (n,).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.phases import kernels as k
from gulch.engine.phases.kernels.constants import VAPOUR_SHARE
from gulch.engine.phases.state import PhaseState, TemperatureNotFound, assembled

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel


def parted(model: PhaseModel, z: np.ndarray) -> tuple:
    """(non-volatile, volatile) amounts."""
    return np.where(model.volatile, 0.0, z), np.where(model.volatile, z, 0.0)


def held_properties(model: PhaseModel, held: np.ndarray, T: float) -> np.ndarray:
    """Enthalpy [J], entropy [J/K] and volume [m3] of amounts of non-volatile species."""
    volumes = [s.molar_mass.value / s.liquid_density.value if s.liquid_density else 0.0 for s in model.species]
    return np.array([held @ model.ideal_gas_enthalpies(T), held @ model.ideal_gas_entropies(T), held @ np.array(volumes)])


def joined(model: PhaseModel, state: PhaseState | None, held: np.ndarray, moles: float, T: float, P: float) -> PhaseState:
    """A flashed volatile part (moles of it, or None) and the non-volatile amounts as one state."""
    extra = held_properties(model, held, T)
    h_moles = float(held.sum())
    if state is not None and h_moles <= 0.0:
        return state
    phases = []
    if state is not None:
        phases = [[name, moles * share, moles * share * z, moles * share * np.array(p)] for name, share, z, p in state.phases]
    if not phases or phases[-1][0] == "vapour":
        phases.append(["liquid", 0.0, np.zeros(model.n), np.zeros(3)])
    heavy = phases[-1]
    heavy[1], heavy[2], heavy[3] = heavy[1] + h_moles, heavy[2] + held, heavy[3] + extra
    return assembled(T if state is None else state.temperature, P, phases, bool(state is not None and state.further_phase))


def solve_parted(
    model: PhaseModel, column: int, target: float, P: float, z: np.ndarray, guess: float, tolerance: float, what: str
) -> PhaseState:
    """`_solve` with non-volatile species: the temperature at which both parts together reach the target."""
    held, volatile = parted(model, z)
    whole, moles = float(z.sum()), float(volatile.sum())
    if moles <= 0.0:
        if column == VAPOUR_SHARE:
            raise TemperatureNotFound("nothing in it can vaporise")

        def own(T):
            return held_properties(model, held, T)[column] / whole - target

        try:
            T = scipy.optimize.brentq(own, k.T_LOW, k.T_HIGH, xtol=1e-12, rtol=1e-14)
        except ValueError:
            raise TemperatureNotFound(f"no temperature in range has this {what}") from None
        return joined(model, None, held, 0.0, T, P)
    if column == VAPOUR_SHARE:
        share = target * whole / moles
        if share > 1.0:
            raise TemperatureNotFound("more vapour is asked for than can vaporise")
        state = model.solve(VAPOUR_SHARE, min(max(share, 1e-9), 1.0 - 1e-9), P, volatile, guess, tolerance, what)
        return joined(model, state, held, moles, state.temperature, P)

    def volatile_state(T):
        own_target = (target * whole - held_properties(model, held, T)[column]) / moles
        return model.solve(column, own_target, P, volatile, T, tolerance, what)

    def gap(T):
        try:
            return volatile_state(T).temperature - T
        except TemperatureNotFound as error:  # hotter than any: the non-volatile part asks for too much
            return k.T_HIGH if error.above else -k.T_HIGH

    low = high = guess
    step = 50.0
    while gap(low) < 0.0 and low > k.T_LOW:
        low, step = max(k.T_LOW, low - step), 2.0 * step
    step = 50.0
    while gap(high) > 0.0 and high < k.T_HIGH:
        high, step = min(k.T_HIGH, high + step), 2.0 * step
    if gap(low) < 0.0 or gap(high) > 0.0:
        raise TemperatureNotFound(f"no temperature between {k.T_LOW:.0f} and {k.T_HIGH:.0f} K has this {what}")
    T = scipy.optimize.brentq(gap, low, high, xtol=1e-11, rtol=1e-14) if low < high else low
    return joined(model, volatile_state(T), held, moles, T, P)
