"""Fields of forms, made from the declarations."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.declared.declarations import Choice, Course, Input, PerReaction, PerSpecies, PerStage, ReactionSet, SpeciesChoice
from gulch.engine.document import assumed_choices, choices_of, value_of
from gulch.engine.explain.manual import page_of
from gulch.engine.project.inputs import reactions_of
from gulch.engine.quantities import (
    show,
)
from gulch.engine.units import KINDS
from gulch.web.projects.regions.region import Region
from gulch.web.projects.words import (
    field_text,
    in_unit,
    pretty_text,
    show_unit,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from gulch.engine.project.inputs import Address
    from gulch.engine.project.messages import Message


@dataclass
class SetBy:
    """What sets an input instead of the typed text, the value it found, and where it is seen; all empty where nothing does."""

    set_by: str = ""
    found: str = ""
    about: str = ""


@dataclass
class Field:
    """A field of a form."""

    type: str
    label: str
    meaning: str
    address: str = ""
    text: str = ""
    help: str = ""
    assumed: bool = False
    context: str = ""
    owner: str = ""
    taken: str = ""
    message: Message | None = None
    set_by: str = ""
    found: str = ""
    about: str = ""
    optional: str | bool = False
    knob: str | None = None
    can_turn: bool = False
    unit: str = ""
    dimension: str = ""
    options: list[tuple] = field(default_factory=list)
    id: str = ""  # of its control; from the address where there is none
    verb: str = "set"
    sent: dict[str, str] = field(default_factory=dict)  # with the edit; the address where it is empty


class Fields(Region):
    """Fields of forms, made from the declarations."""

    def stands(self, a: Address) -> str:
        """What an input stands at, in words: what a tie or a target found, else as typed; a bare share in per cent, as everywhere."""
        return self.set_by(a).found or (a.text and in_unit(a.text, a.dimension, self.display)) or ""

    def set_by(self, a: Address) -> SetBy:
        """What sets an input instead of the typed text: a tie or a target, with the value it found."""
        tie = self.document.tie(a.address)
        turned = {k.id for k in self.document.knobs if k.input == a.address}
        target = next((t for t in self.document.targets if t.on and t.knob in turned), None)
        if tie is None and target is None:
            return SetBy()
        value = self.solution.found.get(a.address) if self.solution else None
        text = show(value, a.dimension, self.display) if value is not None else pretty_text(a.text or "")
        if tie is not None:
            return SetBy(set_by=f"tied: {tie.formula}", found=text, about=f"tie.{a.address}")
        gauge = self.document.gauge(target.gauge)
        r = self.outputs.get(gauge.reads) if gauge else None
        return SetBy(
            set_by=f"set by the target on {gauge.label or (r.label if r else gauge.id)}" if gauge else "set by a target",
            found=text,
            about=f"target.{target.id}",
        )

    def field(self, address: str, label: str | None = None, meaning: str = "") -> Field:
        a = self.inputs[address]
        message = self.errors.get(address)
        knob = next((k.id for k in self.document.knobs if k.input == address), None)
        by = self.set_by(a)
        return Field(
            type="quantity",
            address=address,
            label=label or a.label,
            text=field_text(a),
            meaning=meaning,
            help=self.help_of(address),
            set_by=by.set_by,
            found=by.found,
            about=by.about,
            assumed=a.assumed and a.counted and not by.set_by,
            context=a.context,
            owner=address.split(".")[0],
            taken=json.dumps(self.taken(address.split(".")[0])),
            message=message,
            knob=knob,
            can_turn=a.knob,
            unit=show_unit(a.dimension, self.display),
            dimension=a.dimension,
        )

    def numbers(self) -> dict[str, Field]:
        """{id: field} of the numbers of the project's own."""
        return {n.id: self.field(f"{n.id}.value") for n in self.document.numbers}

    def help_of(self, address: str) -> str:
        """Where the help explains an input, as page#place; '' where it does not."""
        owner, _, rest = address.partition(".")
        unit = self.document.unit(owner)
        if unit is not None:
            return f"{page_of(unit.kind)}#{rest.split('.')[0]}"
        return f"word-feed#{rest.split('.')[0]}" if self.document.stream(owner) is not None else ""

    def on_catalyst(self, unit: Any) -> bool:
        """Whether a rate that runs in a unit counts on a catalyst or its bed, or anything was said of one."""
        known = {r.id: r.rate for r in self.document.reactions}
        laws = [known[i] for i in reactions_of(self.document, unit)]
        said = unit.catalyst is not None and bool(unit.catalyst.model_dump(exclude_none=True))
        return said or any(law is not None and law.per != "fluid" for law in laws)

    def unit_fields(self, unit: Any) -> Iterator[Field]:
        """The form of a unit, made from its kind's declarations."""
        choices = choices_of(unit)
        for d in KINDS[unit.kind].inputs():
            if getattr(d, "group", None) == "catalyst" and not self.on_catalyst(unit):
                continue
            if d.in_use(choices):
                yield from SHOWN[type(d)](self, unit, d)

    def number_fields(self, unit: Any, declared: Input) -> Iterator[Field]:
        field = self.field(f"{unit.id}.{declared.key}", declared.label, declared.meaning)
        field.optional = declared.empty if declared.optional else False
        yield field

    def set_fields(self, unit: Any, declared: ReactionSet) -> Iterator[Field]:
        now = value_of(unit, declared)
        sets = [(s.id, s.id, s.id == now) for s in self.document.reaction_sets]
        yield self.list_field(unit, declared, [("", "none", not now), *sets])

    def species_fields(self, unit: Any, declared: SpeciesChoice) -> Iterator[Field]:
        now = value_of(unit, declared)
        species = [(s.id, s.shown, s.id == now) for s in self.document.species]
        yield self.list_field(unit, declared, [("", "choose …", not now), *species])

    def list_field(self, unit: Any, declared: Any, options: list[tuple]) -> Field:
        address = f"{unit.id}.{declared.key}"
        return Field(
            type="choice",
            address=address,
            label=declared.label,
            meaning=declared.meaning,
            help=self.help_of(address),
            options=options,
            message=self.errors.get(address),
        )

    def course_fields(self, unit: Any, declared: Course) -> Iterator[Field]:
        address = f"{unit.id}.{declared.key}"
        yield Field(
            type="course",
            address=address,
            label=declared.label,
            meaning=declared.meaning,
            help=self.help_of(address),
            text=value_of(unit, declared) or "",
            unit=declared.example,
            message=self.errors.get(address),
        )

    def per_species_fields(self, unit: Any, declared: PerSpecies) -> Iterator[Field]:
        yield Field(type="heading", label=declared.label, meaning=declared.meaning)
        for s in self.document.species:
            yield self.field(f"{unit.id}.{declared.key}.{s.id}", s.shown, declared.meaning)

    def per_stage_fields(self, unit: Any, declared: PerStage) -> Iterator[Field]:
        yield Field(type="heading", label=declared.label, meaning=declared.meaning)
        for i in declared.items(choices_of(unit)):
            field = self.field(f"{unit.id}.{declared.key}.{i}", f"stage {i}", declared.meaning)
            field.optional = False if declared.default else declared.empty
            yield field

    def choice_fields(self, unit: Any, declared: Choice) -> Iterator[Field]:
        yield self.choice_field(unit, declared, choices_of(unit)[declared.name], declared in list(assumed_choices(unit)))

    def choice_field(self, unit: Any, declared: Choice, chosen: str, assumed: bool) -> Field:
        options = [(v, words, v == chosen) for v, words in declared.options.items()]
        if declared.context and assumed:
            taken = declared.options.get(self.taken(unit.id).get(declared.name))
            options.insert(0, ("", f"{declared.context}: {taken}" if taken else declared.context, True))
        return Field(
            type="choice",
            address=f"{unit.id}.{declared.key}",
            label=declared.label,
            meaning=declared.meaning,
            help=self.help_of(f"{unit.id}.{declared.key}"),
            options=options,
            assumed=assumed,
            context=declared.context,
            owner=unit.id,
            taken=json.dumps(self.taken(unit.id)),
        )

    def taken(self, id_: str) -> dict:
        """What a unit took from the context in the last solve."""
        outcome = self.solution.units.get(id_) if self.solution else None
        return outcome.taken if outcome else {}

    def per_reaction_fields(self, unit: Any, declared: PerReaction) -> Iterator[Field]:
        given = value_of(unit, declared)
        ids = reactions_of(self.document, unit)
        if declared.options:
            if ids:
                yield Field(type="heading", label=declared.label, meaning=declared.meaning)
            for id_ in ids:
                address = f"{unit.id}.{declared.key}.{id_}"
                now = given.get(id_, declared.default)
                yield Field(
                    type="choice",
                    address=address,
                    label=id_,
                    meaning=declared.meaning,
                    options=[(v, words, v == now) for v, words in declared.options.items()],
                    message=self.errors.get(address),
                )
        else:
            ids = [i for i in ids if f"{unit.id}.{declared.key}.{i}" in self.inputs]
            if ids:
                yield Field(type="heading", label=declared.label, meaning=declared.meaning)
            for id_ in ids:
                field = self.field(f"{unit.id}.{declared.key}.{id_}", id_, declared.meaning)
                field.optional = "–" if declared.default is None else False
                yield field


SHOWN: dict[type, Callable] = {  # how a declaration stands on a form
    Input: Fields.number_fields,
    Choice: Fields.choice_fields,
    ReactionSet: Fields.set_fields,
    Course: Fields.course_fields,
    SpeciesChoice: Fields.species_fields,
    PerSpecies: Fields.per_species_fields,
    PerStage: Fields.per_stage_fields,
    PerReaction: Fields.per_reaction_fields,
}
