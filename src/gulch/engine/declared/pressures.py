"""What units do to pressures, and what is said where one would run uphill."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.declared.base import Context
from gulch.engine.declared.told import Code, Cure, Note, UnitTrouble
from gulch.engine.quantities import show

if TYPE_CHECKING:
    from gulch.engine.phases.stream import Stream


EVEN = 1e-9  # relative, within which two pressures are the same


def outlet_pressure(feed: Stream, drop: float, context: Context, name: str = "pressure_drop") -> float:
    """Inlet pressure less the drop [Pa]. Raises UnitTrouble when nothing is left."""
    pressure = feed.P - drop
    if pressure <= 0.0:
        raise UnitTrouble(
            f"The pressure drop of {show(drop, 'pressure difference', context.display)} is not below the inlet pressure of "
            f"{show(feed.P, 'pressure', context.display)}.",
            "Lower the pressure drop or raise the inlet pressure.",
            name,
        )
    return pressure


def uphill(feed: Stream, pressure: float, context: Context, name: str = "pressure", way: str = "before") -> list[Note]:
    """Notes that doubt a given pressure above the inlet's, which the unit is solved at as if something raised it without work.

    way: whether the machine that raises it is to stand “before” the unit or “instead” of it.
    """
    if pressure <= feed.P * (1.0 + EVEN) or feed.is_empty:
        return []
    kind = "pump" if feed.vapour_fraction <= 1e-6 else "compressor"
    where = "before it" if way == "before" else "in its place"
    return [
        Note(
            "warning",
            f"The inlet is at {show(feed.P, 'pressure', context.display)} but the unit at {show(pressure, 'pressure', context.display)}: "
            "material does not flow uphill. It is solved as if something raised the pressure without work.",
            f"Put a {kind} {where}, or lower its pressure.",
            Code.UPHILL,
            Cure(f"put a {kind} {where}", way, kind, name),
        )
    ]


def downhill(feed: Stream, pressure: float, context: Context) -> list[Note]:
    """Notes that doubt an outlet pressure below the inlet's of a machine that raises it, which then works as a valve."""
    if pressure >= feed.P * (1.0 - EVEN) or feed.is_empty:
        return []
    return [
        Note(
            "warning",
            f"The outlet pressure of {show(pressure, 'pressure', context.display)} lies below the inlet's "
            f"{show(feed.P, 'pressure', context.display)}: it lets the pressure fall as a valve does, without work.",
            "Raise the outlet pressure, or put a valve in its place.",
            Code.UPHILL,
            Cure("put a valve in its place", "instead", "valve", "pressure"),
        )
    ]


UNEVEN = 0.01  # of the higher pressure, by which inlets that join may differ without a word


def uneven_inlets(feed: list, context: Context) -> list:
    """Notes where streams that join differ in pressure, which pulls the others down to the lowest."""
    present = [s.P for s in feed if not s.is_empty]
    if not present or max(present) - min(present) <= UNEVEN * max(present):
        return []
    high, low = (show(P, "pressure", context.display) for P in (max(present), min(present)))
    return [
        (
            "warning",
            f"Its inlets are at {high} and {low}: it runs at {low}, and what comes at more is throttled to that.",
            "Bring the inlets to one pressure: a compressor or pump for the lower, a valve where throttling is meant.",
        )
    ]
