"""What has to be built for a unit, as far as its size follows from what it computes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from gulch.engine.fluids import R

if TYPE_CHECKING:
    import numpy as np

    from gulch.engine.declared.base import Given
    from gulch.engine.phases.stream import Stream

VESSEL, AGITATED, EXCHANGER, HEATED, FURNACE, COMPRESSOR, PUMP, TRAYS, DRUM, TUBES, CATALYST, UNKNOWN = (
    *("vessel", "agitated vessel", "exchanger", "heat exchanged with a medium", "fired heater", "compressor", "pump", "trays"),
    *("drum", "tubes in a shell", "catalyst", "unknown"),
)


@dataclass(frozen=True)
class Equipment:
    """One thing to build, or several alike.

    size in SI: m3 of a vessel, W/K of an exchanger, W of heat, of a fired heater or of a shaft, m3/s of a pump, m2 of tubes, kg of
    catalyst, number of trays; of a drum the liquid that flows through it [m3/s]. pressure [Pa]; diameter [m] of trays, height [m] of a
    column's shell; vapour: of a drum, m3/s times the root of its density over the liquid's; why: of what is unknown, a sentence.
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


def catalyst_of(volume: float | None, density: float | None) -> list[Equipment]:
    """The catalyst in a volume [m3] of bed, with its mass by that volume [kg/m3]."""
    return [Equipment(CATALYST, volume * density)] if volume and density else []


def tubes_of(volume: float | None, given: Given, pressure: float) -> list[Equipment]:
    """Tubes of a volume [m3] with a medium around them, and their catalyst; nothing where there is no medium, or no diameter."""
    if given.mode not in ("coolant", "cocurrent", "countercurrent") or not given.diameter or not volume:
        return []
    return [Equipment(TUBES, 4.0 * volume / given.diameter, pressure), *catalyst_of(volume, given.bulk_density)]


def heat_of(duty: float | None, hottest: float, pressure: float) -> list[Equipment]:
    """What puts a duty [W] into a stream that reaches a temperature [K]: a fired heater above 300 °C, else an exchanger with a medium."""
    if not duty:
        return []
    return [Equipment(FURNACE if duty > 0.0 and hottest > FIRED else HEATED, abs(duty), pressure)]


TRAY_SPACING, BESIDE_TRAYS = 0.6, 3.0  # m, between trays, and of a column beside them
FLOODING = 0.053  # m/s, of the vapour at 0.6 m between trays, times the root of densities (Towler & Sinnott, ch. 17, after Lowenstein)
TRAY_EFFICIENCY = 0.7
FIRED = 573.15  # K, above which heat comes from a flame


def drum_of(inlets: list[Stream], outlets: list[Stream], duty: float | None) -> list[Equipment]:
    """A drum that holds the liquids among what leaves, under the vapour, with what heats or cools it by a duty [W]."""
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


def tower_of(
    top: Stream, bottom: Stream, stages: float | None, reflux: float, duties: list[float | None], molar_mass: np.ndarray
) -> list[Equipment]:
    """A column of theoretical stages: shell, trays, and what condenses and boils by duties [W]. molar_mass [kg/mol], shape (n,)."""
    if not stages or not stages < 1e4 or top.is_empty or bottom.is_empty:
        return [Equipment(UNKNOWN, 0.0, why="Its number of stages is not known.")]
    rising = (reflux + 1.0) * top.total * R * top.T / top.P  # m3/s
    light = top.P * float(top.n @ molar_mass) / top.total / (R * top.T)
    heavy = bottom.mass_flow / max(bottom.volume_flow, 1e-12)
    diameter = math.sqrt(4.0 * rising / (math.pi * FLOODING * math.sqrt(max(heavy - light, 1.0) / light)))
    trays = math.ceil(stages / TRAY_EFFICIENCY)
    height = trays * TRAY_SPACING + BESIDE_TRAYS
    shell = Equipment(VESSEL, math.pi / 4.0 * diameter**2 * height, top.P, height=height)
    heated = [Equipment(HEATED, abs(duty), top.P) for duty in duties if duty]
    return [shell, Equipment(TRAYS, float(trays), top.P, diameter=diameter), *heated]
