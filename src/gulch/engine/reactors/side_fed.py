"""A side-fed tube: plug flow into which a second stream is put evenly along its way."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.declared.base import Port, UnitResult
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.handbook import Relation
from gulch.engine.reactors.plug_flow import PlugFlow

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given


class SideFedTube(PlugFlow):
    """Tube or bed in plug flow with a side feed spread evenly over its volume, by rate laws."""

    kind = "side-fed-tube"
    label = "side-fed tube"
    meaning = "integrates the rate laws of a set along a tube or a bed into which a second stream is put evenly along its way"
    computed: tuple[Relation, ...] = (
        Relation(
            "d n_i/dV = sum_r nu_ir r_r + n_i(side)/V",
            "what is put in brings its enthalpy; a differential side-stream reactor",
            "Feinberg & Hildebrandt, Chem. Eng. Sci. 52 (1997) 1637",
        ),
    )
    inlets = (Port("feed", "what enters at the beginning"), Port("side", "what is put in along the way"))

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        return super().pressures({"feed": entering["feed"]}, given, ports)

    @classmethod
    def solve(cls, feed: Any, given: Given, context: Context) -> UnitResult:
        if feed["feed"].is_empty and not feed["side"].is_empty:
            raise UnitTrouble("Nothing enters the tube's beginning.", "Let some of it in there.")
        return cls.through(feed["feed"], feed["side"], given, context)
