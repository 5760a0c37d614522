"""What in a saved project refers to what: markers for the document's models, and one walker that serves them all.

A field's type says what its text names: `Annotated[str, Ref(Thing.STREAM)]`. Renaming, forgetting what was removed and
following a variant's edits then need no list of places.
"""

from __future__ import annotations

import re
import types
from dataclasses import dataclass
from enum import Enum
from functools import cache
from typing import TYPE_CHECKING, Annotated, Any, Union, _AnnotatedAlias, _LiteralGenericAlias, get_args, get_origin  # type: ignore[attr-defined]

from annotated_types import MinLen
from pydantic import BaseModel

from gulch.engine.declared.declarations import PerReaction, PerStage
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from pydantic.fields import FieldInfo


class Thing(Enum):
    """What has an id. Streams, units, reactions and numbers share their ids' space."""

    STREAM = "stream"
    UNIT = "unit"
    REACTION = "reaction"
    NUMBER = "number"
    SPECIES = "species"
    SET = "reaction set"
    KNOB = "knob"
    GAUGE = "gauge"
    TARGET = "target"
    SCAN = "scan"
    SEARCH = "search"
    VARIANT = "variant"
    SHEET = "measurements"
    FIT = "fit"


class OnLoss(Enum):
    """What becomes of a text whose thing is gone."""

    ENTRY = "the entry that holds it goes too"
    EMPTY = "it is taken out"
    KEEP = "it stays, and the checks name it"


@dataclass(frozen=True)
class Own:
    """The id that an entry is known by."""

    thing: Thing


@dataclass(frozen=True)
class Ref:
    """An id. port: "unit" or "unit.port"."""

    thing: Thing
    loss: OnLoss = OnLoss.EMPTY
    port: bool = False


@dataclass(frozen=True)
class Address:
    """The address of an input or result: head.name or head.name.item; of a gauge: gauge.ID."""

    loss: OnLoss = OnLoss.ENTRY


@dataclass(frozen=True)
class PlaceText:
    """Where a message stands: an address; tie. and the address that a tie sets; knob.ID, gauge.ID, …, with a field."""

    loss: OnLoss = OnLoss.EMPTY


@dataclass(frozen=True)
class FormulaText:
    """A formula over addresses."""


@dataclass(frozen=True)
class EditOf:
    """A model of differences: `at`, a path by ids, `to`, what stands there, `after`, the id of an entry before."""


MARKERS = (Own, Ref, Address, PlaceText, FormulaText)
_PROCESS = (Thing.STREAM, Thing.UNIT, Thing.REACTION, Thing.NUMBER)


_PLACES = {"knob": Thing.KNOB, "gauge": Thing.GAUGE, "target": Thing.TARGET, "scan": Thing.SCAN, "search": Thing.SEARCH}
_STANDING = ("sizing", "region", "measures", "closing", "prices")  # places that nothing takes away


class _Gone:
    pass


GONE = _Gone()  # what the walker gives for data that go


@cache
def _items() -> dict[str, Any]:
    """{name of an input or result of units: what there is one of it for}, species aside."""
    found: dict[str, Thing | None] = {d.name: Thing.REACTION for kind in KINDS.values() for d in kind.declared(PerReaction)}
    per = {"reaction": Thing.REACTION, "element": None, "stage": None}
    found |= {d.name: None for kind in KINDS.values() for d in kind.declared(PerStage)}
    found["number"] = None  # of a reaction's formula, by its own name
    return found | {r.name: per[r.per] for kind in KINDS.values() for r in kind.results() if r.per in per}


def item_thing(name: str) -> Thing:
    """What the item of an address head.name.item is: a species, a reaction, or None for an element."""
    return _items().get(name, Thing.SPECIES)


@dataclass(frozen=True)
class Renaming:
    """Everything that refers to one thing follows its new id. ids: all that are known, so that none is taken for a part of another."""

    thing: Thing
    old: str
    new: str
    ids: frozenset = frozenset()

    def _is(self, thing: Thing, text: str) -> bool:
        return text == self.old and thing is self.thing

    def own(self, thing: Thing, text: str) -> str:
        """An entry's own id, followed."""
        return self.new if self._is(thing, text) else text

    def ref(self, thing: Thing, text: str) -> str:
        """An id that names a thing, followed."""
        return self.own(thing, text)

    def address(self, text: str) -> str:
        """An address, its head and its item followed."""
        head, dot, rest = text.partition(".")
        name, dot2, item = rest.partition(".")
        if head == "gauge":
            return f"gauge.{self.own(Thing.GAUGE, name)}{dot2}{item}"
        if self.thing in _PROCESS and head == self.old:
            head = self.new
        if item and self._is(item_thing(name), item):
            item = self.new
        return f"{head}{dot}{name}{dot2}{item}"

    def formula(self, text: str) -> str:
        """A formula with the addresses in it followed."""
        # in formulas a dash of an id may be written as underscore, and a dash after it may be a minus
        word = "[-_]".join(re.escape(part) for part in re.split("[-_]", self.old))
        longer = [re.escape(i[len(self.old) :]) for i in self.ids if i.startswith(f"{self.old}-")]
        ends = rf"(?!\w)(?!{'|'.join(longer) if longer else '(?!)'})"
        if self.thing in _PROCESS:
            text = re.sub(rf"(?<![\w.\-]){word}(?=\.)", self.new, text)
        if self.thing in (Thing.REACTION, Thing.SPECIES):
            text = re.sub(
                rf"(\.([\w\-]+)\.){word}{ends}(?!\.)",
                lambda m: m[1] + self.new if item_thing(m[2].replace("-", "_")) is self.thing else m[0],
                text,
            )
        if self.thing is Thing.GAUGE:
            text = re.sub(rf"(?<![\w.\-])gauge\.{word}{ends}", f"gauge.{self.new}", text)
        return text


@dataclass(frozen=True)
class Forgetting:
    """What refers to things that are no more goes. alive: {Thing: ids}."""

    alive: dict

    def own(self, thing: Thing, text: str) -> str:
        """An entry's own id, which stays."""
        return text

    def ref(self, thing: Thing, text: str) -> str | _Gone:
        """An id that names a thing; GONE where that is no more."""
        return text if text in self.alive[thing] else GONE

    def address(self, text: str) -> str | _Gone:
        """An address; GONE where its head or its item is no more."""
        head, _, rest = text.partition(".")
        name, _, item = rest.partition(".")
        if head == "gauge":
            return text if name in self.alive[Thing.GAUGE] else GONE
        known = head == "overall" or any(head in self.alive[t] for t in _PROCESS)
        of = item_thing(name) if item else None
        return text if known and (of is None or item in self.alive[of]) else GONE

    def formula(self, text: str) -> str:
        """A formula, which stays: the checks name what it lacks."""
        return text


def followed(model: type, data: dict[str, Any], change: Forgetting | Renaming) -> dict[str, Any]:
    """Plain data of a model after a change (a Renaming or Forgetting); GONE where they go as a whole."""
    return _Walker(change, model, data).walk(model, data)


class _Walker:
    def __init__(self, change: Forgetting | Renaming, root: type, whole: dict[str, Any]) -> None:
        self.change, self.root, self.whole = change, root, whole

    def walk(self, kind: Any, data: float | str | dict[str, Any] | list, markers: tuple = ()) -> Any:
        """Data of a type, followed; GONE where they go."""
        if get_origin(kind) is Annotated:
            kind, *more = get_args(kind)
            markers = (*more, *markers)
        if data is None:
            return None
        marker = next((m for m in markers if isinstance(m, MARKERS)), None)
        if marker is not None and isinstance(data, str):
            return self.text(marker, data)
        if isinstance(kind, type) and issubclass(kind, BaseModel) and isinstance(data, dict):
            return self.model(kind, data)
        if get_origin(kind) in (Union, types.UnionType):
            return self.walk(_chosen(kind, data), data, markers)
        if get_origin(kind) is dict and isinstance(data, dict):
            of_key, of_value = get_args(kind)
            pairs = [(self.walk(of_key, k), self.walk(of_value, v)) for k, v in data.items()]
            return {k: v for k, v in pairs if k is not GONE and v is not GONE}
        if get_origin(kind) in (list, tuple) and isinstance(data, list | tuple):
            kept = [v for v in (self.walk(get_args(kind)[0], v) for v in data) if v is not GONE]
            least = next((m.min_length for m in markers if isinstance(m, MinLen)), 0)
            return GONE if len(kept) < least or (get_origin(kind) is tuple and len(kept) < len(data)) else kept
        return data

    def model(self, kind: Any, data: dict[str, Any]) -> dict[str, Any] | _Gone:
        if any(isinstance(m, EditOf) for m in getattr(kind, "references", ())):
            return self.edit(data)
        out = dict(data)
        for name, field in kind.model_fields.items():
            key = field.alias or name
            if key not in data:
                continue
            out[key] = self.walk(field.annotation, data[key], tuple(field.metadata))
            if out[key] is GONE:
                if _loss(field) is OnLoss.ENTRY:
                    return GONE
                del out[key]
        return out

    def text(self, marker: Any, text: str) -> Any:
        change = self.change
        if isinstance(marker, Own):
            return change.own(marker.thing, text)
        if isinstance(marker, FormulaText):
            return change.formula(text)
        if not text:
            return text
        if isinstance(marker, Ref):
            head, dot, port = text.partition(".") if marker.port else (text, "", "")
            found = change.ref(marker.thing, head)
            found = found if found is GONE else f"{found}{dot}{port}"
        elif isinstance(marker, PlaceText):
            found = self.place(text)
        else:
            found = change.address(text)
        return text if found is GONE and marker.loss is OnLoss.KEEP else found

    def place(self, text: str) -> Any:
        head, _, rest = text.partition(".")
        if head == "tie":
            found = self.change.address(rest)
            return found if found is GONE else f"tie.{found}"
        if head in _PLACES:
            id_, dot, field = rest.partition(".")
            found = self.change.ref(_PLACES[head], id_)
            return found if found is GONE else f"{head}.{found}{dot}{field}"
        return text if head in _STANDING else self.change.address(text)

    def edit(self, data: dict[str, Any]) -> Any:
        """A variant's edit: its path, the neighbour it names and what it puts there."""
        keys, kind, at = data["at"].split("/"), self.root, []
        own = None  # what the ids of the list that the path is in are
        for depth, key in enumerate(keys):
            kind, followed_key, owner = self.step(kind, key, keys[:depth])
            own = owner or own
            at.append(followed_key)
        if GONE in at:
            return GONE
        out = data | {"at": "/".join(at)}
        if data.get("after") is not None and own is not None:
            out["after"] = self.text(own, data["after"])
        if data.get("to") is not None and kind is not None:
            out["to"] = self.walk(kind, data["to"])
        return GONE if GONE in (out.get("to"), out.get("after")) else out

    def step(self, kind: Any, key: str, before: list[str]) -> tuple:
        """(type at a key inside a type, the key followed, marker of the ids of a list's entries or None)."""
        markers: Any = ()
        while get_origin(kind) is Annotated:
            kind, *markers = get_args(kind)
        if get_origin(kind) in (Union, types.UnionType):
            kind = _chosen(kind, _at(self.whole, before))
        if isinstance(kind, type) and issubclass(kind, BaseModel):
            field = next((f for n, f in kind.model_fields.items() if key in (f.alias, n)), None)
            return (None, key, None) if field is None else (_whole_type(field), key, None)
        if get_origin(kind) is list:
            (entry,) = get_args(kind)
            marker = _name_marker(entry)
            return entry, key if marker is None else self.text(marker, key), marker
        if get_origin(kind) is dict:
            of_key, of_value = get_args(kind)
            return of_value, self.walk(of_key, key), None
        return None, key, None


def _whole_type(field: FieldInfo) -> Any:
    return Annotated[field.annotation, *field.metadata] if field.metadata else field.annotation


@cache
def _name_marker(entry: type | _AnnotatedAlias) -> Any:
    """The marker of the field that tells one entry of a list from another: its own id, or what it is about."""
    while get_origin(entry) is Annotated:
        entry = get_args(entry)[0]
    if get_origin(entry) in (Union, types.UnionType):
        entry = get_args(entry)[0]
    if not (isinstance(entry, type) and issubclass(entry, BaseModel)):
        return None
    for name in ("id", "sets", "stream"):
        if name in entry.model_fields:
            return next((m for m in entry.model_fields[name].metadata if isinstance(m, MARKERS)), None)
    return None


def _at(whole: dict[str, Any], path: list[str]) -> dict | None:
    """Plain data at a path by ids, or None."""
    here: Any = whole
    for key in path:
        if isinstance(here, dict):
            here = here.get(key)
        elif isinstance(here, list):
            here = next((e for e in here if isinstance(e, dict) and key in (e.get("id"), e.get("sets"), e.get("stream"))), None)
    return here


def _chosen(kind: Any, data: Any) -> type | _AnnotatedAlias | _LiteralGenericAlias:
    """The member of a union that data belong to."""
    members = [m for m in get_args(kind) if m is not type(None)]
    if len(members) == 1:
        return members[0]
    if isinstance(data, dict) and "kind" in data:
        for m in members:
            field = m.model_fields.get("kind") if isinstance(m, type) and issubclass(m, BaseModel) else None
            if field is not None and data["kind"] in get_args(field.annotation):
                return m
    return Any


def _loss(field: FieldInfo) -> OnLoss:
    """What becomes of the entry whose field went."""
    found = [m for m in field.metadata if isinstance(m, MARKERS)]
    if found:
        return getattr(found[0], "loss", OnLoss.KEEP)
    return OnLoss.ENTRY if field.is_required() else OnLoss.EMPTY
