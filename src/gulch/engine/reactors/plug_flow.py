"""Plug flow: rate laws integrated along the reactor, with heat exchange and pressure drop.

Notation: flows [mol/s] of arrays stand by species, shape (n,); along the tube shape (points,).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cache
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.declared.base import UnitResult, lowest
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.equipment import Equipment, tubes_of
from gulch.engine.declared.pressures import outlet_pressure
from gulch.engine.declared.profiles import Group, Profile, Series, Way
from gulch.engine.handbook import FOGLER, Relation
from gulch.engine.phases import Stream
from gulch.engine.reactors.catalyst import InBed
from gulch.engine.reactors.kinetic import CONVERTED, RATES, KineticReactor, limit_of
from gulch.engine.reactors.spaces import SPACE_TIME, VELOCITIES, VELOCITY, spaces
from gulch.engine.reactors.tube import POINTS, Tube
from gulch.engine.vessels.contents import HELD_T

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.vessels.following import Along, Followed


def highest(grid: np.ndarray, values: np.ndarray) -> tuple:
    """(place, value) of the highest point of a profile, between grid points where it is inside."""
    at = int(np.argmax(values))
    if not 0 < at < len(grid) - 1:
        return float(grid[at]), float(values[at])
    spline = scipy.interpolate.CubicSpline(grid, values)
    turns = [t for t in spline.derivative().roots(extrapolate=False) if grid[at - 1] <= t <= grid[at + 1]]
    place = float(max(turns, key=spline)) if turns else float(grid[at])
    return place, float(max(spline(place), values[at]))


# What runs along a plug flow.
ALONG = Profile(
    "Along {unit}",
    (Way("length", "length", "length"), Way("volume", "volume", "volume")),
    (
        Group("composition", "Composition", (Series("flow", "flow", "molar flow", "species", changing=True),)),
        Group(
            "state",
            "Temperature and pressure",
            (
                Series("T", "temperature", "temperature"),
                Series("coolant", "coolant", "temperature", axis="temperature"),
                Series("P", "pressure", "pressure"),
            ),
        ),
        RATES,
        Group("conversion", "Conversion", CONVERTED),
    ),
)


class PlugFlow(InBed, KineticReactor):
    """Tube or bed in plug flow, one phase, by rate laws."""

    kind = "plug-flow"
    label = "plug flow"
    meaning = "integrates the rate laws of a set along a tube or a bed, with its heat exchange and pressure drop"
    computed: tuple[Relation, ...] = (
        Relation(
            "d n_i/dV = sum_r nu_ir r_r",
            "along the reactor, at the local temperature and pressure",
            f"{FOGLER}, ch. 2",
        ),
        Relation(
            "dH/dV = U a (T coolant − T)",
            "H: enthalpy flow, which holds the heats of reaction",
            f"{FOGLER}, ch. 12",
        ),
        Relation(
            "−dP/dz = (1 − e)/(e³ d) · (150 (1 − e) mu/d + 1.75 G) · G/rho",
            "where a bed’s pressure drop is asked for",
            "Ergun, Chem. Eng. Progr. 48 (1952) 89",
        ),
    )

    phase = Choice(
        "Phase",
        {"vapour": "vapour", "liquid": "liquid"},
        "what flows; not chosen: what the feed is at the temperature held",
        context="as the feed",
    )
    size_by = Choice(
        "Sized by",
        {"volume": "volume", "length": "length and diameter", "catalyst": "mass of catalyst"} | VELOCITIES,
        "what is given; the rest follows",
        default="volume",
    )
    volume = Input("Volume", "volume", "volume of tubes or bed", low=1e-9, high=1e6, default="1 m3", when=("size_by", "volume"))
    length = Input("Length", "length", "length of a tube", low=1e-6, high=1e6, default="5 m", when=("size_by", "length"))
    catalyst_mass = Input(
        "Mass of catalyst",
        "mass",
        "catalyst in all tubes; needs the catalyst per bed volume",
        low=1e-9,
        high=1e9,
        default="1000 kg",
        when=("size_by", "catalyst"),
    )
    velocity = VELOCITY
    typed_time = SPACE_TIME
    diameter = Input(
        "Diameter", "length", "inner diameter of a tube; gives length and velocity", low=1e-5, high=100.0, optional=True, empty="not known"
    )
    tubes = Input("Number of tubes", "ratio", "tubes side by side", low=1.0, high=1e6, default="1")
    mode = Choice(
        "Heat",
        {
            "isothermal": "held at a temperature",
            "feed-temperature": "held at the feed's temperature",
            "adiabatic": "adiabatic",
            "duty": "given duty, spread evenly",
            "per-length": "given duty per length",
            "coolant": "coolant at one temperature",
            "cocurrent": "coolant in the same direction",
            "countercurrent": "coolant against the flow",
        },
        "how heat enters or leaves along the reactor",
        default="feed-temperature",
        group="heat",
    )
    heating = Input(
        "Duty per length",
        "heat per length",
        "heat put in per length of all tubes together; negative takes heat out",
        default="0 kW/m",
        when=("mode", "per-length"),
        group="heat",
    )
    conductance = Input(
        "U A of the wall",
        "heat conductance",
        "heat passed per degree over the whole reactor",
        low=0.0,
        high=1e9,
        default="1 kW/K",
        when=("mode", "coolant", "cocurrent", "countercurrent"),
        group="heat",
    )
    coolant = Input(
        "Coolant enters at",
        "temperature",
        "temperature of the coolant where it enters",
        low=100.0,
        high=3000.0,
        default="25 degC",
        when=("mode", "coolant", "cocurrent", "countercurrent"),
        group="heat",
    )
    capacity = Input(
        "Coolant flow times heat capacity",
        "heat capacity flow",
        "heat that warms the coolant by one degree",
        low=1e-6,
        high=1e9,
        default="10 kW/K",
        when=("mode", "cocurrent", "countercurrent"),
        group="heat",
    )
    falls = Choice(
        "Pressure",
        {"level": "stays level", "drop": "falls evenly by a given drop", "ergun": "falls by Ergun's equation"},
        "how the pressure falls along the reactor",
        default="level",
    )
    pressure_drop = Input(
        "Pressure drop", "pressure difference", "inlet less outlet pressure", low=0.0, high=1e8, default="0 bar", when=("falls", "drop")
    )
    particle = Input(
        "Particle diameter",
        "length",
        "of the bed's particles, for Ergun's equation",
        low=1e-6,
        high=1.0,
        default="3 mm",
        when=("falls", "ergun"),
    )
    viscosity = Input(
        "Viscosity", "viscosity", "of the fluid, for Ergun's equation", low=1e-7, high=100.0, default="0.02 mPa s", when=("falls", "ergun")
    )
    limit = limit_of("1500 degC")

    length_result = Result("Length", "length", "length of a tube, where the diameter is given")
    hot_spot = Result("Hottest point", "temperature", "highest temperature along the reactor")
    coolant_leaves = Result("Coolant leaves at", "temperature", "where the coolant's flow is given", spare=True)
    pressure_fall = Result("Pressure drop", "pressure difference", "inlet less outlet pressure")
    profile = ALONG

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        tubes = tubes_of(result.number("volume_result"), given, max(s.P for s in inlets))
        return tubes or super().equipment(inlets, result, given, context)

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        if given.falls == "ergun":
            return dict.fromkeys(ports, math.nan)
        drop = given.pressure_drop if given.falls == "drop" else 0.0
        return dict.fromkeys(ports, lowest(entering["feed"]) - drop)

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        return cls.through(feed, None, given, context)

    @classmethod
    def through(cls, feed: Stream, side: Stream | None, given: Given, context: Context) -> UnitResult:
        """A feed through the tube, with what is put in along it. Raises UnitTrouble."""
        whole = feed if side is None else Stream.at_temperature(context.model, feed.n + side.n, feed.T, feed.P)
        reactions, laws, per, phase = cls.prepare(whole, given, context)
        if given.falls != "drop":
            given.pressure_drop = 0.0
        outlet_pressure(feed, given.pressure_drop, context)
        cls.film_in(laws, feed, given, context, phase)
        if feed.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=feed.P)}, {"duty": 0.0})
        T_in = given.temperature if given.mode == "isothermal" else feed.T
        H_in = cls.phase_state(context.model, feed.n, T_in, feed.P, phase)[0]
        tube = Tube(feed, given, context, laws, per, phase, T_in, H_in, side)
        way = tube.followed()
        product = cls.leaving(tube, way)
        extents = cls.extents(whole.n, product.n, reactions)
        values = cls.account(whole, product, extents if extents is not None else [], given, reactions, context)
        entering = feed.enthalpy_flow + (side.enthalpy_flow if side is not None else 0.0)
        values["duty"] = context.later(lambda: product.enthalpy_flow - entering)
        looked = cache(lambda: way.along(POINTS))
        values |= cls.sizes(tube, way, looked, context)
        values |= cls.weakened(laws, reactions, T_in, feed.P, feed.n, phase, given, context.model)
        key = cls.key(feed, reactions, context)
        values["profile"] = context.later(lambda: tube.profile(looked(), reactions, key), explains=True)
        values["peaks"] = context.later(lambda: cls.peaks(tube, looked()), explains=True)
        notes = cls.phase_remarks(product, given, context)
        rooms = context.later(lambda: cls.phase_rooms(product, given.phase))
        if extents is None:  # the reactions depend on one another
            values |= {"heat_of_reaction": None, "extent": {}}
            return UnitResult({"product": product}, values, [("net change", product.n - whole.n)], notes, rooms=rooms)
        values["extent"] = dict(zip((r.id for r in reactions), extents.tolist(), strict=True))
        rows = [{"reaction": r.id, "extent": float(e), "key": context.species[key]} for r, e in zip(reactions, extents, strict=True)]
        return UnitResult(
            {"product": product},
            values,
            [(r.id, e * r.nu) for r, e in zip(reactions, extents, strict=True)],
            notes,
            rows,
            rooms,
        )

    @staticmethod
    def leaving(tube: Tube, way: Followed) -> Stream:
        """The outlet Stream."""
        n, (H, P, T, _) = way.leaving(), way.end[-4:].tolist()
        if tube.heat == HELD_T:
            return Stream.at_temperature(tube.model, n, tube.T_in, P)
        return Stream.at_enthalpy(tube.model, n, tube.feed.enthalpy_flow + H - tube.H_in, P, T)

    @staticmethod
    def sizes(tube: Tube, way: Followed, looked: Callable[[], Along], context: Context) -> dict[str, Any]:
        """Results that follow from the tube and what runs along it."""
        ends = {"cocurrent": way.end, "countercurrent": way.pieces[0].rows[0]}
        at = ends.get(tube.given.mode)
        return {
            **spaces(tube.given, tube.volume),
            "length_result": tube.length,
            "residence_time": context.later(lambda: float(np.trapezoid(tube.given.void / looked().volume, looked().grid))),
            "space_velocity": context.later(lambda: float(looked().volume[0]) / tube.volume),
            "hot_spot": context.later(lambda: highest(looked().grid, looked().T)[1]),
            "coolant_leaves": None if at is None else float(at[-1]),
            "pressure_fall": tube.feed.P - float(way.end[-3]),
        }

    @staticmethod
    def extents(n_in: np.ndarray, n_out: np.ndarray, reactions: list) -> np.ndarray | None:
        """Extents that make up the change, or None where the reactions depend on one another."""
        nu = np.array([r.nu for r in reactions])
        if not KineticReactor.independent(reactions):
            return None
        return np.linalg.lstsq(nu.T, n_out - n_in, rcond=None)[0]

    @staticmethod
    def peaks(tube: Tube, along: Along) -> list:
        """Species that pass a maximum inside the reactor: where [m3, m] and how much [mol/s]."""
        out, fed = [], along.n[0].sum()
        for i, species in enumerate(tube.context.species):
            n = along.n[:, i]
            at = int(np.argmax(n))
            if 0 < at < len(n) - 1 and n[at] > 1.0005 * max(n[0], n[-1]) and n[at] > 1e-9 * fed:
                V, most = highest(along.grid, n)
                length = V / tube.volume * tube.length if tube.length else None
                out.append({"species": species, "volume": V, "length": length, "flow": most})
        return out
