"""A tube or bed in plug flow being integrated: what changes along it, and where it cannot go on.

Notation: along the tube arrays have shape (points,), flows [mol/s] shape (points, n).
"""

from __future__ import annotations

import math
import warnings
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.chemistry.kernels.rates import reaction_rates
from gulch.engine.phases.kernels import phase_properties
from gulch.engine.quantities import show
from gulch.engine.units.reactors.counted import counted_on, measured
from gulch.engine.units.reactors.kernels import plug_flow as k
from gulch.engine.units.told import UnitTrouble

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.phases.stream import Stream
    from gulch.engine.units.base import Context, Given

POINTS = 121  # of the profiles, at least
CROWDED = 24  # steps of the integration between two points that call for more points between them
REFINEMENTS = 4
RTOL = 1e-9
RAN_AWAY = 2000  # steps counted for an integration that broke off
MOST_STEPS = 100_000  # of the integrator, in the search for a coolant that runs against the flow
HEAT = {
    "isothermal": k.ISOTHERMAL,
    "feed-temperature": k.ISOTHERMAL,
    "adiabatic": k.ADIABATIC,
    "duty": k.GIVEN_HEAT,
    "per-length": k.GIVEN_HEAT,
    "coolant": k.COOLED,
    "cocurrent": k.COCURRENT,
    "countercurrent": k.COUNTERCURRENT,
}
PRESSURE = {"level": k.LEVEL, "drop": k.LINEAR, "ergun": k.ERGUN}


class _OutOfSteps(Exception):
    pass


def refined(grid: np.ndarray, steps: np.ndarray) -> np.ndarray | None:
    """The grid with more points where the integration took many steps, or None where it took few everywhere.

    steps: those taken up to each point after the first, shape (n - 1,).
    """
    taken = np.diff(steps, prepend=0)
    taken[0] -= CROWDED  # the first steps are small whatever happens
    if taken.max() <= CROWDED:
        return None
    pieces = [
        np.linspace(a, b, min(int(t), 2 * CROWDED) + 1)[:-1] if t > CROWDED else [a]
        for (a, b), t in zip(pairwise(grid), taken, strict=True)
    ]
    return np.unique(np.r_[np.concatenate(pieces), grid[-1]])


@dataclass
class Along:
    """A reactor integrated. grid: volumes [m3], shape (m,); y: flows [mol/s], enthalpy flow [W], P² [Pa2] and the coolant's
    temperature [K] at each, shape (m, n + 3).

    states: (T [K], P [Pa], volume flow [m3/s]), lists, of rows of y; what only a report needs is looked up when it is read.
    """

    grid: np.ndarray
    y: np.ndarray
    states: Callable[[np.ndarray], tuple[list, list, list]]

    @cached_property
    def _all(self) -> tuple[list, list, list]:
        return self.states(self.y)

    @property
    def T(self) -> list:
        """Temperatures [K] along the grid."""
        return self._all[0]

    @property
    def P(self) -> list:
        """Pressures [Pa] along the grid."""
        return self._all[1]

    @property
    def flow(self) -> list:
        """Volume flows [m3/s] along the grid."""
        return self._all[2]

    def T_out(self) -> float:
        """Temperature [K] at the outlet."""
        return self.states(self.y[-1:])[0][0]

    def amounts(self) -> np.ndarray:
        """Flows that leave [mol/s], shape (n,)."""
        return np.maximum(self.y[-1, :-3], 0.0)


class Tube:
    """The problem: a feed at T_in [K] and enthalpy flow H_in [W] through volume [m3], by packed rate laws in one phase.

    length [m] and area [m2] of all tubes are None where no diameter is given.
    """

    def __init__(
        self, feed: Stream, given: Given, context: Context, laws: Rates, per: np.ndarray, phase: int, T_in: float, H_in: float
    ) -> None:
        self.feed, self.given, self.context, self.model = feed, given, context, context.model
        self.laws, self.per, self.phase, self.T_in, self.H_in = laws, per, phase, T_in, H_in
        self.volume, self.length, self.area = dimensions(given)
        self.heat, self.falling = HEAT[given.mode], PRESSURE[given.falls]
        self.fixed = self._numbers()
        self.tolerance = np.r_[np.full(self.model.n, 1e-11 * feed.total), 1e-9 * max(abs(H_in), feed.total * 1e4), 1e-9 * feed.P**2, 1e-7]

    def _numbers(self) -> np.ndarray:
        """What the kernel wants of the tube, by its columns."""
        given, volume = self.given, self.volume
        fixed = np.zeros(k.F_SURFACE + 1)
        fixed[k.F_T], fixed[k.F_VOID :] = self.T_in, counted_on(given)
        fixed[k.F_DROP], fixed[k.F_AREA] = given.pressure_drop / volume, self.area or 1.0
        fixed[k.F_LIMIT], fixed[k.F_P_LOW] = given.limit, 0.05 * self.feed.P  # below it a fall has no end
        if given.mode == "duty":
            fixed[k.F_HEAT] = given.duty_given / volume
        if given.mode == "per-length":
            if self.length is None:
                raise UnitTrouble("A duty per length needs the length.", "Type the diameter of a tube.", "diameter")
            fixed[k.F_HEAT] = given.heating * self.length / volume
        if self.heat >= k.COOLED:
            fixed[k.F_UA] = given.conductance / volume
            fixed[k.F_CAPACITY] = given.capacity or 1.0
        if given.falls == "ergun":
            fixed[k.F_DIAMETER], fixed[k.F_VISCOSITY] = given.particle, given.viscosity
        return fixed

    def integrated(self) -> Along:
        """The Along of this tube, on a grid as fine as the integration needs. Raises UnitTrouble."""
        grid = np.linspace(0.0, self.volume, POINTS)
        coolant = self.given.coolant if self.given.coolant is not None else self.T_in
        if self.heat == k.COUNTERCURRENT:
            coolant = self._coolant_leaving(grid)
        y, steps = self.run(coolant, grid)
        for _ in range(REFINEMENTS):
            finer = refined(grid, steps)
            if finer is None:
                break
            grid = finer
            y, steps = self.run(coolant, grid)
        return Along(grid, y, self._states)

    def run(self, coolant: float, grid: np.ndarray) -> tuple:
        """(y, steps of the integration up to each point) with the coolant at a temperature at the feed's end. Raises UnitTrouble."""
        guess = np.array([self.T_in, k.GOES_ON])
        start = np.r_[self.feed.n, self.H_in, self.feed.P**2, coolant]
        with np.errstate(all="ignore"), warnings.catch_warnings():
            warnings.simplefilter("ignore", scipy.integrate.ODEintWarning)  # said by `_stopped` instead
            y, told = scipy.integrate.odeint(
                self._change(guess),
                start,
                grid,
                tfirst=True,
                rtol=RTOL,
                atol=self.tolerance,
                mxstep=5000,
                full_output=True,
            )
        failed = told["message"] != "Integration successful." or not np.all(np.isfinite(y))
        if failed or guess[1] != k.GOES_ON:  # a trial step alone may have touched a limit
            self._stopped(start, failed)
        return y, told["nst"]

    def _change(self, guess: np.ndarray) -> Callable:
        model = self.model

        def change(V: float, y: np.ndarray) -> np.ndarray:
            return k.plug_change(
                y,
                self.phase,
                self.heat,
                self.falling,
                self.fixed,
                self.laws,
                self.per,
                model.molar_mass,
                guess,
                *model.mix,
            )

        return change

    def _states(self, y: np.ndarray) -> tuple[list, list, list]:
        """Temperature [K], pressure [Pa] and volume flow [m3/s] at rows of y, shape (m, n + 3)."""
        model, x, near = self.model, np.empty(self.model.n), np.array([self.T_in, k.GOES_ON])
        T, P, flow = [], [], []
        for row in y:
            here, pressure, total, v = k.plug_state(row, self.phase, self.heat, self.fixed, x, near, *model.mix)
            T.append(float(here))
            P.append(float(pressure))
            flow.append(float(total * v))
        return T, P, flow

    def _coolant_leaving(self, grid: np.ndarray) -> float:
        """The coolant's outlet temperature, at the feed's end, with which its inlet at the far end fits. Raises UnitTrouble."""
        taken = 0

        def miss(leaving: float) -> float:
            nonlocal taken
            if taken > MOST_STEPS:
                raise _OutOfSteps
            try:
                y, steps = self.run(leaving, grid)
            except UnitTrouble:
                taken += RAN_AWAY
                return 1e4  # ran away: too warm
            taken += int(steps[-1])
            return y[-1, -1] - self.given.coolant

        try:
            low, high = coolant_bracket(miss, self.feed.T, self.given.coolant)
            if low is not None:
                return scipy.optimize.brentq(miss, low, high, xtol=1e-8)
        except _OutOfSteps:
            raise UnitTrouble(
                f"No temperature of the coolant was found in {MOST_STEPS:,} steps of integration.",
                "Check the rate laws, or let the coolant run with the flow.",
                "capacity",
            ) from None
        raise UnitTrouble(
            "No temperature of the coolant fits both ends.",
            "Raise the coolant's flow, or let it run with the flow.",
            "capacity",
        )

    def _stopped(self, start: np.ndarray, failed: bool) -> None:
        """Raise UnitTrouble that says where the pressure ran out or the temperature ran away, if either did."""
        n, guess = self.model.n, np.array([self.T_in, k.GOES_ON])
        change = self._change(guess)

        def pressure_left(V: float, y: np.ndarray) -> float:
            return y[n + 1] / self.fixed[k.F_P_LOW] ** 2 - 1.0

        def room(V: float, y: np.ndarray) -> float:
            change(V, y)
            return 1.0 - guess[0] / self.given.limit

        pressure_left.terminal = room.terminal = True  # type: ignore[attr-defined]  # as solve_ivp asks it
        found = scipy.integrate.solve_ivp(
            change,
            (0.0, self.volume),
            start,
            "LSODA",
            rtol=1e-6,
            atol=1e3 * self.tolerance,
            events=(pressure_left, room),
        )
        share = float(found.t[-1]) / self.volume
        where = f"{100 * share:.0f} % of the way" + (
            f" ({show(share * self.length, 'length', self.context.display)})" if self.length else ""
        )
        if found.t_events[0].size:
            raise UnitTrouble(
                f"The pressure runs out at {where}.",
                "Shorten the reactor, widen it, or raise the inlet's pressure.",
                "falls",
            )
        if found.t_events[1].size:
            raise UnitTrouble(
                f"The temperature runs away at {where}: it passes {show(self.given.limit, 'temperature', self.context.display)}.",
                "Cool more, dilute the feed, lower its temperature, or shorten the reactor.",
                "limit",
            )
        if not failed:
            return
        raise UnitTrouble(f"The integration could not go on past {where}.", "Check the rate laws: a rate grows without bound.", "set")

    def profile(self, along: Along, reactions: list, key: int) -> dict[str, Any]:
        """Everything along the reactor, SI: volume, length, T, P, flow by species, rate by reaction, conversion of the key."""
        model, names = self.model, self.context.species
        n = np.maximum(along.y[:, : model.n], 0.0)
        found = []
        for row, T, P in zip(n, along.T, along.P, strict=True):
            x = row / row.sum()
            v = phase_properties(T, P, x, self.phase, *model.mix)[2]
            found.append(reaction_rates(T, P, x, v, self.phase, self.laws, *model.mix))
        speeds = np.array(found)
        flow = {s: n[:, i].tolist() for i, s in enumerate(names)}
        return {
            "volume": along.grid.tolist(),
            "length": (along.grid / self.area).tolist() if self.area else None,
            "T": along.T,
            "P": along.P,
            "flow": flow,
            "rate": {r.id: speeds[:, j].tolist() for j, r in enumerate(reactions)},
            "per": {r.id: r.rate.per for r in reactions},
            "key": names[key],
            "conversion": ((n[0, key] - n[:, key]) / n[0, key]).tolist() if n[0, key] > 0.0 else None,
            "selectivity": self._selectivity(flow),
            "coolant": along.y[:, -1].tolist() if self.heat >= k.COOLED else None,
        }

    def _selectivity(self, flow: dict[str, list[float]]) -> list | None:
        """Selectivity from the inlet to each point, None where nothing is converted yet; None without what it counts on."""
        counts = self.context.counted
        if counts is None:
            return None
        rows = [dict(zip(flow, row, strict=True)) for row in zip(*flow.values(), strict=True)]
        return [measured(counts, rows[0], row).selectivity for row in rows]


def dimensions(given: Given) -> tuple[float, float | None, float | None]:
    """(volume [m3], length [m] or None, cross-section of all tubes [m2] or None). Raises UnitTrouble."""
    area = given.tubes * math.pi / 4.0 * given.diameter**2 if given.diameter else None
    if given.size_by == "length":
        if area is None:
            raise UnitTrouble("The length alone gives no volume.", "Type the diameter of a tube.", "diameter")
        return area * given.length, given.length, area
    if given.size_by == "catalyst":
        if not given.bulk_density:
            raise UnitTrouble("The mass of catalyst alone gives no volume.", "Type the catalyst per bed volume.", "bulk_density")
        volume = given.catalyst_mass / given.bulk_density
    else:
        volume = given.volume
    if given.falls == "ergun" and area is None:
        raise UnitTrouble("Ergun's equation needs the velocity.", "Type the diameter of a tube, or of the bed.", "diameter")
    if given.falls == "ergun" and given.void >= 1.0:
        raise UnitTrouble("Ergun's equation needs a bed: its void fraction is 100 %.", "Type the bed's void fraction.", "void")
    return volume, volume / area if area else None, area


def coolant_bracket(miss: Callable, feed_T: float, coolant_T: float) -> tuple:
    """Two outlet temperatures of the coolant between which the miss changes sign, or (None, None)."""
    low, high = sorted((feed_T, coolant_T))
    low, high = low - 1.0, high + 1.0
    f_low, f_high = miss(low), miss(high)
    for _ in range(12):
        if f_low * f_high <= 0.0:
            return low, high
        if abs(f_low) < abs(f_high):
            low -= 0.5 * (high - low) + 5.0
            low = max(low, 120.0)
            f_low = miss(low)
        else:
            high += 0.5 * (high - low) + 5.0
            f_high = miss(high)
    return None, None
