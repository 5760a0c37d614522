"""What a unit kind declares, and what it is given and returns. The guide to adding a kind.

A kind is one class in one file. It declares its inputs, ports and results as class
attributes and implements `solve`. The document's schema, the form, the checks, the address
list and the help are made from those declarations, in the order in which they stand.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cache, cached_property, partial
from types import SimpleNamespace
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from gulch.engine.declared.declarations import Computed, Declared, Result
from gulch.engine.handbook import Relation
from gulch.engine.phases import gas_in_liquid

if TYPE_CHECKING:
    from gulch.engine.declared.equipment import Equipment
    from gulch.engine.declared.moved import Moved
    from gulch.engine.document import Project
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.state import PhaseState
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent


@dataclass(frozen=True)
class Port:
    """A connection. `many`: accepts several streams, which the unit mixes."""

    name: str
    meaning: str
    many: bool = False
    draws: str = "side"  # where it leaves on the map: side, top or bottom


@dataclass
class UnitResult:
    """What a solve returns: outlets by port, values by result name, and the account of changes.

    Values, notes, reactions and rooms may be marked with `context.later`.
    """

    outlets: dict
    values: dict = field(default_factory=dict)
    changes: list | Later = field(default_factory=list)  # (label, mol/s by species) between in and out
    notes: list | Later = field(default_factory=list)  # Notes, or (level, sentence, what to do)
    reactions: list | Later = field(default_factory=list)  # rows of the reactor's account, as dicts
    rooms: list | Later = field(default_factory=list)  # Rooms before the doubts that the notes may tell
    whole: Stream | None = None  # of which the outlets are the phases

    def number(self, name: str) -> Any:
        """A value as it is read: computed now where it was left for later, or None."""
        return plain(self.values.get(name))


@dataclass(frozen=True)
class Later:
    """A result that only the final reading needs, not every pass; one that explains is left out of scans."""

    compute: Callable
    explains: bool = False


def plain(value: Any) -> Any:
    """A result as plain data: later ones computed, numpy numbers turned into floats."""
    if isinstance(value, Later):
        value = value.compute()
    return float(value) if isinstance(value, np.floating) else value


class Counted(NamedTuple):
    """What conversion, selectivity and yield count on: moles of the key reactant in one of the wanted product, and both species."""

    ratio: float
    key: str
    product: str


@dataclass
class Context:
    """What a kind's `solve` is given besides feed and inputs.

    model: the PhaseModel; species: ids, in the order of all arrays; names: of species, for sentences;
    sets: {id of a reaction set: steps of chemistry.reaction.Reaction}; display: the units of sentences;
    counted: what the project's conversion, selectivity and yield count on, or None;
    memory: a dict of this unit's own that lasts through a solve; lasting: one that
    lasts while the document stands, for what spares looking again and changes no figure.
    """

    model: PhaseModel
    species: list
    names: list
    sets: dict
    display: str
    counted: Counted | None = None
    memory: dict = field(default_factory=dict)
    lasting: dict = field(default_factory=dict)

    @property
    def key(self) -> int | None:
        """Position of the project's key reactant, or None."""
        return self.species.index(self.counted.key) if self.counted else None

    @staticmethod
    def later(compute: Callable, explains: bool = False) -> Later:
        """Mark a value, notes or reactions that only the final reading needs; one that explains is left out of scans."""
        return Later(compute, explains)


@dataclass(frozen=True)
class Passage:
    """What entered a unit and what it made of that, for results that follow from both."""

    inlets: list[Stream]
    result: UnitResult
    context: Context

    def _amounts(self, streams: Iterable | list[Stream]) -> dict[str, float]:
        n = sum((s.n for s in streams), np.zeros(len(self.context.species)))
        return dict(zip(self.context.species, n.tolist(), strict=True))

    @cached_property
    def entering(self) -> dict[str, float]:
        """What enters, by species [mol/s]."""
        return self._amounts(self.inlets)

    @cached_property
    def leaving(self) -> dict[str, float]:
        """What leaves, by species [mol/s]."""
        return self._amounts(self.result.outlets.values())

    def value(self, name: str) -> Any:
        """Another result of the unit, or None."""
        return plain(self.result.values.get(name))


FAMILIES = ("reactors", "separators", "heat", "pressure", "streams together and apart")


class Unit:
    """Base of all unit kinds."""

    kind = ""
    label = ""
    short = ""  # prefix of new ids
    family = ""  # one of FAMILIES, under which the kind is offered
    meaning = ""
    computed: tuple[Relation, ...] = ()  # a kind has its bases' as well
    parts_liquids = False  # whether it is meant for two liquids, so that nobody need be told of them
    hands_on = False  # whether all that enters leaves together, two liquids as two
    main_outlet: str | None = None  # by which the main way goes on; the first one when left out
    follows: dict = {}  # input -> result whose value at the last point of a scan it takes
    inlets: tuple = (Port("feed", "what enters"),)
    outlets: tuple = (Port("product", "what leaves"),)

    @classmethod
    def heats(cls, values: dict[str, Any], given: Given, outlets: dict[str, Stream]) -> list[tuple[float, float]]:
        """[(heat put in [W], negative where it is taken out, and the temperature [K] that its medium must reach)].

        The kind's `duty` at the hottest outlet, or at the coldest where it cools, unless a kind says it otherwise.
        """
        heat = plain(values.get("duty")) or 0.0
        temperatures = [s.T for s in outlets.values() if not s.is_empty]
        return [(heat, max(temperatures) if heat > 0.0 else min(temperatures))] if heat and temperatures else []

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        """What has to be built for it; nothing unless a kind says it."""
        return []

    @classmethod
    @cache
    def declared(cls, of: type = Declared) -> tuple:
        """Declared attributes of a type, in order of declaration, base classes first; None takes one away."""
        found = {}
        for base in reversed(cls.__mro__):
            for name, value in vars(base).items():
                if isinstance(value, of):
                    found[name] = value
                elif value is None:
                    found.pop(name, None)
        return tuple(found.values())

    @classmethod
    @cache
    def inputs(cls) -> tuple:
        """Declarations of what is typed or chosen, in the order of the form."""
        return tuple(d for d in cls.declared() if not isinstance(d, Computed))

    @classmethod
    def results(cls) -> tuple:
        """Declarations of what is computed."""
        return cls.declared(Result)

    @classmethod
    @cache
    def following(cls) -> tuple[Result, ...]:
        """Declarations of what follows from what enters and leaves."""
        return tuple(r for r in cls.results() if r.of is not None)

    @classmethod
    def followed(cls, inlets: list[Stream], result: UnitResult, context: Context) -> None:
        """Add to a result of `solve` what follows from what enters and leaves, computed when it is read."""
        passage = Passage(inlets, result, context)
        for r in cls.following():
            if r.of is not None and (context.counted is not None or not r.counted):
                result.values[r.key] = Later(partial(r.of, passage))

    @classmethod
    def relations(cls) -> tuple[Relation, ...]:
        """How it is computed, its own Relations before those of its bases."""
        return tuple(r for base in cls.__mro__ for r in vars(base).get("computed", ()))

    @classmethod
    def ports_out(cls, entry: Any) -> tuple:
        """Outlet ports in use for a document entry."""
        return cls.outlets

    @classmethod
    def check(cls, entry: Any, project: Project) -> Iterable:
        """Sentences beyond the declared bounds: yields (input name, what, what to do)."""
        return ()

    @classmethod
    def lights(cls, given: Given) -> bool:
        """Whether what it makes grows with its own temperature, so that a loop that returns its heat may have several states."""
        return False

    @classmethod
    def adopt(cls, feed: Stream, given: Given) -> dict:
        """Fill in `given` what the user left to the context, from what enters; returns {input name: value taken}."""
        return {}

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        """Pressures of the outlets [Pa] by port, as `solve` will have them, from those of what enters by inlet port.

        inf where nothing holds it yet, nan where it hangs on more than pressures.
        """
        own = getattr(given, "pressure", None)
        if own is None:
            own = lowest(P for side in entering.values() for P in side) - (getattr(given, "pressure_drop", None) or 0.0)
        return dict.fromkeys(ports, own)

    @classmethod
    def solve(cls, feed: Any, given: Given, context: Context) -> UnitResult:
        """Compute the unit.

        feed: the inlet Stream, or a list of Streams where the inlet port takes many, or {port: Stream} where
        there are several inlets.
        given: SI values by input name; context: .model, .species ids, .sets.
        Returns UnitResult; raises UnitTrouble.
        """
        raise TypeError(f"{cls.__name__} does not say how to solve itself")

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        """How the outlets change with what enters, by port: by differences unless a kind knows it. Raises UnitTrouble.

        Inputs that turn are differenced for all kinds.
        """
        return at.differenced(cls)


ROUNDING = 1e-12  # share of what it is taken from, below which a difference says nothing


def supported(difference: float, size: float) -> float:
    """A difference of amounts, 0.0 where it is no more than the rounding of what it is taken from."""
    return difference if abs(difference) > ROUNDING * abs(size) else 0.0


class Given(SimpleNamespace):
    """Values of the inputs in use, by name; None where an optional one is not given."""


def defaults(kind: type[Unit], **values: Any) -> Given:
    """A Given of a unit kind with its declared defaults, some replaced."""
    out = {d.name: d.unset() for d in kind.inputs()}
    return Given(**(out | values))


def lowest(pressures: Iterable[float]) -> float:
    """The lowest of some pressures; nan where one is not known, inf where there is none."""
    found = list(pressures)
    return np.nan if any(P != P for P in found) else min(found, default=np.inf)


def no_gas_as_liquid(state: PhaseState, context: Context) -> list:
    """Notes that refuse a state of which gas would leave in a liquid, where a further phase was not found."""
    found = gas_in_liquid(state, context.model)
    if found is None:
        return []
    i, share = found
    return [
        (
            "error",
            f"{100 * share:.3g} mol % {context.species[i]} would leave in a liquid, although it is a gas here: "
            "the flash did not find all phases.",
            "Let the gas off first in a species separator by shares that you know, or take water and organics apart before.",
        )
    ]
