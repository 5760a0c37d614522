"""Valve: let the pressure fall without heat or work."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.declared.base import Unit, UnitResult
from gulch.engine.declared.declarations import Input, Result
from gulch.engine.declared.pressures import uphill
from gulch.engine.handbook import SMITH_VAN_NESS, Relation

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent


class Valve(Unit):
    """Throttling at constant enthalpy (Joule–Thomson)."""

    kind = "valve"
    hands_on = True
    label = "valve"
    short = "V"
    family = "pressure"
    meaning = "lowers the pressure at constant enthalpy"
    computed: tuple[Relation, ...] = (
        Relation(
            "H(product) = H(feed),  P = outlet pressure",
            "throttling: enthalpy stays, the temperature follows",
            f"{SMITH_VAN_NESS}, ch. 7",
        ),
    )

    pressure = Input("Outlet pressure", "pressure", "pressure of the stream that leaves", low=1.0, high=1e9, default="1 bar")

    outlet_temperature = Result("Outlet temperature", "temperature", "temperature of the stream that leaves", headline=True)
    vapour_share = Result("Vapour fraction", "fraction", "of the stream that leaves")

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        product = feed.at(P=given.pressure)
        return UnitResult(
            {"product": product},
            {
                "outlet_temperature": context.later(lambda: product.T),
                "vapour_share": context.later(lambda: product.vapour_fraction),
            },
            notes=uphill(feed, given.pressure, context, way="instead"),
        )

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        return {"product": at.only.at(at.result.outlets["product"], P=0.0 * at.only.P)}
