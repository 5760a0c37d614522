"""What has to be built for a unit, as far as its size follows from what it computes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from gulch.engine.phases.stream import Stream

VESSEL, AGITATED, EXCHANGER, HEATED, FURNACE, COMPRESSOR, PUMP, TRAYS, DRUM, UNKNOWN = (
    *("vessel", "agitated vessel", "exchanger", "heat exchanged with a medium", "fired heater", "compressor", "pump", "trays"),
    *("drum", "unknown"),
)


@dataclass(frozen=True)
class Equipment:
    """One thing to build, or several alike.

    size in SI: m3 of a vessel, W/K of an exchanger, W of heat, of a fired heater or of a shaft, m3/s of a pump, number of trays; of a drum
    the liquid that flows through it [m3/s]. pressure [Pa]; diameter [m] of trays, height [m] of a column's shell; vapour: of a drum, m3/s
    times the root of its density over the liquid's; why: of what is unknown, a sentence.
    """

    what: str
    size: float
    pressure: float = 1e5
    count: float = 1.0
    diameter: float = 0.0
    vapour: float = 0.0
    height: float = 0.0
    why: str = ""


def vessel_of(volume: float | None, pressure: float, agitated: bool = False, count: float = 1.0) -> list[Equipment]:
    """A vessel of a volume [m3] at a pressure [Pa]; one whose volume nobody typed is unknown."""
    if not volume:
        return [Equipment(UNKNOWN, 0.0, why="Its volume is not known: type one for space velocities.")]
    return [Equipment(AGITATED if agitated else VESSEL, volume, pressure, count)]


def heat_of(duty: float | None, hottest: float, pressure: float) -> list[Equipment]:
    """What puts a duty [W] into a stream that reaches a temperature [K]: a fired heater above 300 °C, else an exchanger with a medium."""
    if not duty:
        return []
    return [Equipment(FURNACE if duty > 0.0 and hottest > FIRED else HEATED, abs(duty), pressure)]


TRAY_SPACING, BESIDE_TRAYS = 0.6, 3.0  # m, between trays, and of a column beside them
FIRED = 573.15  # K, above which heat comes from a flame


def drum_of(inlets: list[Stream], outlets: list[Stream], duty: float | None) -> list[Equipment]:
    """A drum that holds the liquids among what leaves, under the vapour, with what heats or cools it."""
    there = [s for s in outlets if not s.is_empty]
    if not there:
        return []
    vapour = [s for s in there if s.vapour_fraction > 0.5]
    liquid = [s for s in there if s.vapour_fraction <= 0.5]
    held = sum(s.volume_flow for s in liquid)
    heavy = sum(s.mass_flow for s in liquid) / held if held > 0.0 else 1000.0
    rising = sum(s.volume_flow * math.sqrt(s.mass_flow / s.volume_flow / heavy) for s in vapour)
    hottest = max(s.T for s in there)
    return [Equipment(DRUM, held, there[0].P, vapour=rising), *heat_of(duty, hottest, there[0].P)]
