"""Flash drum: separate vapour from liquid."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.declared.base import Port, Unit, UnitResult, no_gas_as_liquid
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.equipment import Equipment, drum_of
from gulch.engine.declared.pressures import uphill
from gulch.engine.declared.told import Code, Note
from gulch.engine.handbook import MICHELSEN_MOLLERUP, Relation
from gulch.engine.quantities import show

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent


class FlashDrum(Unit):
    """Separates a stream into its vapour and its liquid at equilibrium."""

    kind = "flash-drum"
    label = "flash drum"
    short = "DRUM"
    family = "separators"
    meaning = "lets a stream come to phase equilibrium and separates vapour from liquid"
    computed: tuple[Relation, ...] = (
        Relation(
            "z_i F = y_i V + x_i L,  f_i(vapour) = f_i(liquid)",
            "shares of lowest Gibbs energy at temperature and pressure, tested for stability; adiabatic, the temperature at "
            "which H out = H in",
            f"{MICHELSEN_MOLLERUP}, ch. 10 and 11",
        ),
    )
    outlets = (Port("vapour", "the vapour", draws="top"), Port("liquid", "the liquid", draws="bottom"))

    mode = Choice(
        "Heat",
        {"temperature": "held at a temperature", "adiabatic": "adiabatic"},
        "whether the drum is held at a temperature or exchanges no heat",
        default="adiabatic",
    )
    temperature = Input(
        "Temperature", "temperature", "temperature of both outlets", low=100.0, high=3000.0, default="40 degC", when=("mode", "temperature")
    )
    pressure = Input("Pressure", "pressure", "pressure of both outlets; empty: the inlet's", low=1.0, high=1e9, optional=True)

    duty = Result("Duty", "power", "heat into the drum")
    vapour_share = Result("Vapour fraction", "fraction", "moles of vapour over moles of feed", headline=True)
    drum_temperature = Result("Temperature", "temperature", "temperature of both outlets")

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        return drum_of(inlets, list(result.outlets.values()), result.number("duty"))

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        pressure = feed.P if given.pressure is None else given.pressure
        T = given.temperature if given.mode == "temperature" else None
        if feed.is_empty:
            empty = feed.at(T=T or feed.T, P=pressure)
            return UnitResult({"vapour": empty, "liquid": empty}, {"duty": 0.0, "vapour_share": None, "drum_temperature": empty.T})
        if T is not None:
            whole = feed.at(T=T, P=pressure)
        else:
            whole = feed if pressure == feed.P else feed.at(P=pressure)
        state = whole.state
        notes = no_gas_as_liquid(state, context)
        doubts = uphill(feed, pressure, context)
        outlets = whole.parted()
        if not notes and len(state.liquids) > 1:
            what = "Two liquids form and leave together as liquid."
            notes.append(Note("warning", what, "Part them downstream in a decanter, or here in a three-phase separator."))
        elif not notes and state.further_phase:
            notes.append(
                Note(
                    "warning",
                    "The stability test indicates a further phase, which the flash did not find.",
                    "Check the phase model and its interaction parameters for these species.",
                    Code.FURTHER_PHASE,
                )
            )
        return UnitResult(
            outlets,
            {
                "duty": context.later(lambda: whole.enthalpy_flow - feed.enthalpy_flow) if T is not None else 0.0,
                "vapour_share": state.vapour_fraction,
                "drum_temperature": state.temperature,
            },
            notes=context.later(lambda: [*notes, *doubts, *cls.parts_nothing(whole, context)]),
            whole=whole,
        )

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        return whole_moved(at).parted(at.result.outlets)

    @staticmethod
    def parts_nothing(whole: Stream, context: Context) -> list[Note]:
        """A warning where all that enters leaves by one outlet, with the temperature from which it would be otherwise."""
        vapour = whole.vapour_fraction
        if vapour is None or 1e-9 < vapour < 1.0 - 1e-9:
            return []
        dew = vapour > 0.5
        name, other, way = ("vapour", "dew", "Cool it below") if dew else ("liquid", "bubble", "Heat it above")
        T, P = show(whole.T, "temperature", context.display), show(whole.P, "pressure", context.display)
        found = context.model.boundary(dew, whole.P, whole.n, whole.T)
        what = f"Nothing is parted: at {T} and {P} all of it is {name}."
        if found is None:
            return [Note("warning", what, f"No {other} point was found at this pressure: try another.")]
        edge = f"its {other} point of {show(found[0], 'temperature', context.display)}"
        change = "raise" if dew else "lower"
        return [Note("warning", what, f"{way} {edge}, or {change} the pressure.")]


def whole_moved(at: Moved) -> Tangent:
    """Changes of what a drum parts, held at a temperature or adiabatic."""
    feed, whole, still = at.only, at.result.whole or at.only.stream, np.zeros(at.k)
    P = feed.P if at.given.pressure is None else still
    if at.given.mode == "temperature":
        return feed.at(whole, T=still, P=P)
    return feed if whole is feed.stream else feed.at(whole, P=P)
