"""A recycle reactor: a tube of whose outlet a part goes back to its inlet at once.

Notation: xi: extents [mol/s], shape (m,); Q: heat put in [W]; R: flow that returns over flow that leaves.
"""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.declared.base import UnitResult
from gulch.engine.declared.declarations import Input, Result
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.handbook import LEVENSPIEL, Relation
from gulch.engine.phases import Stream
from gulch.engine.reactors.plug_flow import PlugFlow
from gulch.engine.reactors.tube import POINTS, Tube
from gulch.engine.vessels.contents import HELD_T

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.vessels.following import Followed

EXACT = 1e-8  # of all that is fed, by which what returns may differ from what leaves
MOST = 60  # tubes followed in search of that, times the number of unknowns


class RecycleReactor(PlugFlow):
    """Plug flow with an internal return, by rate laws."""

    kind = "recycle-reactor"
    label = "recycle reactor"
    meaning = "plug flow of whose outlet a part goes back to its inlet, as it is: between plug flow (none) and a stirred tank (all)"
    computed: tuple[Relation, ...] = (
        Relation(
            "n(inlet) = n(feed) + R n(product)",
            "R: what returns over what leaves; of several steady states the one found from the feed as it enters",
            f"{LEVENSPIEL}, ch. 6",
        ),
    )

    returned = Input("Return ratio", "ratio", "flow that returns over flow that leaves", low=0.0, high=1e4, default="1")
    inlet_conversion = Result("Conversion at the tube's inlet", "fraction", "of the key species, where feed and return are mixed")

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        if given.returned == 0.0 or feed.is_empty:
            return super().solve(feed, given, context)
        reactions, laws, per, phase = cls.prepare(feed, given, context)
        if given.falls == "ergun" or (given.falls == "drop" and given.pressure_drop > 0.0):
            raise UnitTrouble(
                "What returns has the pressure of what leaves: no fall of pressure can be held beside it.",
                "Let the pressure stay level.",
                "falls",
            )
        given.pressure_drop = 0.0
        through = Stream.at_temperature(context.model, (1.0 + given.returned) * feed.n, feed.T, feed.P)
        cls.film_in(laws, through, given, context, phase)
        held, m, R = given.mode in ("isothermal", "feed-temperature"), len(per), given.returned
        T_held = given.temperature if given.mode == "isothermal" else feed.T

        def inlet(u: np.ndarray) -> Stream:
            n = np.maximum((1.0 + R) * feed.n + R * u[:m] @ laws.nu, 0.0)
            if held:
                return Stream.at_temperature(context.model, n, T_held, feed.P)
            return Stream.at_enthalpy(context.model, n, (1.0 + R) * feed.enthalpy_flow + R * u[m] * 1e4 * feed.total, feed.P, feed.T)

        def tube_of(u: np.ndarray) -> tuple[Tube, Followed]:
            entering = inlet(u)
            H = cls.phase_state(context.model, entering.n, entering.T, entering.P, phase)[0]
            tube = Tube(entering, given, context, laws, per, phase, entering.T, H)
            return tube, tube.followed()

        def miss(u: np.ndarray) -> np.ndarray:
            try:
                tube, way = tube_of(u)
            except UnitTrouble:  # a trial may run away where the answer does not
                return np.full(m + 1, 1e3)
            found = way.end[:m] - u[:m]
            return np.r_[found, (way.end[m] - tube.H_in) / (1e4 * feed.total) - u[m]] / np.r_[np.full(m, feed.total), 1.0]

        u = cls.settled(miss, m)
        tube, way = tube_of(u)
        return cls.told(tube, way, u[:m], feed, given, context, reactions, laws, phase)

    @staticmethod
    def settled(miss: Any, m: int) -> np.ndarray:
        """Extents and heat at which what returns is what leaves, always sought from the feed as it enters. Raises UnitTrouble."""
        found = scipy.optimize.root(miss, np.zeros(m + 1), method="hybr", options={"xtol": 1e-12, "maxfev": MOST * (m + 1)})
        if np.abs(found.fun).max() < EXACT:
            return found.x
        raise UnitTrouble(
            "What returns and what leaves could not be brought together.", "Change the return ratio, or hold the temperature.", "returned"
        )

    @classmethod
    def told(
        cls, tube: Tube, way: Followed, xi: np.ndarray, feed: Stream, given: Given, context: Context, reactions: list, laws: Any, phase: int
    ) -> UnitResult:
        """The result of a tube at rest with its return."""
        whole = way.leaving() / (1.0 + given.returned)
        H, P, T, _ = way.end[-4:].tolist()
        if tube.heat == HELD_T:
            product = Stream.at_temperature(context.model, whole, tube.T_in, P)
        else:
            product = Stream.at_enthalpy(context.model, whole, feed.enthalpy_flow + H - tube.H_in, P, T)
        values = cls.account(feed, product, xi, given, reactions, context)
        looked = cache(lambda: way.along(POINTS))
        values |= cls.sizes(tube, way, looked, context)
        values["space_velocity"] = context.later(lambda: feed.volume_flow / tube.volume)
        values |= cls.weakened(laws, reactions, tube.T_in, feed.P, feed.n, phase, given, context.model)
        key = cls.key(feed, reactions, context)
        values["inlet_conversion"] = float(1.0 - tube.feed.n[key] / ((1.0 + given.returned) * feed.n[key])) if feed.n[key] > 0.0 else None
        values["profile"] = context.later(lambda: tube.profile(looked(), reactions, key), explains=True)
        values["extent"] = dict(zip((r.id for r in reactions), xi.tolist(), strict=True))
        rows = [{"reaction": r.id, "extent": float(e), "key": context.species[key]} for r, e in zip(reactions, xi, strict=True)]
        notes = cls.phase_remarks(product, given, context)
        return UnitResult({"product": product}, values, [(r.id, e * r.nu) for r, e in zip(reactions, xi, strict=True)], notes, rows)
