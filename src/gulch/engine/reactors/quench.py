"""A quench converter: beds in series, with cold gas put in between them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.declared.base import Port, UnitResult
from gulch.engine.declared.declarations import PerStage
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.handbook import FOGLER, Relation
from gulch.engine.reactors.multibed import MultibedConverter

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given


class QuenchConverter(MultibedConverter):
    """Beds in series by rate laws, cooled by cold gas that is put in before each but the first."""

    kind = "quench-converter"
    label = "quench converter"
    meaning = "beds in series, each adiabatic or cooled, with shares of a cold gas put in before each but the first"
    computed: tuple[Relation, ...] = (
        Relation("H(in) = H(bed before) + share · H(cold gas)", "before each bed but the first", f"{FOGLER}, ch. 11"),
    )
    inlets = (Port("feed", "what enters the first bed"), Port("cold", "cold gas, put in between the beds"))

    inlet = None  # type: ignore[assignment]  # it follows from the mixing
    stage_heat = None  # type: ignore[assignment]
    cold_share = PerStage(
        "Share of the cold gas",
        "fraction",
        "put in before a stage; the last takes what is left",
        low=0.0,
        high=1.0,
        default="50 %",
        first=2,
        last=1,
    )

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        return super().pressures({"feed": entering["feed"]}, given, ports)

    @classmethod
    def solve(cls, feed: Any, given: Given, context: Context) -> UnitResult:
        given.inlet = []
        return cls.staged(feed["feed"], feed["cold"], cls.shares_of(given), given, context)

    @staticmethod
    def shares_of(given: Given) -> list[float]:
        """Shares of the cold gas before each stage. Raises UnitTrouble where they are more than all of it, or there is one stage."""
        stages, shares = int(given.stages), list(given.cold_share)
        if stages < 2:
            raise UnitTrouble("One bed leaves no place for cold gas.", "Choose two stages or more.", "stages")
        left = 1.0 - sum(shares)
        if left < -1e-9:
            raise UnitTrouble(
                f"The shares of cold gas add to {100 * sum(shares):.4g} %.", "Let them be 100 % together at most.", "cold_share"
            )
        return [0.0, *shares, max(left, 0.0)]
