"""Compressor: raise a vapour's pressure, in stages with cooling between them where wanted."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import Unit, UnitResult
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.equipment import COMPRESSOR, Equipment
from gulch.engine.declared.pressures import downhill
from gulch.engine.handbook import SMITH_VAN_NESS, Relation
from gulch.engine.units.shaft import PATHS, change_pressure, pressure_changed

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.document import Project
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent


class Compressor(Unit):
    """Real-gas compression along an isentropic or polytropic path with an efficiency."""

    kind = "compressor"
    label = "compressor"
    short = "K"
    family = "pressure"
    meaning = "raises the pressure of a vapour; work follows from an isentropic or polytropic path and an efficiency"
    computed: tuple[Relation, ...] = (
        Relation(
            "S(ideal end) = S(feed),  work = (H(ideal end) − H(feed))/efficiency",
            "isentropic path; a polytropic one is made of many small steps of it, all of one efficiency",
            f"{SMITH_VAN_NESS}, ch. 7",
        ),
        Relation(
            "r = (P2/P1)^(1/stages)",
            "pressure ratio of each stage",
        ),
    )

    pressure = Input("Outlet pressure", "pressure", "pressure of the stream that leaves", low=1.0, high=1e9, default="10 bar")
    path = Choice("Efficiency is", PATHS, "what the efficiency compares with", default="isentropic")
    efficiency = Input("Efficiency", "fraction", "ideal work over real work, of each stage", low=0.05, high=1.0, default="75 %")
    stages = Input("Stages", "count", "stages of equal pressure ratio", low=1.0, high=10.0, default="1", counted=False)
    between = Input(
        "Cooled between stages to",
        "temperature",
        "temperature at the inlet of every stage but the first; empty: not cooled",
        low=100.0,
        high=3000.0,
        optional=True,
        empty="not cooled",
    )

    work = Result("Work", "power", "shaft work into the stream", headline=True)
    duty = Result("Duty", "power", "heat taken out between the stages, negative")
    outlet_temperature = Result("Outlet temperature", "temperature", "temperature of the stream that leaves")
    hottest = Result("Hottest stage outlet", "temperature", "highest temperature after any stage")

    @classmethod
    def check(cls, entry: Any, project: Project) -> Iterator:
        if entry.stages is None:
            return
        try:
            whole = float(entry.stages) == int(float(entry.stages))
        except (TypeError, ValueError):
            return  # said by the check of quantities
        if not whole:
            yield "stages", f"{entry.id} cannot have {entry.stages} stages.", "Type a whole number."

    @classmethod
    def heats(cls, values: dict[str, Any], given: Given, outlets: dict[str, Stream]) -> list[tuple[float, float]]:
        heat = values.get("duty")
        return [(heat, given.between)] if heat else []

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        return [Equipment(COMPRESSOR, abs(result.number("work") or 0.0))]

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        if feed.is_empty:
            return UnitResult(
                {"product": feed.at(T=feed.T, P=given.pressure)},
                {"work": 0.0, "duty": 0.0, "outlet_temperature": feed.T},
            )
        if doubts := downhill(feed, given.pressure, context):
            product = feed.at(P=given.pressure)
            values = {"work": 0.0, "duty": 0.0, "outlet_temperature": context.later(lambda: product.T)}
            return UnitResult({"product": product}, values, notes=doubts)
        count = max(1, round(given.stages))
        ratio = (given.pressure / feed.P) ** (1.0 / count)
        notes, work, duty, tops = [], 0.0, 0.0, []
        stream = feed
        for k in range(count):
            if k and given.between is not None:
                cooled = stream.at(T=given.between, P=stream.P)
                duty += cooled.enthalpy_flow - stream.enthalpy_flow
                stream = cooled
            if stream.vapour_fraction < 1.0 - 1e-6:
                where = "The inlet" if k == 0 else f"The inlet of stage {k + 1}"
                notes.append(
                    (
                        "warning",
                        f"{where} holds {100 * (1 - stream.vapour_fraction):.3g} % liquid, which a compressor must not take.",
                        "Separate the liquid in a flash drum first, or heat the inlet."
                        if k == 0
                        else "Cool less between the stages, or take the liquid out between two compressors.",
                    )
                )
            P = given.pressure if k == count - 1 else stream.P * ratio
            stream, power = change_pressure(stream, P, given.efficiency, given.path, context.model, "compression")
            work += power
            tops.append(stream)
        return UnitResult(
            {"product": stream},
            {
                "work": work,
                "duty": duty,
                "outlet_temperature": context.later(lambda: stream.T),
                "hottest": context.later(lambda: max(s.T for s in tops)),
            },
            notes=notes,
        )

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        given, product = at.given, at.result.outlets["product"]
        if product.is_empty or given.path != "isentropic" or round(given.stages) > 1 or product.P < at.inlets[0].P:
            return at.differenced(cls)
        return {"product": pressure_changed(at.only, product, given.efficiency, np.zeros(at.k))}
