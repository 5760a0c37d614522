"""A stirred tank's contents at any temperature, and every steady state of its heat balance.

Notation: T [K]; xi: extents [mol/s], shape (m,).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.chemistry.rates import rates
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.fluids import FOUND
from gulch.engine.phases import Stream
from gulch.engine.quantities import show
from gulch.engine.reactors.counted import counted_on
from gulch.engine.vessels.tank import BESIDE, balanced_between, heats_over, tank

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.reactors.kinetic import KineticReactor

POINTS = 90  # temperatures at which the heat balance is looked at, at least
STEP = 8.0  # and at most this far apart [K]
T_MOST, MARGIN = 4000.0, 1.15  # no steady state is looked for above [K]; over the adiabatic rise


class TankRun:
    """laws, per: packed rate laws; phase: code of the reacting phase; pressure [Pa]; key: position of the key reactant.

    kind: the unit kind, which knows what fills the tank.
    """

    def __init__(
        self,
        kind: type[KineticReactor],
        feed: Stream,
        given: Given,
        context: Context,
        laws: Rates,
        per: np.ndarray,
        phase: int,
        pressure: float,
        key: int,
    ) -> None:
        self.kind, self.feed, self.given, self.context, self.model = kind, feed, given, context, context.model
        self.laws, self.nu, self.per, self.phase, self.pressure, self.key = laws, laws.nu, per, phase, pressure, key
        self.counted = counted_on(given)
        self.share = self.counted[per]  # of a volume
        self.begin_anew()

    def begin_anew(self) -> None:
        """Forget the extents at which searches begin."""
        self.xi = np.zeros(len(self.nu))

    def shown(self, T: float) -> str:
        """A temperature [K] in the project's unit."""
        return show(T, "temperature", self.context.display)

    # Contents at a temperature

    def at(self, T: float) -> tuple:
        """(extents [mol/s], volume [m3]) at T [K]. Raises UnitTrouble."""
        given = self.given
        if given.size_by == "conversion":
            found = self.for_target(T)
        else:
            found = self.sized(T, *self._size)
        self.xi = found[0]
        return found

    @property
    def _size(self) -> tuple[float, bool]:
        """(volume [m3] or time of the bed [s], whether it is the time)."""
        by_time = self.given.size_by == "time"
        return self.given.time / self.given.void if by_time else self.given.volume, by_time

    def _contents(self, size: float, by_time: bool) -> tuple:
        """What the kernels are told of the contents, but for their temperature and the mixture."""
        told = self.counted, self.xi.copy()
        return self.pressure, self.feed.n, size, by_time, self.phase, self.laws, self.per, *told

    def sized(self, T: float, size: float, by_time: bool) -> tuple:
        """(extents, volume) at T [K] for a volume [m3], or for a time [s] of the bed. Raises UnitTrouble."""
        if self.given.phase == "both":
            return self.boiling(T, size, by_time)
        model = self.model
        outcome, xi, volume = tank(
            T,
            *self._contents(size, by_time),
            *model.mix,
        )
        if outcome != FOUND:
            raise UnitTrouble(
                f"No steady state was found at {self.shown(T)}.",
                "Check the rate laws; a rate that grows without bound has none.",
                "set",
            )
        return xi, volume

    def converted(self, xi: np.ndarray) -> float | None:
        """Conversion of the key reactant at extents xi; None where it is not fed."""
        fed = self.feed.n[self.key]
        return -float(xi @ self.nu[:, self.key]) / fed if fed > 0.0 else None

    def for_target(self, T: float) -> tuple:
        """(extents, volume) at which the key reactant reaches the target conversion. Raises UnitTrouble."""
        name, target = self.context.species[self.key], self.given.target
        if self.feed.n[self.key] <= 0.0:
            raise UnitTrouble(f"The target counts {name}, which is not fed.", "Feed it, or choose another key reactant.", "target")

        def miss(ln_volume: float) -> float:
            return self.converted(self.sized(T, math.exp(ln_volume), False)[0]) - target

        low, high = math.log(1e-6), math.log(1e5)
        if miss(high) < 0.0:
            raise UnitTrouble(
                f"At {self.shown(T)} even 100 000 m³ converts only {100 * (miss(high) + target):.4g} % of {name}.",
                "Lower the target, or change the temperature or the feed.",
                "target",
            )
        if miss(low) > 0.0:
            low = math.log(1e-12)
        return self.sized(T, math.exp(scipy.optimize.brentq(miss, low, high, xtol=1e-12)), False)

    def boiling(self, T: float, size: float, by_time: bool) -> tuple:
        """(extents, liquid volume) where vapour leaves at equilibrium with the reacting liquid. Raises UnitTrouble."""
        feed, nu, P = self.feed, self.nu, self.pressure
        volume = 0.0

        def residual(z: np.ndarray) -> np.ndarray:
            nonlocal volume
            n = np.maximum(feed.n + (z * feed.total) @ nu, 0.0)
            liquid = Stream.at_temperature(self.model, n, T, P).parted()["liquid"]
            if liquid.is_empty:
                volume = 0.0
                return z
            volume = size * liquid.volume_flow if by_time else size
            speeds = rates(self.laws, T, P, np.maximum(liquid.n, 0.0), "liquid", self.model)
            return z - volume * self.share * speeds / feed.total

        z = scipy.optimize.root(residual, self.xi / feed.total, method="hybr", tol=1e-12).x
        if np.max(np.abs(residual(z))) > 1e-8 or (feed.n + (z * feed.total) @ nu).min() < -1e-9 * feed.total:
            raise UnitTrouble(
                f"Reaction and boiling did not settle together at {self.shown(T)}.",
                "Try another temperature or volume.",
                "volume",
            )
        if volume <= 0.0:
            raise UnitTrouble(
                f"At {self.shown(T)} and {show(P, 'pressure', self.context.display)} no liquid is left, "
                "but the reaction runs in the liquid.",
                "Lower the temperature, raise the pressure, or choose vapour as the contents.",
                "phase",
            )
        return z * feed.total, volume

    # Heat balance

    def steady_states(self) -> tuple:
        """(all steady states [(T, stable)], coldest first; data of the heat diagram, None where the temperature is given).

        Raises UnitTrouble.
        """
        if self.given.mode in ("isothermal", "feed-temperature"):
            return [(self.given.temperature if self.given.mode == "isothermal" else self.feed.T, None)], None
        grid, made, removed = self._looked_at()
        f = made - removed
        found = []
        for a, b in sorted([*_changes_of_sign(grid, f), *self._between_points(grid, f)]):
            found.append(self._balanced(a, b))
        if not found:
            words = "more heat is made than removed up to" if f[-1] > 0.0 else "less heat is made than removed from"
            raise UnitTrouble(
                f"The heat balance has no steady state in the range: {words} {self.shown(grid[-1] if f[-1] > 0.0 else grid[0])}.",
                "Widen the range, or change the cooling.",
                "search_high" if f[-1] > 0.0 else "search_low",
            )
        return found, {"T": grid.tolist(), "made": made.tolist(), "removed": removed.tolist()}

    @property
    def _by_kernels(self) -> bool:
        """Whether kernels make the heat balance: of contents in one phase and of known size."""
        return self.given.size_by != "conversion" and self.given.phase != "both"

    def _balanced(self, low: float, high: float) -> tuple[float, bool]:
        """(temperature [K] of the steady state between two, whether it is stable). Raises UnitTrouble."""
        given = self.given
        if self._by_kernels:
            wall = (given.conductance, given.coolant) if given.mode == "jacket" else (0.0, 0.0)
            fed = self.feed.enthalpy_flow + (given.duty_given if given.mode == "duty" else 0.0)
            outcome, T, growth, xi = balanced_between(low, high, fed, *wall, *self._contents(*self._size), *self.model.mix)
            if outcome == FOUND and np.isfinite(growth):
                self.xi = xi
                return T, bool(growth < 0.0)
        T = scipy.optimize.brentq(self.excess, low, high, xtol=1e-9, rtol=1e-14)
        return T, self.excess(T + BESIDE) < self.excess(T - BESIDE)

    def enthalpy(self, n: np.ndarray, T: float) -> float:
        """Enthalpy flow [W] of amounts n [mol/s] as the tank holds them at T [K]."""
        if self.given.phase == "both":
            return Stream.at_temperature(self.model, n, T, self.pressure).enthalpy_flow
        return self.kind.phase_state(self.model, n, T, self.pressure, self.phase)[0]

    def sides(self, T: float) -> tuple:
        """(heat made, heat removed) [W] at T [K]: by reaction; by warming the feed to T and through the wall."""
        n = np.maximum(self.feed.n + self.at(T)[0] @ self.nu, 0.0)
        start = self.enthalpy(self.feed.n, T)
        return start - self.enthalpy(n, T), start - self.feed.enthalpy_flow - self.exchanged(T)

    def exchanged(self, T: float | np.ndarray) -> float | np.ndarray:
        """Heat put in [W] at T [K], through the wall or as given."""
        given = self.given
        if given.mode == "jacket":
            return given.conductance * (given.coolant - T)
        return given.duty_given if given.mode == "duty" else 0.0

    def excess(self, T: float) -> float:
        """Heat made less heat removed [W] at T [K]."""
        made, removed = self.sides(T)
        return made - removed

    def _looked_at(self) -> np.ndarray:
        """(temperatures, heat made, heat removed), shape (m,) each, where they can be computed. Raises UnitTrouble."""
        low, high = self.search_range()
        grid = np.linspace(low, high, max(POINTS, int((high - low) / STEP)))
        rows = self._sides_at_once(grid) if self._by_kernels else self._sides_in_turn(grid)
        if len(rows) < 3:
            raise UnitTrouble(
                "No steady state can be computed in the temperature range.",
                "Check the range and the rate laws.",
                "search_low",
            )
        return np.array(rows).T

    def _sides_in_turn(self, grid: np.ndarray) -> np.ndarray:
        rows = []
        for T in grid:
            try:
                rows.append((T, *self.sides(T)))
            except UnitTrouble:
                continue
        return np.array(rows)

    def _sides_at_once(self, grid: np.ndarray) -> np.ndarray:
        """As `_sides_in_turn`, by one kernel."""
        start, contents, self.xi = heats_over(grid, *self._contents(*self._size), *self.model.mix)
        removed = start - self.feed.enthalpy_flow - self.exchanged(grid)
        return np.column_stack([grid, start - contents, removed])[np.isfinite(contents)]

    def _between_points(self, grid: np.ndarray, f: np.ndarray) -> Iterator:
        """Brackets of pairs of states that lie between two points of the grid, where the excess turns near zero."""
        for i in range(1, grid.size - 1):
            if f[i - 1] * f[i] > 0.0 and f[i] * f[i + 1] > 0.0 and abs(f[i]) < min(abs(f[i - 1]), abs(f[i + 1])):
                sign = math.copysign(1.0, f[i])
                turn = scipy.optimize.minimize_scalar(
                    lambda T, s=sign: s * self.excess(T), bounds=(grid[i - 1], grid[i + 1]), method="bounded"
                ).x
                if sign * self.excess(turn) < 0.0:
                    yield from ((grid[i - 1], turn), (turn, grid[i + 1]))

    def search_range(self) -> tuple:
        """Temperatures between which steady states are looked for [K]: up to what complete conversion can reach. Raises UnitTrouble."""
        given = self.given
        around = [self.feed.T] + ([given.coolant] if given.mode == "jacket" else [])
        low = given.search_low if given.search_low is not None else max(150.0, min(around) - 40.0)
        high = given.search_high
        if high is None:
            heat = max(0.0, given.duty_given) if given.mode == "duty" else 0.0
            limit = adiabatic_limit(self.feed, self.nu, heat, max(around), self.enthalpy, self.model)
            high = max(max(around) + 500.0, max(around) + MARGIN * (limit - max(around)))
        if not low < high:
            raise UnitTrouble("The range looked at ends below where it begins.", "Exchange the two.", "search_low")
        return low, high


def _changes_of_sign(grid: np.ndarray, f: np.ndarray) -> list[tuple]:
    return [(grid[i], grid[i + 1]) for i in range(grid.size - 1) if f[i] == 0.0 or f[i] * f[i + 1] < 0.0]


def adiabatic_limit(feed: Stream, nu: np.ndarray, heat: float, T_start: float, enthalpy: Callable, model: PhaseModel) -> float:
    """Temperature [K] that the extents of most heat would reach without cooling, from T_start, at most T_MOST.

    The extents are those of a linear programme: most heat at T_start with no flow below zero. heat: put in [W].
    """
    h = np.array(model.ideal_gas_enthalpies(T_start))
    most = _of_most_heat((nu @ h).tobytes(), nu.tobytes(), nu.shape, feed.n.tobytes())
    if most is None:
        return T_start
    burnt = np.maximum(feed.n + most @ nu, 0.0)

    def short(T: float) -> float:
        return feed.enthalpy_flow + heat - enthalpy(burnt, T)

    if short(T_start) <= 0.0:
        return T_start
    return T_MOST if short(T_MOST) > 0.0 else scipy.optimize.brentq(short, T_start, T_MOST, xtol=1.0)


@lru_cache(maxsize=64)
def _of_most_heat(heats: Any, nu: Any, shape: Any, n0: Any) -> np.ndarray | None:
    """Extents [mol/s] of most heat with no flow below zero; None where there are none. Everything as bytes of its arrays."""
    nu = np.frombuffer(nu).reshape(shape)
    bounds = [(None, None)] * len(nu)
    most = scipy.optimize.linprog(np.frombuffer(heats), A_ub=-nu.T, b_ub=np.frombuffer(n0), bounds=bounds, method="highs")
    return most.x if most.success else None
