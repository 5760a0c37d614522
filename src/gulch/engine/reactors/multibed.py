"""A multibed converter: beds in series, each adiabatic or cooled, with exchangers between them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import UnitResult
from gulch.engine.declared.declarations import Choice, Input, PerStage, Result
from gulch.engine.declared.profiles import Group, Profile, Series, Way
from gulch.engine.handbook import FOGLER, Relation
from gulch.engine.phases import Stream
from gulch.engine.quantities import show
from gulch.engine.reactors.beds import Beds
from gulch.engine.reactors.kinetic import RATES, KineticReactor
from gulch.engine.reactors.plug_flow import PlugFlow
from gulch.engine.reactors.spaces import spaces

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given

STAGES = {str(k): str(k) for k in range(1, 9)}

# What runs along the stages, and their path over temperature.
THROUGH = Profile(
    "Through {unit}",
    (Way("volume", "volume", "volume"), Way("over", "temperature", "temperature")),
    (
        Group(
            "path",
            "Path",
            (
                Series("path", "path of the stages", "fraction", axis="conversion of {key}"),
                Series("equilibrium", "equilibrium", "fraction", axis="conversion of {key}"),
                Series("best", "fastest at each conversion", "fraction", axis="conversion of {key}"),
            ),
            over="over",
        ),
        Group("composition", "Composition", (Series("flow", "flow", "molar flow", "species", changing=True),)),
        Group("state", "Temperature and pressure", (Series("T", "temperature", "temperature"), Series("P", "pressure", "pressure"))),
        RATES,
        Group("conversion", "Conversion", (Series("conversion", "conversion of {key}", "fraction"),)),
    ),
)


class MultibedConverter(KineticReactor):
    """Beds in series by rate laws, cooled or heated between each other by exchangers."""

    kind = "multibed-converter"
    label = "multibed converter"
    meaning = "beds in series, each adiabatic or cooled, with exchangers before them that set their inlet temperatures"
    computed: tuple[Relation, ...] = (
        Relation("d n_i/dV = sum_r nu_ir r_r", "along each bed, at the local temperature and pressure", f"{FOGLER}, ch. 2"),
        Relation(
            "X(T) of equilibrium: r = 0;  fastest: dr/dT = 0 at X", "lines of the diagram, where one reaction runs", f"{FOGLER}, ch. 11"
        ),
    )

    pressure_drop = None  # type: ignore[assignment]  # each stage has its own
    temperature = None  # type: ignore[assignment]
    duty_given = None  # type: ignore[assignment]
    phase = Choice(
        "Phase",
        {"vapour": "vapour", "liquid": "liquid"},
        "what flows; not chosen: what the feed is",
        context="as the feed",
    )
    stages = Choice("Stages", STAGES, "beds one after another", default="3")
    size_by = Choice("Sized by", {"volume": "volume", "catalyst": "mass of catalyst"}, "what is given of each bed", default="volume")
    volume = PerStage("Volume", "volume", "of a bed", low=1e-9, high=1e6, default="1 m3", when=("size_by", "volume"))
    catalyst_mass = PerStage(
        "Mass of catalyst",
        "mass",
        "in a bed; needs the catalyst per bed volume",
        low=1e-9,
        high=1e9,
        default="1000 kg",
        when=("size_by", "catalyst"),
    )
    inlet = PerStage(
        "Inlet temperature",
        "temperature",
        "to which what enters a bed is brought by an exchanger before it; empty: as it comes",
        low=100.0,
        high=3000.0,
        empty="as it comes",
    )
    drop = PerStage("Pressure drop", "pressure difference", "over a bed", low=0.0, high=1e8, default="0 bar", counted=False)
    mode = Choice(
        "Heat",
        {"adiabatic": "adiabatic beds", "coolant": "coolant at one temperature along the beds"},
        "how heat leaves along the beds",
        default="adiabatic",
        group="heat",
    )
    conductance = PerStage(
        "U A of the wall",
        "heat conductance",
        "heat passed per degree in a bed",
        low=0.0,
        high=1e9,
        default="1 kW/K",
        when=("mode", "coolant"),
        group="heat",
    )
    coolant = Input(
        "Coolant temperature",
        "temperature",
        "along all beds",
        low=100.0,
        high=3000.0,
        default="25 degC",
        when=("mode", "coolant"),
        group="heat",
    )
    limit = PlugFlow.limit

    stage_temperature = Result("Outlet temperature", "temperature", "temperature at the end of a stage", per="stage")
    stage_conversion = Result("Conversion", "fraction", "of the key species, of what was fed up to the end of a stage", per="stage")
    stage_equilibrium = Result(
        "Equilibrium conversion", "fraction", "at the temperature and pressure at the end of a stage; where one reaction runs", per="stage"
    )
    stage_heat = Result("Heat put in before", "power", "put in by the exchanger before a stage; negative where it cools", per="stage")
    hot_spot = Result("Hottest point", "temperature", "highest temperature along the stages")
    pressure_fall = Result("Pressure drop", "pressure difference", "inlet less outlet pressure")
    profile = THROUGH

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        return dict.fromkeys(ports, entering["feed"][0] - sum(d or 0.0 for d in given.drop))

    @classmethod
    def lights(cls, given: Given) -> bool:
        return True

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        return cls.staged(feed, None, [], given, context)

    @classmethod
    def staged(cls, feed: Stream, cold: Stream | None, shares: list[float], given: Given, context: Context) -> UnitResult:
        """Stages of a feed and of cold gas by shares. Raises UnitTrouble."""
        whole = feed if cold is None else Stream.at_temperature(context.model, feed.n + cold.n, feed.T, feed.P)
        reactions, laws, per, phase = cls.prepare(whole, given, context)
        if whole.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=feed.P)}, {"duty": 0.0})
        key = cls.key(whole, reactions, context)
        beds = Beds(feed, cold, shares, given, context, laws, per, phase, cls.phase_state, key)
        product = beds.stages[-1].leaving
        extents = np.sum([s.way.end[: len(per)] for s in beds.stages], axis=0)
        values = cls.account(whole, product, extents, given, reactions, context) | {"duty": beds.heat}
        values |= cls.told(beds, context)
        values |= cls.weakened(laws, reactions, beds.stages[0].entering.T, feed.P, whole.n, phase, given, context.model)
        values["extent"] = dict(zip((r.id for r in reactions), extents.tolist(), strict=True))
        values["profile"] = context.later(lambda: cls.through(beds, reactions, context), explains=True)
        rows = [{"reaction": r.id, "extent": float(e), "key": context.species[key]} for r, e in zip(reactions, extents, strict=True)]
        notes = context.later(lambda: [*cls.beyond(beds, context), *cls.phase_remarks(product, given, context)])
        rooms = context.later(lambda: cls.phase_rooms(product, given.phase))
        changes = [(r.id, e * r.nu) for r, e in zip(reactions, extents, strict=True)]
        return UnitResult({"product": product}, values, changes, notes, rows, rooms)

    @staticmethod
    def told(beds: Beds, context: Context) -> dict[str, Any]:
        """Results of the stages and of all of them."""
        names = [str(k + 1) for k in range(len(beds.stages))]
        volume, later = sum(s.volume for s in beds.stages), context.later

        def balanced() -> dict[str, float]:
            found = {i: beds.equilibrium_at(s.leaving) for i, s in zip(names, beds.stages, strict=True)}
            return {i: x for i, x in found.items() if x is not None}

        return {
            **spaces(beds.given, volume),
            "stage_temperature": later(lambda: {i: float(s.leaving.T) for i, s in zip(names, beds.stages, strict=True)}),
            "stage_conversion": {
                i: float(beds.conversion(k, s.leaving.n)) for k, (i, s) in enumerate(zip(names, beds.stages, strict=True))
            },
            "stage_equilibrium": later(balanced),
            "stage_heat": {i: float(s.before) for i, s in zip(names, beds.stages, strict=True)},
            "residence_time": later(beds.residence),
            "space_velocity": later(lambda: beds.stages[0].entering.volume_flow / volume),
            "hot_spot": later(beds.hottest),
            "pressure_fall": beds.feed.P - beds.pressure_left(),
        }

    @staticmethod
    def through(beds: Beds, reactions: list, context: Context) -> dict[str, Any]:
        """Everything along the stages, and the diagram of their path, SI."""
        ends = np.cumsum([0.0] + [s.volume for s in beds.stages])
        n, rates = np.concatenate([a.n for a in beds.along]), np.concatenate([a.rates for a in beds.along])
        return beds.diagram() | {
            "volume": np.concatenate([a.grid + end for a, end in zip(beds.along, ends[:-1], strict=True)]).tolist(),
            "T": np.concatenate([a.T for a in beds.along]).tolist(),
            "P": np.concatenate([a.P for a in beds.along]).tolist(),
            "flow": {s: n[:, i].tolist() for i, s in enumerate(context.species)},
            "rate": {r.id: rates[:, j].tolist() for j, r in enumerate(reactions)},
            "per": {r.id: r.rate.per for r in reactions},
            "key": context.species[beds.key],
            "conversion": np.concatenate([np.asarray(beds.conversion(k, a.n)) for k, a in enumerate(beds.along)]).tolist(),
        }

    @staticmethod
    def beyond(beds: Beds, context: Context) -> list:
        """Warn of a stage that begins beyond equilibrium, in which conversion is lost."""
        found = beds.coldest_beyond()
        if found is None:
            return []
        k, X, limit = found
        T = show(beds.stages[k].entering.T, "temperature", context.display)
        return [
            (
                "warning",
                f"Stage {k + 1} begins beyond equilibrium: {100 * X:.4g} % is converted, {100 * limit:.4g} % would be at its inlet's {T}; "
                "it loses conversion.",
                "Let it begin colder." if k else "Bring what enters to another temperature.",
            )
        ]
