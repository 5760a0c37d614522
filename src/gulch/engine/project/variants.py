"""Variants: named alternatives of a project, each kept as its own differences from the base.

Differences are taken between the documents as plain data. Lists of things with an id (or another name of their own)
are matched by it, so that an edit of the base reaches every variant that did not change the same place.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.document import VariantEdit, VariantEntry, load
from gulch.engine.project.edit import EditError, fresh
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.declared.declarations import Declared
    from gulch.engine.document import Project

SHARED = (
    "format",
    "version",
    "name",
    "remarks",
    "display",
    "own_units",
    "operating_hours",
    "ledger",
    "variants",
    "working",
    "sizing",
    "region",
    "prices",
    "measurements",
    "fits",
    "bare_shares",
    "notebook",
    "strip",
)
KEYS = ("id", "sets", "stream")  # what names an entry of a list
BASE = "base"
MOST_WORDS = 120  # letters of a value told in a line


def worked(project: Project) -> Project:
    """The Project as the variant that is worked on: its edits applied to the base. Raises DocumentError."""
    variant = project.variant(project.working) if project.working else None
    return project if variant is None else applied(project, variant)


def applied(project: Project, variant: VariantEntry) -> Project:
    """The base with a variant's edits. Edits of things that the base has no more are left out. Raises DocumentError."""
    data = project.dump()
    for edit in variant.edits:
        _apply(data, edit)
    return load(data)


def lost(project: Project, variant: VariantEntry) -> list:
    """Edits of a variant that concern what the base has no more."""
    data = project.dump()
    return [edit for edit in variant.edits if not _apply(data, edit)]


def misfits(project: Project, variant: VariantEntry) -> list[str]:
    """Sentences on the edits of a variant that find no place in the base."""
    return [
        f"Variant {variant.name}: its edit of {edit.at.replace('/', ' ')} finds no place, because the base has that no more. "
        "Without it the variant's figures there are the base's."
        for edit in lost(project, variant)
    ]


def folded(whole: Project, changed: Project) -> Project:
    """The whole project after its worked document was changed: the difference goes to the variant, or to the base."""
    variant = whole.variant(whole.working) if whole.working else None
    after = changed.dump()
    if variant is None:
        return load(after)
    data = whole.dump()
    for key in SHARED:
        if key in after and key not in ("variants", "working"):
            data[key] = after[key]
    base = {k: v for k, v in data.items() if k not in SHARED}
    edits = differences(base, {k: v for k, v in after.items() if k not in SHARED})
    for entry in data["variants"]:
        if entry["id"] == variant.id:
            entry["edits"] = [e.model_dump(exclude_defaults=True) for e in edits]
    return load(data)


def differences(base: dict[str, Any], other: dict[str, Any], at: tuple = ()) -> list:
    """VariantEdits that turn one piece of plain data into another, in an order in which they can be applied."""
    found = []
    for key in [*base, *(k for k in other if k not in base)]:
        here = (*at, key)
        if key not in other:
            found.append(VariantEdit(at=_path(here), gone=True))
        elif key not in base:
            found.append(VariantEdit(at=_path(here), to=other[key]))
        elif base[key] == other[key]:
            continue
        elif isinstance(base[key], dict) and isinstance(other[key], dict):
            found += differences(base[key], other[key], here)
        elif (name := _name_of(base[key], other[key])) is not None:
            found += _list_differences(base[key], other[key], name, here)
        else:
            found.append(VariantEdit(at=_path(here), to=other[key]))
    return found


def _list_differences(base: list[dict[str, Any]], other: list, name: str, at: tuple) -> list[VariantEdit]:
    old, new = {e[name]: e for e in base}, {e[name]: e for e in other}
    if [n for n in old if n in new] != [n for n in new if n in old]:
        return [VariantEdit(at=_path(at), to=other)]  # another order: kept whole
    found = [VariantEdit(at=_path((*at, n)), gone=True) for n in old if n not in new]
    before = None
    for n, entry in new.items():
        if n not in old:
            found.append(VariantEdit(at=_path((*at, n)), to=entry, after=before))
        elif old[n] != entry:
            same = old[n].get("kind") == entry.get("kind")
            found += differences(old[n], entry, (*at, n)) if same else [VariantEdit(at=_path((*at, n)), to=entry, after=before)]
        before = n
    return found


def _name_of(*lists: Any) -> str | None:
    """The key that names the entries of lists of dicts, or None."""
    for name in KEYS:
        if all(isinstance(v, list) and all(isinstance(e, dict) and isinstance(e.get(name), str) for e in v) for v in lists):
            names = [[e[name] for e in v] for v in lists]
            if any(names) and all(len(set(n)) == len(n) for n in names):
                return name
    return None


def _path(keys: tuple) -> str:
    return "/".join(keys)


def _apply(data: Any, edit: VariantEdit) -> bool:
    """Make one edit in plain data; False where there is no place for it."""
    *way, last = edit.at.split("/")
    for key in way:
        data = _step(data, key)
        if data is None:
            return False
    if isinstance(data, list):
        name = next((k for k in KEYS if data and k in data[0]), None) or next((k for k in KEYS if k in (edit.to or {})), "id")
        at = next((i for i, e in enumerate(data) if e.get(name) == last), None)
        if edit.gone:
            if at is None:
                return False
            del data[at]
        elif at is not None:
            data[at] = edit.to
        else:
            before = next((i for i, e in enumerate(data) if e.get(name) == edit.after), None)
            data.insert(len(data) if edit.after and before is None else (0 if before is None else before + 1), edit.to)
        return True
    if not isinstance(data, dict):
        return False
    if edit.gone:
        return data.pop(last, None) is not None
    data[last] = edit.to
    return True


def _step(data: dict[str, Any] | list[dict[str, Any]], key: str) -> dict | list | None:
    if isinstance(data, dict):
        found = data.get(key)
        return found if isinstance(found, dict | list) else None
    if isinstance(data, list):
        return next((e for e in data if isinstance(e, dict) and key in (e.get(k) for k in KEYS)), None)
    return None


# What a user does with variants, on the whole project


def add(project: Project, name: str) -> str:
    """Add a variant that equals what is worked on, and work on it; returns its id. Raises EditError."""
    name = " ".join(name.split())[:60]
    if not name:
        raise EditError("The variant has no name: type one.")
    if name.lower() == BASE or any(v.name.lower() == name.lower() for v in project.variants):
        raise EditError(f"There is a variant named {name} already: choose another name.")
    id_ = fresh("variant", {v.id for v in project.variants})
    now = project.variant(project.working) if project.working else None
    edits = [e.model_copy(deep=True) for e in now.edits] if now else []
    project.variants = [*project.variants, VariantEntry(id=id_, name=name, edits=edits)]
    project.working = id_
    return id_


def need(project: Project, id_: str) -> VariantEntry:
    """The variant of that id. Raises EditError where there is none."""
    variant = project.variant(id_)
    if variant is None:
        raise EditError("The variant is gone: reload the page.")
    return variant


def remove(project: Project, id_: str) -> None:
    """Remove a variant; the base is worked on where it was."""
    need(project, id_)
    project.variants = [v for v in project.variants if v.id != id_]
    if project.working == id_:
        project.working = None


def work_on(project: Project, id_: str) -> None:
    """Work on a variant, or with "" on the base."""
    if id_:
        applied(project, need(project, id_))  # refused here if it no longer fits the base
    project.working = id_ or None


def make_base(project: Project, id_: str) -> tuple:
    """A new Project in which a variant is the base and the old base a variant; the others keep what they are."""
    variant = need(project, id_)
    everyone = {v.id: applied(project, v) for v in project.variants}
    old = {k: v for k, v in project.dump().items() if k not in SHARED}
    data = everyone[id_].dump()
    base = {k: v for k, v in data.items() if k not in SHARED}
    name = "former base"
    number = 2
    while any(v.name == name for v in project.variants):
        name, number = f"former base {number}", number + 1
    kept = []
    for v in project.variants:
        if v.id == id_:
            kept.append(VariantEntry(id=v.id, name=name, edits=differences(base, old)))
        else:
            there = {k: w for k, w in everyone[v.id].dump().items() if k not in SHARED}
            kept.append(VariantEntry(id=v.id, name=v.name, remark=v.remark, edits=differences(base, there)))
    data["variants"] = [v.model_dump(mode="json", exclude_none=True) for v in kept]
    data["working"] = None
    data["remarks"] = project.remarks
    return load(data), variant.name


def words(project: Project, edit: VariantEdit) -> tuple:
    """(where, what the base has, what the variant has) of an edit, as text."""
    keys = edit.at.split("/")
    data: Any = project.dump()
    for key in keys:
        if isinstance(data, dict):
            data = data.get(key)
        elif isinstance(data, list):
            data = next((e for e in data if isinstance(e, dict) and key in (e.get(k) for k in KEYS)), None)
        else:
            data = None
    collection = {
        "units": "unit",
        "streams": "stream",
        "reactions": "reaction",
        "reaction_sets": "reaction set",
        "ties": "tie on",
        "targets": "target",
        "tears": "tear",
        "knobs": "knob",
        "gauges": "gauge",
        "scans": "scan",
        "searches": "search",
    }
    head = collection.get(keys[0], keys[0].replace("_", " "))
    rest = [k.replace("_", " ") for k in keys[2:] if k not in ("given", "heat")]
    where = " ".join([head, *keys[1:2]]) + (f", {' of '.join(reversed(rest))}" if rest else "")
    if len(keys) == 2 and keys[0] in collection:
        before = "there" if data is not None else "not there"
        return where, before, "left out" if edit.gone else ("changed" if data is not None else _entry_words(edit.to))
    declared = _declared(project, keys)
    if declared is not None:
        label = str(vars(declared)["label"])
        where, options = f"{head} {keys[1]}, {label[:1].lower()}{label[1:]}", getattr(declared, "options", None) or {}
        return where, _value_words(data, options), "nothing" if edit.gone else _value_words(edit.to, options)
    return where, _value_words(data), "nothing" if edit.gone else _value_words(edit.to)


def _declared(project: Project, keys: list[str]) -> Declared | None:
    """The declaration of a unit's input that an edit's place names, or None."""
    unit = project.unit(keys[1]) if keys[0] == "units" and len(keys) > 2 else None
    if unit is None:
        return None
    names = (keys[-1], ".".join(keys[2:]))
    return next((d for d in KINDS[unit.kind].inputs() if d.key in names or getattr(d, "written", None) in names), None)


def _entry_words(entry: Any) -> Any:
    kind = entry.get("kind") if isinstance(entry, dict) else None
    return f"added, a {kind.replace('-', ' ')}" if kind else "added"


def _value_words(value: bool | list[list[str]] | str, options: dict[str, str] | None = None) -> str:
    """A value of the document as text: a choice by its words, lists and tables by what they hold, up to MOST_WORDS letters."""
    if value is None or value == "":
        return "nothing"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, str | int | float):
        return (options or {}).get(value, str(value))
    text = _flat(value)
    return text if len(text) <= MOST_WORDS else text[: MOST_WORDS - 1].rsplit(" ", 1)[0] + " …"


def _flat(value: list | str) -> str:
    if isinstance(value, dict):
        return ", ".join(f"{k} {_flat(v)}" for k, v in value.items() if v not in (None, "", [], {}))
    if isinstance(value, list):
        return "; ".join(_flat(v) for v in value) or "nothing"
    return str(value)
