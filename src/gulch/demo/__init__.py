"""Demo projects of the invented site Juniper Flats; all figures are made up."""

from __future__ import annotations

import json
from importlib.resources import files
from typing import TYPE_CHECKING, Any

from gulch.engine.document import loads
from gulch.engine.work import document_digest

if TYPE_CHECKING:
    from gulch.engine.document.project import Project


NAMES = (
    "juniper_flats_ethanol",
    "juniper_flats_reformer",
    "juniper_flats_styrene",
    "juniper_flats_acid",
    "juniper_flats_cyclohexane",
    "juniper_flats_ester",
    "juniper_flats_measurements",
    "juniper_flats_converter",
)


def projects(but: Any = ()) -> list[Project]:
    """The demo projects, freshly read; those of some names not at all."""
    texts = [(files(__package__) / f"{name}.json").read_text(encoding="utf-8") for name in NAMES]
    return [loads(text) for text in texts if json.loads(text)["name"] not in but]


def figures(document: Project) -> Any:
    """(solved, packed Solution) that ships with a demo project, or None where it is none as shipped.

    They stand at once where no kernel is compiled yet; `script/figures` makes them, a test solves them again.
    """
    wanted = document_digest(document.dump())
    for name in NAMES:
        file = files(__package__) / f"{name}.figures"
        if file.is_file() and (data := file.read_bytes())[:64] == wanted.encode():
            return True, data[64:]
    return None
