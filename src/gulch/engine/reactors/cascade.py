"""Tanks in series: equal stirred tanks one after another, also as the model of a tube that is not ideal."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import Given, UnitResult
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.equipment import catalyst_of, vessel_of
from gulch.engine.handbook import LEVENSPIEL, Relation
from gulch.engine.reactors.heat import HEATED
from gulch.engine.reactors.kinetic import KineticReactor
from gulch.engine.reactors.spaces import spaces
from gulch.engine.reactors.stirred_tank import StirredTank

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context
    from gulch.engine.declared.equipment import Equipment
    from gulch.engine.phases import Stream

TANKS = {str(k): str(k) for k in (1, 2, 3, 4, 5, 6, 8, 10, 12, 15, 20)}


class TanksInSeries(KineticReactor):
    """Equal stirred tanks in series by rate laws."""

    kind = "tanks-in-series"
    label = "tanks in series"
    meaning = "equal stirred tanks one after another by rate laws; with a number from tracer data, a tube or tank that is not ideal"
    computed: tuple[Relation, ...] = (
        Relation(
            "n_k − n_(k−1) = (V/N) sum_r nu_ir r_r(c_k, T_k)",
            "N tanks of equal volume; sigma² = tau²/N of their tracer",
            f"{LEVENSPIEL}, ch. 14",
        ),
    )

    phase = Choice("Contents", {"liquid": "liquid", "vapour": "vapour"}, "what fills the tanks", context="as the feed")
    tanks = Choice("Tanks", TANKS, "how many, of equal volume", default="3")
    volume = Input("Volume of all", "volume", "of all tanks together", low=1e-9, high=1e6, default="1 m3")
    mode = Choice(
        "Heat",
        {k: HEATED[k] for k in ("isothermal", "feed-temperature", "adiabatic")},
        "every tank held at a temperature, at the feed's, or adiabatic",
        default="feed-temperature",
        group="heat",
    )
    duty_given = None  # type: ignore[assignment]
    state = Choice(
        "Steady state", {"hottest": "the hottest", "coldest": "the coldest"}, "which one runs where a tank has several", default="hottest"
    )

    space_velocity = None  # type: ignore[assignment]
    steady_states = Result("Steady states", "count", "of the tank that has the most of them")

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        count = float(given.tanks)
        vessels = vessel_of(given.volume / count, inlets[0].P, agitated=True, count=count)
        return vessels + catalyst_of(given.volume, given.bulk_density)

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        if feed.is_empty:
            return StirredTank.solve(feed, cls.of_one(given, 1), context)
        count, stream, results = int(given.tanks), feed, []
        for k in range(count):
            one = cls.of_one(given, count)
            one.pressure_drop = given.pressure_drop if k == 0 else 0.0
            results.append(StirredTank.solve(stream, one, context))
            stream = results[-1].outlets["product"]
        reactions = cls.reactions(given, context)
        xi = np.sum([[r.values["extent"][x.id] for x in reactions] for r in results], axis=0)
        values = cls.account(feed, stream, xi, given, reactions, context) | spaces(given, given.volume)
        values["extent"] = dict(zip((r.id for r in reactions), xi.tolist(), strict=True))
        values["residence_time"] = float(sum(r.values["residence_time"] for r in results))
        values["steady_states"] = max(r.values["steady_states"] for r in results)
        values |= {k: v for k, v in results[0].values.items() if k in ("effectiveness", "activity_left")}
        key = cls.key(feed, reactions, context)
        rows: list[dict[str, Any]] = [
            {"reaction": r.id, "extent": float(e), "key": context.species[key]} for r, e in zip(reactions, xi, strict=True)
        ]
        notes = [n for r in results[-1:] for n in (r.notes if isinstance(r.notes, list) else [])]
        return UnitResult({"product": stream}, values, [(r.id, e * r.nu) for r, e in zip(reactions, xi, strict=True)], notes, rows)

    @staticmethod
    def of_one(given: Given, count: int) -> Given:
        """What a single tank of the series is given."""
        of_tank = {"size_by": "volume", "volume": given.volume / count, "near": None, "search_low": None, "search_high": None}
        return Given(**vars(given) | of_tank | {"duty_given": 0.0, "conductance": None, "coolant": None, "target": None, "time": None})
