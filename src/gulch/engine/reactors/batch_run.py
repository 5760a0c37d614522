"""A batch being run: its charge, what is dosed, how it is held, and where it ends.

Notation: amounts of one batch [mol], shape (n,); times [s] from the beginning of the reaction.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, NoReturn

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.declared.told import UnitTrouble
from gulch.engine.fluids import LIQUID, VAPOUR, phase_properties
from gulch.engine.phases import Stream, StreamTrouble
from gulch.engine.quantities import show
from gulch.engine.vessels import contents as c
from gulch.engine.vessels.following import BARE, FOR_EVER, UNWATCHED, Followed
from gulch.engine.vessels.march import AT_END, AT_TEMPERATURE, CONVERTED, OVERFULL, TOO_HOT

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.vessels.contents import Contents
    from gulch.engine.vessels.march import Watched

HEAT = {
    "isothermal": c.HELD_T,
    "feed-temperature": c.HELD_T,
    "course": c.HELD_T,
    "adiabatic": c.ADIABATIC,
    "duty": c.GIVEN_HEAT,
    "jacket": c.COOLED,
}
LEFT_ALONE = 1e7  # s for which contents are followed that nobody cools
HOTTEST = 2500.0  # K at which that ends
COLD = 200.0  # K, below which data of liquids end
LOOKS = 13  # moments at which the cooling is let fail


@dataclass(frozen=True)
class Dose:
    """What is dosed into a batch: amounts [mol], shape (n,), their enthalpy [J], and when: times and shares that are in, shape (k, 2)."""

    n: np.ndarray
    H: float
    course: np.ndarray

    @property
    def ends(self) -> float:
        """When all of it is in [s]."""
        return float(self.course[-1, 0])

    def share(self, t: np.ndarray | float) -> np.ndarray:
        """What share of it is in at times [s], shape of t."""
        return np.interp(t, self.course[:, 0], self.course[:, 1])


@dataclass(frozen=True)
class Vessel:
    """The vessel of a batch: its volume [m3] and the volume of what it is filled with [m3]; pace: batches in time [1/s]."""

    volume: float
    filled: float
    pace: float


def other_phase(stream: Stream, phase: str) -> float:
    """Share of a stream that would be in another phase than "liquid" or "vapour"; 0 where it has no state."""
    try:
        return float(stream.vapour_fraction if phase == "liquid" else 1.0 - stream.vapour_fraction)
    except StreamTrouble:
        return 0.0


class BatchRun:
    """The problem: a charge that reacts by packed laws; `feed`: averaged over the day, `dosed` likewise, None where nothing is dosed.

    closed: whether the vessel's volume holds and the pressure follows. Raises UnitTrouble.
    """

    def __init__(
        self, feed: Stream, dosed: Stream | None, given: Given, context: Context, laws: Rates, per: np.ndarray, phase: int, key: int
    ) -> None:
        self.feed, self.given, self.context, self.model = feed, given, context, context.model
        self.laws, self.per, self.phase, self.key = laws, per, phase, key
        self.closed = given.closed
        self.vessel = self._vessel(dosed)
        self.n0 = feed.n / self.vessel.pace
        self.dose = self._dose(dosed)
        self.T0 = self._first_temperature()
        self.P0 = self.pressure_of(self.n0, self.T0)
        self.V0 = self._reacting_volume()

    @property
    def phase_name(self) -> str:
        """What the contents are taken as: "liquid" or "vapour"."""
        return "vapour" if self.phase == VAPOUR else "liquid"

    def volume_of(self, n: np.ndarray, T: float, P: float) -> float:
        """Volume [m3] of amounts in the phase that they are held in."""
        phase = LIQUID if self.phase == c.UNDER_VAPOUR else self.phase
        return float(n.sum() * phase_properties(T, P, n / n.sum(), phase, *self.model.mix)[2])

    def _vessel(self, dosed: Stream | None) -> Vessel:
        given = self.given
        streams = [s for s in (self.feed, dosed) if s is not None and not s.is_empty]
        if self.phase == c.UNDER_VAPOUR:
            flow = sum(s.total * self._split(s.n, s.T, s.P)[0] for s in streams)
            if not flow > 0.0:
                raise UnitTrouble("Nothing of what is charged is liquid.", "Choose a gas for the contents, or charge a liquid.", "phase")
        else:
            flow = self.volume_of(np.sum([s.n for s in streams], axis=0), self.feed.T, self.feed.P)
        filling = 1.0 if self.phase == VAPOUR else given.filling
        pace = given.batches if given.size_by == "batches" else flow / (given.vessel * filling)
        return Vessel(flow / pace / filling, flow / pace, pace)

    def _dose(self, dosed: Stream | None) -> Dose | None:
        if dosed is None or dosed.is_empty:
            return None
        return Dose(dosed.n / self.vessel.pace, dosed.enthalpy_flow / self.vessel.pace, self.given.doses)

    def _first_temperature(self) -> float:
        if self.given.mode == "course":
            return float(np.interp(0.0, self.given.course[:, 0], self.given.course[:, 1]))
        return float(self.given.temperature if self.given.mode == "isothermal" else self.feed.T)

    def _reacting_volume(self) -> float:
        """Volume [m3] of the phase that reacts, at the beginning."""
        if self.phase == c.UNDER_VAPOUR:
            return float(self.n0.sum() * self._split(self.n0, self.T0, self.P0)[0])
        return self.volume_of(self.n0, self.T0, self.P0)

    def _split(self, n: np.ndarray, T: float, P: float) -> tuple[float, float]:
        """(volume of its liquid, volume of all) of a mole of amounts n, shape (n,), at T [K] and P [Pa], in m3/mol."""
        state = Stream.at_temperature(self.model, n, T, P).state
        return sum(share * known[2] for _, share, _, known in state.liquids), state.volume

    def pressure_of(self, n: np.ndarray, T: float) -> float:
        """Pressure [Pa] of amounts n, shape (n,), at T [K]: the charge's, or that at which they fill the closed vessel.

        Raises UnitTrouble where there is none.
        """
        if not self.closed:
            return float(self.feed.P)

        def over(ln_P: float) -> float:
            P = math.exp(ln_P)
            volume = n.sum() * self._split(n, T, P)[1] if self.phase == c.UNDER_VAPOUR else self.volume_of(n, T, P)
            return math.log(volume / self.vessel.volume)

        unfilled = "No pressure was found at which what is charged fills the closed vessel."
        low = high = math.log(self.feed.P)
        for _ in range(60):
            if over(low) >= 0.0:
                break
            low -= 1.0
        for _ in range(60):
            if over(high) <= 0.0:
                break
            high += 1.0
        else:
            raise UnitTrouble(unfilled, "Change how far it is filled.", "filling")
        try:
            return math.exp(scipy.optimize.brentq(over, low, high, xtol=1e-13)) if low < high else math.exp(low)
        except ValueError:
            raise UnitTrouble(unfilled, "Change how far it is filled.", "filling") from None

    def numbers(self) -> np.ndarray:
        """What the kernel wants of the vessel, by its columns."""
        given, fixed = self.given, np.zeros(c.NUMBERS)
        fixed[c.F_T], fixed[c.F_P], fixed[c.F_VOLUME] = self.T0, self.P0, self.vessel.volume
        bed = self.V0 / given.void
        fixed[c.F_VOID :] = 1.0, bed, (given.bulk_density or 0.0) * bed, (given.surface or 0.0) * bed
        if given.mode == "duty":
            fixed[c.F_HEAT] = given.duty_given
        if given.mode == "jacket":
            UA = given.area * given.coefficient
            fixed[c.F_UA] = UA if not given.capacity else given.capacity * -math.expm1(-UA / given.capacity)
        return fixed

    @cached_property
    def bare(self) -> Contents:
        """The Contents of the charge at the beginning."""
        return BARE._replace(
            batch=1, phase=self.phase, heat=HEAT[self.given.mode], pressure=c.CLOSED if self.closed else c.LEVEL,
            n0=self.n0, put_in=np.zeros(self.model.n), fixed=self.numbers(), molar_mass=self.model.molar_mass,
        )  # fmt: skip

    def energy(self, n: np.ndarray, T: float, P: float) -> float:
        """Enthalpy, or internal energy where the volume is held, of contents in the phase they are held in [J]."""
        if self.phase == c.UNDER_VAPOUR:
            state = Stream.at_temperature(self.model, n, T, P).state
            h, v = state.enthalpy, state.volume
        else:
            h, _, v = phase_properties(T, P, n / n.sum(), self.phase, *self.model.mix)
        return float(n.sum() * (h - P * v if self.closed else h))

    def start(self) -> np.ndarray:
        """y at the beginning, shape (m + 4,)."""
        coolant = self.given.coolant if self.given.mode == "jacket" else self.T0
        return np.r_[np.zeros(len(self.per)), self.energy(self.n0, self.T0, self.P0), self.P0, self.T0, coolant]

    def whole(self) -> np.ndarray:
        """All that is charged and dosed [mol], shape (n,)."""
        return self.n0 + self.dose.n if self.dose is not None else self.n0

    @property
    def longest(self) -> float:
        """For how long it may run [s]."""
        return float(self.given.time if self.given.until == "time" else self.given.longest)

    def watched(self, stops: bool, T: float) -> Watched:
        """What ends the batch from T [K] on; `stops`: also where it shall stop."""
        given = self.given
        most = self.vessel.volume if self.phase != VAPOUR else FOR_EVER
        watched = UNWATCHED._replace(key=self.key, limit=given.limit, most=most)
        if stops and given.until == "conversion":
            watched = watched._replace(converted=given.target, of=max(float(self.whole()[self.key]), 1e-300))
        if stops and given.until == "temperature":
            watched = watched._replace(at=given.stop_at, rising=1.0 if given.stop_at > T else -1.0)
        return watched

    def breaks(self) -> np.ndarray:
        """Times between which nothing bends, from 0 to the longest, shape (k,)."""
        times = [0.0, self.longest]
        for course in (self.dose.course if self.dose else None, self.given.course if self.given.mode == "course" else None):
            times += [] if course is None else [t for t in course[:, 0] if 0.0 < t < self.longest]
        return np.unique(times)

    def followed(self) -> Followed:
        """The batch from its beginning to where it stops. Raises UnitTrouble."""
        dose, given = self.dose, self.given
        late = self.longest * (1.0 + 1e-12) if given.until == "time" else self.longest * (1.0 - 1e-12)
        if dose is not None and dose.ends > late:
            raise UnitTrouble(
                f"Dosing ends after {self.shown(dose.ends)}, but the batch ends after {self.shown(self.longest)}: "
                f"{100 * (1.0 - float(dose.share(self.longest))):.3g} % of the dose would stay outside.",
                "Lengthen the batch, or dose faster.",
                "time",
            )
        way, y, ended = Followed(self.model, self.laws, self.per), self.start(), AT_END
        times = self.breaks()
        for a, b in zip(times[:-1], times[1:], strict=True):
            stops = dose is None or a >= dose.ends * (1.0 - 1e-12)
            ended = way.go_on(self.piece(a, b), self.watched(stops, float(y[-2])), b - a, y)
            if ended != AT_END:
                break
            y = way.end
        judged(self, way, ended)
        return way

    def piece(self, a: float, b: float) -> Contents:
        """The Contents between two times."""
        fixed, n0, put_in, heat = self.bare.fixed, self.n0, self.bare.put_in, 0.0
        if self.given.mode == "course":
            fixed = fixed.copy()
            T = np.interp([a, b], self.given.course[:, 0], self.given.course[:, 1])
            fixed[c.F_T], fixed[c.F_COURSE] = T[0], (T[1] - T[0]) / (b - a)
        if self.dose is not None:
            share = self.dose.share(np.array([a, b]))
            pace = float(share[1] - share[0]) / (b - a)
            n0, put_in, heat = n0 + share[0] * self.dose.n, pace * self.dose.n, pace * self.dose.H
        return self.bare._replace(begin=a, n0=n0, put_in=put_in, put_heat=heat, fixed=fixed)

    def shown(self, time: float) -> str:
        """A time in words."""
        return show(time, "time", self.context.display)

    def converted(self, way: Followed) -> float:
        """Conversion of the key species, of all that is charged and dosed."""
        fed = float(self.whole()[self.key])
        return 1.0 - float(way.leaving()[self.key]) / fed if fed > 0.0 else 0.0

    def comes_to(self, n: np.ndarray, T: float, P: float) -> float:
        """Temperature [K] to which contents n [mol], shape (n,), come from T [K] and P [Pa], left alone; nan where that is not known."""
        way = self.left_alone(n, T, P)
        return float(way.end[-2]) if way.pieces[0].ended == AT_END else math.nan

    def left_alone(self, n: np.ndarray, T: float, P: float) -> Followed:
        """Contents n [mol], shape (n,), at T [K] and P [Pa] followed without cooling or dosing until nothing happens any more."""
        what = self.bare._replace(heat=c.ADIABATIC, n0=n)
        way = Followed(self.model, self.laws, self.per)
        y = np.r_[np.zeros(len(self.per)), self.energy(n, T, P), P, T, T]
        way.go_on(what, UNWATCHED._replace(limit=max(HOTTEST, T + 1.0)), LEFT_ALONE, y)
        return way


def judged(run: BatchRun, way: Followed, ended: int) -> None:
    """Raises UnitTrouble where the batch did not come to where it shall stop."""
    given = run.given
    if ended in (CONVERTED, AT_TEMPERATURE) or (ended == AT_END and given.until == "time"):
        return
    when = run.shown(way.place)
    if ended == AT_END and given.until == "conversion":
        raise UnitTrouble(
            f"After {when} the conversion of {run.context.names[run.key]} is {100 * run.converted(way):.4g} %, "
            f"short of {100 * given.target:.4g} %.",
            "Ask for less, run it hotter, or look for longer.",
            "target",
        )
    if ended == AT_END:
        last = way.along(61).parts[-1][2][:, -2]  # after dosing: before it nothing stops
        near = float(last[np.argmin(np.abs(last - given.stop_at))])
        raise UnitTrouble(
            f"In {when} the temperature does not reach {show(given.stop_at, 'temperature', run.context.display)}: "
            f"it comes to {show(near, 'temperature', run.context.display)}.",
            "Stop at another temperature, or look for longer.",
            "stop_at",
        )
    _broken(run, ended, when, way)


def _broken(run: BatchRun, ended: int, when: str, way: Followed) -> NoReturn:
    T, P, display = float(way.end[-2]), float(way.end[-3]), run.context.display
    if ended == TOO_HOT:
        raise UnitTrouble(
            f"The batch runs away: after {when} it passes {show(run.given.limit, 'temperature', display)}.",
            "Cool more, dose more slowly, dilute the charge, or begin colder.",
            "limit",
        )
    if ended == OVERFULL:
        raise UnitTrouble(
            f"The vessel overflows after {when}: its {show(run.vessel.volume, 'volume', display)} are full of liquid at "
            f"{show(T, 'temperature', display)}.",
            "Fill it less, dose less, or take a larger vessel.",
            "filling",
        )
    other = other_phase(Stream.at_temperature(run.model, way.leaving(), T, P), run.phase_name)
    if other > 1e-9 and run.phase != c.UNDER_VAPOUR:
        name = "liquid" if run.phase == VAPOUR else "vapour"
        at = f"{show(T, 'temperature', display)} and {show(P, 'pressure', display)}"
        raise UnitTrouble(
            f"After {when}, at {at}, {100 * other:.3g} % would be {name}, and as {run.phase_name} alone it could not be followed further.",
            "Keep it hotter." if name == "liquid" else "Raise the pressure, cool more, or choose liquid under its vapour.",
            "phase",
        )
    at = f"{show(T, 'temperature', display)} and {show(P, 'pressure', display)}"
    cold = "Cool less: so cold nothing is known of it." if T < COLD else "Check the rate laws: a rate grows without bound."
    raise UnitTrouble(f"The batch could not be followed past {when}, at {at}.", cold, "mode" if T < COLD else "set")


@dataclass
class Safety:
    """What a batch would do if its cooling failed. way: as it runs."""

    run: BatchRun
    way: Followed

    @cached_property
    def rise(self) -> float | None:
        """Adiabatic rise of temperature [K] where all is charged at once; None where it is not known."""
        run = self.run
        try:
            P = run.pressure_of(run.whole(), run.T0)
            found = run.comes_to(run.whole(), run.T0, P) - run.T0
        except (StreamTrouble, UnitTrouble):
            return None
        return found if math.isfinite(found) else None

    @cached_property
    def _moments(self) -> tuple[np.ndarray, np.ndarray]:
        """(moments [s], temperatures [K] reached where cooling fails at each), shape (k,) both, the worst among them."""
        run, last = self.run, self.way.place

        def end_at(t: float) -> float:
            return run.comes_to(*self._state(t))

        times = np.linspace(0.0, last, LOOKS)
        if run.dose is not None:
            times = np.unique(np.r_[times, run.dose.course[run.dose.course[:, 0] < last, 0]])
        if run.given.mode == "adiabatic" and run.dose is None:
            times = times[:1]  # it is alone already
        ends = np.array([end_at(t) for t in times])
        k = int(np.argmax(ends))
        if not np.any(np.isnan(ends)) and len(times) > 2 and 0 < k < len(times) - 1:
            found = scipy.optimize.minimize_scalar(
                lambda t: -end_at(t), bounds=(times[k - 1], times[k + 1]), method="bounded", options={"maxiter": 8}
            )
            if -found.fun > ends[k]:
                at = int(np.searchsorted(times, found.x))
                times, ends = np.insert(times, at, found.x), np.insert(ends, at, -found.fun)
        return times, ends

    def reached(self, t: np.ndarray) -> np.ndarray:
        """Temperatures [K] reached where cooling fails at times t [s], shape of t, between those looked at."""
        times, ends = self._moments
        return np.interp(t, times, ends)

    def _state(self, t: float) -> tuple[np.ndarray, float, float]:
        piece = next(p for p in self.way.pieces if t <= p.places[-1] or p is self.way.pieces[-1])
        at = np.array([t])
        row = piece.at(at)
        return self.way.amounts(piece, at, row)[0], float(row[0, -2]), float(row[0, -3])

    @property
    def known(self) -> bool:
        """Whether the contents could be followed from every moment to where nothing happens any more."""
        return not np.any(np.isnan(self._moments[1]))

    @property
    def hottest(self) -> float | None:
        """Temperature [K] that is reached at most when cooling and dosing fail, at the worst moment; None where it is not known."""
        return float(self._moments[1].max()) if self.known else None

    @property
    def moment(self) -> float | None:
        """The worst moment [s] for that."""
        times, ends = self._moments
        return None if not self.known else float(times[int(np.argmax(ends))])

    @property
    def accumulation(self) -> float | None:
        """Share of the adiabatic rise that is still to come, at the worst moment; None where nothing rises."""
        if self.hottest is None or self.moment is None or self.rise is None or self.rise <= 0.1:
            return None
        return (self.hottest - self._state(self.moment)[1]) / self.rise

    @property
    def time_left(self) -> float | None:
        """Time [s] from the worst moment until the temperature rises fastest; None where it does not rise."""
        if self.moment is None:
            return None
        n, T, P = self._state(self.moment)
        way = self.run.left_alone(n, T, P)
        places, temperatures = way.pieces[0].places, way.pieces[0].rows[:, -2]
        if len(places) < 4 or temperatures[-1] < T + 0.1:
            return None
        slopes = scipy.interpolate.CubicSpline(places, temperatures).derivative()
        k = int(np.argmax(slopes(places)))
        low, high = places[max(k - 1, 0)], places[min(k + 1, len(places) - 1)]
        grid = np.linspace(low, high, 101)
        return float(grid[int(np.argmax(slopes(grid)))])
