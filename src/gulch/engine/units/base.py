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
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

import numpy as np

from gulch.engine.handbook import Relation
from gulch.engine.phases import gas_in_liquid
from gulch.engine.quantities import parse

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.state import PhaseState
    from gulch.engine.phases.stream import Stream


@dataclass(frozen=True)
class Scope:
    """What a unit's declarations are spread over. species: [(id, name shown)]; reactions: ids of the unit's set, in order.

    choices: {name: value} of the unit; ways: {name of a PerReaction of options: {reaction: value}}.
    """

    species: tuple
    reactions: tuple
    choices: dict
    ways: dict


@dataclass(frozen=True)
class Number:
    """One number that a declaration asks for. item: of which species or reaction, "" where there is only one.

    text: as in the document, its default where none is typed; lacking: whether nobody typed it although figures rest on it.
    """

    item: str
    label: str
    text: str | None
    lacking: bool = False


class Declared:
    """An attribute that learns its own name; `group` nests it in the document.

    What a declaration means to the document's schema, to the list of addresses, to a run and to the form it says itself.
    """

    name = ""
    written: str | None = None  # its key in document and addresses where that is not its name, because a result has that name
    group: str | None = None
    when: tuple | None = None  # (choice name, value, ...): used only while that choice has one of the values
    context = ""
    default: Any = None

    def __set_name__(self, owner: Any, name: Any) -> None:
        self.name = name

    @property
    def key(self) -> str:
        """Its key in the document and in addresses."""
        return self.written or self.name

    def in_use(self, choices: dict[str, Any]) -> bool:
        """Whether it counts while the choices are as they are."""
        return self.when is None or choices.get(self.when[0]) in self.when[1:]

    def schema(self, types: Any) -> tuple[Any, Any, str]:
        """(type, default, description) of its document entry; types: those of document texts and references."""
        raise NotImplementedError

    def numbers(self, value: Any, scope: Scope) -> tuple:
        """The Numbers it asks for now; value: its document entry."""
        return ()

    def reader(self, unit_id: str, value: Any, scope: Scope) -> Callable:
        """A function of {address: SI value} that gives what `solve` is given under its name."""
        return lambda inputs: value

    def unset(self) -> Any:
        """What `solve` is given where nothing is typed, in SI."""
        return None

    def changed(self, value: Any, item: str, text: str) -> Any:
        """The document entry with a text written into it."""
        return text or None

    def _otherwise(self) -> str:
        taken = self.context or self.default
        return f"; {taken} is assumed when left out" if taken else ""


class _ByItem(Declared):
    """An entry of several texts by species or reaction."""

    def unset(self) -> dict:
        return {}

    def changed(self, value: Any, item: str, text: str) -> Any:
        rest = {k: v for k, v in value.items() if k != item}
        return rest if text in (None, "") else rest | {item: text}


@dataclass(eq=False)
class Input(Declared):
    """A number: its dimension, bounds and default in SI, and its meaning in one line.

    A default that nobody typed counts as assumed, unless it stands for "none of it" (`counted` False). `context`
    says in words where the value comes from when the kind's `adopt` takes it from what enters.
    """

    label: str
    dimension: str
    meaning: str
    low: float = -np.inf
    high: float = np.inf
    default: str | None = None  # as document text
    optional: bool = False
    empty: str = "as inlet"  # what an optional one means when it is left empty
    when: tuple | None = None
    group: str | None = None
    material: bool = True  # a temperature that material has, which the heat-capacity data should cover
    context: str = ""
    counted: bool = True
    written: str | None = None

    def schema(self, types: Any) -> tuple[Any, Any, str]:
        return types.quantity | None, None, f"{self.meaning} [{self.dimension}]{self._otherwise()}"

    def numbers(self, value: Any, scope: Scope) -> tuple:
        lacking = value in (None, "") and bool(self.default or self.context)
        return (Number("", self.label, self.default if lacking and self.default else value, lacking),)

    def reader(self, unit_id: str, value: Any, scope: Scope) -> Callable:
        if not self.in_use(scope.choices):
            return lambda inputs: None
        address = f"{unit_id}.{self.key}"
        return lambda inputs: inputs.get(address)

    def unset(self) -> float | None:
        return parse(self.default, self.dimension) if self.default is not None and not self.optional else None


@dataclass(eq=False)
class Choice(Declared):
    """One of several ways, {value: label}; `context` as of an Input, where there is no default."""

    label: str
    options: dict
    meaning: str
    default: str | None = None
    when: tuple | None = None
    group: str | None = None
    context: str = ""
    counted: bool = True

    def schema(self, types: Any) -> tuple[Any, Any, str]:
        return Literal[tuple(self.options)] | None, None, f"{self.meaning}{self._otherwise()}"

    def reader(self, unit_id: str, value: Any, scope: Scope) -> Callable:
        chosen = scope.choices[self.name]
        return lambda inputs: chosen

    def unset(self) -> str | None:
        return self.default


@dataclass(eq=False)
class ReactionSet(Declared):
    """The reaction set a reactor uses; `steps`: whether it runs them step by step to given conversions."""

    label: str
    meaning: str
    steps: bool = True
    optional: bool = False

    def schema(self, types: Any) -> tuple[Any, Any, str]:
        return types.set_id | None, None, self.meaning


@dataclass(eq=False)
class SpeciesChoice(Declared):
    """One species of the project."""

    label: str
    meaning: str
    when: tuple | None = None

    def schema(self, types: Any) -> tuple[Any, Any, str]:
        return types.species_id | None, None, self.meaning


@dataclass(eq=False)
class PerSpecies(_ByItem):
    """One number for each species of the project; missing ones take the default."""

    label: str
    dimension: str
    meaning: str
    low: float = -np.inf
    high: float = np.inf
    default: str = "0 %"
    when: tuple | None = None
    counted: bool = True

    def schema(self, types: Any) -> tuple[Any, Any, str]:
        return dict[types.species_id, types.quantity], {}, f"{self.meaning} [{self.dimension}], by species"

    def numbers(self, value: Any, scope: Scope) -> tuple:
        return tuple(Number(i, f"{self.label} of {s}", value.get(i, self.default), i not in value) for i, s in scope.species)

    def reader(self, unit_id: str, value: Any, scope: Scope) -> Callable:
        default = parse(self.default, self.dimension)
        addresses = [f"{unit_id}.{self.key}.{i}" for i, _ in scope.species]
        return lambda inputs: np.array([inputs.get(a, default) for a in addresses])


@dataclass(eq=False)
class PerReaction(_ByItem):
    """One number, or one of several ways (`options`), for each reaction of the unit's set; missing ones take the default.

    A number without default is optional.
    """

    label: str
    meaning: str
    dimension: str | None = None
    options: dict | None = None
    default: str | None = None
    low: float = -np.inf
    high: float = np.inf
    only: tuple | None = None  # (name of a PerReaction of options, value): asked for only where that holds

    def schema(self, types: Any) -> tuple[Any, Any, str]:
        values: Any = Literal[tuple(self.options)] if self.options else types.quantity
        return dict[types.reaction_id, values], {}, f"{self.meaning}, by reaction"

    def numbers(self, value: Any, scope: Scope) -> tuple:
        asked = [] if self.options else [i for i in scope.reactions if self.only is None or scope.ways[self.only[0]][i] == self.only[1]]
        return tuple(Number(i, f"{self.label} of {i}", value.get(i, self.default)) for i in asked)

    def chosen(self, value: dict[str, str], reactions: tuple) -> dict[str, Any]:
        """{reaction: way} of each reaction."""
        return {i: value.get(i, self.default) for i in reactions}

    def reader(self, unit_id: str, value: Any, scope: Scope) -> Callable:
        if self.options:
            chosen = self.chosen(value, scope.reactions)
            return lambda inputs: chosen
        addresses = {i: f"{unit_id}.{self.key}.{i}" for i in scope.reactions}
        return lambda inputs: {i: inputs[a] for i, a in addresses.items() if a in inputs}


class Computed(Declared):
    """A declaration of what `solve` gives."""


@dataclass(eq=False)
class Result(Computed):
    """A computed number, or one per species, reaction or element (`per`).

    `solve` gives it, or it follows (`of`) from what entered and left; one that is `counted` counts on the project's key reactant and
    wanted product, and there is none where the project names none.
    """

    label: str
    dimension: str
    meaning: str
    per: str | None = None  # None, "species", "reaction" or "element"
    headline: bool = False  # shown on the map
    words: str = ""  # name of a value that says, in words, what it holds for
    of: Callable[[Passage], Any] | None = None
    counted: bool = False
    written: str | None = None


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


ROUNDING = 1e-12  # share of what it is taken from, below which a difference says nothing


def supported(difference: float, size: float) -> float:
    """A difference of amounts, 0.0 where it is no more than the rounding of what it is taken from."""
    return difference if abs(difference) > ROUNDING * abs(size) else 0.0


class Given(SimpleNamespace):
    """Values of the inputs in use, by name; None where an optional one is not given."""


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
