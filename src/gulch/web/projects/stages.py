"""The stages of a project, in the order of the work.

A stage is one class in one folder: its name, its template, what its page shows, the panel beside it, and which lines of the
to-do list are its own. Rail, routes and the workspace read it.
"""

from __future__ import annotations

from functools import cache
from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from gulch.engine.project.places import Place
    from gulch.web.projects.workspace import Workspace


FOLDERS = ("chemistry", "measured", "process", "loops", "scans", "variants", "sizing", "notebook")


class Stage:
    """One stage. name: in addresses and files; label: in the rail; template: of its page; aside: of the panel beside it, or "".

    about: whose lines of the to-do list are its own (Process takes the rest); styles: its style sheets; turns: whether knobs are
    turned at it, else the strip above it is folded to a line.
    """

    name = ""
    label = ""
    template = ""
    aside = ""
    about = frozenset()
    styles: tuple[str, ...] = ()
    turns = True

    def ask(self, space: Workspace) -> Any:
        """Have worked on what its page shows besides the process's own figures; returns what is known of it by now."""
        return None

    def context(self, space: Any, session: Any, answers: Any) -> Any:
        """What its templates are given besides the Workspace. session: the user's, for kept choices; answers: of `ask`."""
        return {}


@cache
def stages() -> dict[str, Any]:
    """{name: Stage} in the order of the rail; a folder's actions are registered with it."""
    found = {}
    for folder in FOLDERS:
        module = import_module(f"gulch.web.{folder}.stage")
        found[folder] = module.STAGE
    return found


@cache
def style_sheets() -> tuple:
    """Static names of all stages' style sheets, in order: an open page goes from stage to stage without another head."""
    return tuple(dict.fromkeys(f"gulch/styles/{name}.css" for s in stages().values() for name in s.styles))


def stage_of(place: Place) -> str:
    """The name of the stage to which a message at a Place belongs."""
    return next((s.name for s in stages().values() if place.about in s.about), "process")
