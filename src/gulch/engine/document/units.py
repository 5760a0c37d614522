"""Units in the document, built from the declarations of their kinds."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from types import SimpleNamespace
from typing import TYPE_CHECKING, Annotated, Any, Literal, Union

from pydantic import Field, create_model

from gulch.engine.declared.declarations import LONGEST_COURSE, Choice
from gulch.engine.document.parts import Id, Part, Quantity, ReactionId, SpeciesId
from gulch.engine.quantities import DISPLAY_SETS, parse, to_unit
from gulch.engine.references import Own, Ref, Thing
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.declared.base import Unit
    from gulch.engine.declared.declarations import Declared

TYPES = SimpleNamespace(
    quantity=Quantity,
    stage=Annotated[str, Field(pattern="^[1-9]$")],
    points=Annotated[str, Field(max_length=LONGEST_COURSE)],
    species_id=SpeciesId,
    reaction_id=ReactionId,
    set_id=Annotated[str, Ref(Thing.SET)],
)  # of the entries that declarations make


def _unit_model(kind: type[Unit]) -> type:
    """The document part of one unit kind."""
    fields: dict[str, Any] = {"id": (Annotated[Id, Own(Thing.UNIT)], ...), "kind": (Literal[kind.kind], kind.kind)}
    groups: dict[str, dict[str, Any]] = {}
    for d in kind.inputs():
        annotation, default, description = d.schema(TYPES)
        entry = (annotation, Field(default, description=description))
        if d.group:
            groups.setdefault(d.group, {})[d.key] = entry
        else:
            fields[d.key] = entry
    for group, entries in groups.items():
        model = create_model(f"{kind.__name__}{group.title()}", __base__=Part, **entries)
        fields[group] = (model, Field(default_factory=model))
    return create_model(f"{kind.__name__}Entry", __base__=Part, **fields)


UNIT_MODELS = {kind.kind: _unit_model(kind) for kind in KINDS.values()}


if TYPE_CHECKING:
    AnyUnit = Any  # one of models made from the declarations, which no checker can know
else:
    AnyUnit = Annotated[Union[tuple(UNIT_MODELS.values())], Field(discriminator="kind")]  # noqa: UP007


def value_of(unit: Any, declared: Declared) -> Any:
    """The document text of a declared input of a unit entry."""
    holder = getattr(unit, declared.group) if declared.group else unit
    return getattr(holder, declared.key)


def set_value(unit: Any, declared: Declared, text: str | None) -> None:
    """Write a declared input of a unit entry; pydantic validates."""
    holder = getattr(unit, declared.group) if declared.group else unit
    setattr(holder, declared.key, text)


def choices_of(unit: Any) -> dict[str, Any]:
    """{choice name: value} of a unit entry.

    One left out takes the way to which a typed value belongs, else its default; None is left to the context.
    """
    declared = KINDS[unit.kind].inputs()
    return {d.name: value_of(unit, d) or _implied(unit, d, declared) for d in KINDS[unit.kind].declared(Choice)}


def _implied(unit: Any, choice: Choice, declared: tuple) -> str | None:
    return next((d.when[1] for d in declared if d.when and d.when[0] == choice.name and value_of(unit, d)), choice.default)


def assumed_choices(unit: Any) -> Iterator:
    """Choices of a unit entry that nobody made and on which figures rest, as declarations.

    A way to give something counts by the numbers that it asks for, if it asks for any.
    """
    declared, ways = KINDS[unit.kind].inputs(), choices_of(unit)
    for d in KINDS[unit.kind].declared(Choice):
        if not d.counted or value_of(unit, d) is not None or not d.in_use(ways):
            continue
        if not any(o.when and o.when[0] == d.name and ways[d.name] in o.when[1:] for o in declared):
            yield d


@lru_cache(maxsize=1024)
def default_text(text: str, dimension: str, display: str) -> str:
    """A default as document text in the units of a display set, to four figures."""
    unit = DISPLAY_SETS[display].unit(dimension)
    number = f"{to_unit(parse(text, dimension), unit, dimension):.4g}"
    return number if unit == "1" else f"{number} {unit}"
