"""What a unit kind declares: inputs, choices and results, each said once. They interpret themselves."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from gulch.engine.quantities import QuantityError, parse, parse_points

if TYPE_CHECKING:
    from gulch.engine.declared.base import Passage


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
class _Bounded(Declared):
    """What is a number, or holds some: its name, dimension, meaning in one line, and bounds in SI."""

    label: str
    dimension: str
    meaning: str
    low: float = -np.inf
    high: float = np.inf


@dataclass(eq=False)
class Input(_Bounded):
    """A number, with its default.

    A default that nobody typed counts as assumed, unless it stands for "none of it" (`counted` False). `context`
    says in words where the value comes from when the kind's `adopt` takes it from what enters.
    """

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
class PerSpecies(_Bounded, _ByItem):
    """One number for each species of the project; missing ones take the default."""

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


LONGEST_COURSE = 8000  # characters of a course, as of a measured curve that is pasted


def _bare(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


@dataclass(eq=False)
class PerStage(_Bounded, _ByItem):
    """One number for each stage of a unit, of which the choice `count` says how many; missing ones take the default.

    first: the first stage that has one; last: how many at the end have none.
    """

    default: str | None = None
    when: tuple | None = None
    group: str | None = None
    count: str = "stages"
    first: int = 1
    last: int = 0
    counted: bool = True
    material: bool = True
    empty: str = ""  # what a missing one means where there is no default

    def schema(self, types: Any) -> tuple[Any, Any, str]:
        return dict[types.stage, types.quantity], {}, f"{self.meaning} [{self.dimension}], by stage"

    def items(self, choices: dict[str, Any]) -> list[str]:
        """Names of the stages that have one."""
        return [str(k) for k in range(self.first, int(choices[self.count]) + 1 - self.last)]

    def numbers(self, value: Any, scope: Scope) -> tuple:
        items = self.items(scope.choices)
        return tuple(
            Number(i, f"{self.label} of stage {i}", value.get(i, self.default), self.default is not None and i not in value) for i in items
        )

    def reader(self, unit_id: str, value: Any, scope: Scope) -> Callable:
        addresses = [f"{unit_id}.{self.key}.{i}" for i in self.items(scope.choices)]
        return lambda inputs: [inputs.get(a) for a in addresses]

    def unset(self) -> list:  # type: ignore[override]  # in the order of the stages
        return []


@dataclass(eq=False)
class Course(Declared):
    """A course of one quantity over another, as points typed: "0 min 25 degC; 30 min 60 degC"; between them it runs straight.

    low, high: bounds of the second; example: points as one may type them.
    """

    label: str
    first: str
    second: str
    meaning: str
    example: str
    low: float = -np.inf
    high: float = np.inf
    when: tuple | None = None
    group: str | None = None

    def schema(self, types: Any) -> tuple[Any, Any, str]:
        return types.points | None, None, f"{self.meaning} [{self.second} over {self.first}], for example “{self.example}”"

    def points(self, text: str) -> np.ndarray:
        """The points in SI, shape (k, 2). Raises QuantityError."""
        at, values = parse_points(text, self.first, self.second, LONGEST_COURSE)
        if at[0] is None:
            raise QuantityError(f"“{text}” is one value: write points like “{self.example}”.")
        if not all(self.low <= v <= self.high for v in values):
            raise QuantityError(f"{self.label} leaves what is possible: check “{text}”.")
        return np.column_stack([at, values])

    def with_units(self, text: str, first: str, second: str) -> str:
        """Points as typed or pasted, pairs of bare numbers given the units first and second; the rest stays as it is."""
        pieces = [p.split() for line in text.splitlines() for p in line.split(";") if p.strip()]
        return "; ".join(" ".join([p[0], first, p[1], second] if len(p) == 2 and _bare(p[0]) and _bare(p[1]) else p) for p in pieces)

    def reader(self, unit_id: str, value: Any, scope: Scope) -> Callable:
        points = self.points(value) if value and self.in_use(scope.choices) else None
        return lambda inputs: points


class Computed(Declared):
    """A declaration of what `solve` gives."""


@dataclass(eq=False)
class Result(Computed):
    """A computed number, or one per species, reaction, element or stage (`per`).

    `solve` gives it, or it follows (`of`) from what entered and left; one that is `counted` counts on the project's key reactant and
    wanted product, and there is none where the project names none.
    """

    label: str
    dimension: str
    meaning: str
    per: str | None = None  # None, "species", "reaction", "element" or "stage"
    headline: bool = False  # shown on the map
    words: str = ""  # name of a value that says, in words, what it holds for
    of: Callable[[Passage], Any] | None = None
    counted: bool = False
    spare: bool = False  # shown only where it has a value
    written: str | None = None
