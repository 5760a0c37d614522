"""A batch: a charge that reacts over time in a vessel, again and again; its average goes on into the process as a stream.

Notation: flows [mol/s] are averages over many batches; what is inside belongs to one batch [mol].
"""

from __future__ import annotations

import math
from functools import cache
from typing import TYPE_CHECKING, Any

from gulch.engine.declared.base import UnitResult
from gulch.engine.declared.declarations import Choice, Course, Input, Result
from gulch.engine.declared.equipment import vessel_of
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.fluids import LIQUID
from gulch.engine.handbook import FOGLER, Relation
from gulch.engine.phases import Stream
from gulch.engine.reactors.batch_run import BatchRun, Safety
from gulch.engine.reactors.batch_told import OVER_TIME, leaving, over_time, remarks, told
from gulch.engine.reactors.heat import HEATED
from gulch.engine.reactors.kinetic import KineticReactor, coolant_of, limit_of
from gulch.engine.vessels.contents import UNDER_VAPOUR

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.equipment import Equipment

POINTS = 121  # of the profiles, at least
SAFETY = "F. Stoessel, Thermal Safety of Chemical Processes, 2nd ed."


class BatchReactor(KineticReactor):
    """Batches by rate laws: liquid or gas, in a closed vessel or at a held pressure."""

    kind = "batch-reactor"
    label = "batch reactor"
    meaning = "lets charges react over time by the rate laws of a set, one batch after another; the average goes on as a stream"
    computed: tuple[Relation, ...] = (
        Relation("d n_i/dt = sum_r nu_ir r_r V", "V: volume of what reacts, which follows from its density", f"{FOGLER}, ch. 4 and 6"),
        Relation(
            "dH/dt = U A (T jacket − T) + h dosed",
            "in a closed vessel of the internal energy U = H − P V; it holds the heats of reaction",
            f"{FOGLER}, ch. 13",
        ),
        Relation(
            "vessels = batches per time · (heating + reaction + idle + cleaning)",
            "the charge of a batch is what enters on average, times the time from one batch to the next",
        ),
        Relation("T after failure = max over t of T(adiabatic from t on, dosing stopped)", "accumulation of what has not reacted", SAFETY),
    )

    pressure_drop = None  # type: ignore[assignment]  # it stands still
    phase = Choice(
        "Contents",
        {
            "liquid": "liquid, pressure held",
            "both": "liquid under its vapour, closed vessel",
            "vapour": "gas, closed vessel",
            "held-vapour": "gas, pressure held",
        },
        "what fills the vessel; closed, the pressure follows; a gas that is held at its pressure grows or shrinks",
        context="as the feed",
    )
    size_by = Choice(
        "Sized by",
        {"vessel": "volume of a vessel", "batches": "batches a day"},
        "what is given; the other follows from how much enters on average",
        default="vessel",
    )
    vessel = Input(
        "Volume of a vessel", "volume", "inner volume of one vessel", low=1e-9, high=1e6, default="1 m3", when=("size_by", "vessel")
    )
    batches = Input(
        "Batches", "frequency", "begun in a day, in all vessels", low=1e-9, high=10.0, default="4 1/d", when=("size_by", "batches")
    )
    filling = Input(
        "Filled to",
        "fraction",
        "share of the vessel that the charge, and all that is dosed, take as liquids as they enter; a gas fills it whole",
        low=1e-3,
        high=1.0,
        default="80 %",
    )
    until = Choice(
        "Until",
        {"time": "a time", "conversion": "a conversion", "temperature": "a temperature"},
        "what ends the reaction",
        default="time",
    )
    time = Input("Reaction time", "time", "from the charge to the end", low=1e-3, high=1e8, default="1 h", when=("until", "time"))
    target = Input(
        "Target conversion",
        "fraction",
        "of the project's key reactant, else of the first reaction's, of all that is charged and dosed",
        low=1e-9,
        high=1.0 - 1e-9,
        default="90 %",
        when=("until", "conversion"),
    )
    stop_at = Input(
        "Stop at",
        "temperature",
        "the batch ends when its temperature has come there",
        low=100.0,
        high=3000.0,
        default="100 degC",
        when=("until", "temperature"),
    )
    longest = Input(
        "Look for it up to",
        "time",
        "after which the batch counts as not coming there",
        low=1e-3,
        high=1e8,
        default="24 h",
        when=("until", "conversion", "temperature"),
        counted=False,
    )
    mode = Choice(
        "Heat",
        HEATED | {"jacket": "jacket", "course": "a typed course of temperature"},
        "held at a temperature, at the charge's, without heat exchange, with a given duty, through a jacket, or along a course",
        default="feed-temperature",
        group="heat",
    )
    duty_given = Input(
        "Duty",
        "power",
        "heat put into one batch while it reacts; negative takes heat out",
        default="0 kW",
        when=("mode", "duty"),
        group="heat",
        written="duty",
    )
    area = Input("Area of the jacket", "area", "of one vessel", low=0.0, high=1e6, default="5 m2", when=("mode", "jacket"), group="heat")
    coefficient = Input(
        "Heat transfer coefficient",
        "heat transfer coefficient",
        "between coolant and contents",
        low=0.0,
        high=1e5,
        default="400 W/(m2 K)",
        when=("mode", "jacket"),
        group="heat",
    )
    coolant = coolant_of("Coolant enters at", "temperature at which the jacket is fed")
    capacity = Input(
        "Coolant flow times heat capacity",
        "heat capacity flow",
        "heat that warms the coolant by one degree; empty: so much that it stays as it enters",
        low=1e-6,
        high=1e9,
        optional=True,
        empty="plenty",
        when=("mode", "jacket"),
        group="heat",
    )
    course = Course(
        "Course of temperature",
        "time",
        "temperature",
        "temperature over time, straight between the points and level after the last",
        "0 min 25 degC; 30 min 80 degC",
        low=100.0,
        high=3000.0,
        when=("mode", "course"),
        group="heat",
    )
    heating_time = Input(
        "Heating and cooling", "time", "before and after the reaction, in which nothing reacts", low=0.0, high=1e8, default="0 min",
        counted=False,
    )  # fmt: skip
    idle_time = Input("Idle time", "time", "filling, emptying, waiting", low=0.0, high=1e8, default="0 min", counted=False)
    cleaning_time = Input("Cleaning time", "time", "from one batch to the next", low=0.0, high=1e8, default="0 min", counted=False)
    limit = limit_of("500 degC")

    residence_time = None  # type: ignore[assignment]  # nothing flows
    space_velocity = None  # type: ignore[assignment]
    gas_velocity = None  # type: ignore[assignment]
    liquid_velocity = None  # type: ignore[assignment]
    weight_velocity = None  # type: ignore[assignment]
    space_time = None  # type: ignore[assignment]
    reaction_time = Result("Reaction time", "time", "from the charge to the end", headline=True)
    cycle_time = Result("Cycle time", "time", "reaction, heating and cooling, idle and cleaning times of a batch")
    batches_result = Result("Batches", "frequency", "begun in a day, in all vessels")
    vessels = Result("Vessels at work", "ratio", "batches per time times the cycle time: how many vessels are at work on average")
    vessel_result = Result("Volume of a vessel", "volume", "inner volume of one vessel")
    fullest = Result("Filled at most", "fraction", "largest volume of what reacts over the vessel's volume")
    highest = Result("Highest temperature", "temperature", "during the batch")
    highest_pressure = Result("Highest pressure", "pressure", "during the batch")
    most_heat = Result("Greatest heat flow", "power", "into one vessel; negative where it must be cooled")
    heat_moved = Result("Heat of a batch", "heat", "put into one batch by its wall; negative where it is cooled")
    work = Result(
        "Work of filling and emptying", "power", "volume of a closed vessel times the rise of its pressure, on average", spare=True
    )
    rise = Result("Adiabatic rise", "temperature difference", "of all that is charged and dosed, together from the beginning, uncooled")
    after_failure = Result("Reached if cooling fails", "temperature", "and dosing stops with it, at the worst moment")
    failure_moment = Result("Worst moment", "time", "at which failing cooling leads to the highest temperature")
    time_to_maximum = Result("Time to maximum rate", "time", "from the worst moment, uncooled, until the temperature rises fastest")
    profile = OVER_TIME

    @classmethod
    def adopt(cls, feed: Stream, given: Given) -> dict[str, Any]:
        taken = super().adopt(feed, given)
        given.closed = given.phase in ("both", "vapour")
        given.doses = None
        return taken

    @classmethod
    def reacting_phase(cls, feed: Stream, product: Stream, given: Given, reactions: list) -> str:
        return "vapour" if given.phase in ("vapour", "held-vapour") else "liquid"

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        return dict.fromkeys(ports, math.nan if given.phase in ("both", "vapour", None) else entering["feed"][0])

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        P = result.number("highest_pressure") or inlets[0].P
        return vessel_of(result.number("vessel_result"), P, agitated=True, count=result.number("vessels") or 1.0)

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        return cls.batch(feed, None, given, context)

    @classmethod
    def batch(cls, feed: Stream, dosed: Stream | None, given: Given, context: Context) -> UnitResult:
        """Batches of a charge and what is dosed, as they enter on average. Raises UnitTrouble."""
        phase = cls.reacting_phase(feed, feed, given, [])
        held = type(given)(**{**vars(given), "phase": phase})
        entering = feed if dosed is None else Stream.at_temperature(context.model, feed.n + dosed.n, feed.T, feed.P)
        reactions, laws, per, code = cls.prepare(entering, held, context)
        if feed.is_empty:
            if not entering.is_empty:
                raise UnitTrouble("Nothing is charged into which it could be dosed.", "Charge something.")
            return UnitResult({"product": feed.at(T=feed.T, P=feed.P)}, {"duty": 0.0})
        code = UNDER_VAPOUR if given.phase == "both" else code
        run = BatchRun(feed, dosed, given, context, laws, per, code, cls.key(entering, reactions, context))
        way = run.followed()
        product, heat, work = leaving(run, way)
        extents = way.end[: len(per)] * run.vessel.pace
        values = cls.account(entering, product, extents, given, reactions, context)
        looked, safety = cache(lambda: way.along(POINTS)), Safety(run, way)
        values |= {"duty": heat, "work": work if run.closed else None} | told(run, way, safety, looked)
        values |= cls.weakened(laws, reactions, run.T0, run.P0, run.n0, LIQUID if code == UNDER_VAPOUR else code, held, context.model)
        values["extent"] = dict(zip((r.id for r in reactions), extents.tolist(), strict=True))
        values["profile"] = context.later(lambda: over_time(run, safety, looked(), reactions), explains=True)
        rows = [{"reaction": r.id, "extent": float(e), "key": context.species[run.key]} for r, e in zip(reactions, extents, strict=True)]
        notes = context.later(lambda: remarks(run, safety, looked()))
        return UnitResult({"product": product}, values, [(r.id, e * r.nu) for r, e in zip(reactions, extents, strict=True)], notes, rows)
