"""Mixer: several streams into one, adiabatically."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import Port, Unit, UnitResult
from gulch.engine.declared.declarations import Result
from gulch.engine.declared.pressures import uneven_inlets
from gulch.engine.handbook import Relation
from gulch.engine.phases import Stream
from gulch.engine.phases.tangent import Tangent

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.model import PhaseModel


class Mixer(Unit):
    """Adds its inlets at the lowest inlet pressure; the outlet temperature follows from the energy balance."""

    kind = "mixer"
    hands_on = True
    label = "mixer"
    short = "MIX"
    family = "streams together and apart"
    meaning = "joins streams; the lowest inlet pressure holds and no heat is exchanged"
    computed: tuple[Relation, ...] = (
        Relation(
            "n_i = sum n_i(inlets),  H = sum H(inlets),  P = min P",
            "the temperature follows from H and P",
        ),
    )
    inlets = (Port("feed", "streams to join", many=True),)

    pressure_loss = Result("Largest throttling", "pressure difference", "highest less lowest inlet pressure")

    @classmethod
    def solve(cls, feed: Any, given: Given, context: Context) -> UnitResult:
        product, highest = joined(feed, context.model)
        return UnitResult({"product": product}, {"pressure_loss": highest - product.P}, notes=uneven_inlets(feed, context))

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        product = at.result.outlets["product"]
        present = [t for t in at.moved if not t.stream.is_empty]
        lowest = next((t for t in present if t.stream.P == product.P), at.moved[0])
        n, H = sum((t.n for t in at.moved), 0.0 * at.moved[0].n), sum((t.H for t in present), np.zeros(at.k))
        return {"product": Tangent(product, n, lowest.P, H=H)}


def joined(feed: list, model: PhaseModel) -> tuple:
    """(one Stream of several, adiabatically at the lowest pressure of those that carry something; their highest pressure)."""
    present = [s for s in feed if not s.is_empty] or feed[:1]
    n = sum((s.n for s in present[1:]), present[0].n)
    total = sum(s.total for s in present)
    guess = sum(s.guess * s.total for s in present) / total if total > 0.0 else present[0].guess
    H = sum(s.enthalpy_flow for s in present)
    return Stream.at_enthalpy(model, n, H, min(s.P for s in present), guess), max(s.P for s in present)
