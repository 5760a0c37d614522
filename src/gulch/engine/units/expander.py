"""Expander: gain work from a falling pressure."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.declared.base import Unit, UnitResult
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.equipment import UNKNOWN, Equipment
from gulch.engine.declared.pressures import EVEN, uphill
from gulch.engine.handbook import SMITH_VAN_NESS, Relation
from gulch.engine.units.shaft import PATHS, change_pressure, pressure_changed

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent


class Expander(Unit):
    """Real-gas expansion along an isentropic or polytropic path with an efficiency."""

    kind = "expander"
    label = "expander"
    short = "X"
    family = "pressure"
    meaning = "lowers the pressure of a gas and gains shaft work from it"
    computed: tuple[Relation, ...] = (
        Relation(
            "S(ideal end) = S(feed),  work = efficiency (H(ideal end) − H(feed))",
            "isentropic path; a polytropic one is made of many small steps of it, all of one efficiency",
            f"{SMITH_VAN_NESS}, ch. 7",
        ),
    )

    pressure = Input("Outlet pressure", "pressure", "pressure of the stream that leaves", low=1.0, high=1e9, default="1 bar")
    path = Choice("Efficiency is", PATHS, "what the efficiency compares with", default="isentropic")
    efficiency = Input("Efficiency", "fraction", "real work over ideal work", low=0.0, high=1.0, default="75 %")

    work = Result("Work", "power", "shaft work into the stream: negative, being gained", headline=True)
    outlet_temperature = Result("Outlet temperature", "temperature", "temperature of the stream that leaves")

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        return [Equipment(UNKNOWN, 0.0, why="No correlation for expanders is known here.")]

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        if feed.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=given.pressure)}, {"work": 0.0, "outlet_temperature": feed.T})
        if given.pressure > feed.P * (1.0 + EVEN):
            product = feed.at(P=given.pressure)
            return UnitResult(
                {"product": product},
                {"work": 0.0, "outlet_temperature": context.later(lambda: product.T)},
                notes=uphill(feed, given.pressure, context, way="instead"),
            )
        product, work = change_pressure(feed, given.pressure, given.efficiency, given.path, context.model, "expansion")
        notes = []
        wet = 1.0 - product.vapour_fraction
        if wet > 0.1:
            notes.append(
                (
                    "warning",
                    f"{100 * wet:.3g} % of the outlet is liquid, more than an expander's blades bear.",
                    "Heat the inlet, or expand less.",
                )
            )
        return UnitResult({"product": product}, {"work": work, "outlet_temperature": context.later(lambda: product.T)}, notes=notes)

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        product = at.result.outlets["product"]
        if product.is_empty or at.given.path != "isentropic" or product.P > at.inlets[0].P:
            return at.differenced(cls)
        return {"product": pressure_changed(at.only, product, at.given.efficiency, np.zeros(at.k))}
