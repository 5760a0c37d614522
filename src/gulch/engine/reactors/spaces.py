"""Space velocities, space time and productivity: how much is fed to a reactor, and made in it, for its volume or its catalyst.

Normal conditions: 0 °C and 1.01325 bar, at which a mole of ideal gas takes 22.414 L; liquids are counted at 15 °C and 1.01325 bar.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.declared.declarations import Input, Result
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.fluids import R
from gulch.engine.phases import StreamTrouble
from gulch.engine.reactors.counted import made
from gulch.engine.reactors.heat import Reactor

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given, Passage
    from gulch.engine.phases.stream import Stream

NORMAL_T, NORMAL_P = 273.15, 101325.0  # K, Pa
LIQUID_T = 288.15  # K
VELOCITIES = {
    "gas": "gas per hour (GHSV)",
    "liquid": "liquid per hour (LHSV)",
    "weight": "mass per hour (WHSV)",
    "space-time": "space time",
}
HOURLY = ("gas", "liquid", "weight")

VELOCITY = Input(
    "Space velocity",
    "space velocity",
    "what is fed in an hour over volume or catalyst",
    low=1e-9,
    high=1e3,
    default="1 1/h",
    when=("size_by", *HOURLY),
)
SPACE_TIME = Input(
    "Space time", "time", "volume over the volume flow at the inlet", low=1e-6, high=1e9, default="10 min", when=("size_by", "space-time")
)
TOLD_VOLUME = Input(
    "Volume for space velocity",
    "volume",
    "for space velocities and yields alone: it changes nothing that is made",
    low=1e-9,
    high=1e6,
    optional=True,
    empty="not known",
)
TOLD_CATALYST = Input(
    "Catalyst per bed volume",
    "density",
    "for space velocities and productivity alone",
    low=0.0,
    high=2e4,
    optional=True,
    empty="none",
)


def normal_flow(feed: Stream) -> float:
    """Volume flow [m3/s] of a stream as an ideal gas at normal conditions."""
    return feed.total * R * NORMAL_T / NORMAL_P


def liquid_flow(feed: Stream) -> float | None:
    """Volume flow [m3/s] of the liquid that a stream forms at 15 °C and 1.01325 bar; None where it forms none."""
    try:
        state = feed.at(T=LIQUID_T, P=NORMAL_P).state
    except StreamTrouble:
        return None
    return feed.total * sum(share * known[2] for _, share, _, known in state.liquids) if state.liquids else None


def of_volume(flow: Any) -> Any:
    """A result that is a flow of the feed over the reactor's volume [1/s]; None without either."""

    def value(reactor: Passage) -> float | None:
        volume = reactor.value("volume_result")
        found = flow(reactor.inlets[0]) if volume and not reactor.inlets[0].is_empty else None
        return found / volume if found else None

    return value


def of_weight(reactor: Passage) -> float | None:
    """Mass fed over mass of catalyst [1/s]; None without catalyst."""
    mass = reactor.value("held_catalyst")
    return reactor.inlets[0].mass_flow / mass if mass else None


def time_of(reactor: Passage) -> float | None:
    """Volume of the reactor over volume flow at its inlet [s]; None without either."""
    volume, feed = reactor.value("volume_result"), reactor.inlets[0]
    return volume / feed.volume_flow if volume and not feed.is_empty else None


def productivity_of(reactor: Passage) -> float | None:
    """Mass of the wanted product made over mass of catalyst [1/s]; None without catalyst."""
    mass, counted = reactor.value("held_catalyst"), reactor.context.counted
    if not mass or counted is None:
        return None
    molar = reactor.context.model.molar_mass[reactor.context.species.index(counted.product)]
    return made(reactor) * float(molar) / mass


class Spaced:
    """What every reactor of a known volume tells of it, and of its catalyst."""

    volume_result = Result("Reactor volume", "volume", "volume of the reactor, catalyst included", spare=True)
    held_catalyst = Result("Mass of catalyst", "mass", "catalyst per bed volume times the reactor's volume", spare=True)
    gas_velocity = Result(
        "GHSV", "space velocity", "the feed as ideal gas at 0 °C and 1.01325 bar over the volume", of=of_volume(normal_flow), spare=True
    )
    liquid_velocity = Result(
        "LHSV", "space velocity", "what is liquid of the feed at 15 °C over the volume", of=of_volume(liquid_flow), spare=True
    )
    weight_velocity = Result("WHSV", "space velocity", "mass fed over mass of catalyst", of=of_weight, spare=True)
    space_time = Result("Space time", "time", "volume over the volume flow at the inlet, as it enters", of=time_of, spare=True)
    productivity = Result(
        "Productivity", "space velocity", "mass of wanted product made over mass of catalyst", of=productivity_of, spare=True, counted=True
    )


class Told(Spaced, Reactor):
    """A reactor whose volume changes nothing that it makes: it is told for the space velocities alone."""

    @classmethod
    def account(cls, feed: Stream, product: Stream, extents: Any, given: Given, reactions: list, context: Context) -> dict[str, Any]:
        return super().account(feed, product, extents, given, reactions, context) | spaces(given, given.volume)


def spaces(given: Given, volume: float | None) -> dict[str, Any]:
    """Results of a reactor of a volume [m3], or of none, that others are made of."""
    return {"volume_result": volume, "held_catalyst": given.bulk_density * volume if volume and given.bulk_density else None}


def sized(feed: Stream, given: Given) -> None:
    """Give the volume that a typed space velocity or space time asks for with this feed. Raises UnitTrouble."""
    by = getattr(given, "size_by", None)
    if by not in VELOCITIES or feed.is_empty:
        return
    if by == "space-time":
        given.volume = given.typed_time * feed.volume_flow
    else:
        flow = {"gas": normal_flow, "liquid": liquid_flow, "weight": lambda s: s.mass_flow}[by](feed)
        if flow is None:
            raise UnitTrouble("Nothing of the feed is liquid at 15 °C, so it has no LHSV.", "Size the reactor by another way.", "size_by")
        if by == "weight" and not given.bulk_density:
            raise UnitTrouble("A WHSV alone gives no volume.", "Type the catalyst per bed volume.", "bulk_density")
        given.volume = flow / given.velocity / (given.bulk_density if by == "weight" else 1.0)
    given.size_by = "volume"
