"""What the reactors that run by rates share: the packed rate laws, the phase, and the remarks on it.

Notation: n [mol/s]: shape (n,).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry.equilibrium import dependent_reaction
from gulch.engine.chemistry.rates import RATE_DIMENSIONS, pack
from gulch.engine.declared.declarations import Choice, Input, ReactionSet, Result
from gulch.engine.declared.profiles import Group, Series
from gulch.engine.declared.told import Code, Note, UnitTrouble
from gulch.engine.fluids import LIQUID, VAPOUR, phase_properties
from gulch.engine.quantities import show
from gulch.engine.reactors.catalyst import OnCatalyst
from gulch.engine.reactors.counted import made
from gulch.engine.reactors.heat import phase_held, vapour_in
from gulch.engine.reactors.spaces import Spaced, sized

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given, Passage
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.stream import Stream


# What runs along any of them: parts of their profiles.
RATES = Group("rates", "Rates", (Series("rate", "rate", "rate", "reaction", by="per", kinds=RATE_DIMENSIONS),))
CONVERTED = (
    Series("conversion", "conversion of {key}", "fraction", axis="share"),
    Series("selectivity", "selectivity", "fraction", axis="share"),
)


def limit_of(default: str) -> Input:
    """The temperature above which a reactor counts as running away."""
    return Input(
        "Stop above",
        "temperature",
        "a temperature above this counts as running away",
        low=200.0,
        high=5000.0,
        default=default,
        material=False,
        counted=False,
    )


def coolant_of(label: str, meaning: str) -> Input:
    """The temperature of what a jacket holds."""
    return Input(label, "temperature", meaning, low=100.0, high=3000.0, default="25 degC", when=("mode", "jacket"), group="heat")


def by_volume(reactor: Passage) -> float | None:
    """How much of the wanted product a reactor makes in each m3 of its own [mol/(m3 s)]; None without a volume."""
    volume = reactor.value("volume_result")
    return made(reactor) / volume if volume else None


class KineticReactor(Spaced, OnCatalyst):
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
    surface = Input(
        "Surface per bed volume",
        "area per volume",
        "needed by rate laws that count on surface: area by mass times catalyst per bed volume, or 4/D of a coated tube",
        low=0.0,
        high=1e10,
        optional=True,
        empty="none",
        group="catalyst",
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

    extent = Result("Extent", "molar flow", "change of a species over its stoichiometric coefficient", per="reaction")
    residence_time = Result("Residence time", "time", "fluid volume over volume flow; in a plug flow along its way")
    space_velocity = Result("Space velocity", "space velocity", "volume flow at the inlet, as it enters, over the reactor's volume")
    space_time_yield = Result(
        "Space time yield", "rate", "(P out − P in)/V: wanted product made over the reactor's volume", of=by_volume, counted=True
    )

    @classmethod
    def lights(cls, given: Given) -> bool:
        return given.mode != "isothermal"

    @classmethod
    def adopt(cls, feed: Stream, given: Given) -> dict[str, Any]:
        taken = super().adopt(feed, given)
        if given.phase is None:
            given.phase = taken["phase"] = phase_held(feed, given)
        sized(feed, given)
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
            if r.rate.per == "surface" and not given.surface:
                raise UnitTrouble(
                    f"The rate of {r.id} counts on area of surface, but the reactor has no surface per bed volume.",
                    "Type how much surface a volume of bed holds.",
                    "surface",
                )
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
