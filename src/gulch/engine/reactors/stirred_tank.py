"""Stirred tank: contents at the outlet's state; every steady state of its heat balance is found."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import UnitResult
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.equipment import catalyst_of, vessel_of
from gulch.engine.declared.pressures import outlet_pressure
from gulch.engine.declared.profiles import Group, Profile, Series, Way
from gulch.engine.handbook import FOGLER, Relation
from gulch.engine.phases import Stream
from gulch.engine.quantities import show
from gulch.engine.reactors.heat import BOTH_PHASES, HEATED
from gulch.engine.reactors.kinetic import KineticReactor, coolant_of
from gulch.engine.reactors.spaces import SPACE_TIME, VELOCITIES, VELOCITY, spaces
from gulch.engine.reactors.tank_run import TankRun

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.equipment import Equipment
    from gulch.engine.phases.model import PhaseModel


class StirredTank(KineticReactor):
    """Well-mixed reactor by rate laws, in a liquid, a vapour, or a liquid from which vapour leaves."""

    kind = "stirred-tank"
    label = "stirred tank"
    meaning = "runs reactions by their rate laws in a well-mixed volume; finds every steady state"
    computed: tuple[Relation, ...] = (
        Relation(
            "n_i(out) − n_i(in) = V sum_r nu_ir r_r(c_out, T_out)",
            "contents like the outlet; adiabatic or with a coolant every temperature at which the heat balance closes is found",
            f"{FOGLER}, ch. 2 and 12",
        ),
    )

    phase = Choice(
        "Contents",
        {"liquid": "liquid", "vapour": "vapour", "both": "liquid, with vapour leaving"},
        "what fills the tank; with vapour leaving both phases are at equilibrium and the reaction runs in the liquid",
        context="as the feed",
    )
    size_by = Choice(
        "Sized by",
        {"volume": "volume", "time": "residence time", "conversion": "target conversion"} | VELOCITIES,
        "what is given; the rest follows",
        default="volume",
    )
    volume = Input(
        "Volume",
        "volume",
        "volume of the contents (of the liquid, where vapour leaves)",
        low=1e-9,
        high=1e6,
        default="1 m3",
        when=("size_by", "volume"),
    )
    time = Input(
        "Residence time",
        "time",
        "volume of the fluid over the volume flow that leaves",
        low=1e-6,
        high=1e9,
        default="10 min",
        when=("size_by", "time"),
    )
    velocity = VELOCITY
    typed_time = SPACE_TIME
    target = Input(
        "Target conversion",
        "fraction",
        "of the project's key reactant, else of the first reaction's",
        low=1e-9,
        high=1.0 - 1e-9,
        default="50 %",
        when=("size_by", "conversion"),
    )
    mode = Choice(
        "Heat",
        HEATED | {"jacket": "jacket"},
        "held at a temperature, at the feed's, without heat exchange, with a given duty, or through a jacket",
        default="feed-temperature",
        group="heat",
    )
    conductance = Input(
        "U A of the jacket",
        "heat conductance",
        "heat passed per degree between coolant and contents",
        low=0.0,
        high=1e9,
        default="1 kW/K",
        when=("mode", "jacket"),
        group="heat",
    )
    coolant = coolant_of("Coolant temperature", "temperature in the jacket, taken as one")
    state = Choice(
        "Steady state",
        {"hottest": "the hottest", "coldest": "the coldest", "nearest": "nearest to a temperature"},
        "which one runs where the heat balance has several",
        default="hottest",
    )
    near = Input(
        "Nearest to",
        "temperature",
        "the steady state nearest to this temperature runs",
        low=100.0,
        high=3000.0,
        default="50 degC",
        when=("state", "nearest"),
    )
    search_low = Input(
        "Looked for from",
        "temperature",
        "lowest temperature at which steady states are looked for; empty: below feed and coolant",
        low=100.0,
        high=3000.0,
        optional=True,
        empty="by itself",
        material=False,
    )
    search_high = Input(
        "up to",
        "temperature",
        "highest temperature looked at; empty: what complete conversion can reach",
        low=100.0,
        high=5000.0,
        optional=True,
        empty="by itself",
        material=False,
    )

    follows = {"near": "outlet_temperature"}  # in a scan the state nearest to the last point's temperature runs

    steady_states = Result("Steady states", "count", "how many the heat balance has in the range looked at")
    diagram = Profile(
        "Heat of {unit}",
        (Way("T", "temperature", "temperature"),),
        (
            Group(
                "heat",
                "Heat",
                (Series("made", "heat made", "power", None, "heat"), Series("removed", "heat removed", "power", None, "heat")),
            ),
        ),
    )

    @classmethod
    def ports_out(cls, entry: Any) -> tuple:
        return BOTH_PHASES if entry.phase == "both" else cls.outlets

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        volume = result.number("volume_result")
        return vessel_of(volume, inlets[0].P, agitated=True) + catalyst_of(volume, given.bulk_density)  # its jacket heats and cools it

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        reactions, laws, per, phase = cls.prepare(feed, given, context)
        pressure = outlet_pressure(feed, given.pressure_drop, context)
        if feed.is_empty:
            empty = feed.at(T=feed.T, P=pressure)
            return UnitResult(empty.parted() if given.phase == "both" else {"product": empty}, {"duty": 0.0})
        run = TankRun(cls, feed, given, context, laws, per, phase, pressure, cls.key(feed, reactions, context))
        found, diagram = run.steady_states()
        T = cls.pick(found, given)
        run.begin_anew()
        xi, volume = run.at(T)
        product = Stream.at_temperature(context.model, np.maximum(feed.n + xi @ laws.nu, 0.0), T, pressure)
        values = cls.account(feed, product, xi, given, reactions, context)
        values["extent"] = dict(zip((r.id for r in reactions), xi.tolist(), strict=True))
        values |= spaces(given, volume)
        inside = product.parted()["liquid"] if given.phase == "both" else product
        values |= cls.weakened(laws, reactions, T, pressure, inside.n, phase, given, context.model)
        outflow = cls.contents(product, given, phase, context.model)[1]
        values["residence_time"] = volume * given.void / outflow if outflow > 0.0 else None
        values["space_velocity"] = context.later(lambda: feed.volume_flow / volume if volume > 0.0 else None)
        values["steady_states"] = float(len(found))
        values["steady"] = context.later(lambda: cls.listed(found, T, run), explains=True) if diagram else []
        values["diagram"] = context.later(lambda: diagram, explains=True) if diagram else None
        values["branch"] = _branch(found, T)
        notes = cls.of_several(found, T, context) if diagram else []
        if given.phase != "both":
            notes += cls.phase_remarks(product, given, context)
        rows = [
            {"reaction": r.id, "extent": float(e), "rate": float(q), "per": r.rate.per, "key": context.species[run.key]}
            for r, e, q in zip(reactions, xi, xi / (volume * run.share), strict=True)
        ]
        outlets = product.parted() if given.phase == "both" else {"product": product}
        rooms = context.later(lambda: cls.phase_rooms(product, given.phase) if given.phase != "both" else [])
        return UnitResult(outlets, values, [(r.id, e * r.nu) for r, e in zip(reactions, xi, strict=True)], notes, rows, rooms)

    @staticmethod
    def of_several(found: list, T: float, context: Context) -> list:
        """The note that other steady states exist beside the one that runs at T [K]."""
        if len(found) < 2:
            return []
        stable = next((s for t, s in found if abs(t - T) < 1e-6), True)
        what = f"{len(found)} steady states exist; the one at {show(T, 'temperature', context.display)} runs"
        return [
            (
                "warning",
                what + ("." if stable else " although it is unstable."),
                "See the heat diagram; choose another under “Steady state”.",
            )
        ]

    @classmethod
    def contents(cls, product: Stream, given: Given, phase: int, model: PhaseModel) -> tuple:
        """(enthalpy flow, volume flow) of what fills the tank."""
        if given.phase == "both":
            liquid = product.parted()["liquid"]
            return liquid.enthalpy_flow, liquid.volume_flow
        return cls.phase_state(model, product.n, product.T, product.P, phase)

    @staticmethod
    def pick(found: list, given: Given) -> float:
        """Temperature [K] of the steady state to run, of those found, coldest first."""
        temperatures = [T for T, _ in found]
        if given.state == "coldest":
            return temperatures[0]
        if given.state == "nearest":
            return min(temperatures, key=lambda T: abs(T - given.near))
        return temperatures[-1]

    @staticmethod
    def listed(found: list, running: float, run: TankRun) -> list:
        """The steady states as rows: temperature, conversion of the key reactant, stability."""
        key = run.context.species[run.key]
        return [
            {
                "T": T,
                "conversion": run.converted(run.at(T)[0]),
                "key": key,
                "stable": bool(stable),
                "runs": abs(T - running) < 1e-6,
            }
            for T, stable in found
        ]


def _branch(found: list[tuple], T: float) -> str:
    """Which branch of steady states a tank runs on: "only", "lower", "middle" or "upper"."""
    if len(found) == 1:
        return "only"
    temperatures = [t for t, _ in found]
    at = int(np.argmin([abs(t - T) for t in temperatures]))
    return "lower" if at == 0 else "upper" if at == len(temperatures) - 1 else "middle"
