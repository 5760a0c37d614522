"""Pump: raise a liquid's pressure."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.declared.base import Unit, UnitResult
from gulch.engine.declared.declarations import Input, Result
from gulch.engine.declared.equipment import PUMP, Equipment
from gulch.engine.declared.pressures import downhill
from gulch.engine.declared.told import Note
from gulch.engine.handbook import SMITH_VAN_NESS, Relation
from gulch.engine.quantities import show

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent

MUCH = 20e5  # Pa, a rise from which a liquid's enthalpy under pressure is missed


class Pump(Unit):
    """Work = V (P2 − P1)/efficiency, the liquid taken as incompressible (any fluid-mechanics text)."""

    kind = "pump"
    hands_on = True
    label = "pump"
    short = "P"
    family = "pressure"
    meaning = "raises the pressure of a liquid; work is volume flow times pressure rise over efficiency"
    computed: tuple[Relation, ...] = (
        Relation(
            "work = V (P2 − P1)/efficiency",
            "V: volume flow of the liquid, taken as incompressible; the work stays in the liquid as heat",
            f"{SMITH_VAN_NESS}, ch. 7",
        ),
    )

    pressure = Input("Outlet pressure", "pressure", "pressure of the stream that leaves", low=1.0, high=1e9, default="10 bar")
    efficiency = Input("Efficiency", "fraction", "ideal work over shaft work", low=0.05, high=1.0, default="70 %")

    work = Result("Work", "power", "shaft work into the stream", headline=True)
    outlet_temperature = Result("Outlet temperature", "temperature", "temperature of the stream that leaves")

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        return [Equipment(PUMP, inlets[0].volume_flow)] if not inlets[0].is_empty else []

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        if feed.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=given.pressure)}, {"work": 0.0, "outlet_temperature": feed.T})
        if doubts := downhill(feed, given.pressure, context):
            product = feed.at(P=given.pressure)
            values = {"work": 0.0, "outlet_temperature": context.later(lambda: product.T)}
            return UnitResult({"product": product}, values, notes=doubts)
        notes = warmed(feed, given, context)
        if feed.vapour_fraction > 1e-6:  # borne while a loop fills
            what = f"{100 * feed.vapour_fraction:.3g} % of the inlet is vapour, which a pump cannot take."
            notes.append(Note("error", what, "Condense or separate the vapour first, or use a compressor."))
        work = feed.volume_flow * (given.pressure - feed.P) / given.efficiency
        product = feed.at(H=feed.enthalpy_flow + work, P=given.pressure)
        return UnitResult({"product": product}, {"work": work, "outlet_temperature": context.later(lambda: product.T)}, notes=notes)

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        feed, product, rise = at.only, at.result.outlets["product"], at.given.pressure - at.inlets[0].P
        if product.is_empty or rise < 0.0:
            return at.differenced(cls)
        work = (feed.V * rise - feed.stream.volume_flow * feed.P) / at.given.efficiency
        return {"product": feed.at(product, H=feed.H + work, P=np.zeros(at.k))}


def warmed(feed: Stream, given: Given, context: Context) -> list[Note]:
    """Notes that doubt the warming of a liquid whose model leaves out what pressure does to its enthalpy, V dP of it."""
    rise = given.pressure - feed.P
    if context.model.kind != "ideal" or rise < MUCH:
        return []
    return [
        Note(
            "warning",
            f"The ideal phase model counts all of the work as warmth, also what raises the pressure by "
            f"{show(rise, 'pressure difference', context.display)}: the liquid comes out too warm.",
            "Take a cubic equation in Chemistry where that temperature matters.",
        )
    ]
