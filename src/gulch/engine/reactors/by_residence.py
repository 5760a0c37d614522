"""A vessel known by its measured residence times: what it makes if its contents stay apart, and if they mix as early as they can.

Notation: t: residence time [s]; E: its density [1/s]; F: share that left before t; w: extents by the kilogram [mol/kg], shape (m,).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.chemistry.kernels.rates import PER_FLUID
from gulch.engine.declared.base import UnitResult
from gulch.engine.declared.declarations import Choice, Course, Result
from gulch.engine.declared.profiles import Group, Profile, Series, Way
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.fluids import phase_properties
from gulch.engine.handbook import LEVENSPIEL, Relation
from gulch.engine.phases import Stream
from gulch.engine.reactors.catalyst import rates_left
from gulch.engine.reactors.counted import counted_on
from gulch.engine.reactors.heat import HEATED
from gulch.engine.reactors.kinetic import KineticReactor
from gulch.engine.reactors.limited import followed
from gulch.engine.reactors.spaces import spaces
from gulch.engine.vessels import contents as c
from gulch.engine.vessels.following import BARE, UNWATCHED, Followed
from gulch.engine.vessels.march import AT_END

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.phases.model import PhaseModel

FINE = 400  # points of a measured curve, between its own
LAST = 1e-12  # of the tracer, that counts as none of it being left


@dataclass(frozen=True)
class Residence:
    """A distribution of residence times, straight between its points. t [s], E [1/s], F: shape (k,)."""

    t: np.ndarray
    E: np.ndarray
    F: np.ndarray

    @property
    def mean(self) -> float:
        """Mean residence time [s]."""
        return float(scipy.integrate.simpson(self.t * self.E, x=self.t))

    @property
    def variance(self) -> float:
        """Variance [s2]."""
        return float(scipy.integrate.simpson((self.t - self.mean) ** 2 * self.E, x=self.t))


def residence_of(points: np.ndarray) -> Residence:
    """The Residence of a tracer's signal over time, shape (k, 2), which may have any unit. Raises UnitTrouble."""
    t, signal = points[:, 0], points[:, 1]
    if t[0] < 0.0 or np.any(signal < 0.0) or len(t) < 3 or not signal.max() > 0.0:
        raise UnitTrouble(
            "The measured curve is no distribution of residence times.",
            "Type three points or more, from time 0 on, none below zero.",
            "tracer",
        )
    grid = np.unique(np.concatenate([np.linspace(a, b, max(2, FINE // len(t))) for a, b in zip(t[:-1], t[1:], strict=True)]))
    E = np.interp(grid, t, signal)
    E /= scipy.integrate.simpson(E, x=grid)
    F = np.r_[0.0, scipy.integrate.cumulative_trapezoid(E, grid)]
    return Residence(grid, E, F / F[-1])


class ByResidence(KineticReactor):
    """A vessel of any shape by its measured residence times, held at a temperature."""

    kind = "residence-time-reactor"
    label = "reactor by residence times"
    meaning = "what a vessel makes whose residence times were measured: contents that stay apart, or that mix as early as they can"
    computed: tuple[Relation, ...] = (
        Relation(
            "X = integral of X(batch, t) E(t) dt",
            "segregated: what enters together stays together",
            f"Danckwerts, Chem. Eng. Sci. 8 (1958) 93; {LEVENSPIEL}, ch. 16",
        ),
        Relation(
            "dw/dl = −r + E(l)/(1 − F(l)) w, from l = the longest time back to 0",
            "maximally mixed, l: life expectancy",
            "Zwietering, Chem. Eng. Sci. 11 (1959) 1",
        ),
    )

    pressure_drop = None  # type: ignore[assignment]
    phase = Choice("Contents", {"liquid": "liquid", "vapour": "vapour"}, "what fills the vessel", context="as the feed")
    tracer = Course(
        "Tracer at the outlet",
        "time",
        "ratio",
        "signal of a tracer put in at once, over time, in any unit",
        "0 min 0; 2 min 5; 5 min 3; 10 min 0.5; 15 min 0",
        low=0.0,
    )
    mixed = Choice(
        "Contents mix",
        {"late": "as late as possible (segregated)", "early": "as early as possible (maximally mixed)"},
        "which of the two bounds goes on as the product",
        default="late",
    )
    mode = Choice(
        "Heat",
        {k: HEATED[k] for k in ("isothermal", "feed-temperature")},
        "held at a temperature, or at the feed's",
        default="feed-temperature",
        group="heat",
    )
    duty_given = None  # type: ignore[assignment]

    space_velocity = None  # type: ignore[assignment]
    conversion_late = Result("Conversion, segregated", "fraction", "of the key species, if contents stay apart")
    conversion_early = Result("Conversion, maximally mixed", "fraction", "of the key species, if contents mix as early as they can")
    variance = Result("Variance over the mean squared", "ratio", "of the residence times; 0 in plug flow, 1 in a stirred tank")
    distribution = Profile(
        "Residence times in {unit}",
        (Way("time", "residence time", "time"),),
        (
            Group(
                "times",
                "Residence times",
                (Series("E", "density of times", "space velocity"), Series("F", "share that has left", "fraction")),
            ),
            Group("batch", "In a batch", (Series("X", "conversion of {key} in a batch", "fraction"),)),
        ),
    )

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        return dict.fromkeys(ports, entering["feed"][0])

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        reactions, laws, per, phase = cls.prepare(feed, given, context)
        times = residence_of(given.tracer)
        if feed.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=feed.P)}, {"duty": 0.0})
        T = given.temperature if given.mode == "isothermal" else feed.T
        model, fresh, counted = context.model, feed.n / feed.mass_flow, counted_on(given)
        batch = cls.batch(model, laws, per, phase, fresh, T, feed.P, counted, times)
        late = scipy.integrate.simpson(batch * times.E[:, None], x=times.t, axis=0)

        flow = cls.phase_state(model, feed.n, T, feed.P, phase)[1]

        def pace(w: np.ndarray) -> np.ndarray:
            n = np.maximum(fresh + w @ laws.nu, 0.0)
            x = n / n.sum()
            rates, v = rates_left(model, T, feed.P, x, phase, laws)
            passing = np.where(per == PER_FLUID, n.sum() * v, flow / feed.mass_flow)  # a bed does not grow with its fluid
            return rates * counted[per] * passing / counted[0]

        early = cls.mixed_early(pace, times, len(per))
        chosen = early if given.mixed == "early" else late
        product = Stream.at_temperature(model, np.maximum(feed.n + feed.mass_flow * chosen @ laws.nu, 0.0), T, feed.P)
        xi, key = chosen * feed.mass_flow, cls.key(feed, reactions, context)
        values = cls.account(feed, product, xi, given, reactions, context) | spaces(given, flow * times.mean / given.void)
        values |= cls.weakened(laws, reactions, T, feed.P, feed.n, phase, given, model)
        values["extent"] = dict(zip((r.id for r in reactions), xi.tolist(), strict=True))
        values |= {"residence_time": times.mean, "variance": times.variance / times.mean**2}
        for name, w in (("conversion_late", late), ("conversion_early", early)):
            values[name] = float(-(w @ laws.nu)[key] / fresh[key]) if fresh[key] > 0.0 else None
        values["distribution"] = context.later(
            lambda: {
                "time": times.t.tolist(),
                "E": times.E.tolist(),
                "F": times.F.tolist(),
                "X": (-(batch @ laws.nu)[:, key] / fresh[key]).tolist() if fresh[key] > 0.0 else None,
                "T": [T] * len(times.t),
                "key": context.species[key],
            },
            explains=True,
        )
        rows = [{"reaction": r.id, "extent": float(e), "key": context.species[key]} for r, e in zip(reactions, xi, strict=True)]
        notes = cls.phase_remarks(product, given, context)
        return UnitResult({"product": product}, values, [(r.id, e * r.nu) for r, e in zip(reactions, xi, strict=True)], notes, rows)

    @staticmethod
    def batch(
        model: PhaseModel, laws: Rates, per: np.ndarray, phase: int, fresh: np.ndarray, T: float, P: float, counted: np.ndarray,
        times: Residence,
    ) -> np.ndarray:  # fmt: skip
        """Extents by the kilogram of a batch at the times [s] of a Residence, shape (k, m). Raises UnitTrouble.

        fresh: n [mol/kg], shape (n,); T [K], P [Pa]; counted: what rates count on in 1 m3, shape (4,).
        """
        fixed = np.zeros(c.NUMBERS)
        v = phase_properties(T, P, fresh / fresh.sum(), phase, *model.mix)[2] * fresh.sum()
        fixed[c.F_T], fixed[c.F_P], fixed[c.F_VOID] = T, P, 1.0
        fixed[c.F_BED :] = counted[1:] * v / counted[0]
        what = BARE._replace(
            batch=1, phase=phase, heat=c.HELD_T, n0=fresh, put_in=np.zeros(model.n), fixed=fixed, molar_mass=model.molar_mass
        )
        h = phase_properties(T, P, fresh / fresh.sum(), phase, *model.mix)[0]
        way = Followed(model, laws, per)
        ended = way.go_on(what, UNWATCHED, float(times.t[-1]), np.r_[np.zeros(len(per)), h * fresh.sum(), P, T, T])
        if ended != AT_END:
            raise UnitTrouble(
                "A batch of this feed could not be followed so long.", "Check the rate laws: a rate grows without bound.", "set"
            )
        return way.pieces[0].at(times.t)[:, : len(per)]

    @staticmethod
    def mixed_early(pace: Callable, times: Residence, m: int) -> np.ndarray:
        """Extents by the kilogram of a maximally mixed vessel, shape (m,): Zwietering's equation from the longest time back to none.

        Raises UnitTrouble.
        """
        left = 1.0 - times.F
        last = float(times.t[np.searchsorted(-left, -1e-6)]) if left.min() < 1e-6 else float(times.t[-1])

        def change(l_: float, w: np.ndarray) -> np.ndarray:
            at = last - l_
            leaving = np.interp(at, times.t, times.E) / max(float(np.interp(at, times.t, left)), LAST)
            return pace(w) - leaving * w

        found = followed(change, np.array([0.0, last]), np.zeros(m), 1e-8, 1e-10)
        if found is None:
            raise UnitTrouble(
                "A vessel mixed early could not be followed.", "Check the rate laws for a number that is far too large.", "set"
            )
        return found[:, -1]
