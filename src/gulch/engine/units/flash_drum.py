"""Flash drum: separate vapour from liquid."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.declared.base import Port, UnitResult, no_gas_as_liquid
from gulch.engine.declared.pressures import uphill
from gulch.engine.declared.told import Code, Note
from gulch.engine.handbook import MICHELSEN_MOLLERUP, Relation
from gulch.engine.quantities import show
from gulch.engine.units.drum import Drum

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent


class FlashDrum(Drum):
    """Separates a stream into its vapour and its liquid at equilibrium."""

    kind = "flash-drum"
    label = "flash drum"
    short = "DRUM"
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

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        whole = cls.whole(feed, given)
        if feed.is_empty:
            return UnitResult({"vapour": whole, "liquid": whole}, {"duty": 0.0, "vapour_share": None, "drum_temperature": whole.T})
        state = whole.state
        notes = no_gas_as_liquid(state, context)
        doubts = uphill(feed, whole.P, context)
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
                "duty": cls.heat(feed, whole, given, context),
                "vapour_share": state.vapour_fraction,
                "drum_temperature": state.temperature,
            },
            notes=context.later(lambda: [*notes, *doubts, *cls.parts_nothing(whole, context)]),
            whole=whole,
        )

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        return cls.whole_moved(at).parted(at.result.outlets)

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
