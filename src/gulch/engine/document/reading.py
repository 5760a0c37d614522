"""Reading a project from data or text, and its JSON Schema."""

from __future__ import annotations

import json
from typing import Any

from pydantic import ValidationError

from gulch.engine.document.parts import FORMAT, MAX_BYTES, MOST_NESTED, VERSION, DocumentError
from gulch.engine.document.project import Project
from gulch.engine.units import KINDS


def load(data: dict[str, Any]) -> Project:
    """A Project from plain data. Raises DocumentError with sentences for the user."""
    if not isinstance(data, dict):
        raise DocumentError("This is not a Gulch project: a JSON object is expected.")
    if data.get("format") != FORMAT:
        raise DocumentError(f"This is not a Gulch project: its “format” should read “{FORMAT}”.")
    if data.get("version") != VERSION:
        raise DocumentError(
            f"This project has version {data.get('version')!r}, but this Gulch reads version {VERSION}: open it with a newer Gulch."
        )
    try:
        return Project.model_validate(data)
    except ValidationError as error:
        raise DocumentError(_sentences(error, data)) from None


def loads(text: str | bytes) -> Project:
    """A Project from JSON text or bytes. Raises DocumentError."""
    if len(text) > MAX_BYTES:
        raise DocumentError(f"The file is larger than {MAX_BYTES // 1_000_000} MB, which no project is.")
    try:
        data = json.loads(text)
        json.dumps(data, ensure_ascii=False).encode()  # half a surrogate pair is no text
        if _depth(data) > MOST_NESTED:
            raise DocumentError(f"The file is nested more than {MOST_NESTED} deep, which no project is.")
    except DocumentError:
        raise
    except (ValueError, UnicodeDecodeError, RecursionError) as error:
        where = f" (line {error.lineno})" if isinstance(error, json.JSONDecodeError) else ""
        raise DocumentError(f"The file is not readable JSON{where}: it may be cut short or of another kind.") from None
    return load(data)


def _depth(data: dict) -> int:
    """How deep plain data are nested."""
    deepest, level = 0, [data]
    while level and deepest <= MOST_NESTED:
        deepest += 1
        level = [v for d in level if isinstance(d, dict | list) for v in (d.values() if isinstance(d, dict) else d)]
    return deepest


def _sentences(error: ValidationError, data: dict[str, Any]) -> str:
    lines = []
    for problem in error.errors()[:5]:
        place = _place(problem["loc"], data)
        if problem["type"] == "extra_forbidden":
            lines.append(f"{place}: this version of Gulch does not know this entry.")
        elif problem["type"] == "missing":
            lines.append(f"{place}: the entry is missing.")
        elif problem["type"] in ("union_tag_invalid", "union_tag_not_found"):
            lines.append(f"{place}: the unit kind is not one of {', '.join(KINDS)}.")
        else:
            lines.append(f"{place}: {_mistake(problem)}")
    more = len(error.errors()) - 5
    return "The project cannot be read. " + " ".join(lines) + (f" And {more} more." if more > 0 else "")


def _mistake(problem: Any) -> str:
    """What is wrong with one entry, and how it is written, as a sentence."""
    kind, given, limits = problem["type"], problem.get("input"), problem.get("ctx", {})
    shown = json.dumps(given, ensure_ascii=False)[:40] if isinstance(given, str | int | float | bool) else "what stands there"
    if kind == "string_type":
        if isinstance(given, int | float) and not isinstance(given, bool):
            return f'the number {shown} stands bare: write it as text, with its unit where it has one, as in "5 bar".'
        return f"{shown} is no text: write a text in quotes."
    if kind in ("model_type", "dict_type", "model_attributes_type"):
        return f'{shown} stands where entries in braces belong: write for example {{"mode": "adiabatic"}}.'
    if kind in ("list_type", "tuple_type"):
        return f"{shown} stands where a list in square brackets belongs."
    if kind in ("literal_error", "enum"):
        return f"{shown} is not one of {limits.get('expected', 'the ways')}."
    if kind == "too_long":
        return f"it holds more than {limits.get('max_length')} entries, which is more than Gulch keeps pages usable with."
    if kind in ("string_too_long", "string_too_short", "too_short"):
        return f"{shown} is too {'long' if 'long' in kind else 'short'}."
    if kind == "string_pattern_mismatch":
        return f"{shown} is not written as it must be: use letters, digits, _ and -, beginning with a letter."
    if kind in ("int_parsing", "int_type", "int_from_float", "float_parsing", "float_type"):
        return f"{shown} is not a number as it is wanted here: write a bare number."
    if kind.startswith(("greater_than", "less_than")):
        side = "at least" if kind.startswith("greater") else "at most"
        return f"{shown} is out of bounds: it must be {side} {next((v for v in limits.values()), '')}."
    if kind in ("bool_type", "bool_parsing"):
        return f"{shown} is neither true nor false."
    return f"{shown} cannot stand here."


def _place(location: tuple, data: dict[str, Any]) -> str:
    words = []
    for key in location:
        if isinstance(key, int) and isinstance(data, list) and key < len(data):
            data = data[key]
            words.append(str(data.get("id", key + 1)) if isinstance(data, dict) else str(key + 1))
        else:
            if isinstance(data, dict) and key in data:
                data = data[key]
            elif str(key) in KINDS:
                continue
            words.append(str(key))
    return " › ".join(words) or "the file"


def schema() -> dict[str, Any]:
    """JSON Schema of the project file."""
    out = Project.model_json_schema(by_alias=True)
    out["title"] = "Gulch project"
    out["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    return out
