"""Two-sided heat exchanger: one stream heats another, counter-current."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.declared.base import Port, Unit, UnitResult, lowest
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.equipment import EXCHANGER, Equipment
from gulch.engine.declared.pressures import outlet_pressure
from gulch.engine.declared.told import Note
from gulch.engine.handbook import Relation
from gulch.engine.phases import Stream
from gulch.engine.phases.tangent import Tangent
from gulch.engine.quantities import show
from gulch.engine.units.exchanged import Pair
from gulch.engine.units.heat_curve import HeatCurve

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved

BY_COMPOSITION = 1000.0  # K by which a curve may move for a mole fraction, or a pressure, that changes by all of it: far more than seen
MOST_MOVED = 10.0  # K by which known curves may have moved
LOOKS = 3  # of earlier passes that are kept
SEGMENTS = 8  # of equal duty, at the least, of a profile
REPORTED = 0.1  # K that the curves may be off for UA and the smallest difference that are reported
SHARP = 1e-3  # K that they may be off where the approach lies inside
STEP = 1e-4  # share of the most heat that can pass, over which a slope is taken
SECANTS, EXACT = 6, 1e-11  # steps by secants, and the last of them
BY_END = 0.03  # share of the duty that counts as next to an end
NEAR_END = 0.05  # and within which a bend may come in between
BETWEEN = np.linspace(BY_END, 1.0 - BY_END, 48)  # shares of the duty at which known curves are compared, beside their bends


class Exchanger(Unit):
    """Heat from the hot to the cold side, up to an approach, by UA, to an outlet temperature, or a duty."""

    kind = "exchanger"
    label = "heat exchanger"
    short = "HX"
    family = "heat"
    meaning = "heats one stream with another, counter-current, for example a reactor's feed with its effluent"
    computed: tuple[Relation, ...] = (
        Relation(
            "Q = H(hot in) − H(hot out) = H(cold out) − H(cold in)",
        ),
        Relation(
            "UA = integral of dQ/(T hot − T cold)",
            "along the exchanger, counter-current, with boiling and condensing inside; constant heat capacities give the logarithmic mean",
            "Perry’s Chemical Engineers’ Handbook, sec. 11",
        ),
    )
    inlets = (Port("hot", "the stream that gives heat"), Port("cold", "the stream that takes it"))
    outlets = (Port("hot", "the hot side's outlet"), Port("cold", "the cold side's outlet"))

    mode = Choice(
        "Set by",
        {
            "approach": "smallest approach",
            "conductance": "UA",
            "cold": "cold outlet temperature",
            "hot": "hot outlet temperature",
            "duty": "duty",
        },
        "what is given: the smallest temperature difference, heat transfer coefficient times area, an outlet or the duty",
        default="approach",
    )
    approach = Input(
        "Smallest approach",
        "temperature difference",
        "smallest temperature difference between the sides",
        low=0.01,
        high=1000.0,
        default="10 K",
        when=("mode", "approach"),
    )
    conductance = Input(
        "UA",
        "heat conductance",
        "overall heat transfer coefficient times area",
        low=0.0,
        high=1e9,
        default="50 kW/K",
        when=("mode", "conductance"),
    )
    cold_outlet = Input(
        "Cold side leaves at",
        "temperature",
        "temperature of the cold side's outlet",
        low=100.0,
        high=3000.0,
        default="100 degC",
        when=("mode", "cold"),
    )
    hot_outlet = Input(
        "Hot side leaves at",
        "temperature",
        "temperature of the hot side's outlet",
        low=100.0,
        high=3000.0,
        default="100 degC",
        when=("mode", "hot"),
    )
    duty_given = Input(
        "Duty",
        "power",
        "heat from the hot to the cold side",
        low=0.0,
        default="0 kW",
        when=("mode", "duty"),
        written="duty",
    )
    hot_drop = Input("Pressure drop, hot", "pressure difference", "inlet less outlet pressure", low=0.0, high=1e8, default="0 bar")
    cold_drop = Input("Pressure drop, cold", "pressure difference", "inlet less outlet pressure", low=0.0, high=1e8, default="0 bar")

    exchanged = Result("Heat exchanged", "power", "from the hot to the cold side", headline=True)
    least = Result("Smallest approach", "temperature difference", "smallest temperature difference between the sides")
    ua = Result("UA", "heat conductance", "integral of dQ/ΔT over the exchanger")
    mean_difference = Result("Mean temperature difference", "temperature difference", "heat exchanged over UA")
    hot_leaves = Result("Hot side leaves", "temperature", "temperature of the hot side's outlet")
    cold_leaves = Result("Cold side leaves", "temperature", "temperature of the cold side's outlet")

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        drops = {"hot": given.hot_drop, "cold": given.cold_drop}
        return {side: lowest(entering.get(side, ())) - drop for side, drop in drops.items()}

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        ua = result.number("ua")
        return [Equipment(EXCHANGER, ua, max(s.P for s in inlets))] if ua else []

    @classmethod
    def solve(cls, feed: Any, given: Given, context: Context) -> UnitResult:
        hot, cold = feed["hot"], feed["cold"]
        P = (
            outlet_pressure(hot, given.hot_drop, context, "hot_drop"),
            outlet_pressure(cold, given.cold_drop, context, "cold_drop"),
        )
        sides = Sides(hot, cold, P)
        duty, notes = 0.0, []
        if not (hot.is_empty or cold.is_empty):
            notes = misfits(hot, cold, given, context)
        if not (notes or hot.is_empty or cold.is_empty):
            duty, limited = cls.duty(sides, given, context.lasting)
            if limited:
                notes.append(
                    Note(
                        "error",
                        "The temperatures of the two sides cross: so much heat cannot pass between them.",
                        "Ask for a smaller duty or a milder outlet temperature, or set a smallest approach.",
                    )
                )
        outlets = {"hot": sides.hot(duty), "cold": sides.cold(duty)}
        profile = cache(lambda: sides.profile(duty, REPORTED))

        def conductance() -> float:
            if given.mode == "conductance":
                return given.conductance
            return area_integral(*profile()) if duty > 0.0 else 0.0

        return UnitResult(
            outlets,
            {
                "exchanged": duty,
                "least": context.later(lambda: float(min(profile()[1])) if duty > 0.0 else None),
                "ua": context.later(conductance),
                "mean_difference": context.later(lambda: duty / conductance() if duty > 0.0 else None),
                "hot_leaves": context.later(lambda: outlets["hot"].T),
                "cold_leaves": context.later(lambda: outlets["cold"].T),
            },
            notes=notes,
        )

    @classmethod
    def duty(cls, sides: Sides, given: Given, memory: dict[str, Any]) -> tuple:
        """(heat that passes [W], whether what was asked for had to be cut because the temperatures would cross).

        memory: what the last passes left, so that the inside is looked at again only where it may have changed.
        """
        if given.mode == "approach":
            # the ends alone first, which decide unless the two come nearer inside
            duty = sides.by_ends(given.approach)
            looks = memory.setdefault("looks", [])  # at loops' passes and at other shares, which are gone through again and again
            if duty <= 0.0 or any(sides.clear_by(known, duty, given.approach) for known in looks):
                return duty, False
            least = sides.inside(duty, given.approach)
            if least < given.approach - 2.0 * SHARP:
                return sides.until(lambda q: sides.least(q) - given.approach, duty), False
            memory["looks"] = [sides.per_mole(), *looks][:LOOKS]
            return duty, False
        most = sides.most()
        if given.mode == "conductance":
            return cls.by_area(sides, given.conductance, most, memory), False
        if given.mode == "duty":
            wanted = given.duty_given
        elif given.mode == "cold":
            wanted = sides.cold_in.at(T=given.cold_outlet, P=sides.P[1]).enthalpy_flow - sides.cold_in.enthalpy_flow
        else:
            wanted = sides.hot_in.enthalpy_flow - sides.hot_in.at(T=given.hot_outlet, P=sides.P[0]).enthalpy_flow
        if 0.0 <= wanted <= most and sides.least(wanted) >= 0.0:
            return wanted, False
        return max(0.0, sides.until(lambda q: sides.least(q) - 1e-3, most)) if wanted > 0.0 else 0.0, True

    @staticmethod
    def by_area(sides: Sides, conductance: float, most: float, memory: dict[str, Any]) -> float:
        """Heat [W] that a conductance [W/K] passes, looked for near the share of `most` [W] that it passed before."""
        if conductance == 0.0 or most <= 0.0:
            return 0.0

        def lacking(share: float) -> float:
            """Falls from above zero to below it, and stays finite where the temperatures would cross."""
            heats, differences = sides.profile(share * most, SHARP)
            ua = area_integral(heats, differences) if min(differences) > 1e-6 else np.inf
            return 1.0 / (1.0 + ua / conductance) - 0.5

        found = secants(lacking, *memory["share"]) if "share" in memory else None
        if found is None:
            share = sides.until(lacking, 1.0)
            aside = share - STEP if share > STEP else share + STEP
            found = share, (lacking(aside) - lacking(share)) / (aside - share)
        memory["share"] = found
        return found[0] * most

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        hot, cold = (next(t for t, s in zip(at.moved, at.inlets, strict=True) if s is at.feed(at.inlets)[side]) for side in ("hot", "cold"))
        outlets, given, duty = at.result.outlets, at.given, at.result.values["exchanged"]
        heat = np.zeros(at.k)
        if duty > 0.0:
            sides = Sides(hot.stream, cold.stream, (outlets["hot"].P, outlets["cold"].P))
            sides.found |= {(0, -duty): outlets["hot"], (1, duty): outlets["cold"]}
            pair = Pair(sides, hot, cold, duty)
            if given.mode == "approach":
                heat = pair.by_approach(given.approach)
            elif given.mode == "conductance":
                heat = pair.by_area()
            elif given.mode == "cold":
                heat = pair.held(1, given.cold_outlet, np.zeros(at.k)) - cold.H
            elif given.mode == "hot":
                heat = hot.H - pair.held(0, given.hot_outlet, np.zeros(at.k))
        return {
            "hot": Tangent(outlets["hot"], hot.n, hot.P, H=hot.H - heat),
            "cold": Tangent(outlets["cold"], cold.n, cold.P, H=cold.H + heat),
        }


def misfits(hot: Stream, cold: Stream, given: Given, context: Context) -> list[Note]:
    """What is asked that no exchanger can do with these inlets, whatever its duty; nothing passes then."""

    def shown(T: float, dimension: str = "temperature") -> str:
        return show(T, dimension, context.display)

    if hot.T <= cold.T:
        what = f"No heat passes: the hot side enters at {shown(hot.T)}, the cold side at {shown(cold.T)}."
        return [Note("warning", what, "Exchange the sides, or heat the hot one first.")]
    if given.mode == "approach" and given.approach >= hot.T - cold.T:
        apart, asked = (shown(v, "temperature difference") for v in (hot.T - cold.T, given.approach))
        what = f"No heat passes: the two sides enter {apart} apart, which is no more than the approach of {asked}."
        return [Note("warning", what, "Ask for a smaller approach.")]
    if given.mode == "cold" and given.cold_outlet < cold.T:
        what = f"The cold side is to leave at {shown(given.cold_outlet)}, colder than the {shown(cold.T)} at which it enters."
        return [Note("error", what, "Give a temperature above its inlet's, or exchange the sides.")]
    if given.mode == "hot" and given.hot_outlet > hot.T:
        what = f"The hot side is to leave at {shown(given.hot_outlet)}, hotter than the {shown(hot.T)} at which it enters."
        return [Note("error", what, "Give a temperature below its inlet's, or exchange the sides.")]
    return []


def area_integral(Q: np.ndarray, differences: np.ndarray) -> float:
    """UA [W/K] = ∫ dQ/ΔT over segments, by the logarithmic mean in each. Q [W], differences [K], shape (n,)."""
    a, b = differences[:-1], differences[1:]
    with np.errstate(all="ignore"):
        mean = np.where(np.abs(a - b) < 1e-6 * np.maximum(a, b), 0.5 * (a + b), (a - b) / np.log(a / b))
    return float((np.diff(Q) / mean).sum())


def secants(value: Callable[[float], float], x: float, slope: float) -> tuple[float, float] | None:
    """(root between 0 and 1 of a falling function, its slope there) from near it; None where secants lead elsewhere."""
    f = value(x)
    for _ in range(SECANTS):
        step = -f / slope if slope < 0.0 else np.inf
        if not 0.0 < x + step < 1.0:
            return None
        if abs(step) < EXACT:
            return x + step, slope
        before, x = f, x + step
        f = value(x)
        slope = (f - before) / step
    return None


class MolarCurve(NamedTuple):
    """Temperature over molar enthalpy [J/mol] of a side of composition z at P [Pa]: points, where it bends, how far it may be off [K]."""

    heat: np.ndarray
    T: np.ndarray
    bends: list[float]
    unsure: float
    z: np.ndarray
    P: float

    def moved(self, stream: Stream, P: float) -> float:
        """By how much [K] the curve of a stream may lie elsewhere, at its composition and another pressure."""
        return BY_COMPOSITION * (float(np.abs(stream.n / stream.total - self.z).max()) + abs(P / self.P - 1.0))


class Sides:
    """Both sides of a counter-current exchanger; heat is counted from the cold end, where the cold side enters."""

    def __init__(self, hot_in: Stream, cold_in: Stream, P: tuple) -> None:
        self.hot_in, self.cold_in, self.P = hot_in, cold_in, P
        self.found = {}  # outlets by (side, duty), each looked at several times
        self.guess = (hot_in.guess, cold_in.guess)  # of the outlets' temperatures
        self.exact = 0.0  # share of the duty, 0 or 1, at which the approach stands by `by_ends`

    def hot(self, q: float) -> Stream:
        """The hot side's outlet after giving q [W]."""
        return self._outlet(0, self.hot_in, -q)

    def cold(self, q: float) -> Stream:
        """The cold side's outlet after taking q [W]."""
        return self._outlet(1, self.cold_in, q)

    def _outlet(self, side: int, entering: Stream, heat: float) -> Stream:
        key = (side, heat)
        if key not in self.found:
            self.found[key] = Stream.at_enthalpy(entering.model, entering.n, entering.enthalpy_flow + heat, self.P[side], self.guess[side])
        return self.found[key]

    def most(self) -> float:
        """Heat at which one side would reach the other's inlet temperature [W]."""
        hot = self.hot_in.enthalpy_flow - self.hot_in.at(T=self.cold_in.T, P=self.P[0]).enthalpy_flow
        cold = self.cold_in.at(T=self.hot_in.T, P=self.P[1]).enthalpy_flow - self.cold_in.enthalpy_flow
        return max(0.0, min(hot, cold))

    def by_ends(self, approach: float) -> float:
        """Heat at which the first of the two ends comes to the approach [W]."""
        low, high = self.cold_in.T + approach, self.hot_in.T - approach
        if low >= self.hot_in.T:
            return 0.0
        self.guess = (low, high)
        hot, cold = self.hot_in.at(T=low, P=self.P[0]), self.cold_in.at(T=high, P=self.P[1])
        given = self.hot_in.enthalpy_flow - hot.enthalpy_flow
        taken = cold.enthalpy_flow - self.cold_in.enthalpy_flow
        duty = max(0.0, min(given, taken))
        if duty == given:
            self.found[0, -duty], self.exact = hot, 0.0
        elif duty == taken:
            self.found[1, duty], self.exact = cold, 1.0
        return duty

    def per_mole(self) -> tuple[MolarCurve, MolarCurve]:
        """What the curves of both sides tell of any flow and duty: of composition and pressure alone."""

        def told(c: HeatCurve, s: Stream, P: float) -> MolarCurve:
            return MolarCurve(c.heat / s.total, c.T, (c.bends / s.total).tolist(), c.unsure, s.n / s.total, P)

        return told(self.curves[0], self.hot_in, self.P[0]), told(self.curves[1], self.cold_in, self.P[1])

    def clear_by(self, known: tuple[MolarCurve, MolarCurve], q: float, approach: float) -> bool:
        """Whether known curves say that the sides come nowhere nearer inside than at their ends, at duty q [W].

        What the curves may be off by grows from the end at which the approach stands, which is exact; bends next to it are looked at anew.
        """
        hot, cold = known
        if self.cold_in.T + approach < hot.T[0] or self.hot_in.T - approach > cold.T[-1]:
            return False
        moved = hot.moved(self.hot_in, self.P[0]) + cold.moved(self.cold_in, self.P[1])
        if moved > MOST_MOVED:
            return False
        exact = self.exact
        sides = (hot, self.hot_in.enthalpy_flow - q, self.hot_in.total), (cold, self.cold_in.enthalpy_flow, self.cold_in.total)
        bends = [b for k, start, total in sides for h in k.bends if -NEAR_END < (b := (h * total - start) / q) < 1.0 + NEAR_END]
        if any(abs(b - exact) < NEAR_END for b in bends):
            return False
        shares = np.concatenate(([exact], BETWEEN, [b for b in bends if 0.0 < b < 1.0]))
        heat = shares * q
        (hot, start, total), (cold, other, cold_total) = sides
        apart = np.interp((start + heat) / total, hot.heat, hot.T) - np.interp((other + heat) / cold_total, cold.heat, cold.T)
        room = apart - (max(float(apart[0]), approach) + SHARP + hot.unsure + cold.unsure)
        return bool((room > moved * np.abs(shares - exact))[1:].all())

    def inside(self, q: float, approach: float) -> float:
        """Smallest temperature difference between the ends at duty q [W], closely where it may lie at the approach or below.

        Next to an end, which is known, only bends are looked at: what is smooth does not come nearer there by more than SHARP.
        """
        enough = np.inf
        while True:
            heats, differences = self.profile(q, enough)
            between = (heats > BY_END * q) & (heats < (1.0 - BY_END) * q) | np.isin(heats, self.bends(q))
            least = float(differences[between].min())
            room = least - approach - SHARP
            if enough <= SHARP or room > sum(c.unsure for c in self.curves):
                return least
            enough = max(0.4 * room, SHARP) if enough == np.inf else SHARP

    def bends(self, q: float) -> np.ndarray:
        """Heats between the ends at which a side's temperature bends, at duty q [W], shape (m,)."""
        starts = self.hot_in.enthalpy_flow - q, self.cold_in.enthalpy_flow
        heats = np.concatenate([c.bends - start for c, start in zip(self.curves, starts, strict=True)])
        return heats[(heats > 0.0) & (heats < q)]

    def ends(self, q: float) -> tuple:
        """Temperature differences at the hot side's outlet and inlet [K]."""
        return self.hot(q).T - self.cold_in.T, self.hot_in.T - self.cold(q).T

    @cached_property
    def curves(self) -> tuple[HeatCurve, HeatCurve]:
        """Temperature over heat of the hot and of the cold side, between the temperatures at which they enter."""
        low, high = self.cold_in.T, self.hot_in.T
        top = max(high, self.hot(0.0).T)  # what is throttled inside may be warmer than it enters
        return HeatCurve(self.hot_in, self.P[0], low, top), HeatCurve(self.cold_in, self.P[1], low, high)

    def profile(self, q: float, enough: float = np.inf) -> tuple:
        """(heat taken up by the cold side, temperature difference) from the cold end to the hot end, at duty q [W].

        Points stand wherever a side's temperature bends, its dew and bubble points among them. enough: what the curves may be off [K].
        """
        hot, cold = self.curves
        hot.sharpen(enough)
        cold.sharpen(enough)
        starts = self.hot_in.enthalpy_flow - q, self.cold_in.enthalpy_flow
        knots = [curve.within(start, start + q) - start for curve, start in ((hot, starts[0]), (cold, starts[1]))]
        heats = np.unique(np.concatenate([np.linspace(0.0, q, SEGMENTS + 1), *knots]))
        differences = hot.at(starts[0] + heats) - cold.at(starts[1] + heats)
        differences[0], differences[-1] = self.ends(q)
        return heats, differences

    def nearest(self, q: float) -> tuple[float, float]:
        """(smallest temperature difference between the ends, the same with the ends) at duty q [W], on sharp curves."""
        differences = self.profile(q, SHARP)[1]
        inner = float(differences[1:-1].min())
        return inner, min(inner, float(differences[0]), float(differences[-1]))

    def least(self, q: float) -> float:
        """Smallest temperature difference [K] anywhere at duty q [W]."""
        return self.nearest(q)[1] if q > 0.0 else min(self.ends(q))

    def until(self, slack: Callable, most: float) -> float:
        """Largest duty up to `most` at which slack(duty) is not below zero; slack falls with the duty."""
        if most <= 0.0 or slack(0.0) <= 0.0:
            return 0.0
        if slack(most) >= 0.0:
            return most
        return float(scipy.optimize.brentq(slack, 0.0, most, xtol=1e-9 * most, rtol=1e-13))
