"""Three-phase separator: vapour, light liquid and heavy liquid from one stream."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from gulch.engine.declared.base import Port, UnitResult, no_gas_as_liquid
from gulch.engine.declared.declarations import Result
from gulch.engine.declared.pressures import uphill
from gulch.engine.declared.told import Note
from gulch.engine.handbook import Relation
from gulch.engine.units.drum import Drum

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.document import Project
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent


class ThreePhaseSeparator(Drum):
    """Separates a stream into its vapour and its two liquids at equilibrium; the lighter liquid floats on the heavier one."""

    kind = "three-phase-separator"
    label = "three-phase separator"
    short = "SEP"
    parts_liquids = True
    meaning = "lets a stream come to phase equilibrium and separates vapour, light liquid and heavy liquid"
    computed: tuple[Relation, ...] = (
        Relation(
            "z_i F = y_i V + x_i L1 + w_i L2,  f_i equal in all three",
            "shares of lowest Gibbs energy at temperature and pressure, tested for stability; the lighter liquid by mass density floats",
            "Michelsen, Comput. Chem. Eng. 18 (1994) 545",
        ),
    )
    outlets = (
        Port("vapour", "the vapour", draws="top"),
        Port("light", "the lighter liquid", draws="bottom"),
        Port("heavy", "the heavier liquid", draws="bottom"),
    )

    light_share = Result("Light liquid", "fraction", "moles of the lighter liquid over moles of feed")
    heavy_share = Result("Heavy liquid", "fraction", "moles of the heavier liquid over moles of feed")

    @classmethod
    def check(cls, entry: Any, project: Project) -> Iterator:
        if project.phase_model.kind == "ideal":
            yield (
                "mode",
                f"{entry.id}: the ideal phase model knows only one liquid.",
                "Choose an activity model or another phase model in Chemistry.",
            )

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        whole = cls.whole(feed, given)
        outlets = whole.layers()
        values: dict[str, Any] = {"duty": 0.0, "vapour_share": None, "light_share": None, "heavy_share": None, "drum_temperature": whole.T}
        if feed.is_empty:
            return UnitResult(outlets, values)
        notes = no_gas_as_liquid(whole.state, context)
        if not notes and len(whole.state.liquids) == 1:
            side = "heavy" if outlets["light"].is_empty else "light"
            notes.append(Note("warning", f"Only one liquid forms; it leaves at the {side} outlet.", "Check temperature and phase model."))
        values["duty"] = cls.heat(feed, whole, given, context)
        values |= {f"{name}_share": outlets[name].total / whole.total for name in ("vapour", "light", "heavy")}
        return UnitResult(outlets, values, notes=[*notes, *uphill(feed, whole.P, context)], whole=whole)

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        return cls.whole_moved(at).layers(at.result.outlets)
