"""What flash drum and three-phase separator share: one stream comes to equilibrium, and its phases leave apart."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.declared.base import Unit, UnitResult
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.equipment import Equipment, drum_of

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent


class Drum(Unit):
    """Base of vessels in which what enters comes to equilibrium at one temperature and pressure."""

    family = "separators"

    mode = Choice(
        "Heat",
        {"temperature": "held at a temperature", "adiabatic": "adiabatic"},
        "whether it is held at a temperature or exchanges no heat",
        default="adiabatic",
    )
    temperature = Input(
        "Temperature", "temperature", "temperature of all outlets", low=100.0, high=3000.0, default="40 degC", when=("mode", "temperature")
    )
    pressure = Input("Pressure", "pressure", "pressure of all outlets; empty: the inlet's", low=1.0, high=1e9, optional=True)

    duty = Result("Duty", "power", "heat put in")
    vapour_share = Result("Vapour fraction", "fraction", "moles of vapour over moles of feed", headline=True)
    drum_temperature = Result("Temperature", "temperature", "temperature of all outlets")

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        return drum_of(inlets, list(result.outlets.values()), result.number("duty"))

    @staticmethod
    def whole(feed: Stream, given: Given) -> Stream:
        """What enters as it comes to equilibrium, before it is parted."""
        P = feed.P if given.pressure is None else given.pressure
        if given.mode == "temperature":
            return feed.at(T=given.temperature, P=P)
        if feed.is_empty:
            return feed.at(T=feed.T, P=P)
        return feed if P == feed.P else feed.at(P=P)

    @staticmethod
    def whole_moved(at: Moved) -> Tangent:
        """Changes of what is parted."""
        feed, whole, still = at.only, at.result.whole or at.only.stream, np.zeros(at.k)
        P = feed.P if at.given.pressure is None else still
        if at.given.mode == "temperature":
            return feed.at(whole, T=still, P=P)
        return feed if whole is feed.stream else feed.at(whole, P=P)

    @staticmethod
    def heat(feed: Stream, whole: Stream, given: Given, context: Context) -> object:
        """What the duty is told as [W]."""
        return context.later(lambda: whole.enthalpy_flow - feed.enthalpy_flow) if given.mode == "temperature" else 0.0
