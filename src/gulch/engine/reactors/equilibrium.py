"""Equilibrium reactor: the reactions of a set come to equilibrium in a gas, a liquid, or both.

Notation: T [K], P [Pa]; n [mol/s]: shape (n,); nu: shape (m, n); extents [mol/s], ln_k: shape (m,).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry.constants import QUOTIENT_BASES
from gulch.engine.chemistry.equilibrium import EquilibriumTrouble, Held, PhaseMissing, by_extents, dependent_reaction, moved
from gulch.engine.declared.base import Given, UnitResult, supported
from gulch.engine.declared.declarations import Choice, Input, PerReaction, ReactionSet, Result
from gulch.engine.declared.pressures import outlet_pressure
from gulch.engine.declared.told import Code, Note, Room, UnitTrouble
from gulch.engine.fluids import LIQUID, VAPOUR
from gulch.engine.handbook import SMITH_VAN_NESS, Relation
from gulch.engine.quantities import show
from gulch.engine.reactors.equilibrium_told import between_sources, why
from gulch.engine.reactors.heat import BOTH_PHASES, Reactor, phase_held, vapour_in
from gulch.engine.reactors.spaces import TOLD_CATALYST, TOLD_VOLUME, Told

if TYPE_CHECKING:
    from gulch.engine.chemistry.constants import Constant
    from gulch.engine.chemistry.equilibrium import Equilibrium
    from gulch.engine.chemistry.reaction import Reaction
    from gulch.engine.declared.base import Context
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent
    from gulch.engine.species.records import Species

K_STEP = 1e-4  # of T, over which ln K is differenced
USED_UP = 1e-15  # share of the feed below which an amount is rounding, and so is a quotient made of it
_PHASE_OF = {"gas": "vapour", "liquid": "liquid"}


def basis_words(constant: Constant) -> str:
    """What a constant's quotient is made of, in words."""
    if constant.counts_fugacity:
        return "fugacities over 1 bar, in whichever phase reacts"
    return f"{QUOTIENT_BASES[constant.basis]}, {constant.phase}"


class Contents:
    """What a reactor of a kind holds at equilibrium, at any temperature; constants and states once found are kept."""

    def __init__(self, kind: Any, feed: Stream, given: Any, context: Any, reactions: Any, pressure: float) -> None:
        self.kind, self.feed, self.given, self.context = kind, feed, given, context
        self.reactions, self.pressure = reactions, pressure
        self.nu = np.array([r.nu for r in reactions])
        self.held = [kind.held(r, given, context) for r in reactions]
        self.at_equilibrium = [r for r, h in zip(reactions, self.held, strict=True) if h is None]
        self.constants = [r.constant for r in reactions]
        self.solids = solids_of(self.at_equilibrium, given, context)
        self.seen, self.known = {}, self._known(context.memory)

    def _known(self, memory: dict) -> dict[tuple, np.ndarray]:
        """ln K found in earlier passes with these very constants, which a target or a tie may turn between passes."""
        constants, known = memory.get("constants", ((), {}))
        if len(constants) != len(self.constants) or any(a is not b for a, b in zip(constants, self.constants, strict=True)):
            known = {}
            memory["constants"] = (self.constants, known)
        return known

    def ln_constants(self, T: float) -> np.ndarray:
        """ln K of each reaction at its approach to T [K]; 0 for held ones. Raises UnitTrouble."""
        key = (T, self.given.approach, *self.given.own_approach.values())
        if key not in self.known:
            self.known[key] = np.array([self._ln_constant(r, h, T) for r, h in zip(self.reactions, self.held, strict=True)])
        return self.known[key]

    def _ln_constant(self, reaction: Reaction, held: Held | None, T: float) -> float:
        own = self.given.own_approach.get(reaction.id)
        here = T + (self.given.approach if own is None else own)
        if here < COLDEST:
            raise UnitTrouble(
                f"The approach puts the constant of {reaction.id} at {show(here, 'temperature', self.context.display)}, "
                f"below {show(COLDEST, 'temperature', self.context.display)}.",
                "Choose an approach nearer to zero.",
                "approach",
            )
        return reaction.constant.ln_k(here, reaction.nu, self.context.model) if held is None else 0.0

    def at(self, T: float, n0: np.ndarray | None = None, P: float | None = None, shift: np.ndarray | float = 0.0) -> Any:
        """(Equilibrium, ln K) at T [K], of the feed at the outlet's pressure unless told otherwise. Raises UnitTrouble.

        shift: added to each ln K, shape (m,).
        """
        if np.any(shift):
            return self._solved(T, self.feed.n, self.pressure, shift)
        if n0 is not None or P not in (None, self.pressure):
            return self._solved(T, self.feed.n if n0 is None else n0, self.pressure if P is None else P)
        if T not in self.seen:
            self.seen[T] = self._solved(T, self.feed.n, self.pressure)
        return self.seen[T]

    def _solved(self, T: Any, n0: np.ndarray, P: Any, shift: Any = 0.0) -> tuple:
        ln_k, memory = self.ln_constants(T) + shift, self.context.memory
        try:
            found = by_extents(
                n0,
                self.nu,
                ln_k,
                T,
                P,
                self.context.model,
                self.constants,
                self.given.mixture,
                self.held,
                memory.get("extents"),
                self.solids,
            )
        except PhaseMissing as error:
            raise self.kind.missing_phase(error.phase, T, P, self.at_equilibrium, self.context) from None
        except EquilibriumTrouble as error:
            raise UnitTrouble(str(error), "Check the feed and the reaction set.", "set") from None
        memory["extents"] = found.extents
        return found, ln_k


class EquilibriumReactor(Told):
    """All reactions of the set together, in whatever steps, at the constants they carry; slow ones may be held."""

    kind = "equilibrium-reactor"
    label = "equilibrium reactor"
    meaning = "brings the reactions of a set to equilibrium, by the constants that they carry"
    computed: tuple[Relation, ...] = (
        Relation(
            "product over i of a_i^nu_i = K(T)",
            "a_i: activity, partial pressure, mole fraction or concentration, as the constant is meant; all reactions at once"
            " by their extents",
            f"{SMITH_VAN_NESS}, ch. 13",
        ),
        Relation(
            "K taken at T + approach",
            "where an approach temperature is typed",
            "common practice",
        ),
    )

    set = ReactionSet("Reaction set", "the reactions that come to equilibrium, all together", steps=False)
    mixture = Choice(
        "Reacting phase",
        {"gas": "vapour", "liquid": "liquid", "split": "vapour and liquid, two outlets"},
        "vapour or liquid: the contents are taken as one phase; both: they split as the phase model finds, and leave apart; "
        "not chosen: what the feed is at the temperature held",
        context="as the feed",
    )
    approach = Input(
        "Approach temperature",
        "temperature difference",
        "the constants are taken at the outlet temperature plus this",
        low=-500.0,
        high=500.0,
        default="0 K",
        counted=False,
    )
    runs = PerReaction(
        "How each reaction runs",
        "slow reactions are held at the conversion of their card, or at an extent",
        options={
            "equilibrium": "at equilibrium",
            "conversion": "held at its conversion",
            "extent": "held at an extent",
        },
        default="equilibrium",
    )
    own_approach = PerReaction(
        "Own approach temperature",
        "replaces the common approach for this reaction",
        "temperature difference",
        low=-500.0,
        high=500.0,
        only=("runs", "equilibrium"),
    )
    held_extent = PerReaction(
        "Extent", "the extent at which the reaction is held", "molar flow", default="0 kmol/h", only=("runs", "extent")
    )
    volume = TOLD_VOLUME
    bulk_density = TOLD_CATALYST

    extent = Result("Extent", "molar flow", "change of a species over its stoichiometric coefficient", per="reaction")
    constant = Result(
        "Equilibrium constant",
        "ratio",
        "K in the reaction's own basis, at the outlet plus the approach",
        per="reaction",
    )

    @classmethod
    def ports_out(cls, entry: Any) -> tuple:
        return BOTH_PHASES if entry.mixture == "split" else cls.outlets

    @classmethod
    def adopt(cls, feed: Stream, given: Given) -> dict[str, str]:
        taken = super().adopt(feed, given)
        if given.mixture is None:
            given.mixture = taken["mixture"] = "liquid" if phase_held(feed, given) == "liquid" else "gas"
        return taken

    @classmethod
    def reacting_phase(cls, feed: Stream, product: Stream, given: Given, reactions: list) -> str:
        wanted = _PHASE_OF.get(given.mixture)
        return wanted or ("liquid" if all(r.constant.phase == "liquid" for r in reactions) else "vapour")

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        reactions = cls.reactions(given, context)
        if context.memory.get("checked") != (given.runs, given.mixture):
            cls.check_reactions(np.array([r.nu for r in reactions]), reactions, given, context)
            context.memory["checked"] = (dict(given.runs), given.mixture)
        pressure = outlet_pressure(feed, given.pressure_drop, context)
        if feed.is_empty:
            empty = feed.at(T=feed.T, P=pressure)
            return UnitResult(leaving(empty, given), {"duty": 0.0})
        contents = Contents(cls, feed, given, context, reactions, pressure)
        product = cls.settle_heat(feed, given, context, lambda T: contents.at(T)[0].n)
        found, ln_k = contents.at(product.T)
        extents = np.array([supported(x, feed.total) for x in found.extents])
        values = cls.account(feed, product, extents, given, reactions, context)
        values["extent"] = dict(zip((r.id for r in reactions), extents.tolist(), strict=True))
        values["constant"] = {
            r.id: math.exp(k) if abs(k) < 690.0 else None for r, k, h in zip(reactions, ln_k, contents.held, strict=True) if h is None
        }
        values["why"] = context.later(lambda: why(feed, product, reactions, contents.held, found, contents.at, context), explains=True)
        values["between"] = context.later(lambda: between_sources(contents, product.T), explains=True)
        changes = [(r.id, x * r.nu) for r, x in zip(reactions, extents, strict=True)]
        rows = context.later(lambda: cls.rows(feed, reactions, contents.held, extents, ln_k, found, context))

        def told() -> list[Note]:
            return cls.remarks(product, given, context) + disbelief(product.T, contents.at_equilibrium, given, context)

        # a gas is refused nowhere, so only the outcome is looked at
        notes = context.later(told) if given.mixture == "gas" else told()
        rooms = context.later(lambda: rooms_of(cls, product, contents.at_equilibrium, given))
        return UnitResult(leaving(product, given), values, changes, notes, rows, rooms)

    @classmethod
    def rows(
        cls, feed: Stream, reactions: list, held: list, extents: np.ndarray, ln_k: np.ndarray, found: Equilibrium, context: Context
    ) -> list:
        """The reactor's account: each reaction with its extent, constant and quotient, or how it is held."""
        rows = []
        for r, h, x, k, q in zip(reactions, held, extents, ln_k, found.ln_q, strict=True):
            gone = [i for i in np.flatnonzero(r.nu) if found.n[i] < USED_UP * feed.total]
            row = {"reaction": r.id, "extent": float(x), "key": context.species[r.key] if r.key is not None else None}
            if h is None:
                row |= {
                    "ln_k": float(k),
                    "ln_q": float(q) if math.isfinite(q) and not gone else None,
                    "gone": context.species[gone[0]] if gone else None,
                    "basis": basis_words(r.constant),
                }
            else:
                row |= {"held": "extent" if h.extent is not None else "conversion", "asked": h.conversion}
            rows.append(row)
        return rows

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        return moved_contents(cls, at) or at.differenced(cls)

    @classmethod
    def held(cls, reaction: Reaction, given: Given, context: Context) -> Held | None:
        """How a reaction is held, or None at equilibrium. Raises UnitTrouble."""
        way = given.runs.get(reaction.id, "equilibrium")
        if way == "extent":
            return Held(extent=given.held_extent.get(reaction.id, 0.0))
        if way == "conversion":
            share = reaction.conversion_at(None)
            if share is None or reaction.key is None:
                raise UnitTrouble(
                    f"{reaction.id} is held at its conversion but has none, or one that changes with temperature.",
                    f"Give {reaction.id} a key species and a constant conversion in Chemistry, or hold it at an extent.",
                    f"runs.{reaction.id}",
                )
            return Held(conversion=share, key=reaction.key)
        return None

    @classmethod
    def check_reactions(cls, nu: np.ndarray, reactions: list, given: Given, context: Context) -> None:
        """Raise UnitTrouble where the set is dependent, or a constant does not fit the reacting phase or lacks a datum.

        Raises UnitTrouble.
        """
        extra = dependent_reaction(nu)
        if extra is not None:
            raise UnitTrouble(
                f"Reaction {reactions[extra].id} is a combination of the others of the set, so it says nothing new.",
                f"Take {reactions[extra].id} out of the set.",
                "set",
            )
        wanted = _PHASE_OF.get(given.mixture)
        for r in reactions:
            if given.runs.get(r.id, "equilibrium") != "equilibrium":
                continue
            c = r.constant
            if wanted and not c.counts_fugacity and c.phase != wanted:
                raise UnitTrouble(
                    f"The constant of {r.id} holds in the {c.phase}, but the reacting phase of this reactor is {wanted}.",
                    f"Choose {c.phase} as the reacting phase, or give {r.id} a constant for the {wanted}.",
                    "mixture",
                )
            for i in np.flatnonzero(r.nu):
                s = context.model.species[i]
                if c.source == "gibbs" and s.entropy is None:
                    raise UnitTrouble(
                        f"{context.species[i]} has no entropy, so {r.id} has no constant from Gibbs energies.",
                        f"Type its entropy or its formation Gibbs energy in Chemistry, or give {r.id} another constant.",
                        "set",
                    )
                if s.non_volatile and needs_activity(c) and not apart(s, given):
                    raise UnitTrouble(
                        f"{context.species[i]} stays in the liquid, where its activity is not known, so {r.id} has no equilibrium.",
                        f"Give {r.id} a constant in mole fractions or concentrations of the liquid, or hold it.",
                        "set",
                    )

    @classmethod
    def missing_phase(cls, phase: str, T: float, P: float, reactions: list, context: Context) -> UnitTrouble:
        """The sentence for a constant whose phase does not exist at the outlet."""
        where = f"{show(T, 'temperature', context.display)} and {show(P, 'pressure', context.display)}"
        names = ", ".join(r.id for r in reactions if r.constant.phase == phase)
        other = "vapour (superheated)" if phase == "liquid" else "liquid"
        return UnitTrouble(
            f"At {where} the contents are all {other}, but the constant of {names} is for the {phase}.",
            "Lower the temperature or raise the pressure." if phase == "liquid" else "Raise the temperature or lower the pressure.",
            "mixture",
        )

    @classmethod
    def remarks(cls, product: Stream, given: Given | None, context: Context) -> list:
        """Warn or refuse where the outlet is not the single phase that was assumed. Raises UnitTrouble."""
        if given is not None and given.mixture == "split":
            return []
        vapour = vapour_in(product)
        if vapour is None:
            return []
        if given is not None and given.mixture == "liquid":
            if vapour > 1.0 - 1e-9:
                raise UnitTrouble(
                    f"At {show(product.T, 'temperature', context.display)} and {show(product.P, 'pressure', context.display)} "
                    "the outlet is superheated vapour, but the reacting phase is liquid.",
                    "Lower the temperature, raise the pressure, or choose another reacting phase.",
                    "mixture",
                )
            if vapour > 1e-9:
                return [
                    Note(
                        "warning",
                        f"{100 * vapour:.3g} % of the outlet would be vapour, but the equilibrium is that of a liquid.",
                        "Raise the pressure, or let vapour and liquid leave apart.",
                        Code.WRONG_PHASE,
                    )
                ]
            return []
        if vapour > 1.0 - 1e-9:
            return []
        return [
            Note(
                "warning",
                f"{100 * (1 - vapour):.3g} % of the outlet would be liquid, but the equilibrium is that of a gas.",
                "Raise the temperature or lower the pressure.",
                Code.WRONG_PHASE,
            )
        ]


def leaving(product: Stream, given: Given) -> dict[str, Any]:
    """Outlet streams by port."""
    return product.parted() if given.mixture == "split" else {"product": product}


def moved_contents(kind: type[EquilibriumReactor], at: Moved) -> dict[str, Tangent] | None:
    """Changes of what leaves a reactor whose contents are one phase; None where no formula knows them."""
    feed, given, context = at.inlets[0], Given(**vars(at.given)), at.context
    kind.adopt(feed, given)
    if feed.is_empty or given.mixture == "split" or not context.model.all_volatile:
        return None
    product = at.result.outlets["product"]
    contents = Contents(kind, feed, given, context, kind.reactions(given, context), product.P)
    T, step = product.T, K_STEP * product.T
    by_T = (contents.ln_constants(T + step) - contents.ln_constants(T - step)) / (2.0 * step)
    phase = VAPOUR if given.mixture == "gas" else LIQUID
    constants, held = contents.constants, contents.held
    found = moved(product.n, contents.nu, by_T, T, product.P, context.model, phase, constants, held, at.only.n, at.only.P)
    return None if found is None else {"product": kind.reacted(at, *found)}


def needs_activity(constant: Constant) -> bool:
    """Whether a constant asks for the activity of a species that stays in the liquid, not for how much of it is there."""
    return constant.source == "gibbs" or constant.basis == "activity" or constant.phase == "vapour"


def apart(species: Species, given: Given) -> bool:
    """Whether what cannot vaporise is a pure phase of its own: beside a gas, or where it does not dissolve."""
    return species.non_volatile and (given.mixture == "gas" or not species.dissolves)


def solids_of(reactions: list, given: Given, context: Context) -> np.ndarray | None:
    """Which species are pure solids of activity 1, shape (n,), where constants that ask for activities have such ones."""
    found = np.array([apart(s, given) for s in context.model.species])
    reacting = [r for r in reactions if r.nu[found].any()]
    return found if reacting and all(needs_activity(r.constant) for r in reacting) else None


def disbelief(T: float, reactions: list, given: Given, context: Context) -> list:
    """Warn where a constant is used outside the temperatures at which it may be believed."""
    notes = []
    for r in reactions:
        own = given.own_approach.get(r.id)
        here = T + (given.approach if own is None else own)
        if not r.constant.believed(here):
            low, high = (show(v, "temperature", context.display) if v is not None else "any" for v in r.constant.range())
            notes.append(
                Note(
                    "warning",
                    f"{r.id}: its constant is used at {show(here, 'temperature', context.display)}, but is believed from {low} to {high}.",
                    "Below that range kinetics may freeze; take the extent with caution, or hold the reaction.",
                    Code.BEYOND_BELIEF,
                )
            )
    return notes


def rooms_of(kind: type[Reactor], product: Stream, reactions: list, given: Given) -> list[Room]:
    """How far the outlet is from another phase, and each constant from the ends of the temperatures at which it is believed."""
    T, phase = product.T, "liquid" if given.mixture == "liquid" else "vapour"
    out = [] if given.mixture == "split" else kind.phase_rooms(product, phase)
    for r in reactions:
        own = given.own_approach.get(r.id)
        here = T + (given.approach if own is None else own)
        low, high = r.constant.range()
        ends = [*([here - low] if low is not None else []), *([high - here] if high is not None else [])]
        out += [Room(Code.BEYOND_BELIEF, f"belief in the constant of {r.id}", float(min(ends)))] if ends else []
    return out


COLDEST = 100.0  # K at which a constant is still asked for
