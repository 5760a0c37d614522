"""A tube or bed in plug flow being followed: what changes along it, and where it cannot go on.

Notation: along the tube arrays have shape (points,), flows [mol/s] shape (points, n).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NoReturn

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.declared.told import UnitTrouble
from gulch.engine.quantities import show
from gulch.engine.reactors.counted import counted_on, measured
from gulch.engine.vessels import contents as c
from gulch.engine.vessels.following import BARE, UNWATCHED, Followed
from gulch.engine.vessels.march import AT_END, NO_PRESSURE, TOO_HOT

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.phases.stream import Stream
    from gulch.engine.vessels.following import Along

POINTS = 121  # of the profiles, at least
RAN_AWAY = 500  # steps counted for a tube that could not be followed to its end
MOST_STEPS = 20_000  # in the search for a coolant that runs against the flow
LEAST_PRESSURE = 0.05  # of the feed's: below it a fall has no end
HEAT = {
    "isothermal": c.HELD_T,
    "feed-temperature": c.HELD_T,
    "adiabatic": c.ADIABATIC,
    "duty": c.GIVEN_HEAT,
    "per-length": c.GIVEN_HEAT,
    "coolant": c.COOLED,
    "cocurrent": c.COCURRENT,
    "countercurrent": c.COUNTERCURRENT,
}
PRESSURE = {"level": c.LEVEL, "drop": c.LINEAR, "ergun": c.ERGUN}


class _OutOfSteps(Exception):
    pass


class Tube:
    """The problem: a feed at T_in [K] and enthalpy flow H_in [W] through volume [m3], by packed rate laws in one phase.

    length [m] and area [m2] of all tubes are None where no diameter is given; side: put in evenly over the whole volume.
    """

    def __init__(
        self, feed: Stream, given: Given, context: Context, laws: Rates, per: np.ndarray, phase: int, T_in: float, H_in: float,
        side: Stream | None = None,
    ) -> None:  # fmt: skip
        self.feed, self.given, self.context, self.model = feed, given, context, context.model
        self.laws, self.per, self.T_in, self.H_in = laws, per, T_in, H_in
        self.volume, self.length, self.area = dimensions(given)
        self.heat = HEAT[given.mode]
        self.contents = BARE._replace(
            phase=phase,
            heat=self.heat,
            pressure=PRESSURE[given.falls],
            n0=np.array(feed.n, float),
            put_in=side.n / self.volume if side is not None else np.zeros(self.model.n),
            put_heat=side.enthalpy_flow / self.volume if side is not None else 0.0,
            fixed=self._numbers(),
            molar_mass=self.model.molar_mass,
        )
        falls = given.falls != "level"
        self.watched = UNWATCHED._replace(limit=given.limit, least=LEAST_PRESSURE * feed.P if falls else 0.0)

    def _numbers(self) -> np.ndarray:
        """What the kernel wants of the tube, by its columns."""
        given, volume = self.given, self.volume
        fixed = np.zeros(c.NUMBERS)
        fixed[c.F_T], fixed[c.F_P], fixed[c.F_VOID :] = self.T_in, self.feed.P, counted_on(given)
        fixed[c.F_DROP], fixed[c.F_AREA] = given.pressure_drop / volume, self.area or 1.0
        if given.mode == "duty":
            fixed[c.F_HEAT] = given.duty_given / volume
        if given.mode == "per-length":
            if self.length is None:
                raise UnitTrouble("A duty per length needs the length.", "Type the diameter of a tube.", "diameter")
            fixed[c.F_HEAT] = given.heating * self.length / volume
        if self.heat >= c.COOLED:
            fixed[c.F_UA] = given.conductance / volume
            fixed[c.F_CAPACITY] = given.capacity or 1.0
        if given.falls == "ergun":
            fixed[c.F_DIAMETER], fixed[c.F_VISCOSITY] = given.particle, given.viscosity
        return fixed

    def followed(self) -> Followed:
        """The Followed through this tube. Raises UnitTrouble."""
        if self.heat == c.COUNTERCURRENT:
            return self.run(self._coolant_leaving())
        return self.run(self.given.coolant if self.given.coolant is not None else self.T_in)

    def run(self, coolant: float) -> Followed:
        """The Followed with the coolant at a temperature at the feed's end. Raises UnitTrouble."""
        way = Followed(self.model, self.laws, self.per)
        start = np.r_[np.zeros(len(self.per)), self.H_in, self.feed.P, self.T_in, coolant]
        ended = way.go_on(self.contents, self.watched, self.volume, start)
        if ended != AT_END:
            self._stopped(ended, way.place / self.volume)
        return way

    def _coolant_leaving(self) -> float:
        """The coolant's outlet temperature, at the feed's end, with which its inlet at the far end fits. Raises UnitTrouble."""
        taken = 0

        def miss(leaving: float) -> float:
            nonlocal taken
            if taken > MOST_STEPS:
                raise _OutOfSteps
            try:
                way = self.run(leaving)
            except UnitTrouble:
                taken += RAN_AWAY
                return 1e4  # ran away: too warm
            taken += len(way.pieces[0].inside)
            return way.end[-1] - self.given.coolant

        try:
            low, high = coolant_bracket(miss, self.feed.T, self.given.coolant)
            if low is not None:
                return scipy.optimize.brentq(miss, low, high, xtol=1e-8)
        except _OutOfSteps:
            raise UnitTrouble(
                f"No temperature of the coolant was found in {MOST_STEPS:,} steps along the tube.",
                "Check the rate laws, or let the coolant run with the flow.",
                "capacity",
            ) from None
        raise UnitTrouble(
            "No temperature of the coolant fits both ends.",
            "Raise the coolant's flow, or let it run with the flow.",
            "capacity",
        )

    def _stopped(self, ended: int, share: float) -> NoReturn:
        """Raise UnitTrouble that says why and where nothing goes on."""
        where = f"{100 * share:.0f} % of the way" + (
            f" ({show(share * self.length, 'length', self.context.display)})" if self.length else ""
        )
        if ended == NO_PRESSURE:
            raise UnitTrouble(
                f"The pressure runs out at {where}.",
                "Shorten the reactor, widen it, or raise the inlet's pressure.",
                "falls",
            )
        if ended == TOO_HOT:
            raise UnitTrouble(
                f"The temperature runs away at {where}: it passes {show(self.given.limit, 'temperature', self.context.display)}.",
                "Cool more, dilute the feed, lower its temperature, or shorten the reactor.",
                "limit",
            )
        raise UnitTrouble(f"The integration could not go on past {where}.", "Check the rate laws: a rate grows without bound.", "set")

    def profile(self, along: Along, reactions: list, key: int) -> dict[str, Any]:
        """Everything along the reactor, SI: volume, length, T, P, flow by species, rate by reaction, conversion of the key."""
        names, n = self.context.species, along.n
        flow = {s: n[:, i].tolist() for i, s in enumerate(names)}
        return {
            "volume": along.grid.tolist(),
            "length": (along.grid / self.area).tolist() if self.area else None,
            "T": along.T.tolist(),
            "P": along.P.tolist(),
            "flow": flow,
            "rate": {r.id: along.rates[:, j].tolist() for j, r in enumerate(reactions)},
            "per": {r.id: r.rate.per for r in reactions},
            "key": names[key],
            "conversion": ((n[0, key] - n[:, key]) / n[0, key]).tolist() if n[0, key] > 0.0 else None,
            "selectivity": self._selectivity(flow),
            "coolant": along.coolant.tolist() if self.heat >= c.COOLED else None,
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
