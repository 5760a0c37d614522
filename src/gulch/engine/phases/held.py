"""Non-volatile species beside the flash: they stay with the liquid.

What is dissolved in water counts in the mole fractions of the watery liquid, each formula unit as its particles: it lowers the fugacity of
everything there by one factor, moles of the rest over moles of all (Raoult's law, van 't Hoff's factor). What dissolves in nothing stays a
pure part of its own. The functions take the PhaseModel; amounts in mol or mol/s, of any scale.

Notation: T [K], P [Pa]; z, held: amounts [mol] or [mol/s], shape (n,); particles: dissolved ones [mol] or [mol/s].
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine import fluids as k
from gulch.engine.fluids.constants import ENTHALPY, ENTROPY, VAPOUR_SHARE
from gulch.engine.fluids.fluid import WATERY
from gulch.engine.phases.state import PhaseState, TemperatureNotFound, assembled, between, beyond, mixed, nowhere

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel

DRIEST = -1.4  # ln of the factor below which a salt is dry: three particles of it on one molecule of the rest


def parted(model: PhaseModel, z: np.ndarray) -> tuple:
    """(non-volatile, volatile) amounts."""
    return np.where(model.volatile, 0.0, z), np.where(model.volatile, z, 0.0)


def held_properties(model: PhaseModel, held: np.ndarray, T: float) -> np.ndarray:
    """Enthalpy [J], entropy [J/K] and volume [m3] of amounts of non-volatile species."""
    volumes = [s.molar_mass.value / s.liquid_density.value if s.liquid_density else 0.0 for s in model.species]
    return np.array([held @ model.ideal_gas_enthalpies(T), held @ model.ideal_gas_entropies(T), held @ np.array(volumes)])


def joined(model: PhaseModel, state: PhaseState | None, held: np.ndarray, moles: float, T: float, P: float) -> PhaseState:
    """A flashed volatile part (moles of it, or None) and the non-volatile amounts as one state; what is dissolved goes with the water."""
    h_moles = float(held.sum())
    if state is not None and h_moles <= 0.0:
        return state
    phases = []
    if state is not None:
        phases = [[name, moles * share, moles * share * z, moles * share * np.array(p)] for name, share, z, p in state.phases]
    if not phases or phases[-1][0] == "vapour":
        phases.append(["liquid", 0.0, np.zeros(model.n), np.zeros(3)])
    watery = max((p for p in phases if p[0] == "liquid"), key=lambda p: model.water_share(p[2]) if p[1] else 0.0)
    for phase, part in ((phases[-1], np.where(model.particles > 0.0, 0.0, held)), (watery, np.where(model.particles > 0.0, held, 0.0))):
        phase[2], phase[3] = phase[2] + part, phase[3] + held_properties(model, part, T)
        _mix(phase, float(part @ model.particles))
        phase[1] += float(part.sum())
    return assembled(T if state is None else state.temperature, P, phases, bool(state is not None and state.further_phase))


def _mix(liquid: list, particles: float) -> None:
    """Add the ideal entropy of mixing of dissolved particles to a liquid [name, moles without them, amounts, (h, s, v)]."""
    moles = liquid[1]
    if particles > 0.0 and moles > 0.0:
        all_moles = moles + particles
        liquid[3][1] -= k.R * (moles * np.log(moles / all_moles) + particles * np.log(particles / all_moles))


def flashed_with(model: PhaseModel, held: np.ndarray, volatile: np.ndarray, T: float, P: float) -> PhaseState:
    """The volatile part flashed at T and P beside what is held."""
    particles = float(held @ model.particles)
    if particles <= 0.0 or model.water is None or volatile[model.water] <= 0.0:
        return model.flashed(T, P, volatile)
    moles = float(volatile.sum())

    def watery(state: PhaseState) -> float:
        return moles * max((share for _, share, z, _ in state.liquids if model.water_share(z) > WATERY), default=0.0)

    def apart(ln_factor: float) -> float:
        liquid = watery(model.flashed(T, P, volatile, ln_factor))
        return float(np.log(liquid / (liquid + particles))) - ln_factor if liquid > 0.0 else DRIEST

    most = float(np.log(moles / (moles + particles)))
    if apart(most) >= 0.0:
        return model.flashed(T, P, volatile, most)
    least = most
    while apart(least) < 0.0:
        least -= 0.25
        if least < DRIEST:
            return model.flashed(T, P, volatile)  # next to no water: the salt is dry
    found = scipy.optimize.brentq(apart, least, most, xtol=1e-15, rtol=1e-14)
    state = model.flashed(T, P, volatile, found)
    if abs(apart(found)) < 1e-9:
        return state
    # water alone boils at one factor: as much of it is liquid as has that factor
    step = 1e-12
    wet, dry = (model.flashed(T, P, volatile, found + sign * step) for sign in (-1.0, 1.0))
    wanted = particles / float(np.expm1(-found))
    low, high = watery(dry), watery(wet)
    return mixed(dry, wet, min(max((wanted - low) / (high - low), 0.0), 1.0)) if high > low else state


def solve_diluted(model: PhaseModel, column: int, target: float, P: float, z: np.ndarray, guess: float, what: str) -> PhaseState:
    """PhaseState beside dissolved species in which a property (ENTHALPY, ENTROPY, VAPOUR_SHARE) reaches target.

    Raises TemperatureNotFound.
    """
    pick = {ENTHALPY: "enthalpy", ENTROPY: "entropy", VAPOUR_SHARE: "vapour_fraction"}[column]

    def apart(T: float) -> float:
        return getattr(model.at_temperature(T, P, z), pick) - target

    low = high = guess
    step = 5.0
    while apart(low) > 0.0:
        if low <= k.T_LOW:
            raise beyond(what, above=False)
        low, step = max(k.T_LOW, low - step), 2.0 * step
    step = 5.0
    while apart(high) < 0.0:
        if high >= k.T_HIGH:
            raise beyond(what, above=True)
        high, step = min(k.T_HIGH, high + step), 2.0 * step
    T = scipy.optimize.brentq(apart, low, high, xtol=1e-12, rtol=1e-15) if low < high else low
    below, above = (model.at_temperature(T * (1.0 + sign * 2e-14), P, z) for sign in (-1.0, 1.0))
    return between(below, above, column, target)


def solve_parted(
    model: PhaseModel, column: int, target: float, P: float, z: np.ndarray, guess: float, tolerance: float, what: str
) -> PhaseState:
    """`_solve` with non-volatile species: the temperature at which both parts together reach the target."""
    held, volatile = parted(model, z)
    whole, moles = float(z.sum()), float(volatile.sum())
    if model.water is not None and volatile[model.water] > 0.0 and held @ model.particles > 0.0:
        return solve_diluted(model, column, target, P, z, guess, what)
    if moles <= 0.0:
        if column == VAPOUR_SHARE:
            raise TemperatureNotFound("nothing in it can vaporise")

        def own(T: Any) -> Any:
            return held_properties(model, held, T)[column] / whole - target

        try:
            T = scipy.optimize.brentq(own, k.T_LOW, k.T_HIGH, xtol=1e-12, rtol=1e-14)
        except ValueError:
            raise nowhere(what) from None
        return joined(model, None, held, 0.0, T, P)
    if column == VAPOUR_SHARE:
        share = target * whole / moles
        if share > 1.0:
            raise TemperatureNotFound("more vapour is asked for than can vaporise")
        state = model.solve(VAPOUR_SHARE, min(max(share, 1e-9), 1.0 - 1e-9), P, volatile, guess, tolerance, what)
        return joined(model, state, held, moles, state.temperature, P)

    def volatile_state(T: Any) -> Any:
        own_target = (target * whole - held_properties(model, held, T)[column]) / moles
        return model.solve(column, own_target, P, volatile, T, tolerance, what)

    def gap(T: Any) -> Any:
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
        raise nowhere(what)
    T = scipy.optimize.brentq(gap, low, high, xtol=1e-11, rtol=1e-14) if low < high else low
    return joined(model, volatile_state(T), held, moles, T, P)
