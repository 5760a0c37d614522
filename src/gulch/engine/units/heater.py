"""Heater/cooler: bring one stream to a temperature, by a duty, or to a vapour fraction."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.declared.base import Unit, UnitResult
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.equipment import Equipment, heat_of
from gulch.engine.declared.pressures import outlet_pressure
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.handbook import SMITH_VAN_NESS, Relation
from gulch.engine.phases import Stream
from gulch.engine.phases.state import TemperatureNotFound
from gulch.engine.quantities import Worded, show

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.tangent import Tangent


class Heater(Unit):
    """Heats or cools a stream."""

    kind = "heater"
    hands_on = True
    label = "heater/cooler"
    short = "H"
    family = "heat"
    meaning = "heats or cools a stream to a set temperature, by a set duty or to a set vapour fraction"
    computed: tuple[Relation, ...] = (
        Relation(
            "duty = H(product) − H(feed)",
            "H: enthalpy flow from the elements, so that heats of reaction and of phase change are in it",
            f"{SMITH_VAN_NESS}, ch. 2",
        ),
    )

    mode = Choice(
        "Set by",
        {"temperature": "outlet temperature", "duty": "duty", "vapour-fraction": "vapour fraction"},
        "what is given: the outlet temperature, the duty or the vapour fraction",
        default="temperature",
    )
    temperature = Input(
        "Outlet temperature",
        "temperature",
        "temperature of the stream that leaves",
        low=100.0,
        high=3000.0,
        default="100 degC",
        when=("mode", "temperature"),
    )
    duty_given = Input("Duty", "power", "heat put in; negative takes heat out", default="0 kW", when=("mode", "duty"), written="duty")
    vapour_fraction = Input(
        "Vapour fraction",
        "fraction",
        "0 % is the bubble point, 100 % the dew point",
        low=0.0,
        high=1.0,
        default="100 %",
        when=("mode", "vapour-fraction"),
    )
    pressure_drop = Input("Pressure drop", "pressure difference", "inlet less outlet pressure", low=0.0, high=1e8, default="0 bar")

    duty = Result("Duty", "power", "heat into the stream: outlet less inlet enthalpy flow", headline=True)
    outlet_temperature = Result("Outlet temperature", "temperature", "temperature of the stream that leaves")

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        product = result.outlets["product"]
        return heat_of(result.number("duty"), product.T, product.P)

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        pressure = outlet_pressure(feed, given.pressure_drop, context)
        if feed.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=pressure)}, {"duty": 0.0, "outlet_temperature": feed.T})
        notes = []
        if given.mode == "temperature":
            product = feed.at(T=given.temperature, P=pressure)
        elif given.mode == "duty":
            product = feed.at(H=feed.enthalpy_flow + given.duty_given, P=pressure)
        else:
            try:
                state, *colder = context.model.all_at_vapour_fraction(given.vapour_fraction, pressure, feed.n, feed.guess)
            except TemperatureNotFound as error:
                raise UnitTrouble(
                    Worded("At {} the mixture cannot be brought to this vapour fraction: {}.", (pressure, "pressure"), error),
                    "Lower the pressure, or set a temperature instead.",
                    "vapour_fraction",
                ) from None
            product = Stream.from_state(context.model, feed.n, state)
            if colder:
                taken, *others = (show(s.temperature, "temperature", context.display) for s in (state, *colder))
                notes.append(
                    (
                        "warning",
                        f"It has this vapour fraction at {taken}, which is taken, and at {', '.join(others)} as well.",
                        "Set the outlet temperature where another is meant.",
                    )
                )
        return UnitResult(
            {"product": product},
            {
                "duty": context.later(lambda: product.enthalpy_flow - feed.enthalpy_flow),
                "outlet_temperature": context.later(lambda: product.T),
            },
            notes=notes,
        )

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        product = at.result.outlets["product"]
        if at.given.mode == "vapour-fraction" or product.is_empty:
            return at.differenced(cls)
        if at.given.mode == "temperature":
            return {"product": at.only.at(product, T=0.0 * at.only.P)}
        return {"product": at.only.at(product)}
