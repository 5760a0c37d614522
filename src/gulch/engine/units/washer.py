"""Washer: gas and wash liquid meet, may react, and part again by shares of the species."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.declared.base import Port, Unit, UnitResult
from gulch.engine.declared.declarations import Input, PerSpecies, ReactionSet, Result
from gulch.engine.declared.pressures import outlet_pressure, uneven_inlets
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.handbook import Relation
from gulch.engine.phases import Stream
from gulch.engine.reactors.heat import T_SEARCH
from gulch.engine.reactors.stoichiometric import StoichiometricReactor
from gulch.engine.units.mixer import joined

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given


def adiabatic(excess: Callable, T: float) -> float:
    """Temperature [K] at which an enthalpy balance that rises with temperature closes, sought from T. Raises UnitTrouble."""
    low = high = T
    step = 5.0
    while excess(low) > 0.0 and low > T_SEARCH[0]:
        low, step = max(T_SEARCH[0], low - step), 2.0 * step
    step = 5.0
    while excess(high) < 0.0 and high < T_SEARCH[1]:
        high, step = min(T_SEARCH[1], high + step), 2.0 * step
    if excess(low) > 0.0 or excess(high) < 0.0:
        raise UnitTrouble(
            "No temperature closes its energy balance without heat.",
            "Give the temperature of the outlets.",
            "temperature",
        )
    return scipy.optimize.brentq(excess, low, high, xtol=1e-10, rtol=1e-14) if low < high else low


class Washer(Unit):
    """Absorber or washer without stages: shares of the species go with the gas, the rest with the liquid."""

    kind = "washer"
    label = "absorber/washer"
    short = "WASH"
    family = "separators"
    meaning = (
        "joins a gas (or a liquid) and a wash liquid, lets a set of reactions run (for example a neutralisation), and parts them by shares"
    )
    computed: tuple[Relation, ...] = (
        Relation(
            "n(after) = n(gas) + n(liquid) + sum nu xi",
            "its reactions run to their conversions first",
        ),
        Relation(
            "gas_i = share_i · n_i(after)",
            "without a typed temperature, the one at which no heat is exchanged",
        ),
    )
    inlets = (Port("feed", "what is washed, a gas or a liquid, and the wash liquid", many=True),)
    outlets = (Port("gas", "what was washed: a gas, or a liquid", draws="top"), Port("liquid", "the spent wash liquid", draws="bottom"))

    set = ReactionSet("Reactions", "run at their given conversions before the parting; none is needed", optional=True)
    share = PerSpecies(
        "Share left in what is washed",
        "fraction",
        "share of the species, after the reactions, that leaves with the washed gas, or liquid; the rest goes with the wash",
        low=0.0,
        high=1.0,
    )
    temperature = Input(
        "Temperature",
        "temperature",
        "temperature of both outlets; empty: adiabatic",
        low=100.0,
        high=3000.0,
        optional=True,
        empty="adiabatic",
    )
    pressure_drop = Input("Pressure drop", "pressure difference", "lowest inlet less outlet pressure", low=0.0, high=1e8, default="0 bar")

    duty = Result("Duty", "power", "heat to bring both outlets to their states", headline=True)
    wash_temperature = Result("Temperature", "temperature", "temperature of both outlets")
    achieved = Result("Achieved conversion", "fraction", "of the key species, on what entered the reaction's step", per="reaction")

    @classmethod
    def solve(cls, feed: list, given: Given, context: Context) -> UnitResult:
        whole, _ = joined(feed, context.model)
        H, guess = whole.enthalpy_flow, whole.guess
        P = outlet_pressure(whole, given.pressure_drop, context)
        changes, rows, notes = [], [], uneven_inlets(feed, context)
        n = whole.n
        if given.set and not whole.is_empty:
            steps = context.sets[given.set]
            if any(r.polynomial is not None for step in steps for r in step):
                raise UnitTrouble(
                    "A conversion that depends on temperature cannot be used in a washer.",
                    "Give the reaction a plain conversion, or use a reactor before it.",
                    "set",
                )
            n, changes, rows, *_ = StoichiometricReactor.run(whole, steps, None, context)
            notes += StoichiometricReactor.short_of(rows)
        after = Stream.at_enthalpy(context.model, n, H, P, guess)
        gas = n * given.share

        def parted(T: float) -> dict[str, Stream]:
            return {
                "gas": Stream.at_temperature(context.model, gas, T, P),
                "liquid": Stream.at_temperature(context.model, n - gas, T, P),
            }

        T = given.temperature
        if T is None:
            # parted by shares the two hold another enthalpy than together, so their temperature is sought
            T = after.T if after.is_empty else adiabatic(lambda t: sum(s.enthalpy_flow for s in parted(t).values()) - H, after.T)
        outlets = parted(T)
        return UnitResult(
            outlets,
            {
                "duty": context.later(lambda: sum(s.enthalpy_flow for s in outlets.values()) - H),
                "wash_temperature": T,
                "achieved": {row["reaction"]: row["achieved"] for row in rows},
            },
            changes,
            notes,
            rows,
        )
