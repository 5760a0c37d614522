"""What a catalyst leaves of its rates: activity over time on stream, diffusion inside pellets, the film around them.

Notation: n [mol/s]: shape (n,).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry.kernels.pellet import CYLINDER, NO_PELLET, SLAB, SPHERE, rates_over, shares_of
from gulch.engine.chemistry.kernels.rates import (
    P_ACTIVITY,
    P_BED,
    P_CATALYST,
    P_DIFFUSIVITY,
    P_FILM,
    P_LENGTH,
    P_ON,
    P_SHAPE,
    P_SURFACE,
)
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.fluids import phase_properties
from gulch.engine.reactors.heat import Reactor
from gulch.engine.reactors.tube import dimensions

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.stream import Stream

FILMS = {"none": "without resistance", "given": "of a given coefficient"}
SHAPES = {"none": NO_PELLET, "slab": SLAB, "cylinder": CYLINDER, "sphere": SPHERE}


def film_of(kinds: dict[str, str]) -> Choice:
    """The choice of what a film around pellets does."""
    return Choice(
        "Film around pellets",
        kinds,
        "whether mass transfer to the pellets holds their rates back",
        default="none",
        group="catalyst",
        when=("pellet", "sphere", "cylinder", "slab"),
        counted=False,
    )


def activity_of(given: Given) -> float:
    """What is left of the catalyst's activity: typed, or by −da/dt = k aᵈ from 1 (Levenspiel, Chemical Reaction Engineering, ch. 21)."""
    if given.ageing == "given":
        return given.activity
    aged, d = given.decay * given.on_stream, given.decay_order
    if abs(d - 1.0) < 1e-9:
        return math.exp(-aged)
    inner = 1.0 + (d - 1.0) * aged
    return inner ** (-1.0 / (d - 1.0)) if inner > 0.0 else 0.0


def rates_left(model: PhaseModel, T: float, P: float, x: np.ndarray, phase: int, laws: Rates) -> tuple[np.ndarray, float]:
    """(rates as pellet and age leave them, shape (m,), molar volume [m3/mol]) at T [K], P [Pa] and mole fractions x, shape (n,)."""
    rates, volumes = rates_over(np.array([T]), P, x[None], phase, laws, *model.mix)
    return rates[0], float(volumes[0])


class OnCatalyst(Reactor):
    """Base of reactors whose rates may count on a catalyst."""

    ageing = Choice(
        "Catalyst",
        {"given": "of a given activity", "order": "loses activity over time on stream"},
        "what is left of its activity; it counts for rates by mass or surface of catalyst or by volume of bed",
        default="given",
        group="catalyst",
        counted=False,
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
        "whether diffusion inside the pellets holds back rates by mass or surface of catalyst or by volume of bed",
        default="none",
        group="catalyst",
        counted=False,
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

    film = film_of(FILMS)
    film_coefficient = Input(
        "Coefficient of mass transfer",
        "velocity",
        "from the fluid to a pellet's surface",
        low=1e-12,
        high=1e3,
        default="0.01 m/s",
        when=("film", "given"),
        group="catalyst",
        counted=False,
    )

    effectiveness = Result(
        "Effectiveness",
        "fraction",
        "share of the surface's rate that pellets have where the feed enters; in a tank: inside",
        per="reaction",
    )
    activity_left = Result("Activity left", "fraction", "rate over that of the fresh catalyst")

    @classmethod
    def catalyst(cls, given: Given, reactions: list) -> np.ndarray:
        """What weakens rates by bed or catalyst, as `kernels.rates` wants it, shape (9,). Raises UnitTrouble."""
        out = np.zeros(9)
        out[P_ACTIVITY] = activity_of(given)
        out[P_SHAPE] = SHAPES[given.pellet]
        out[P_ON] = float(out[P_ACTIVITY] != 1.0 or out[P_SHAPE] != NO_PELLET)
        if given.pellet == "none":
            return out
        if {r.rate.per for r in reactions} == {"fluid"}:
            raise UnitTrouble(
                "Pellets hold back rates by mass or surface of catalyst or by volume of bed, but those here count on the volume of fluid.",
                "Say in Chemistry what the rates count on, or choose pellets without resistance.",
                "pellet",
            )
        if given.void >= 1.0:
            raise UnitTrouble("Pellets have no room where the void fraction is 100 %.", "Type the bed's void fraction.", "void")
        out[P_LENGTH] = given.pellet_size / {"slab": 2.0, "cylinder": 4.0, "sphere": 6.0}[given.pellet]
        out[P_DIFFUSIVITY] = given.diffusivity * (given.porosity / given.tortuosity if given.porosity is not None else 1.0)
        out[P_BED] = 1.0 / (1.0 - given.void)
        out[P_CATALYST] = given.pellet_density or (given.bulk_density or 0.0) / (1.0 - given.void)
        out[P_SURFACE] = (given.surface or 0.0) / (1.0 - given.void)
        out[P_FILM] = given.film_coefficient if given.film == "given" else 0.0
        return out

    @staticmethod
    def weakened(
        laws: Rates, reactions: list, T: float, P: float, n: np.ndarray, phase: int, given: Given, model: PhaseModel
    ) -> dict[str, Any]:
        """Results on the catalyst at a state: effectiveness by reaction, and the activity that is left. n: amounts, shape (n,)."""
        out: dict[str, Any] = {"activity_left": float(laws.pellet[P_ACTIVITY])}
        if given.pellet != "none" and n.sum() > 0.0:
            share, x = np.ones(len(reactions)), n / n.sum()
            v = phase_properties(T, P, x, phase, *model.mix)[2]
            shares_of(T, P, x, v, phase, laws, share, *model.mix)
            out["effectiveness"] = {r.id: float(s) for r, s in zip(reactions, share, strict=True) if r.rate.per != "fluid"}
        return out


class InBed(OnCatalyst):
    """Base of reactors with a bed through which the fluid flows, so that the film around its pellets can be computed."""

    film = film_of(FILMS | {"bed": "by Wakao and Funazkri's equation"})
    fluid_diffusivity = Input(
        "Diffusivity in the fluid",
        "diffusivity",
        "of what reacts, outside the pellets",
        low=1e-13,
        high=1e-1,
        default="1e-5 m2/s",
        when=("film", "bed"),
        group="catalyst",
    )
    fluid_viscosity = Input(
        "Viscosity around pellets",
        "viscosity",
        "of the fluid",
        low=1e-7,
        high=100.0,
        default="0.02 mPa s",
        when=("film", "bed"),
        group="catalyst",
    )

    @classmethod
    def film_in(cls, laws: Rates, feed: Stream, given: Given, context: Context, phase: int) -> None:
        """Put into the laws the coefficient of mass transfer in a bed: Sh = 2 + 1.1 Sc^(1/3) Re^0.6.

        Wakao & Funazkri, Chem. Eng. Sci. 33 (1978) 1375.

        Re counts on the pellet's diameter and the flow over the empty tube, which stays along it. Raises UnitTrouble without a diameter.
        """
        if given.pellet == "none" or given.film != "bed" or feed.is_empty:
            return
        area = dimensions(given)[2]
        if area is None:
            raise UnitTrouble("The film in a bed needs the velocity, so the tube's diameter.", "Type the diameter of a tube.", "diameter")
        volume = feed.total * phase_properties(feed.T, feed.P, feed.n / feed.total, phase, *context.model.mix)[2]
        density = float(feed.n @ context.model.molar_mass) / volume
        Re = density * volume / area * given.pellet_size / given.fluid_viscosity
        Sc = given.fluid_viscosity / (density * given.fluid_diffusivity)
        laws.pellet[P_FILM] = (2.0 + 1.1 * Sc ** (1.0 / 3.0) * Re**0.6) * given.fluid_diffusivity / given.pellet_size
