"""What all reactors share: reaction set, thermal mode, pressure drop.

Notation: T [K]; extents [mol/s]: shape (m,); heat [W].
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.declared.base import Port, Unit, UnitResult, supported
from gulch.engine.declared.declarations import Choice, Input, ReactionSet, Result
from gulch.engine.declared.equipment import Equipment, catalyst_of, heat_of, vessel_of
from gulch.engine.declared.pressures import outlet_pressure
from gulch.engine.declared.told import Code, Room, UnitTrouble
from gulch.engine.handbook import SMITH_VAN_NESS, Relation
from gulch.engine.phases import Stream, StreamTrouble
from gulch.engine.phases.tangent import Tangent
from gulch.engine.quantities import show
from gulch.engine.reactors.counted import over

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved

BOTH_PHASES = (
    Port("vapour", "the vapour that leaves", draws="top"),
    Port("liquid", "the liquid that leaves", draws="bottom"),
)
T_STANDARD = 298.15  # K
T_SEARCH = (200.0, 3500.0)  # where an adiabatic outlet is searched [K]


def phase_of(feed: Stream) -> str:
    """The phase that most of a stream is in, "vapour" or "liquid"."""
    return "liquid" if not feed.is_empty and feed.vapour_fraction < 0.5 else "vapour"


def phase_held(feed: Stream, given: Given) -> str:
    """The phase that most of a feed is in at the temperature at which a reactor is held: "vapour" or "liquid"."""
    T = given.temperature if given.mode == "isothermal" else None
    found = phase_of(feed)
    if T is None or feed.is_empty or (T - feed.T) * (1.0 if found == "vapour" else -1.0) >= 0.0:
        return found  # what is vapour is so when it is hotter
    return phase_of(feed.at(T=T))


def vapour_in(product: Stream) -> float | None:
    """The vapour fraction of what of an outlet is volatile, None where nothing is or it has no state."""
    try:
        moles = float(product.n[product.model.volatile].sum())
        return product.vapour_fraction * product.total / moles if moles > 0.0 else None
    except StreamTrouble:
        return None


# Ways of holding a reactor's temperature
HEATED = {
    "isothermal": "held at a temperature",
    "feed-temperature": "held at the feed's temperature",
    "adiabatic": "adiabatic",
    "duty": "given duty",
}


class Reactor(Unit):
    """Base of the reactors: thermal modes and their closing on a known outlet composition."""

    short = "R"
    family = "reactors"
    computed: tuple[Relation, ...] = (
        Relation(
            "duty = H(products) − H(feed)",
            "H: enthalpy flow from the elements at 25 °C, so that no heat of reaction is added to it",
            f"{SMITH_VAN_NESS}, ch. 4",
        ),
    )

    set = ReactionSet("Reaction set", "the reactions that run here, in their steps")
    mode = Choice(
        "Heat",
        HEATED,
        "held at a temperature, at the feed's, without heat exchange, or with a given duty",
        default="feed-temperature",
        group="heat",
    )
    temperature = Input(
        "Temperature",
        "temperature",
        "temperature of the stream that leaves",
        low=100.0,
        high=3000.0,
        when=("mode", "isothermal"),
        group="heat",
        context="the feed's",
    )
    duty_given = Input(
        "Duty", "power", "heat put in; negative takes heat out", default="0 kW", when=("mode", "duty"), group="heat", written="duty"
    )
    pressure_drop = Input("Pressure drop", "pressure difference", "inlet less outlet pressure", low=0.0, high=1e8, default="0 bar")

    duty = Result("Duty", "power", "heat into the reactor: outlet less inlet enthalpy flow", headline=True)
    heat_of_reaction = Result(
        "Heat of reaction",
        "power",
        "sum of extents times standard heats of reaction, in the phase that reacts",
        words="heat_holds",
    )
    outlet_temperature = Result("Outlet temperature", "temperature", "temperature of the stream that leaves")
    conversion = Result("Conversion", "fraction", "(in − out)/in of a species over this reactor", per="species", headline=True)
    per_pass_conversion = Result(
        "Per-pass conversion", "fraction", "(A in − A out)/(A in) over the reactor", of=lambda r: over(r).conversion, counted=True
    )
    selectivity = Result(
        "Selectivity", "fraction", "r (P out − P in)/(A in − A out) over the reactor", of=lambda r: over(r).selectivity, counted=True
    )
    yielded = Result(
        "Yield", "fraction", "r (P out − P in)/(A in) over the reactor", of=lambda r: over(r).share, counted=True, written="yield"
    )

    @classmethod
    def adopt(cls, feed: Stream, given: Given) -> dict:
        if given.mode == "isothermal" and given.temperature is None:
            given.temperature = feed.T
            return {"temperature": feed.T}
        return {}

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        volume, P = result.number("volume_result"), max((s.P for s in inlets), default=1e5)
        hottest = max((s.T for s in result.outlets.values() if not s.is_empty), default=0.0)
        return vessel_of(volume, P) + catalyst_of(volume, given.bulk_density) + heat_of(result.number("duty"), hottest, P)

    @staticmethod
    def reactions(given: Given, context: Context) -> list:
        """All reactions of the set, whatever their steps. Raises UnitTrouble where there is none."""
        found = [r for step in context.sets[given.set] for r in step]
        if not found:
            raise UnitTrouble(f"Set {given.set} holds no reaction.", "Add a reaction to it in Chemistry.", "set")
        return found

    @staticmethod
    def phase_rooms(product: Stream, phase: str) -> list[Room]:
        """The Room of an outlet before another phase than the "vapour" or "liquid" that the contents are taken as; [] where unknown."""
        if product.is_empty:
            return []
        try:
            T, dew = product.T, phase == "vapour"
            edge = product.model.saturated(dew, product.P, product.n, T).temperature
            other = 1.0 - product.vapour_fraction if dew else product.vapour_fraction
        except ValueError:  # without a boiling range, or without a state
            return []
        distance = T - edge if dew else edge - T
        if (other > 1e-9) != (distance < 0.0) and abs(distance) > 1e-4:
            return []  # a dense gas, which that boundary does not bound
        return [Room(Code.WRONG_PHASE, "nothing but gas" if dew else "nothing but liquid", float(distance))]

    @classmethod
    def leave(cls, feed: Stream, n: np.ndarray, given: Given, context: Context) -> Stream:
        """The outlet Stream with amounts n [mol/s] in the thermal mode given."""
        pressure = outlet_pressure(feed, given.pressure_drop, context)
        if given.mode == "isothermal":
            return Stream.at_temperature(context.model, n, given.temperature, pressure)
        if given.mode == "feed-temperature":
            return Stream.at_temperature(context.model, n, feed.T, pressure)
        heat = given.duty_given if given.mode == "duty" else 0.0
        return Stream.at_enthalpy(context.model, n, feed.enthalpy_flow + heat, pressure, feed.guess)

    @staticmethod
    def left(at: Moved, n: np.ndarray) -> Tangent:
        """Changes of the outlet where its amounts change by n [mol/s], shape (n, k), in the thermal mode given."""
        feed, product = at.only, at.result.outlets["product"]
        if at.given.mode == "isothermal":
            return Tangent(product, n, feed.P, T=feed.T if at.given.temperature is None else np.zeros(at.k))
        if at.given.mode == "feed-temperature":
            return Tangent(product, n, feed.P, T=feed.T)
        return Tangent(product, n, feed.P, H=feed.H)

    @classmethod
    def reacted(cls, at: Moved, n: np.ndarray, by_T: np.ndarray) -> Tangent:
        """Changes of the outlet where its amounts change by n at constant temperature, shape (n, k), and by `by_T` per kelvin, (n,)."""
        feed, product = at.only, at.result.outlets["product"]
        if at.given.mode in ("isothermal", "feed-temperature"):
            held = at.given.mode == "isothermal" and at.given.temperature is not None
            return cls.left(at, n if held else n + np.outer(by_T, feed.T))
        still = np.zeros(at.k)
        cold = Tangent(product, n, feed.P, T=still).H
        warmer = float(Tangent(product, by_T[:, None], np.zeros(1), T=np.ones(1)).H[0])
        T = (feed.H - cold) / warmer
        return Tangent(product, n + np.outer(by_T, T), feed.P, T=T, H=feed.H)

    @classmethod
    def settle_heat(cls, feed: Stream, given: Given, context: Context, amounts_at: Callable, work_at: Callable | None = None) -> Stream:
        """The outlet Stream where the composition depends on temperature.

        amounts_at(T): amounts [mol/s] that leave at T; work_at(T): work [W] put in beside heat.
        Raises UnitTrouble when the energy balance has no solution inside the searched range.
        """
        if given.mode in ("isothermal", "feed-temperature"):
            T = given.temperature if given.mode == "isothermal" else feed.T
            return cls.leave(feed, amounts_at(T), given, context)
        pressure = outlet_pressure(feed, given.pressure_drop, context)
        target = feed.enthalpy_flow + (given.duty_given if given.mode == "duty" else 0.0)

        def excess(T: float) -> float:
            work = work_at(T) if work_at is not None else 0.0
            return Stream.at_temperature(context.model, amounts_at(T), T, pressure).enthalpy_flow - target - work

        def probe(T: float, toward: float) -> tuple:
            """(T, excess) at T or, where nothing can be computed there, as near to it as halving the way allows."""
            for _ in range(12):
                try:
                    return T, excess(T)
                except UnitTrouble as error:
                    T, trouble = 0.5 * (T + toward), error
            raise trouble

        low = high = min(max(feed.T, T_SEARCH[0]), T_SEARCH[1])
        step = 40.0
        f_low = f_high = excess(low)
        while f_low > 0.0 and low > T_SEARCH[0]:
            high, f_high = low, f_low
            low, f_low = probe(max(T_SEARCH[0], low - step), high)
            step *= 2.0
        while f_high < 0.0 and high < T_SEARCH[1]:
            low, f_low = high, f_high
            high, f_high = probe(min(T_SEARCH[1], high + step), low)
            step *= 2.0
        if f_low > 0.0 or f_high < 0.0:
            raise UnitTrouble(
                f"The energy balance has no solution between {' and '.join(show(T, 'temperature', context.display) for T in T_SEARCH)}.",
                "Change the duty or the feed's temperature.",
                "duty",
            )
        T = scipy.optimize.brentq(excess, low, high, xtol=1e-9, rtol=1e-14) if f_low < 0.0 < f_high else (low if f_low == 0.0 else high)
        # the last bit of enthalpy goes into the temperature, so that the balance closes
        return Stream.at_enthalpy(context.model, amounts_at(T), target + (work_at(T) if work_at is not None else 0.0), pressure, T)

    @classmethod
    def reacting_phase(cls, feed: Stream, product: Stream, given: Given, reactions: list) -> str:
        """ "liquid" where both what enters and what leaves is mostly that, else "vapour": conversions alone tell no phase."""
        return "liquid" if phase_of(feed) == phase_of(product) == "liquid" else "vapour"

    @classmethod
    def reaction_heat(cls, feed: Stream, product: Stream, extents: Any, given: Given, reactions: list, context: Context) -> dict[str, Any]:
        """Heat of reaction at 298.15 K in the phase that reacts, and words for that."""
        model = context.model

        def heat() -> float:
            h = model.standard_enthalpies(T_STANDARD, cls.reacting_phase(feed, product, given, reactions))
            return float(sum(x * (r.nu @ h) for x, r in zip(extents, reactions, strict=True)))

        def words() -> str:
            phase = cls.reacting_phase(feed, product, given, reactions)
            taking_part = [i for i in range(model.n) if any(r.nu[i] for r in reactions)]
            apart = []
            if phase == "liquid":
                gases = [context.species[i] for i in taking_part if not model.can_be_liquid(i, T_STANDARD)]
                apart += [f"{' and '.join(gases)} as gas"] if gases else []
                ions = [context.species[i] for i in taking_part if model.of_ions[i]]
                apart += [f"{' and '.join(ions)} as ions in water"] if ions else []
            else:
                condensed = [context.species[i] for i in taking_part if not model.volatile[i]]
                apart += [f"{' and '.join(condensed)} condensed"] if condensed else []
                if phase_of(feed) != phase_of(product):
                    apart.append(f"what enters is mostly {phase_of(feed)}, what leaves {phase_of(product)}")
            at = show(T_STANDARD, "temperature", context.display)
            return "; ".join([f"of pure liquids at {at}" if phase == "liquid" else f"of gases at {at}", *apart])

        return {"heat_of_reaction": context.later(heat), "heat_holds": context.later(words)}

    @classmethod
    def account(cls, feed: Stream, product: Stream, extents: Any, given: Given, reactions: list, context: Context) -> dict[str, Any]:
        """Values common to all reactors; extents [mol/s] by reaction."""
        converted = {}
        for i, species in enumerate(context.species):
            if feed.n[i] > 0.0:
                converted[species] = float(supported(feed.n[i] - product.n[i], feed.n[i]) / feed.n[i])
        return {
            "duty": context.later(lambda: product.enthalpy_flow - feed.enthalpy_flow),
            **cls.reaction_heat(feed, product, extents, given, reactions, context),
            "outlet_temperature": context.later(lambda: product.T),
            "conversion": converted,
        }
