"""What the reactors that run by rates share: the packed rate laws, the phase, and the remarks on it.

Notation: n [mol/s]: shape (n,).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry.equilibrium import dependent_reaction
from gulch.engine.chemistry.kernels.pellet import CYLINDER, NO_PELLET, SLAB, SPHERE, shares_of
from gulch.engine.chemistry.kernels.rates import P_ACTIVITY, P_BED, P_CATALYST, P_DIFFUSIVITY, P_LENGTH, P_ON, P_SHAPE
from gulch.engine.chemistry.rates import pack
from gulch.engine.phases.kernels import LIQUID, VAPOUR, phase_properties
from gulch.engine.quantities import show
from gulch.engine.units.declarations import Choice, Input, ReactionSet, Result
from gulch.engine.units.reactors.counted import made
from gulch.engine.units.reactors.heat import Reactor, phase_of, vapour_in
from gulch.engine.units.told import Code, Note, UnitTrouble

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.stream import Stream
    from gulch.engine.units.base import Context, Given, Passage


SHAPES = {"none": NO_PELLET, "slab": SLAB, "cylinder": CYLINDER, "sphere": SPHERE}


def activity_of(given: Given) -> float:
    """What is left of the catalyst's activity: typed, or by −da/dt = k aᵈ from 1 (Levenspiel, Chemical Reaction Engineering, ch. 21)."""
    if given.ageing == "given":
        return given.activity
    aged, d = given.decay * given.on_stream, given.decay_order
    if abs(d - 1.0) < 1e-9:
        return math.exp(-aged)
    inner = 1.0 + (d - 1.0) * aged
    return inner ** (-1.0 / (d - 1.0)) if inner > 0.0 else 0.0


def by_volume(reactor: Passage) -> float | None:
    """How much of the wanted product a reactor makes in each m3 of its own [mol/(m3 s)]; None without a volume."""
    volume = reactor.value("volume_result")
    return made(reactor) / volume if volume else None


class KineticReactor(Reactor):
    """Base of stirred tank and plug flow."""

    needs_rates = True
    phase: Choice  # of each kind

    set = ReactionSet("Reaction set", "the reactions that run here, all together, by their rate laws", steps=False)
    bulk_density = Input(
        "Catalyst per bed volume",
        "density",
        "needed by rate laws that count on mass of catalyst",
        low=0.0,
        high=2e4,
        optional=True,
        empty="none",
    )
    void = Input(
        "Void fraction",
        "fraction",
        "share of the reactor's volume that the fluid fills",
        low=0.01,
        high=1.0,
        default="100 %",
        counted=False,
    )

    ageing = Choice(
        "Catalyst",
        {"given": "of a given activity", "order": "loses activity over time on stream"},
        "what is left of its activity; it counts for rates by mass of catalyst or volume of bed",
        default="given",
        group="catalyst",
    )
    activity = Input(
        "Activity",
        "fraction",
        "rate over that of the fresh catalyst",
        low=0.0,
        high=2.0,
        default="100 %",
        when=("ageing", "given"),
        group="catalyst",
        counted=False,
    )
    on_stream = Input(
        "Time on stream",
        "time",
        "since the catalyst was fresh",
        low=0.0,
        high=1e10,
        default="0 h",
        when=("ageing", "order"),
        group="catalyst",
        counted=False,
    )
    decay = Input(
        "Decay constant",
        "space velocity",
        "k of −da/dt = k aᵈ, at the reactor's temperature",
        low=0.0,
        high=1e6,
        default="1e-3 1/h",
        when=("ageing", "order"),
        group="catalyst",
        counted=False,
    )
    decay_order = Input(
        "Order of decay",
        "ratio",
        "d of −da/dt = k aᵈ: 0 falls evenly, 1 exponentially, 2 or more ever more slowly",
        low=0.0,
        high=9.0,
        default="1",
        when=("ageing", "order"),
        group="catalyst",
        counted=False,
    )
    pellet = Choice(
        "Pellets",
        {"none": "without resistance inside", "sphere": "spheres", "cylinder": "long cylinders", "slab": "slabs"},
        "whether diffusion inside the pellets holds back rates by mass of catalyst or volume of bed",
        default="none",
        group="catalyst",
    )
    pellet_size = Input(
        "Pellet diameter",
        "length",
        "of a slab its thickness",
        low=1e-7,
        high=1.0,
        default="3 mm",
        when=("pellet", "sphere", "cylinder", "slab"),
        group="catalyst",
        counted=False,
    )
    diffusivity = Input(
        "Diffusivity inside",
        "diffusivity",
        "effective diffusivity of the pellet; that in the pores where a porosity is typed",
        low=1e-16,
        high=1e-1,
        default="1e-6 m2/s",
        when=("pellet", "sphere", "cylinder", "slab"),
        group="catalyst",
        counted=False,
    )
    porosity = Input(
        "Porosity",
        "fraction",
        "of a pellet: the effective diffusivity is then D porosity/tortuosity",
        low=1e-3,
        high=1.0,
        optional=True,
        empty="D is effective",
        when=("pellet", "sphere", "cylinder", "slab"),
        group="catalyst",
        counted=False,
    )
    tortuosity = Input(
        "Tortuosity",
        "ratio",
        "of the pores, mostly 2 to 6; counts where a porosity is typed",
        low=1.0,
        high=100.0,
        default="3",
        when=("pellet", "sphere", "cylinder", "slab"),
        group="catalyst",
        counted=False,
    )
    pellet_density = Input(
        "Pellet density",
        "density",
        "mass of catalyst in a volume of pellet; catalyst per bed volume over 1 − void where it is not typed",
        low=1e-3,
        high=3e4,
        optional=True,
        empty="from the bed",
        when=("pellet", "sphere", "cylinder", "slab"),
        group="catalyst",
        counted=False,
    )

    extent = Result("Extent", "molar flow", "change of a species over its stoichiometric coefficient", per="reaction")
    volume_result = Result("Reactor volume", "volume", "volume of the reactor, catalyst included")
    residence_time = Result("Residence time", "time", "fluid volume over volume flow; in a plug flow along its way")
    space_velocity = Result("Space velocity", "space velocity", "volume flow at the inlet over the reactor's volume")
    effectiveness = Result(
        "Effectiveness",
        "fraction",
        "share of the surface's rate that pellets have where the feed enters; in a tank: inside",
        per="reaction",
    )
    activity_left = Result("Activity left", "fraction", "of the catalyst, where it loses it over time")
    space_time_yield = Result(
        "Space time yield", "rate", "(P out − P in)/V: wanted product made over the reactor's volume", of=by_volume, counted=True
    )

    @classmethod
    def adopt(cls, feed: Stream, given: Given) -> dict[str, Any]:
        taken = super().adopt(feed, given)
        if given.phase is None:
            given.phase = taken["phase"] = phase_of(feed)
        return taken

    @classmethod
    def reacting_phase(cls, feed: Stream, product: Stream, given: Given, reactions: list) -> str:
        return "vapour" if given.phase == "vapour" else "liquid"

    @classmethod
    def prepare(cls, feed: Stream, given: Given, context: Context) -> tuple:
        """(reactions, laws, per, phase code) of the set. Raises UnitTrouble."""
        reactions = cls.reactions(given, context)
        for r in reactions:
            if r.rate is None:
                raise UnitTrouble(f"{r.id} has no rate law.", f"Give {r.id} one in Chemistry.", "set")
            if r.rate.per == "catalyst" and not given.bulk_density:
                raise UnitTrouble(
                    f"The rate of {r.id} counts on mass of catalyst, but the reactor has no catalyst per bed volume.",
                    "Type how much catalyst a volume of bed holds.",
                    "bulk_density",
                )
        held = [s for s, v, n in zip(context.species, context.model.volatile, feed.n, strict=True) if not v and n > 0.0]
        if held:
            raise UnitTrouble(
                f"{held[0]} is non-volatile, which reactors by rates cannot carry yet.",
                "Separate it before, or leave it out of this feed.",
            )
        laws, per = pack(reactions, [r.constant for r in reactions], context.model.n, cls.catalyst(given, reactions))
        return reactions, laws, per, VAPOUR if given.phase == "vapour" else LIQUID

    @classmethod
    def catalyst(cls, given: Given, reactions: list) -> np.ndarray:
        """What weakens rates by bed or catalyst, as `kernels.rates` wants it, shape (7,). Raises UnitTrouble."""
        out = np.zeros(7)
        out[P_ACTIVITY] = activity_of(given)
        out[P_SHAPE] = SHAPES[given.pellet]
        out[P_ON] = float(out[P_ACTIVITY] != 1.0 or out[P_SHAPE] != NO_PELLET)
        if given.pellet == "none":
            return out
        if {r.rate.per for r in reactions} == {"fluid"}:
            raise UnitTrouble(
                "Pellets hold back rates by mass of catalyst or volume of bed, but those here count on the volume of fluid.",
                "Say in Chemistry what the rates count on, or choose pellets without resistance.",
                "pellet",
            )
        if given.void >= 1.0:
            raise UnitTrouble("Pellets have no room where the void fraction is 100 %.", "Type the bed's void fraction.", "void")
        out[P_LENGTH] = given.pellet_size / {"slab": 2.0, "cylinder": 4.0, "sphere": 6.0}[given.pellet]
        out[P_DIFFUSIVITY] = given.diffusivity * (given.porosity / given.tortuosity if given.porosity is not None else 1.0)
        out[P_BED] = 1.0 / (1.0 - given.void)
        out[P_CATALYST] = given.pellet_density or (given.bulk_density or 0.0) / (1.0 - given.void)
        return out

    @staticmethod
    def weakened(
        laws: Rates, reactions: list, T: float, P: float, n: np.ndarray, phase: int, given: Given, model: PhaseModel
    ) -> dict[str, Any]:
        """Results on the catalyst at a state: effectiveness by reaction, and the activity that is left. n: amounts, shape (n,)."""
        out: dict[str, Any] = {}
        if given.pellet != "none" and n.sum() > 0.0:
            share, x = np.ones(len(reactions)), n / n.sum()
            v = phase_properties(T, P, x, phase, *model.mix)[2]
            shares_of(T, P, x, v, phase, laws, share, *model.mix)
            out["effectiveness"] = {r.id: float(s) for r, s in zip(reactions, share, strict=True) if r.rate.per != "fluid"}
        if given.ageing == "order":
            out["activity_left"] = float(laws.pellet[P_ACTIVITY])
        return out

    @staticmethod
    def independent(reactions: list) -> bool:
        """Whether none of the reactions is a combination of the others."""
        return dependent_reaction(np.array([r.nu for r in reactions])) is None

    @staticmethod
    def phase_state(model: PhaseModel, n: np.ndarray, T: float, P: float, phase: int) -> tuple:
        """(enthalpy flow [W], volume flow [m3/s]) of amounts n held in one phase."""
        total = n.sum()
        h, _, v = phase_properties(T, P, n / total, phase, *model.mix)
        return h * total, v * total

    @staticmethod
    def key(feed: Stream, reactions: list, context: Context) -> int:
        """Position of the species that a target conversion counts: the project's key reactant, else the first reaction's."""
        if context.key is not None and feed.n[context.key] > 0.0:
            return context.key
        first = reactions[0]
        if first.key is not None and feed.n[first.key] > 0.0:
            return first.key
        used = [i for i in np.flatnonzero(first.nu < 0.0) if feed.n[i] > 0.0]
        return int(used[0]) if used else int(np.flatnonzero(first.nu < 0.0)[0])

    @classmethod
    def phase_remarks(cls, product: Stream, given: Given, context: Context) -> list:
        """Warn where the outlet is not the one phase that was assumed."""
        vapour = vapour_in(product)
        if vapour is None:
            return []
        other = vapour if given.phase == "liquid" else 1.0 - vapour
        if other < 1e-9:
            return []
        T, P = show(product.T, "temperature", context.display), show(product.P, "pressure", context.display)
        name = "vapour" if given.phase == "liquid" else "liquid"
        todo = "Raise the pressure or lower the temperature" if name == "vapour" else "Lower the pressure or raise the temperature"
        both = cls.phase.options.get("both") if other < 1.0 - 1e-9 else None
        todo += f", or choose “{both}” for the phase." if both else "."
        return [
            Note(
                "warning",
                f"At the outlet's {T} and {P} {100 * other:.3g} % would be {name}, but the contents are taken as {given.phase}.",
                todo,
                Code.WRONG_PHASE,
            )
        ]
