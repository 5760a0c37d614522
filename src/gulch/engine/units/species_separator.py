"""Species separator: a share of each species to the first outlet."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.declared.base import Port, Unit, UnitResult, lowest
from gulch.engine.declared.declarations import Input, PerSpecies, Result
from gulch.engine.declared.pressures import uphill
from gulch.engine.handbook import Relation
from gulch.engine.phases import Stream
from gulch.engine.phases.tangent import Tangent

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved


class SpeciesSeparator(Unit):
    """Splits a stream species by species; each outlet may have its own temperature and pressure."""

    kind = "species-separator"
    label = "species separator"
    short = "SEP"
    family = "separators"
    meaning = "sends a set share of each species to the first outlet and the rest to the second"
    computed: tuple[Relation, ...] = (
        Relation(
            "n_i(first) = share_i · n_i(feed)",
            "the duty makes up for the outlets’ temperatures: duty = H(first) + H(second) − H(feed)",
        ),
    )
    outlets = (Port("first", "the set shares", draws="top"), Port("second", "the rest", draws="bottom"))

    share = PerSpecies("Share to first", "fraction", "share of the species that leaves by the first outlet", low=0.0, high=1.0)

    first_temperature = Input(
        "First leaves at", "temperature", "temperature of the first outlet; empty: the inlet's", low=100.0, high=3000.0, optional=True
    )
    first_pressure = Input(
        "First leaves at pressure", "pressure", "pressure of the first outlet; empty: the inlet's", low=1.0, high=1e9, optional=True
    )
    second_temperature = Input(
        "Second leaves at", "temperature", "temperature of the second outlet; empty: the inlet's", low=100.0, high=3000.0, optional=True
    )
    second_pressure = Input(
        "Second leaves at pressure", "pressure", "pressure of the second outlet; empty: the inlet's", low=1.0, high=1e9, optional=True
    )

    duty = Result("Duty", "power", "heat needed to bring both outlets to their states", headline=True)

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        P = lowest(entering["feed"])
        return {name: P if own is None else own for name, own in (("first", given.first_pressure), ("second", given.second_pressure))}

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        outlets, notes = {}, []
        n_first = feed.n * given.share
        for name, n in (("first", n_first), ("second", feed.n - n_first)):
            T, P = getattr(given, f"{name}_temperature"), getattr(given, f"{name}_pressure")
            if P is not None:
                notes += uphill(feed, P, context, f"{name}_pressure")
            outlets[name] = Stream.at_temperature(context.model, n, feed.T if T is None else T, feed.P if P is None else P)
        return UnitResult(
            outlets,
            {"duty": context.later(lambda: sum(s.enthalpy_flow for s in outlets.values()) - feed.enthalpy_flow)},
            notes=notes,
        )

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        feed, out = at.only, {}
        first = feed.n * np.asarray(at.given.share)[:, None]
        for name, n in (("first", first), ("second", feed.n - first)):
            T, P = (getattr(at.given, f"{name}_{what}") for what in ("temperature", "pressure"))
            still = np.zeros(at.k)
            out[name] = Tangent(at.result.outlets[name], n, feed.P if P is None else still, T=feed.T if T is None else still)
        return out
